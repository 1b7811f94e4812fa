"""The version of what is edited, in headers as in bodies: ETag says it, If-Match sends it back (RFC 9110, section 13.1.1)."""

from __future__ import annotations

import re
from typing import Any

from django.http import HttpRequest, HttpResponse
from django.utils.http import parse_etags

from neat_verdict.core.checks import InputError

# Where an answer was compressed on its way its tag is a weak one; the version is the same.
_TAG = re.compile(r'(?:W/)?"(\d{1,9})"')


def has_it(request: HttpRequest, entity_tag: str) -> bool:
    """Whether who asks has the answer of that tag already: If-None-Match, compared weakly (RFC 9110, section 13.1.2)."""
    given = parse_etags(request.headers.get("If-None-Match", ""))
    return "*" in given or entity_tag in [one.removeprefix("W/") for one in given]


def tag(answer: HttpResponse, version: int) -> None:
    """Say the version. The answer holds more than what was edited, so that nobody may keep it for as long as that is the same."""
    answer.headers["ETag"] = f'"{version}"'
    answer.headers["Cache-Control"] = "private, no-store"


def with_version(body: Any, if_match: str) -> Any:
    """A body with the version of If-Match in it. Raises InputError for another tag than ours, and for two versions."""
    found = _TAG.fullmatch(if_match.strip())
    if found is None:
        raise InputError("If-Match", if_match[:80], 'must be the ETag of the answer that was edited, such as "12"')
    version = int(found[1])
    if not isinstance(body, dict):
        return body
    if body.get("version", version) != version:
        raise InputError("If-Match", if_match, f"must be the version that the body has, {str(body['version'])[:20]}")
    return {**body, "version": version}
