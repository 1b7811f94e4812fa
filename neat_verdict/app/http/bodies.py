"""Bodies of requests: what a JSON body is, and those that may be larger than others (`DATA_UPLOAD_MAX_MEMORY_SIZE`)."""

from __future__ import annotations

from typing import Any

from django.core.exceptions import RequestDataTooBig
from django.http import HttpRequest
from ninja import Schema
from pydantic import ConfigDict


class Body(Schema):
    """A JSON body, or a part of one: a field that it does not know is refused, so that none is misspelt unnoticed."""

    model_config = {"extra": "forbid"}


def shown(**fields: Any) -> ConfigDict:
    """The configuration of a body of which the description of the API has this example; so have those that derive from it, unless
    they ask for more."""

    def add(schema: dict[str, Any]) -> None:
        if set(schema.get("required", ())) <= fields.keys():
            schema["examples"] = [fields]

    return ConfigDict(json_schema_extra=add)


class BodyTooLarge(RequestDataTooBig):
    """It has more than ``most`` bytes."""

    def __init__(self, most: int) -> None:
        super().__init__(f"more than {most} bytes")
        self.most = most


def body_of(request: HttpRequest, most: int) -> bytes:
    """The body of a request. Raises BodyTooLarge for one of more than ``most`` bytes."""
    length = request.headers.get("Content-Length") or "0"
    if not length.isdecimal() or int(length) > most:
        raise BodyTooLarge(most)
    # What read it before, to know it again, has kept it.
    return request.body if hasattr(request, "_body") else bytes(request.read())
