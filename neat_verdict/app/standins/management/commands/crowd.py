"""Invented visitors come to the booking site, through the same HTTP interface as real ones."""

from __future__ import annotations

import signal
import threading
from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser
from django.utils import timezone

from neat_verdict.app.standins.crowd import HttpDoor, Truth, come_live
from neat_verdict.app.standins.models import SiteKey


class Command(BaseCommand):
    help = __doc__

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--address", default="http://127.0.0.1:8765")
        parser.add_argument("--pace", type=float, default=0.5, metavar="VISITORS", help="a second")
        parser.add_argument("--visitors", type=int, default=0, help="stop after so many; 0 goes on until stopped")

    def handle(self, *args: Any, **options: Any) -> None:
        key = SiteKey.objects.first()
        if key is None:
            raise CommandError("The booking site has no key; make the demo data first (seed_demo)")
        if options["pace"] <= 0:
            raise CommandError(f"--pace {options['pace']} must be above 0")
        stop = threading.Event()
        for text in (signal.SIGTERM, signal.SIGINT):
            signal.signal(text, lambda *_: stop.set())
        door = _Patient(HttpDoor(options["address"], key.secret, key.public), stop)
        come = come_live(door, options["pace"], timezone.now, stop.wait, truth=Truth(), visitors=options["visitors"])
        self.stdout.write(f"{come} visitors came")


class _Patient(HttpDoor):
    """Waits for a server that is not there yet, or is being restarted."""

    def __init__(self, door: HttpDoor, stop: threading.Event) -> None:
        super().__init__(door.address, door.secret, door.public)
        self.stop = stop

    def _send(self, path: str, body: Any, headers: Any) -> Any:
        while True:
            try:
                return super()._send(path, body, headers)
            except OSError:
                if self.stop.wait(1):
                    raise SystemExit(0) from None
