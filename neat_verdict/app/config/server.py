"""How gunicorn serves (`-c python:neat_verdict.app.config.server`): nobody keeps a thread by sending, or taking, slowly."""

from __future__ import annotations

import errno
import os
import shutil
import socket
import time
from pathlib import Path
from typing import Any

from gunicorn.workers.gthread import TConn, ThreadWorker

wsgi_app = "neat_verdict.app.config.wsgi"
worker_class = "neat_verdict.app.config.server.BoundedWorker"
threads = 8

# A request, its body included, comes within so many seconds, and as many more as its bytes take at the least pace.
REQUEST_SECONDS = float(os.environ.get("NEAT_VERDICT_REQUEST_SECONDS", "15"))
MIN_BYTES_PER_SECOND = 8192
SEND_SECONDS = 60.0  # that a part of an answer may wait to be taken


def on_starting(_server: Any) -> None:
    """Have each process keep what it measures where the others find it; what was measured before the start is over."""
    kept = Path(os.environ.get("NEAT_VERDICT_DATA", "var")).absolute() / "measures"
    shutil.rmtree(kept, ignore_errors=True)
    kept.mkdir(parents=True)
    os.environ["PROMETHEUS_MULTIPROC_DIR"] = str(kept)


def child_exit(_server: Any, worker: Any) -> None:
    """A process that is over measures nothing any more."""
    # Not before: where the library keeps things is decided when it is loaded.
    from prometheus_client.multiprocess import mark_process_dead

    mark_process_dead(worker.pid)  # type: ignore[no-untyped-call]


class BoundedSocket(socket.socket):
    """A connection that is reset where a request comes more slowly than that."""

    _began: float | None = None
    _received = 0

    def recv(self, size: int, flags: int = 0, /) -> bytes:
        now = time.monotonic()
        if self._began is None:
            self._began, self._received = now, 0
        left = self._began + REQUEST_SECONDS + self._received / MIN_BYTES_PER_SECOND - now
        received = self._within(left, super().recv, size, flags)
        self._received += len(received)
        return bytes(received)

    def sendall(self, data: Any, flags: int = 0, /) -> None:
        self._began = None
        self._within(SEND_SECONDS, super().sendall, data, flags)

    def _within(self, seconds: float, act: Any, *given: Any) -> Any:
        if seconds <= 0:
            raise ConnectionResetError(errno.ECONNRESET, "sent too slowly")
        before = self.gettimeout()
        self.settimeout(seconds)
        try:
            return act(*given)
        except TimeoutError as late:
            raise ConnectionResetError(errno.ECONNRESET, "sent or taken too slowly") from late
        finally:
            self.settimeout(before)


class BoundedWorker(ThreadWorker):
    """gunicorn's worker with threads, its connections bounded."""

    def enqueue_req(self, conn: TConn) -> None:
        if not isinstance(conn.sock, BoundedSocket):
            conn.sock = BoundedSocket(fileno=conn.sock.detach())
        super().enqueue_req(conn)
