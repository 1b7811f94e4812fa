"""The app's name in the database is its first one, so that an older database migrates."""

from django.apps import AppConfig


class AnalysisConfig(AppConfig):
    name = "neat_verdict.app.analysis"
    label = "readings"
