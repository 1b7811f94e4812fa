"""What is asked of the API, apart from how it is sent: made by `calls`, sent by `Client` or `AsyncClient`."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, Generic, Literal, TypeVar
from urllib.parse import quote

T = TypeVar("T")
Answers = Literal["json", "lines", "bytes", "nothing"]


class Refused(Exception):  # noqa: N818
    """A problem document (RFC 9457): ``status``, ``code`` (it stays the same), ``errors`` with field and message each."""

    def __init__(self, status: int, document: Mapping[str, Any]) -> None:
        self.status = status
        self.code = str(document.get("code", ""))
        self.errors: list[dict[str, str]] = list(document.get("errors", ()))
        self.document = dict(document)
        said = [str(document.get("title", f"The application answered with status {status}"))]
        super().__init__("; ".join(dict.fromkeys([*said, *(error["message"] for error in self.errors)])))


class Unreachable(Exception):  # noqa: N818
    """Nothing came back: no network, no such host, or no answer in time."""


@dataclass(frozen=True, slots=True)
class Upload:
    """A file to be sent: its name, and its bytes."""

    name: str
    content: bytes


@dataclass(frozen=True, slots=True)
class Call(Generic[T]):
    """One operation with its values. ``query`` and ``form`` leave out what is None."""

    method: str
    path: str
    answers: Answers
    query: Mapping[str, Any] = field(default_factory=dict)
    body: Any = None
    form: Mapping[str, Any] = field(default_factory=dict)
    files: Mapping[str, Upload] = field(default_factory=dict)


def path_of(pattern: str, **values: object) -> str:
    """An address with its parts filled in, each escaped."""
    return pattern.format(**{name: quote(str(value), safe="") for name, value in values.items()})


def given(values: Mapping[str, Any]) -> dict[str, Any]:
    """Values as text, as addresses and forms have them, without those that are None."""
    return {name: _text(value) for name, value in values.items() if value is not None}


def _text(value: object) -> Any:
    if isinstance(value, bool):
        return "true" if value else "false"
    return [_text(one) for one in value] if isinstance(value, list | tuple) else str(value)


def read(call: Call[T], status: int, content: bytes) -> T:
    """The value of an answer. Raises Refused for one of 400 and above."""
    if status >= 400:
        raise Refused(status, _document(content))
    made: Any = None
    if call.answers == "json":
        made = json.loads(content)
    elif call.answers == "lines":
        made = [json.loads(line) for line in content.splitlines() if line.strip()]
    elif call.answers == "bytes":
        made = content
    return made  # type: ignore[no-any-return]


def _document(content: bytes) -> Mapping[str, Any]:
    try:
        said = json.loads(content)
    except ValueError:
        return {}
    return said if isinstance(said, dict) else {}
