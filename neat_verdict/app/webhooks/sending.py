"""Sending what happened, signed by the Standard Webhooks convention 1.0: HMAC-SHA256 (RFC 2104) over id, moment and body."""

from __future__ import annotations

import logging
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

import orjson
import requests
from standardwebhooks.webhooks import Webhook as Signer

from neat_verdict.app import clock
from neat_verdict.app.webhooks.models import Delivery, Webhook

SECRET_PREFIX = "whsec_"
# After how long a message that was not taken is sent again: as the convention advises, some three days in all.
WAITS = tuple(timedelta(seconds=seconds) for seconds in (5, 300, 1800, 7200, 18_000, 36_000, 50_400, 72_000, 86_400))
AT_ONCE, _SIDE_BY_SIDE = 100, 8
_CONNECT, _ANSWER = 5, 10  # seconds

log = logging.getLogger(__name__)


@dataclass(frozen=True, slots=True)
class Outcome:
    """What came of a try: the status of the answer, or why there was none."""

    status: int | None
    problem: str = ""

    @property
    def taken(self) -> bool:
        return self.status is not None and 200 <= self.status < 300


def body_of(delivery: Delivery) -> bytes:
    """What is sent: the kind, the moment and the data; the same each time."""
    happening = delivery.happening
    return orjson.dumps({"type": happening.kind, "timestamp": happening.at.astimezone(UTC), "data": happening.data})


def signed(secret: str, message: str, moment: datetime, body: bytes) -> dict[str, str]:
    """The headers of a message."""
    signature = Signer(secret).sign(message, moment, body.decode())
    return {"webhook-id": message, "webhook-timestamp": str(int(moment.timestamp())), "webhook-signature": signature}


def send_due() -> int:
    """Send what is due, several at a time; returns how many were taken."""
    due = Delivery.objects.filter(state="waiting", due_at__lte=clock.now(), webhook__paused_at__isnull=True)
    rows = list(due.select_related("webhook", "happening").order_by("due_at", "pk")[:AT_ONCE])
    # One after the other to each system, so that one that hangs delays its own only, and what it gets is in order.
    by_hook: dict[int, list[Delivery]] = {}
    for row in rows:
        by_hook.setdefault(row.webhook_id, []).append(row)
    if not by_hook:
        return 0
    with ThreadPoolExecutor(min(_SIDE_BY_SIDE, len(by_hook))) as pool:
        outcomes = list(pool.map(_send_all, by_hook.values()))
    return sum(_keep(row, outcome) for found in outcomes for row, outcome in found)


def _send_all(rows: list[Delivery]) -> list[tuple[Delivery, Outcome]]:
    """Tries until one is not taken: the others wait for the next time."""
    result = []
    for row in rows:
        outcome = _send(row)
        result.append((row, outcome))
        if not outcome.taken:
            break
    return result


def _send(row: Delivery) -> Outcome:
    body = body_of(row)
    headers = {
        "Content-Type": "application/json",
        "User-Agent": "Neat-Verdict",
        **signed(row.webhook.secret, row.message, clock.now(), body),
    }
    try:
        with requests.post(
            row.webhook.url, data=body, headers=headers, timeout=(_CONNECT, _ANSWER), allow_redirects=False, stream=True
        ) as answer:
            return Outcome(answer.status_code)
    except requests.RequestException as problem:
        return Outcome(None, type(problem).__name__)


def _keep(row: Delivery, outcome: Outcome) -> bool:
    now = clock.now()
    row.tries, row.sent_at, row.status, row.problem = row.tries + 1, now, outcome.status, outcome.problem
    if outcome.taken:
        row.state, row.due_at = "delivered", None
    elif outcome.status == 410 or row.tries > len(WAITS):
        row.state, row.due_at = "failed", None
        why = "it answered that it is gone (410)" if outcome.status == 410 else "nothing was taken for three days"
        Webhook.objects.filter(pk=row.webhook_id, paused_at=None).update(paused_at=now, pause=why)
        log.warning("the webhook %s is paused: %s", row.webhook.name, why)
    else:
        row.due_at = now + WAITS[row.tries - 1]
    row.save(update_fields=["tries", "sent_at", "status", "problem", "state", "due_at"])
    return outcome.taken
