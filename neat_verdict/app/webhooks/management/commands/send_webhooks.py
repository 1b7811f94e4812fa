"""Looks what happened, and sends it to the systems that want to know; the scheduler's command calls it each minute."""

from __future__ import annotations

from typing import Any

from django.core.management.base import BaseCommand

from neat_verdict.app.webhooks.gathering import gather
from neat_verdict.app.webhooks.sending import send_due


class Command(BaseCommand):
    help = __doc__

    def handle(self, *args: Any, **options: Any) -> None:
        gather()
        send_due()
