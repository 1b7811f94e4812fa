"""The one place where an exception becomes a problem document (RFC 9457)."""

from __future__ import annotations

import errno
import re
from typing import Any

from django.conf import settings
from django.core.exceptions import PermissionDenied, RequestDataTooBig
from django.db import OperationalError
from django.http import Http404, HttpRequest, HttpResponse
from django.http.multipartparser import MultiPartParserError
from ninja import NinjaAPI
from ninja.errors import AuthenticationError, HttpError, ValidationError, ValidationErrorContext

from neat_verdict.app.http.bodies import BodyTooLarge
from neat_verdict.app.http.problems import (
    SECOND_FACTOR,
    Conflict,
    Gone,
    PartlyStored,
    SecondFactorNeeded,
    TooMany,
    WrongType,
    problem,
)
from neat_verdict.app.http.versions import tag
from neat_verdict.core.checks import InputError

_SECRET = ("password", "current", "token", "secret")  # never said back
_SHOWN = 80  # characters of what was given


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
        answer = problem(401, "Sign in first")
        answer.headers["WWW-Authenticate"] = "Bearer"
        return answer

    @api.exception_handler(SecondFactorNeeded)
    def code_needed(request: HttpRequest, exc: SecondFactorNeeded) -> HttpResponse:
        return problem(401, SECOND_FACTOR.meaning, kind=SECOND_FACTOR)

    @api.exception_handler(PermissionDenied)
    def unentitled(request: HttpRequest, exc: PermissionDenied) -> HttpResponse:
        return problem(403, str(exc) or "Your role does not allow this")

    @api.exception_handler(Http404)
    def missing(request: HttpRequest, exc: Http404) -> HttpResponse:
        return problem(404, "There is nothing at this address")

    @api.exception_handler(Conflict)
    def conflict(request: HttpRequest, exc: Conflict) -> HttpResponse:
        version = exc.members.get("current_version")
        answer = problem(409 if version is None or "If-Match" not in request.headers else 412, str(exc), **exc.members)
        if version is not None:
            tag(answer, version)
        return answer

    @api.exception_handler(TooMany)
    def too_many(request: HttpRequest, exc: TooMany) -> HttpResponse:
        return too_many_answer(exc)

    @api.exception_handler(WrongType)
    def wrong_type(request: HttpRequest, exc: WrongType) -> HttpResponse:
        answer = problem(415, str(exc))
        answer.headers["Accept-Patch" if request.method == "PATCH" else "Accept-Post"] = exc.taken
        return answer

    @api.exception_handler(Gone)
    def gone(request: HttpRequest, exc: Gone) -> HttpResponse:
        return problem(410, str(exc))

    @api.exception_handler(OperationalError)
    def database_refused(request: HttpRequest, exc: OperationalError) -> HttpResponse:
        return not_stored(exc, NOTHING)

    @api.exception_handler(OSError)
    def disk_refused(request: HttpRequest, exc: OSError) -> HttpResponse:
        return not_stored(exc, NOTHING)

    @api.exception_handler(PartlyStored)
    def broken_off(request: HttpRequest, exc: PartlyStored) -> HttpResponse:
        assert isinstance(exc.__cause__, OperationalError | OSError)
        return not_stored(exc.__cause__, str(exc))

    @api.exception_handler(MultiPartParserError)
    def torn_form(request: HttpRequest, exc: MultiPartParserError) -> HttpResponse:
        return problem(400, f"The form cannot be read: {exc}")

    @api.exception_handler(RequestDataTooBig)
    def too_big(request: HttpRequest, exc: RequestDataTooBig) -> HttpResponse:
        most = exc.most if isinstance(exc, BodyTooLarge) else settings.DATA_UPLOAD_MAX_MEMORY_SIZE
        return problem(413, f"This holds at most {most // 2**20} MB; send it in parts")

    @api.exception_handler(HttpError)
    def other(request: HttpRequest, exc: HttpError) -> HttpResponse:
        # The framework makes one thing of all that a parser refuses.
        if isinstance(exc.__cause__, WrongType):
            return wrong_type(request, exc.__cause__)
        if isinstance(exc.__cause__, InputError):
            return bad_value(request, exc.__cause__)
        return problem(exc.status_code, str(exc))


NOTHING = "Nothing of this was stored"


def too_many_answer(exc: TooMany) -> HttpResponse:
    """429, with when to ask again."""
    answer = problem(429, str(exc))
    answer.headers["Retry-After"] = str(exc.wait)
    return answer


def not_stored(exc: OperationalError | OSError, what: str) -> HttpResponse:
    """An answer that says why it could not be stored, and ``what`` was; raises the exception where it is of another kind."""
    said, number = str(exc), getattr(exc, "errno", None)
    if "locked" in said:
        answer = problem(503, f"Something long is being written. {what}. Send it again in a moment")
        answer.headers["Retry-After"] = "10"
        return answer
    if "disk is full" in said or number == errno.ENOSPC:
        return problem(507, f"The disk of the server is full, or nearly. {what}; it needs room before anything can be")
    if "readonly" in said or "unable to open" in said or number in (errno.EROFS, errno.EACCES, errno.EPERM):
        return problem(503, f"The server may not write where its data lie. {what}; its permissions must be put right")
    raise exc


class Api(NinjaAPI):
    """With what was given in each error, which the framework leaves out, and the version of what has one as its ETag."""

    def create_response(self, request: HttpRequest, data: Any, **more: Any) -> HttpResponse:
        answer = super().create_response(request, data, **more)
        if isinstance(data, dict) and isinstance(data.get("version"), int):
            tag(answer, data["version"])
        return answer

    def validation_error_from_error_contexts(
        self, error_contexts: list[ValidationErrorContext[Any]]
    ) -> ValidationError:
        made = super().validation_error_from_error_contexts(error_contexts)
        given = [
            one.get("input")
            for context in error_contexts
            for one in context.pydantic_validation_error.errors(include_url=False)
        ]
        for error, value in zip(made.errors, given, strict=True):
            error["input"] = value
        return made


def _path(location: tuple[Any, ...]) -> str:
    """("body", "payload", "variants", 0, "name") → "variants.0.name"; a field that is changed has the same name as when the rules
    refuse it: ("body", "payload", "changes", "power") → "power"."""
    parts = [part for part in location if part not in ("body", "payload", "query", "path")]
    if location[0] == "query":  # where several parameters are one argument, that is named too
        parts = parts[max((at for at, part in enumerate(parts) if isinstance(part, str)), default=0) :]
    if len(parts) > 1 and parts[0] == "changes" and isinstance(parts[1], str):
        parts = parts[1:]
    return ".".join(map(str, parts)) or "body"


def _sentence(error: dict[str, Any]) -> str:
    """ "higher (1.04) must be greater than or equal to 1.1"."""
    path, given = _path(error["loc"]), error.get("input")
    shown = f" ({str(given)[:_SHOWN]})" if isinstance(given, str | int | float) and path not in _SECRET else ""
    must = re.sub(r"^\w+ should ", " must ", error["msg"])
    return f"{path}{shown}{must}" if must != error["msg"] else f"{path}{shown}: {must}"
