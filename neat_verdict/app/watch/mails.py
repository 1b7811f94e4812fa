"""Mails of notices: the notices are the queue, sent apart from what the scheduler does, so that a mail server that hangs delays
nothing but mails."""

from __future__ import annotations

import logging
from datetime import timedelta
from textwrap import shorten

from django.core.mail import send_mail
from django.db.models import Q

from neat_verdict.app import clock
from neat_verdict.app.watch.models import Notice

AT_ONCE = 50
TRIES = 10  # the last about a day after the first
_LONGEST_WAIT = 360  # minutes

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
