"""Answers go out compressed to whoever can read that (RFC 9110, section 8.4)."""

from __future__ import annotations

import re

from django.http import HttpRequest
from django.http.response import HttpResponseBase
from django.middleware.gzip import GZipMiddleware

# What is compressed in itself would only grow: Parquet, ZIP, pictures of dots.
_TEXT = re.compile(r"(text/|image/svg|application/([a-z.+-]*\+)?(json|xml|javascript|x-ndjson|ndjson|yaml))", re.ASCII)


class CompressedAnswers(GZipMiddleware):
    """Middleware. An answer in pieces is left as it is: they are to arrive one by one."""

    def process_response(self, request: HttpRequest, response: HttpResponseBase) -> HttpResponseBase:
        if response.streaming or not _TEXT.match(response.headers.get("Content-Type", "")):
            return response
        return super().process_response(request, response)
