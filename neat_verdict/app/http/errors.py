"""The one place where an exception becomes a problem document (RFC 9457)."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.core.exceptions import PermissionDenied, RequestDataTooBig
from django.db import OperationalError
from django.http import Http404, HttpRequest, HttpResponse
from django.http.multipartparser import MultiPartParserError
from ninja import NinjaAPI
from ninja.errors import AuthenticationError, HttpError, ValidationError

from neat_verdict.app.http.problems import Conflict, Gone, problem
from neat_verdict.core.checks import InputError


def install(api: NinjaAPI) -> None:
    """Register how each kind of failure is answered."""

    @api.exception_handler(InputError)
    def bad_value(request: HttpRequest, exc: InputError) -> HttpResponse:
        return problem(422, "A value is not accepted", errors=[{"field": exc.field, "message": str(exc)}])

    @api.exception_handler(ValidationError)
    def bad_shape(request: HttpRequest, exc: ValidationError) -> HttpResponse:
        errors = [{"field": _path(error["loc"]), "message": _sentence(error)} for error in exc.errors]
        return problem(422, "A value is not accepted", errors=errors)

    @api.exception_handler(AuthenticationError)
    def unsigned(request: HttpRequest, exc: AuthenticationError) -> HttpResponse:
        return problem(401, "Sign in first")

    @api.exception_handler(PermissionDenied)
    def unentitled(request: HttpRequest, exc: PermissionDenied) -> HttpResponse:
        return problem(403, str(exc) or "Your role does not allow this")

    @api.exception_handler(Http404)
    def missing(request: HttpRequest, exc: Http404) -> HttpResponse:
        return problem(404, "There is nothing at this address")

    @api.exception_handler(Conflict)
    def conflict(request: HttpRequest, exc: Conflict) -> HttpResponse:
        return problem(409, str(exc), **exc.members)

    @api.exception_handler(Gone)
    def gone(request: HttpRequest, exc: Gone) -> HttpResponse:
        return problem(410, str(exc))

    @api.exception_handler(OperationalError)
    def busy(request: HttpRequest, exc: OperationalError) -> HttpResponse:
        if "locked" not in str(exc):
            raise exc
        answer = problem(503, "Something long is being written; nothing of this was stored. Send it again in a moment")
        answer.headers["Retry-After"] = "10"
        return answer

    @api.exception_handler(MultiPartParserError)
    def torn_form(request: HttpRequest, exc: MultiPartParserError) -> HttpResponse:
        return problem(400, f"The form cannot be read: {exc}")

    @api.exception_handler(RequestDataTooBig)
    def too_big(request: HttpRequest, exc: RequestDataTooBig) -> HttpResponse:
        return problem(
            413, f"A request holds at most {settings.DATA_UPLOAD_MAX_MEMORY_SIZE // 2**20} MB; send it in parts"
        )

    @api.exception_handler(HttpError)
    def other(request: HttpRequest, exc: HttpError) -> HttpResponse:
        return problem(exc.status_code, str(exc))


def _path(location: tuple[Any, ...]) -> str:
    """("body", "payload", "variants", 0, "name") → "variants.0.name"."""
    parts = [str(part) for part in location if part not in ("body", "payload", "query", "path")]
    return ".".join(parts) or "body"


def _sentence(error: dict[str, Any]) -> str:
    given = error.get("input")
    shown = f" ({given})" if isinstance(given, str | int | float) else ""
    return f"{_path(error['loc'])}{shown}: {error['msg']}"
