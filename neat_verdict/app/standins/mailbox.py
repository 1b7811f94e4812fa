"""A mail server that keeps what it is given."""

from __future__ import annotations

from collections.abc import Sequence

from django.core.mail import EmailMessage
from django.core.mail.backends.base import BaseEmailBackend

from neat_verdict.app.standins.models import Letter


class MailboxBackend(BaseEmailBackend):
    """Puts mails into the demo's mailbox."""

    def send_messages(self, email_messages: Sequence[EmailMessage]) -> int:
        """Keep each message."""
        for message in email_messages:
            Letter.objects.create(
                sender=message.from_email,
                recipients=", ".join(message.to)[:500],
                subject=str(message.subject)[:300],
                body=str(message.body),
            )
        return len(email_messages)
