"""What every answer says of itself: that it is for nobody in between, and for no search engine."""

from __future__ import annotations

from collections.abc import Callable

from django.http import HttpRequest
from django.http.response import HttpResponseBase

# What an account, a key or a link opens. Pages and scripts say for themselves how long they are kept.
_PRIVATE = ("/api/", "/admin/", "/ofrep/")


class PrivateAnswers:
    """Middleware. An answer that says something else of itself keeps that."""

    def __init__(self, answer: Callable[[HttpRequest], HttpResponseBase]) -> None:
        self.answer = answer

    def __call__(self, request: HttpRequest) -> HttpResponseBase:
        response = self.answer(request)
        response.headers.setdefault("X-Robots-Tag", "noindex, nofollow")
        if request.path.startswith(_PRIVATE):
            # With a tag it may be kept by whoever asks, to be asked for again.
            kept = "private, no-cache" if response.has_header("ETag") else "private, no-store"
            response.headers.setdefault("Cache-Control", kept)
        return response
