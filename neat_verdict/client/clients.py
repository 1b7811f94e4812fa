"""The application at an address, asked with a token (or, where machines ask, with a key)."""

from __future__ import annotations

import asyncio
import time
import uuid
from collections.abc import Awaitable, Callable, Mapping
from dataclasses import dataclass, field
from types import TracebackType
from typing import Any, TypeVar

import httpx

from neat_verdict.client.calling import Call, Unreachable, given, read

T = TypeVar("T")
_PATIENCE = 60.0  # seconds for an answer
_TRIES = 3
_LONGEST_WAIT = 30.0  # seconds between two of them
_AGAIN = (429, 503)


@dataclass(slots=True)
class _Tries:
    """Whether and when something is sent again: where the server says to wait, or nothing came back. A POST carries a key by
    which it is done once."""

    call: Call[Any]
    count: int = 0
    headers: dict[str, str] = field(default_factory=dict)

    def __post_init__(self) -> None:
        if self.call.method == "POST":
            self.headers["Idempotency-Key"] = str(uuid.uuid4())

    def after(self, came: httpx.Response | httpx.TransportError) -> httpx.Response | float:
        """The answer to be read, or the seconds until it is sent again. Raises Unreachable where none came at last."""
        self.count += 1
        answer = came if isinstance(came, httpx.Response) else None
        said = answer.headers.get("Retry-After", "") if answer is not None else ""
        wait = float(said) if said.isdecimal() else 2.0 ** (self.count - 1)
        if self.count < _TRIES and wait <= _LONGEST_WAIT and (answer is None or answer.status_code in _AGAIN):
            return wait
        if isinstance(came, httpx.TransportError):
            raise Unreachable(f"{came.request.url} cannot be reached: {came}") from came
        return came


def _arguments(call: Call[Any], tries: _Tries) -> dict[str, Any]:
    sent: dict[str, Any] = {"params": given(call.query), "headers": tries.headers}
    if call.body is not None:
        sent["json"] = call.body
    if call.files:
        sent["files"] = {name: (file.name, file.content) for name, file in call.files.items()}
        sent["data"] = given(call.form)
    return sent


def _options(url: str, token: str, transport: Any) -> dict[str, Any]:
    headers: Mapping[str, str] = {"Authorization": f"Bearer {token}"} if token else {}
    base = f"{url.rstrip('/')}/api/v1"
    return {"base_url": base, "headers": headers, "timeout": _PATIENCE, "transport": transport}


class Client:
    """``client.send(calls.get_experiment("fare-calendar"))``. Raises Refused, or Unreachable."""

    def __init__(
        self,
        url: str,
        token: str = "",
        *,
        transport: httpx.BaseTransport | None = None,
        pause: Callable[[float], None] = time.sleep,
    ) -> None:
        self._http = httpx.Client(**_options(url, token, transport))
        self._pause = pause

    def send(self, call: Call[T]) -> T:
        """What the operation answers."""
        tries = _Tries(call)
        while True:
            came: httpx.Response | httpx.TransportError
            try:
                came = self._http.request(call.method, call.path, **_arguments(call, tries))
            except httpx.TransportError as problem:
                came = problem
            found = tries.after(came)
            if isinstance(found, httpx.Response):
                return read(call, found.status_code, found.content)
            self._pause(found)

    def close(self) -> None:
        """Close its connections."""
        self._http.close()

    def __enter__(self) -> Client:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, what: BaseException | None, where: TracebackType | None
    ) -> None:
        self.close()


class AsyncClient:
    """``await client.send(calls.get_experiment("fare-calendar"))``. Raises Refused, or Unreachable."""

    def __init__(
        self,
        url: str,
        token: str = "",
        *,
        transport: httpx.AsyncBaseTransport | None = None,
        pause: Callable[[float], Awaitable[None]] = asyncio.sleep,
    ) -> None:
        self._http = httpx.AsyncClient(**_options(url, token, transport))
        self._pause = pause

    async def send(self, call: Call[T]) -> T:
        """What the operation answers."""
        tries = _Tries(call)
        while True:
            came: httpx.Response | httpx.TransportError
            try:
                came = await self._http.request(call.method, call.path, **_arguments(call, tries))
            except httpx.TransportError as problem:
                came = problem
            found = tries.after(came)
            if isinstance(found, httpx.Response):
                return read(call, found.status_code, found.content)
            await self._pause(found)

    async def close(self) -> None:
        """Close its connections."""
        await self._http.aclose()

    async def __aenter__(self) -> AsyncClient:
        return self

    async def __aexit__(
        self, kind: type[BaseException] | None, what: BaseException | None, where: TracebackType | None
    ) -> None:
        await self.close()
