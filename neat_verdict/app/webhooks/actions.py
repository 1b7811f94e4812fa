"""Making, changing and removing webhooks; sending again what was not taken."""

from __future__ import annotations

import base64
import secrets
from collections.abc import Sequence
from typing import Any
from urllib.parse import urlsplit

from django.db import transaction

from neat_verdict.app import clock
from neat_verdict.app.http.problems import Conflict
from neat_verdict.app.people.account_log import note
from neat_verdict.app.people.actions import require_admin
from neat_verdict.app.people.models import User
from neat_verdict.app.webhooks.gathering import begin, deliver, gather
from neat_verdict.app.webhooks.models import KINDS, Delivery, Happening, Webhook
from neat_verdict.app.webhooks.sending import SECRET_PREFIX
from neat_verdict.core.checks import InputError

MAX_WEBHOOKS = 50
CHOSEN = tuple(kind for kind in KINDS if kind != "test")
_HERE = ("127.0.0.1", "localhost", "::1")


@transaction.atomic
def make_webhook(by: User, name: str, url: str, kinds: Sequence[str]) -> Webhook:
    """A system that is sent what happens from now on.

    Raises InputError for a name that is empty, an address that is not HTTPS, and kinds that are none or not known; Conflict where
    there are too many.
    """
    require_admin(by)
    if Webhook.objects.count() >= MAX_WEBHOOKS:
        raise Conflict(f"There are {MAX_WEBHOOKS} webhooks already; remove one first")
    hook = Webhook(made_by=by, secret=SECRET_PREFIX + base64.b64encode(secrets.token_bytes(32)).decode())
    _set(hook, name=name, url=url, kinds=kinds)
    if Webhook.objects.exists():
        gather()  # what happened before is sent to those that were there
    else:
        begin()
    hook.save()
    note(by, None, "webhook", f"Made the webhook {hook.name} to {_host(hook)}", webhook=hook.pk)
    return hook


@transaction.atomic
def edit_webhook(by: User, hook: Webhook, *, paused: bool | None = None, **changes: Any) -> Webhook:
    """Another name, address or kinds; or pause it, and go on. Raises InputError as `make_webhook`."""
    require_admin(by)
    _set(hook, **{"name": hook.name, "url": hook.url, "kinds": hook.kinds, **changes})
    if paused is True and hook.paused_at is None:
        hook.paused_at, hook.pause = clock.now(), f"by {by.display_name}"
    elif paused is False and hook.paused_at is not None:
        hook.paused_at, hook.pause = None, ""
    hook.save()
    does = {True: "Paused", False: "Went on with", None: "Changed"}[paused]
    note(by, None, "webhook", f"{does} the webhook {hook.name} to {_host(hook)}", webhook=hook.pk)
    return hook


def _set(hook: Webhook, *, name: str, url: str, kinds: Sequence[str]) -> None:
    if not name.strip():
        raise InputError("name", "empty", "must say which system it is")
    if len(url) > 500 or not _is_safe(url.strip()):
        raise InputError(
            "url", url[:80] or "empty", "must be like https://www.example.com/hook, without a name or password"
        )
    unknown = [kind for kind in kinds if kind not in CHOSEN]
    if unknown or not kinds:
        raise InputError("kinds", ", ".join(unknown)[:80] or "none", f"must be one or several of {', '.join(CHOSEN)}")
    hook.name, hook.url = name.strip()[:80], url.strip()
    hook.kinds = [kind for kind in CHOSEN if kind in kinds]


def _is_safe(url: str) -> bool:
    try:
        parts = urlsplit(url)
        host, _ = parts.hostname, parts.port
    except ValueError:
        return False
    safe = parts.scheme == "https" or (parts.scheme == "http" and host in _HERE)
    return safe and bool(host) and parts.username is None


def _host(hook: Webhook) -> str:
    return str(urlsplit(hook.url).hostname)


@transaction.atomic
def remove_webhook(by: User, hook: Webhook) -> None:
    """Nothing is sent to it any more, and what was sent is forgotten."""
    require_admin(by)
    note(by, None, "webhook", f"Removed the webhook {hook.name} to {_host(hook)}", webhook=hook.pk)
    hook.delete()


@transaction.atomic
def try_webhook(by: User, hook: Webhook) -> None:
    """Send it something that did not happen."""
    require_admin(by)
    now = clock.now()
    data = {"sentence": f"{by.display_name} tries this webhook out"}
    source = f"test:{hook.pk}:{now.timestamp()}"
    deliver(Happening.objects.create(source=source, kind="test", at=now, data=data), [hook])


@transaction.atomic
def send_again(by: User, delivery: Delivery) -> Delivery:
    """Send it once more, with the same id, by which the other side knows it. Raises Conflict while it waits to be sent."""
    require_admin(by)
    if delivery.state == "waiting" and delivery.tries == 0:
        raise Conflict("It is about to be sent")
    delivery.state, delivery.tries, delivery.due_at = "waiting", 0, clock.now()
    delivery.save(update_fields=["state", "tries", "due_at"])
    return delivery
