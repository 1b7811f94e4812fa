"""The description of the API: every operation says that a refusal is a problem document."""

from __future__ import annotations

from typing import Any

from ninja.openapi.schema import OpenAPISchema

from neat_verdict.app.http.errors import Api
from neat_verdict.app.http.problems import KINDS, SECOND_FACTOR

_ALL = (*KINDS.values(), SECOND_FACTOR)
_PROBLEM = {
    "type": "object",
    "description": "A problem document (RFC 9457)",
    "required": ["type", "code", "title", "status"],
    "properties": {
        "type": {"type": "string", "format": "uri", "enum": [kind.uri for kind in _ALL]},
        "code": {"type": "string", "enum": [kind.code for kind in _ALL]},
        "title": {"type": "string"},
        "status": {"type": "integer"},
        "errors": {
            "type": "array",
            "items": {
                "type": "object",
                "required": ["field", "message"],
                "properties": {"field": {"type": "string"}, "message": {"type": "string"}},
            },
        },
    },
}
_REFUSAL = {
    "description": "Refused; the problem document says why",
    "content": {"application/problem+json": {"schema": {"$ref": "#/components/schemas/Problem"}}},
}


class DescribedAPI(Api):
    """An API whose description names problem documents beside the answers."""

    def get_openapi_schema(self, *args: Any, **named: Any) -> OpenAPISchema:
        """As ninja's, with 4XX on every operation."""
        schema = super().get_openapi_schema(*args, **named)
        schema["components"].setdefault("schemas", {})["Problem"] = _PROBLEM
        for path in schema["paths"].values():
            for operation in path.values():
                text = {str(status): answer for status, answer in operation["responses"].items()}
                operation["responses"] = {**text, "4XX": _REFUSAL}
        return schema
