"""Failures that several rooms raise, and problem documents (RFC 9457): how every failure is answered over HTTP."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from django.http import HttpResponse, JsonResponse

PROBLEM_TYPE = "application/problem+json"


class Conflict(Exception):  # noqa: N818
    """What was asked does not fit the state of things; ``members`` go into the problem document."""

    def __init__(self, sentence: str, **members: Any) -> None:
        super().__init__(sentence)
        self.members = members


class PartlyStored(Exception):  # noqa: N818
    """Something long broke off while it was stored; the cause is that of this exception."""

    def __init__(self, stored: int, whole: int) -> None:
        super().__init__(
            f"{stored:,} of {whole:,} lines were stored before that; sent again, what is there counts once"
        )


class TooMany(Exception):  # noqa: N818
    """Too much was asked; ``wait`` is after how many seconds it may be asked again."""

    def __init__(self, sentence: str, wait: int) -> None:
        super().__init__(f"{sentence}; try again in {wait:,} {'second' if wait == 1 else 'seconds'}")
        self.wait = wait


class WrongType(Exception):  # noqa: N818
    """A body was sent as ``given`` where ``taken`` is taken."""

    def __init__(self, given: str, taken: str) -> None:
        super().__init__(f"The body was sent as {given[:80] or 'nothing known'}; it must be {taken}")
        self.taken = taken


class SecondFactorNeeded(Exception):  # noqa: N818
    """The password is right, and a code is needed too."""


class Gone(Exception):  # noqa: N818
    """What was there is there no more, and why."""


@dataclass(frozen=True, slots=True)
class Kind:
    """A kind of failure: its ``code`` stays the same, whatever the sentence of one says; ``meaning`` is what it says where
    nothing says more."""

    status: int
    code: str
    meaning: str

    @property
    def uri(self) -> str:
        """Which kind it is, for machines; nothing is there to be read."""
        return f"https://neat-verdict.example/problems/{self.code}"


KINDS = {
    kind.status: kind
    for kind in (
        Kind(400, "malformed", "The request cannot be read"),
        Kind(401, "not-signed-in", "Sign in first"),
        Kind(403, "not-allowed", "This is not allowed"),
        Kind(404, "not-found", "There is nothing at this address"),
        Kind(405, "wrong-method", "This address takes other methods"),
        Kind(409, "conflict", "This does not fit the state of things"),
        Kind(410, "gone", "This is over"),
        Kind(412, "changed-since", "What If-Match names is not the latest version"),
        Kind(413, "too-large", "This is too large"),
        Kind(415, "wrong-type", "The body is of a type that is not taken here"),
        Kind(422, "not-accepted", "A value is not accepted"),
        Kind(429, "too-many", "Too much was asked; wait as Retry-After says"),
        Kind(500, "failed", "The server failed; its log says why"),
        Kind(503, "unavailable", "This cannot be done now; try again"),
        Kind(507, "no-room", "The server has no room"),
    )
}


SECOND_FACTOR = Kind(401, "second-factor", "The password is right; send the code of the second factor too")


def problem_of(status: int, title: str, kind: Kind | None = None) -> dict[str, Any]:
    """What every problem document has, of the usual kind of its status unless one is named."""
    kind = kind or KINDS[status]
    return {"type": kind.uri, "code": kind.code, "title": title, "status": status}


def problem(status: int, title: str, *, kind: Kind | None = None, **members: Any) -> HttpResponse:
    """A problem document as an answer; ``errors`` is a list of {field, message}."""
    return JsonResponse({**problem_of(status, title, kind), **members}, status=status, content_type=PROBLEM_TYPE)


def as_markdown() -> str:
    """The kinds as a page of the documents."""
    lines = [
        "# Problems",
        "",
        "Made from `neat_verdict/app/http/problems.py` by `bin/types`. Each answer of 400 and above of the API is a problem",
        "document (RFC 9457): `type` and `code` say which kind it is, `title` what is wrong here, `errors` in which fields.",
        "",
        "| status | code | type | meaning |",
        "|---|---|---|---|",
        *(f"| {one.status} | `{one.code}` | `{one.uri}` | {one.meaning} |" for one in (*KINDS.values(), SECOND_FACTOR)),
    ]
    return "\n".join(lines) + "\n"
