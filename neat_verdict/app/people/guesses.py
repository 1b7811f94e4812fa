"""Sign-ins that were refused: how many in a row, by account and by address, and how long the next one has to wait.

Nobody is shut out by others: a device that has signed in to an account before is counted by itself. Kept in the cache of each
process. How many, and how long, is the house's choice, no source.
"""

from __future__ import annotations

import hashlib
import math
import secrets
from collections.abc import Sequence
from dataclasses import dataclass
from ipaddress import ip_address, ip_network

from django.conf import settings
from django.core import signing
from django.core.cache import cache
from django.http import HttpRequest, HttpResponse

from neat_verdict.app import clock
from neat_verdict.app.http.clients import address_of

FREE_OF_ACCOUNT, FREE_OF_ADDRESS = 5, 30  # refusals before anybody has to wait
FREE_LINKS = 3  # mails with a link to choose a password by, to one name
LONGEST = 15 * 60.0  # seconds
_REMEMBERED = 3600  # seconds since the last refusal
_DEVICE = "neat-verdict-device"
_DEVICE_FOR = 400 * 24 * 3600  # seconds; browsers keep a cookie for no longer


@dataclass(frozen=True, slots=True)
class Counter:
    """What refusals are counted by, and how many are free."""

    key: str
    free: int


def counters(request: HttpRequest, username: str) -> tuple[Counter, ...]:
    """By which a sign-in is counted: its address, and its device where that is known to the account, else the account."""
    name = username.strip().lower()
    device = _known_device(request, name)
    of_account = Counter(f"device:{device}", FREE_OF_ACCOUNT) if device else Counter(f"account:{name}", FREE_OF_ACCOUNT)
    return (of_account, Counter(f"address:{_network(address_of(request))}", FREE_OF_ADDRESS))


def of_confirming(user_id: int) -> tuple[Counter, ...]:
    """By which it is counted that somebody who is signed in gives the password once more."""
    return (Counter(f"confirming:{user_id}", FREE_OF_ACCOUNT),)


def of_asking_for_links(request: HttpRequest, name: str) -> tuple[Counter, ...]:
    """By which it is counted that links are asked for: each goes out as a mail."""
    place = _network(address_of(request))
    return (Counter(f"link:{name.strip().lower()}", FREE_LINKS), Counter(f"links:{place}", FREE_OF_ADDRESS))


def _network(address: str) -> str:
    """Of an address of version 6 the first half, which is what one customer has (RFC 6177)."""
    try:
        found = ip_address(address)
    except ValueError:
        return address
    if found.version == 4 or found.ipv4_mapped is not None:
        return str(found if found.version == 4 else found.ipv4_mapped)
    return str(ip_network((found, 64), strict=False))


def seconds_to_wait(counted: Sequence[Counter]) -> int:
    """How long the next try has to wait; 0 where it need not. It doubles with each refusal, up to a quarter of an hour."""
    now, longest = clock.now().timestamp(), 0.0
    for one in counted:
        refused, last = cache.get(_name(one), (0, 0.0))
        if refused >= one.free:
            longest = max(longest, last + min(2.0 ** (refused - one.free), LONGEST) - now)
    return math.ceil(longest) if longest > 0 else 0


def note_refused(counted: Sequence[Counter]) -> None:
    """Count a refusal."""
    for one in counted:
        refused, _ = cache.get(_name(one), (0, 0.0))
        cache.set(_name(one), (refused + 1, clock.now().timestamp()), _REMEMBERED)


def note_accepted(counted: Sequence[Counter]) -> None:
    """Forget what was refused to the account or device; an address may have others that guess."""
    cache.delete(_name(counted[0]))


def remember_device(request: HttpRequest, answer: HttpResponse, username: str) -> None:
    """Have the browser keep that it has signed in to this account."""
    name = username.strip().lower()
    if _known_device(request, name):
        return
    value = signing.dumps([secrets.token_urlsafe(12), _digest(name)], salt=_DEVICE)
    answer.set_cookie(
        _DEVICE, value, max_age=_DEVICE_FOR, httponly=True, secure=settings.SESSION_COOKIE_SECURE, samesite="Lax"
    )


def _known_device(request: HttpRequest, name: str) -> str:
    try:
        device, digest = signing.loads(request.COOKIES.get(_DEVICE, ""), salt=_DEVICE, max_age=_DEVICE_FOR)
    except (signing.BadSignature, ValueError, TypeError):
        return ""
    return str(device) if digest == _digest(name) else ""


def _digest(name: str) -> str:
    return hashlib.sha256(name.encode()).hexdigest()[:24]


def _name(one: Counter) -> str:
    # Names that people type may have what no key of a cache may have.
    return f"refused:{hashlib.sha256(one.key.encode(errors='replace')).hexdigest()}"
