"""Makes the tallies of running and ended experiments again from the events that came in."""

from __future__ import annotations

from typing import Any

from django.core.management.base import BaseCommand, CommandParser

from neat_verdict.app.collect.events import rebuild


class Command(BaseCommand):
    help = __doc__

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("keys", nargs="*", help="experiments; all that are open when left out")

    def handle(self, *args: Any, **options: Any) -> None:
        self.stdout.write(f"{rebuild(options['keys'] or None):,} units counted again")
