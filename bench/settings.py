"""The application's settings with the bench's addresses."""

from neat_verdict.app.config.settings import *  # noqa: F403

ROOT_URLCONF = "bench.urls"
