"""Does everything that is due: starts, ends, held events, notices, mails. Once, or every so many seconds."""

from __future__ import annotations

import logging
import signal
import threading
from typing import Any

from django.core.management.base import BaseCommand, CommandParser
from django.db import close_old_connections

from neat_verdict.app.watch.actions import tick

log = logging.getLogger(__name__)


class Command(BaseCommand):
    help = __doc__

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--every", type=float, default=0, metavar="SECONDS", help="go on until stopped")

    def handle(self, *args: Any, **options: Any) -> None:
        stopped = threading.Event()
        if options["every"]:
            for text in (signal.SIGTERM, signal.SIGINT):
                signal.signal(text, lambda *_: stopped.set())
        while True:
            close_old_connections()
            try:
                done = tick()
            except Exception:
                # Beside a server the next minute may go better; by hand the failure is shown.
                if not options["every"]:
                    raise
                log.exception("a tick failed")
            else:
                log.info("ticked: %s", done or "nothing was due")
                if done:
                    self.stdout.write(", ".join(f"{count} {what}" for what, count in done.items()))
            if not options["every"] or stopped.wait(options["every"]):
                return
