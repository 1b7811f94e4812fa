"""JSON bodies as they come in over HTTP, cleaned at one door: what reports, slides and pictures cannot hold goes no further."""

from __future__ import annotations

import re
from typing import Any

from django.http import HttpRequest
from django.utils.datastructures import MultiValueDict
from ninja.parser import Parser

from neat_verdict.app.http.problems import WrongType
from neat_verdict.app.http.versions import with_version

# Control characters but tab and line feed (pasting from slides brings U+000B), halves of surrogate pairs, and what Unicode keeps
# out of text for good.
_LAST_OF_PLANES = "".join(chr(plane << 16 | last) for plane in range(17) for last in (0xFFFE, 0xFFFF))
_UNFIT = re.compile(f"[\x00-\x08\x0b-\x1f\x7f-\x9f\ud800-\udfff\ufdd0-\ufdef{_LAST_OF_PLANES}]")


_JSON = re.compile(r"application/([\w.-]{1,60}\+)?json")
_FORM = "multipart/form-data"


def is_whole(text: str) -> bool:
    """Whether it can be stored and sent: without halves of surrogate pairs."""
    return not any("\ud800" <= character <= "\udfff" for character in text)


def clean(value: Any) -> Any:
    """A text, or all texts within lists and mappings, with a space for each character that does not belong into text."""
    if isinstance(value, str):
        return _UNFIT.sub(" ", value.replace("\r\n", "\n"))
    if isinstance(value, list):
        return [clean(one) for one in value]
    if isinstance(value, dict):
        return {clean(name): clean(one) for name, one in value.items()}
    return value


class CleanParser(Parser):
    """Reads JSON bodies, and cleans their texts. Raises WrongType for a body of another type than is taken there."""

    def parse_body(self, request: HttpRequest) -> Any:
        if not _JSON.fullmatch(request.content_type or ""):
            raise WrongType(request.content_type or "", "application/json")
        body = clean(super().parse_body(request))
        return body if "If-Match" not in request.headers else with_version(body, request.headers["If-Match"])

    def parse_querydict(self, data: MultiValueDict, list_fields: list[str], request: HttpRequest) -> Any:
        if data is not request.GET and request.content_type != _FORM:
            raise WrongType(request.content_type or "", _FORM)
        return super().parse_querydict(data, list_fields, request)
