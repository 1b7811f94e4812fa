"""Where a request comes from."""

from __future__ import annotations

from django.conf import settings
from django.http import HttpRequest


def address_of(request: HttpRequest) -> str:
    """What the outermost of our own proxies says (`settings.PROXIES` of them), or who connects where there are none. What stands
    before that in the header anybody can write."""
    direct = str(request.META.get("REMOTE_ADDR", ""))
    said = [part.strip() for part in request.META.get("HTTP_X_FORWARDED_FOR", "").split(",") if part.strip()]
    if not settings.PROXIES or not said:
        return direct
    return said[-min(settings.PROXIES, len(said))]
