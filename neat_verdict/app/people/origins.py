"""Origins of pages (RFC 6454) from which a site's key may be used: whole ones, every port, or every name under a domain."""

from __future__ import annotations

import re
from urllib.parse import urlsplit

from neat_verdict.core.checks import InputError

MAX_ORIGINS = 20
_PATTERN = re.compile(r"(https?)://((?:\*\.)?[a-z0-9](?:[a-z0-9.-]*[a-z0-9])?|\[[0-9a-f:]+\])(?::(\d{1,5}|\*))?")
_USUAL_PORT = {"http": "80", "https": "443"}


def check_origin(text: str) -> str:
    """An origin as it is kept: in small letters, without a trailing slash or the usual port. Raises InputError for others."""
    given = text.strip().lower().rstrip("/")
    found = _PATTERN.fullmatch(given)
    if found is None:
        raise InputError(
            "origins",
            text.strip()[:80] or "empty",
            "must be like https://www.example.com, https://*.example.com or http://localhost:*",
        )
    scheme, host, port = found.groups()
    return f"{scheme}://{host}" + (f":{port}" if port and port != _USUAL_PORT[scheme] else "")


def origin_of(address: str, field: str = "page") -> str:
    """The origin of a page's address, as a browser names it. Raises InputError for what is no address of a page."""
    try:
        parts = urlsplit(address)
        origin = check_origin(f"{parts.scheme}://{parts.netloc}")
    except (ValueError, InputError) as wrong:
        raise InputError(field, address[:80], "must be like https://www.example.com/sailings") from wrong
    if "*" in origin:
        raise InputError(field, address[:80], "must be the address of one page, without *")
    return origin


def is_allowed(origin: str, allowed: list[str]) -> bool:
    """Whether an ``Origin`` header is one of the allowed."""
    found = _PATTERN.fullmatch(origin.strip().lower())
    return found is not None and "*" not in origin and any(_matches(found, kept) for kept in allowed)


def _matches(origin: re.Match[str], kept: str) -> bool:
    found = _PATTERN.fullmatch(kept)
    if found is None or origin[1] != found[1]:
        return False
    usual = _USUAL_PORT[origin[1]]
    same_port = found[3] == "*" or (origin[3] or usual) == (found[3] or usual)
    if found[2].startswith("*."):
        return same_port and origin[2].endswith(found[2][1:])
    return same_port and origin[2] == found[2]
