"""Puts away and erases what is older than was chosen, now; `bin/serve` does so each night."""

from __future__ import annotations

from typing import Any

from django.core.management.base import BaseCommand

from neat_verdict.app.sources.keeping import tend


class Command(BaseCommand):
    help = __doc__

    def handle(self, *args: Any, **options: Any) -> None:
        done = tend()
        self.stdout.write(", ".join(f"{count:,} {what}" for what, count in done.items()) or "nothing was due")
