"""Does everything that is due: starts, ends, held events, notices, mails. Once, or every so many seconds."""

from __future__ import annotations

import logging
import signal
import threading
from collections.abc import Mapping
from typing import Any

from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandError, CommandParser
from django.db import close_old_connections, connection

from neat_verdict.app import clock, integrity
from neat_verdict.app.http.idempotency import delete_old_answers
from neat_verdict.app.memory import collect_seldom
from neat_verdict.app.people.sessions import forget_ended
from neat_verdict.app.sources import keeping
from neat_verdict.app.watch.installation import note_run
from neat_verdict.app.watch.mails import send_mails, warn_of_room
from neat_verdict.app.watch.scheduler import tick

log = logging.getLogger(__name__)
_NIGHTLY = 86_400.0  # seconds
_GRACE = 5  # seconds that a mail under way has when it is stopped


def _mail_on(stopped: threading.Event, every: float) -> None:
    """Send mails until it is stopped, apart from the scheduler: one that hangs keeps nothing else."""
    try:
        while True:
            close_old_connections()
            try:
                if not integrity.known_damage():
                    warn_of_room()
                    send_mails()
            except Exception:
                log.exception("sending mails failed")
            if stopped.wait(every):
                return
    finally:
        connection.close()


def _send_on(stopped: threading.Event, every: float) -> None:
    """Send other systems what happened until it is stopped, apart from the scheduler: one that hangs keeps nothing else."""
    try:
        while True:
            close_old_connections()
            try:
                if not integrity.known_damage():
                    call_command("send_webhooks")
            except Exception:
                log.exception("sending webhooks failed")
            if stopped.wait(every):
                return
    finally:
        connection.close()


def _look_on(stopped: threading.Event) -> None:
    """Each night, whether the database is whole; and sessions that are over go."""
    while not stopped.wait(_NIGHTLY):
        try:
            close_old_connections()
            call_command("clearsessions")
            forget_ended()
            delete_old_answers()
        except Exception:
            log.exception("clearing sessions failed")
        try:
            if found := integrity.look():
                log.critical("the database is damaged, and nothing is written to it any more: %s", found)
        except OSError:
            log.exception("looking whether the database is whole failed")


def _keep_on(stopped: threading.Event, every: float) -> None:
    """Each night, what is kept for how long: apart from the scheduler, which goes on meanwhile."""
    try:
        while not stopped.wait(every):
            close_old_connections()
            try:
                if not integrity.known_damage() and keeping.is_due(clock.now()):
                    log.info("kept: %s", keeping.tend() or "nothing was due")
            except Exception:
                log.exception("putting away failed")
    finally:
        connection.close()


class Command(BaseCommand):
    help = __doc__

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--every", type=float, default=0, metavar="SECONDS", help="go on until stopped")

    def handle(self, *args: Any, **options: Any) -> None:
        if not options["every"]:
            if found := integrity.known_damage():
                raise CommandError(f"The database is damaged ({found}); nothing is written to it until it is restored")
            done, mails = tick(), send_mails() + warn_of_room()
            call_command("send_webhooks")
            self._report({**done, "mails": mails} if mails else done)
            return
        collect_seldom()
        stopped = threading.Event()
        for name in (signal.SIGTERM, signal.SIGINT):
            signal.signal(name, lambda *_: stopped.set())
        sender = threading.Thread(target=_mail_on, args=(stopped, options["every"]), daemon=True)
        sender.start()
        threading.Thread(target=_send_on, args=(stopped, options["every"]), daemon=True).start()
        threading.Thread(target=_look_on, args=(stopped,), daemon=True).start()
        threading.Thread(target=_keep_on, args=(stopped, options["every"]), daemon=True).start()
        while True:
            close_old_connections()
            try:
                if not integrity.known_damage():
                    self._report(tick())
            except Exception:
                # Beside a server the next minute may go better; by hand the failure is shown.
                log.exception("a tick failed")
            if stopped.wait(options["every"]):
                sender.join(_GRACE)
                return

    def _report(self, done: Mapping[str, int]) -> None:
        note_run(done)
        log.info("ticked: %s", done or "nothing was due")
        if done:
            self.stdout.write(", ".join(f"{count} {what}" for what, count in done.items()))
