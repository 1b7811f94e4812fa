"""Failures that several rooms raise, and problem documents (RFC 9457): how every failure is answered over HTTP."""

from __future__ import annotations

from typing import Any

from django.http import HttpResponse, JsonResponse


class Conflict(Exception):  # noqa: N818
    """What was asked does not fit the state of things; ``members`` go into the problem document."""

    def __init__(self, sentence: str, **members: Any) -> None:
        super().__init__(sentence)
        self.members = members


class PartlyStored(Exception):  # noqa: N818
    """Something long broke off while it was stored; the cause is that of this exception."""

    def __init__(self, stored: int, whole: int) -> None:
        super().__init__(
            f"{stored:,} of {whole:,} lines were stored before that; sent again, what is there counts once"
        )


class TooMany(Exception):  # noqa: N818
    """Too much was asked; ``wait`` is after how many seconds it may be asked again."""

    def __init__(self, sentence: str, wait: int) -> None:
        super().__init__(f"{sentence}; try again in {wait:,} {'second' if wait == 1 else 'seconds'}")
        self.wait = wait


class Gone(Exception):  # noqa: N818
    """What was there is there no more, and why."""


def problem(status: int, title: str, **members: Any) -> HttpResponse:
    """A problem document; ``errors`` is a list of {field, message}."""
    body = {"type": "about:blank", "title": title, "status": status, **members}
    return JsonResponse(body, status=status, content_type="application/problem+json")
