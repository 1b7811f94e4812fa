"""Mails of notices: the notices are the queue, sent apart from what the scheduler does, so that a mail server that hangs delays
nothing but mails."""

from __future__ import annotations

import logging
from datetime import timedelta
from pathlib import Path
from textwrap import shorten

from django.conf import settings
from django.core.mail import send_mail
from django.db.models import Q

from neat_verdict.app import clock, room
from neat_verdict.app.people.models import User
from neat_verdict.app.watch.models import Notice

AT_ONCE = 50
TRIES = 10  # the last about a day after the first
_LONGEST_WAIT = 360  # minutes

_ADVICE = "Free some of it, put events away sooner (Connections, What is kept), or move the data to a larger disk."

log = logging.getLogger(__name__)


def send_mails() -> int:
    """Send what is due; returns how many went out.

    One that fails is tried again after one minute, two, four and so on, ten times in all; a server that does not take one is not
    asked for the others in the same round.
    """
    now = clock.now()
    due = Notice.objects.filter(Q(mail_after__isnull=True) | Q(mail_after__lte=now), mailed_at__isnull=True)
    waiting = due.filter(mail_tries__lt=TRIES).select_related("experiment__owner").order_by("pk")[:AT_ONCE]
    sent = 0
    for notice in waiting:
        try:
            sent += _mail(notice)
        except Exception:
            log.exception("the mail of notice %s failed", notice.pk)
            wait = min(2**notice.mail_tries, _LONGEST_WAIT)
            notice.mail_tries += 1
            notice.mail_after = now + timedelta(minutes=wait)
            notice.save(update_fields=["mail_tries", "mail_after"])
            break
    return sent


def warn_of_room() -> int:
    """Mail admins once a day while there is little room where the data lie; returns to how many."""
    words, noted = room.warning(), Path(settings.DATA) / "room-warned.txt"
    if not words:
        noted.unlink(missing_ok=True)
        return 0
    today = clock.now().date().isoformat()
    if noted.exists() and noted.read_text() == today:
        return 0
    log.critical("%s", words)
    admins = User.objects.filter(Q(role=User.Role.ADMIN) | Q(is_superuser=True), is_active=True).exclude(email="")
    to = [admin.email for admin in admins]
    for address in to:
        send_mail(
            "Neat Verdict: the disk is nearly full", f"{words[0].upper()}{words[1:]}.\n\n{_ADVICE}\n", None, [address]
        )
    noted.write_text(today)
    return len(to)


def _mail(due: Notice) -> int:
    """Mail a notice to the owner; without an address there is nobody to mail."""
    address = due.experiment.owner.email
    if address:
        where = f"Experiment: {due.experiment.name} ({due.experiment.key}), sheet {due.sheet}"
        body = f"{due.sentence.rstrip('.')}.\n\n{due.advice}.\n\n{where}\n"
        # Cut between words: half a figure would be another figure.
        send_mail(shorten(f"Neat Verdict: {due.sentence}", 150, placeholder=" …"), body, None, [address])
    due.mailed_at = clock.now()
    due.save(update_fields=["mailed_at"])
    return int(bool(address))
