"""Problem documents (RFC 9457): how every failure is told over HTTP."""

from __future__ import annotations

from typing import Any

from django.http import HttpResponse, JsonResponse


def problem(status: int, title: str, **members: Any) -> HttpResponse:
    """A problem document; ``errors`` is a list of {field, message}."""
    body = {"type": "about:blank", "title": title, "status": status, **members}
    return JsonResponse(body, status=status, content_type="application/problem+json")
