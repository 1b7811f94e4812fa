"""Bodies that may be larger than those of other requests (`DATA_UPLOAD_MAX_MEMORY_SIZE`)."""

from __future__ import annotations

from django.core.exceptions import RequestDataTooBig
from django.http import HttpRequest


class BodyTooLarge(RequestDataTooBig):
    """It has more than ``most`` bytes."""

    def __init__(self, most: int) -> None:
        super().__init__(f"more than {most} bytes")
        self.most = most


def body_of(request: HttpRequest, most: int) -> bytes:
    """The body of a request, which nothing has read before. Raises BodyTooLarge for one of more than ``most`` bytes."""
    length = request.headers.get("Content-Length") or "0"
    if not length.isdecimal() or int(length) > most:
        raise BodyTooLarge(most)
    return bytes(request.read())
