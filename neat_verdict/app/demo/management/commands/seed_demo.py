"""Make the demo workspace."""

from typing import Any

from django.core.management.base import BaseCommand

from neat_verdict.app.demo.seeding import seed
from neat_verdict.app.experiments.queries import today


class Command(BaseCommand):
    help = "Fill an empty database with the invented workspace; does nothing when there are experiments."

    def handle(self, *args: Any, **options: Any) -> None:
        made = seed(today())
        self.stdout.write(f"{made} experiments made." if made else "The demo workspace is there already.")
