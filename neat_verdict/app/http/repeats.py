"""A request that may be sent again: with the same Idempotency-Key it is done once, and answered as it was the first time."""

from __future__ import annotations

import hashlib
import logging
import re
from collections.abc import Callable
from datetime import datetime, timedelta

from django.db import IntegrityError, OperationalError, transaction
from django.http import HttpRequest, HttpResponse, StreamingHttpResponse
from django.http.response import HttpResponseBase

from neat_verdict.app import clock
from neat_verdict.app.http.errors import NOTHING, not_stored
from neat_verdict.app.http.models import KeptAnswer
from neat_verdict.app.http.problems import problem
from neat_verdict.core.limits import MAX_BODY_BYTES

log = logging.getLogger(__name__)
HEADER = "Idempotency-Key"
REPLAYED = "Idempotency-Replayed"
KEPT_HOURS = 24
_KEY = re.compile(r"[\x21-\x7e]{1,255}")
_MAX_KEPT = 1024 * 1024  # bytes of an answer
# Their answers carry what is shown once, or sign somebody in: nothing of them is kept.
_NEVER = ("/api/v1/session", "/api/v1/keys")


class OnceByKey:
    """Middleware, after the accounts: of POST to the API, where the header is sent."""

    def __init__(self, answer: Callable[[HttpRequest], HttpResponseBase]) -> None:
        self.answer = answer

    def __call__(self, request: HttpRequest) -> HttpResponseBase:
        key = request.headers.get(HEADER)
        if key is None or request.method != "POST" or not request.path.startswith("/api/"):
            return self.answer(request)
        who = _who(request)
        if who is None:
            return self.answer(request)
        if _KEY.fullmatch(key) is None:
            return _refused(key, "must be 1 to 255 printable characters")
        if request.path in _NEVER:
            return _refused(key, "is not taken here: the answer is shown once, and not kept")
        digest = _digest_of(request)
        try:
            KeptAnswer.objects.filter(who=who, key=key, at__lt=_oldest()).delete()
            with transaction.atomic():
                kept = KeptAnswer.objects.create(who=who, key=key, digest=digest, at=clock.now())
        except IntegrityError:
            return _again(KeptAnswer.objects.get(who=who, key=key), key, digest)
        except OperationalError as refused:
            return not_stored(refused, NOTHING)
        return self._once(request, kept)

    def _once(self, request: HttpRequest, kept: KeptAnswer) -> HttpResponseBase:
        try:
            response = self.answer(request)
        except BaseException:
            kept.delete()
            raise
        keeps = isinstance(response, HttpResponse) and len(response.content) <= _MAX_KEPT
        if response.status_code >= 400 or isinstance(response, StreamingHttpResponse) or not keeps:
            kept.delete()  # nothing was done, or nothing that must not be done twice
            return response
        assert isinstance(response, HttpResponse)
        kept.status, kept.content = response.status_code, response.content
        kept.content_type = response.headers.get("Content-Type", "")
        try:
            kept.save()
        except OperationalError:
            log.exception("an answer could not be kept")  # it stands as under way, so that nothing is done twice
        return response


def _again(kept: KeptAnswer, key: str, digest: str) -> HttpResponse:
    if kept.digest != digest:
        return _refused(key, "was sent with another request; each needs a key of its own")
    if kept.status == 0:
        answer = problem(
            409, "The same request is under way, or broke off: look whether it was done before sending another key"
        )
        answer.headers["Retry-After"] = "5"
        return answer
    answer = HttpResponse(bytes(kept.content), status=kept.status, content_type=kept.content_type)
    answer.headers[REPLAYED] = "true"
    return answer


def _refused(key: str, rule: str) -> HttpResponse:
    message = f"{HEADER} ({key[:80]}) {rule}"
    return problem(422, "A value is not accepted", errors=[{"field": HEADER, "message": message}])


def _who(request: HttpRequest) -> str | None:
    if sent := request.headers.get("Authorization"):
        return f"key {hashlib.sha256(sent.encode()).hexdigest()}"
    return f"account {request.user.pk}" if request.user.is_authenticated else None


def _digest_of(request: HttpRequest) -> str:
    """Of address and body; of a file, or a large batch, only the length of the body."""
    length = request.headers.get("Content-Length") or "0"
    large = not length.isdecimal() or int(length) > MAX_BODY_BYTES or request.content_type == "multipart/form-data"
    parts = [request.get_full_path().encode(), (request.content_type or "").encode(), length.encode()]
    return hashlib.sha256(b"\0".join([*parts, b"" if large else request.body])).hexdigest()


def _oldest() -> datetime:
    return clock.now() - timedelta(hours=KEPT_HOURS)


def forget_old() -> int:
    """Delete answers that are kept no longer; returns how many."""
    return KeptAnswer.objects.filter(at__lt=_oldest()).delete()[0]
