"""Counts a lake, for a run that has begun: what `bin/serve` starts by itself."""

from __future__ import annotations

from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser

from neat_verdict.app.sources.models import LakeRun
from neat_verdict.app.sources.running import count


class Command(BaseCommand):
    help = __doc__

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("run", type=int, help="its number")

    def handle(self, *args: Any, **options: Any) -> None:
        run = LakeRun.objects.select_related("by").filter(pk=options["run"], state="running").first()
        if run is None:
            raise CommandError(f"There is no run {options['run']} that has begun and not ended")
        count(run)
