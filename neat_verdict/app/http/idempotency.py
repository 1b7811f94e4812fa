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
from neat_verdict.app.http.models import StoredAnswer
from neat_verdict.app.http.problems import problem
from neat_verdict.core.limits import MAX_BODY_BYTES, MAX_IDEMPOTENCY_KEY

log = logging.getLogger(__name__)
HEADER = "Idempotency-Key"
REPLAYED = "Idempotency-Replayed"
STORED_HOURS = 24
_KEY = re.compile(rf"[\x21-\x7e]{{1,{MAX_IDEMPOTENCY_KEY}}}")
_MAX_STORED_BYTES = 1024 * 1024  # bytes of an answer
# Their answers carry what is shown once, or sign somebody in: nothing of them is stored.
_NEVER_STORED = re.compile(
    r"/api/v1/(session|keys|passwords|password-links|me(/.*)?|accounts(/[^/]+/(tokens|link))?|webhooks)"
)


class IdempotencyKeys:
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
            return _refused(key, f"must be 1 to {MAX_IDEMPOTENCY_KEY} printable characters")
        if _NEVER_STORED.fullmatch(request.path):
            return _refused(key, "is not taken here: the answer is shown once, and not stored")
        digest = _digest_of(request)
        try:
            StoredAnswer.objects.filter(who=who, key=key, at__lt=_oldest()).delete()
            with transaction.atomic():
                stored = StoredAnswer.objects.create(who=who, key=key, digest=digest, at=clock.now())
        except IntegrityError:
            return _again(StoredAnswer.objects.get(who=who, key=key), key, digest)
        except OperationalError as refused:
            return not_stored(refused, NOTHING)
        return self._once(request, stored)

    def _once(self, request: HttpRequest, stored: StoredAnswer) -> HttpResponseBase:
        try:
            response = self.answer(request)
        except BaseException:
            stored.delete()
            raise
        storable = isinstance(response, HttpResponse) and len(response.content) <= _MAX_STORED_BYTES
        if response.status_code >= 400 or isinstance(response, StreamingHttpResponse) or not storable:
            stored.delete()  # nothing was done, or nothing that must not be done twice
            return response
        assert isinstance(response, HttpResponse)
        stored.status, stored.content = response.status_code, response.content
        stored.content_type = response.headers.get("Content-Type", "")
        try:
            stored.save()
        except OperationalError:
            log.exception("an answer could not be stored")  # it stands as under way, so that nothing is done twice
        return response


def _again(stored: StoredAnswer, key: str, digest: str) -> HttpResponse:
    if stored.digest != digest:
        return _refused(key, "was sent with another request; each needs a key of its own")
    if stored.status == 0:
        answer = problem(
            409, "The same request is under way, or broke off: look whether it was done before sending another key"
        )
        answer.headers["Retry-After"] = "5"
        return answer
    answer = HttpResponse(bytes(stored.content), status=stored.status, content_type=stored.content_type)
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
    return clock.now() - timedelta(hours=STORED_HOURS)


def delete_old_answers() -> int:
    """Delete the answers of more than a day ago; returns how many."""
    return StoredAnswer.objects.filter(at__lt=_oldest()).delete()[0]
