"""The description of the API (OpenAPI 3.1): what every operation answers, refuses and asks for, and an example of each."""

from __future__ import annotations

from typing import Any

from ninja.openapi.schema import OpenAPISchema
from ninja.operation import Operation

from neat_verdict.app.http.downloads import answers
from neat_verdict.app.http.errors import Api
from neat_verdict.app.http.examples import Examples
from neat_verdict.app.http.methods import SAFE
from neat_verdict.app.http.problems import KINDS, PROBLEM_TYPE, SECOND_FACTOR, problem_of

DESCRIPTION = """Experiments: planned, run, counted, judged and reported. `docs/api.md` says what holds of all operations.

People sign in, programmes send a token (`Authorization: Bearer nvt_…`) with the scope that an operation asks for, and
machines a key (`Authorization: Bearer nv_…`). Every refusal is a problem document (RFC 9457), whose codes stay the same
(`docs/problems.md`). Examples show the shape of bodies and answers; names and figures in them are made up."""
_SCHEMES = {
    "SessionAuth": "Who is signed in, by the cookie of the session; what changes something needs Django's `X-CSRFToken` too.",
    "TokenAuth": "A token of a person or of a system (`nvt_…`), made under Your account or Accounts.",
    "MachineAuth": "A server's key (`nv_…`), made under Connections.",
}
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
_HEADERS = {
    401: {"WWW-Authenticate": {"description": "How to sign in (RFC 9110)", "schema": {"type": "string"}}},
    409: {"ETag": {"description": "The latest version, where it has versions", "schema": {"type": "string"}}},
    412: {"ETag": {"description": "The latest version", "schema": {"type": "string"}}},
    429: {"Retry-After": {"description": "Seconds to wait", "schema": {"type": "integer"}}},
}


class _Description(OpenAPISchema):
    """As ninja's, with the refusals of each operation, the scopes that it asks for, and examples."""

    def operation_details(self, operation: Operation) -> dict[str, Any]:
        details = super().operation_details(operation)
        self.deep_dict_update(details, answers(refuses=_refusals(operation, details)))
        return details

    def operation_security(self, operation: Operation) -> list[dict[str, Any]] | None:
        security = super().operation_security(operation)
        for asked, auth in zip(security or (), operation.auth_callbacks, strict=True):
            if hasattr(auth, "scope_for"):
                (name,), (method,) = asked, operation.methods
                asked[name] = [auth.scope_for(method)]
        return security


def _refusals(operation: Operation, details: dict[str, Any]) -> list[int]:
    """The statuses by which an operation of its kind may refuse; others it names itself (`answers`). A server that fails (500) is
    none that refuses."""
    changes = not set(operation.methods) <= set(SAFE)
    body, parameters = details.get("requestBody"), details["parameters"]
    holds: dict[int, bool] = {
        400: True,
        401: bool(operation.auth_callbacks),
        403: bool(operation.auth_callbacks) or changes,
        404: any(one["in"] == "path" for one in parameters),
        409: changes or bool(operation.auth_callbacks),
        412: changes,
        413: bool(body),
        415: bool(body),
        422: changes or bool(parameters),
        429: changes or "MachineAuth" in str(details.get("security")),
        503: True,
        507: changes,
    }
    return [status for status, may in holds.items() if may]


class DescribedAPI(Api):
    """An API whose description is whole: refusals as problem documents, scopes, media types, examples."""

    def get_openapi_schema(
        self, *, path_prefix: str | None = None, path_params: dict[str, Any] | None = None
    ) -> OpenAPISchema:
        """The description, as ninja's."""
        prefix = self.get_root_path(path_params or {}) if path_prefix is None else path_prefix
        schema = _Description(self, prefix)
        components = schema["components"]
        components["schemas"]["Problem"] = _PROBLEM
        components["responses"] = {kind.code: _answer(kind.status) for kind in KINDS.values()}
        components["examples"] = {}
        for name, meaning in _SCHEMES.items():
            components["securitySchemes"][name]["description"] = meaning
        for path in schema["paths"].values():
            for operation in path.values():
                operation["responses"] = {str(status): answer for status, answer in operation["responses"].items()}
                _add_examples(operation, components)
        return schema


def _answer(status: int) -> dict[str, Any]:
    kind = KINDS[status]
    example = problem_of(status, kind.meaning)
    content = {PROBLEM_TYPE: {"schema": {"$ref": "#/components/schemas/Problem"}, "example": example}}
    headers = {"headers": _HEADERS[status]} if status in _HEADERS else {}
    return {"description": kind.meaning, "content": content, **headers}


def _add_examples(operation: dict[str, Any], components: dict[str, Any]) -> None:
    """An example of each parameter that is required and of each body; of an answer that many give it stands in ``components``."""
    asked, answered = (Examples(components["schemas"], whole) for whole in (False, True))
    for parameter in operation["parameters"]:
        if parameter.get("required"):
            parameter["example"] = asked.of(parameter["schema"], parameter["name"])
    for media in _json_of(operation.get("requestBody", {})):
        media.setdefault("example", asked.of(media["schema"]))
    for media in (one for answer in operation["responses"].values() for one in _json_of(answer)):
        if name := media["schema"].get("$ref", "").rsplit("/", 1)[-1]:
            components["examples"].setdefault(name, {"value": answered.of(media["schema"])})
            media["examples"] = {name: {"$ref": f"#/components/examples/{name}"}}
        else:
            media.setdefault("example", answered.of(media["schema"]))


def _json_of(body: dict[str, Any]) -> list[dict[str, Any]]:
    return [media for kind, media in body.get("content", {}).items() if kind.endswith("json") and media.get("schema")]
