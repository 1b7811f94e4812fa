"""The workspace's name, time zone, currency and longest run are set in Django's own administration."""

from django.contrib import admin

from neat_verdict.app.experiments.models import Workspace

admin.site.register(Workspace)
