"""Writes a lake of a site that assigns by itself, of any size: Parquet, and the file that describes it."""

from __future__ import annotations

from datetime import UTC, datetime, time, timedelta
from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandParser

from neat_verdict.app import clock
from neat_verdict.app.standins.lake import HABITS, Visits, write_lake

ROWS_A_VISITOR = 1 + sum(control for _, control, _ in HABITS)


class Command(BaseCommand):
    help = __doc__

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("folder", type=Path)
        parser.add_argument("--experiment", default="pictures-in-the-list-of-sailings", help="its key")
        parser.add_argument("--millions", type=float, default=30, help="of events")
        parser.add_argument("--days", type=int, default=30, help="up to today")

    def handle(self, *args: Any, **options: Any) -> None:
        today = datetime.combine(clock.now().date(), time(0), tzinfo=UTC)
        a_day = round(options["millions"] * 1e6 / ROWS_A_VISITOR / options["days"])
        visits = Visits(
            options["experiment"], today - timedelta(days=options["days"]), options["days"], a_day, clock.now()
        )
        options["folder"].mkdir(parents=True, exist_ok=True)
        rows = write_lake(options["folder"], "sailings", visits)
        self.stdout.write(f"{rows:,} events written to {options['folder']}")
