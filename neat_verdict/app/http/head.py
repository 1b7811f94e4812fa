"""HEAD, wherever GET is answered: the same without its body (RFC 9110, section 9.3.2)."""

from __future__ import annotations

from collections.abc import Callable

from django.http import HttpRequest, StreamingHttpResponse
from django.http.response import HttpResponse, HttpResponseBase


class HeadAsGet:
    """Middleware, of the API: other views answer HEAD by themselves."""

    def __init__(self, answer: Callable[[HttpRequest], HttpResponseBase]) -> None:
        self.answer = answer

    def __call__(self, request: HttpRequest) -> HttpResponseBase:
        if request.method != "HEAD" or not request.path.startswith("/api/"):
            return self.answer(request)
        request.method = "GET"
        response = self.answer(request)
        request.method = "HEAD"
        if isinstance(response, StreamingHttpResponse):
            response.close()
            response.streaming_content = iter(())
        elif isinstance(response, HttpResponse):
            response.headers.setdefault("Content-Length", str(len(response.content)))
            response.content = b""
        return response
