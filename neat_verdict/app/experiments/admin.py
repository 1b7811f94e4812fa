"""The workspace's name, time zone, currency and longest run are set in Django's own administration."""

from __future__ import annotations

from typing import TYPE_CHECKING

from django.contrib import admin
from django.http import HttpRequest

from neat_verdict.app.experiments.models import Tally, Workspace

if TYPE_CHECKING:
    WorkspaceModelAdmin = admin.ModelAdmin[Workspace]
else:
    WorkspaceModelAdmin = admin.ModelAdmin


@admin.register(Workspace)
class WorkspaceAdmin(WorkspaceModelAdmin):
    def get_readonly_fields(self, _request: HttpRequest, obj: Workspace | None = None) -> tuple[str, ...]:
        """Once there are data their days follow the zone: it is changed by a command that counts them again."""
        return ("time_zone",) if obj is not None and Tally.objects.exists() else ()
