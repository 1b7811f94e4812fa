"""What the second counting system has of an experiment, as the CSV file that it exports."""

from __future__ import annotations

from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser
from django.http import Http404

from neat_verdict.app.experiments.queries import find
from neat_verdict.app.standins.second_counter import second_count


class Command(BaseCommand):
    help = __doc__

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("key", help="of the experiment")
        parser.add_argument("--seed", type=int, default=1)

    def handle(self, *args: Any, **options: Any) -> None:
        try:
            experiment = find(options["key"])
        except Http404 as problem:
            raise CommandError(f"There is no experiment {options['key']}") from problem
        self.stdout.write(second_count(experiment, options["seed"]))
