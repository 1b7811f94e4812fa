"""How many requests, and how long they took: kept by each process, and added up over them (`config.server`)."""

from __future__ import annotations

from prometheus_client import Histogram

_METHODS = {"GET", "HEAD", "POST", "PUT", "PATCH", "DELETE", "OPTIONS"}
_BOUNDS = (0.005, 0.01, 0.025, 0.05, 0.1, 0.25, 0.5, 1.0, 2.5, 5.0, 10.0, 30.0)  # seconds

REQUEST_SECONDS = Histogram(
    "neat_verdict_request_seconds",
    "How long requests took",
    ["method", "route", "status"],
    buckets=_BOUNDS,
    registry=None,
    unit="seconds",
)


def note_request(method: str, route: str, status: int, seconds: float) -> None:
    """Note a request; ``route`` is the pattern, of which there are only so many."""
    REQUEST_SECONDS.labels(method if method in _METHODS else "other", route, str(status)).observe(seconds)
