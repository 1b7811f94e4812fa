"""Changes the workspace's time zone and counts the events of open experiments again by its days, all of it or nothing."""

from __future__ import annotations

from typing import Any

from django.core.exceptions import ValidationError
from django.core.management.base import BaseCommand, CommandError, CommandParser
from django.db import transaction

from neat_verdict.app.collect.events import rebuild
from neat_verdict.app.experiments.models import Tally, known_zone
from neat_verdict.app.experiments.queries import workspace
from neat_verdict.app.traffic.serving import served


class Command(BaseCommand):
    help = __doc__

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("zone", help="such as Europe/Berlin")

    def handle(self, *args: Any, **options: Any) -> None:
        try:
            known_zone(options["zone"])
        except ValidationError as refused:
            raise CommandError(refused.messages[0]) from refused
        with transaction.atomic():
            place = workspace()
            before, place.time_zone = place.time_zone, options["zone"]
            place.save()
            keys = sorted(served().open_ones)
            for number, key in enumerate(keys, start=1):
                self.stdout.write(f"{number} of {len(keys)}: {key}, {rebuild([key]):,} units counted again")
            stay = Tally.objects.filter(exact__isnull=True).values("variant__experiment").distinct().count()
        self.stdout.write(f"The time zone is {options['zone']}; it was {before}")
        if stay:
            self.stdout.write(
                f"Sums that came by day from files stay on the days they were sent for, in {stay} of the experiments"
            )
