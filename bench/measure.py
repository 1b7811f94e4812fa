"""Measuring, and a line that says how it came out."""

from __future__ import annotations

import time
from collections.abc import Callable


def best(function: Callable[[], object], repeat: int = 7, number: int = 100) -> float:
    """Least seconds a call, over several rounds."""
    function()
    rounds = []
    for _ in range(repeat):
        begin = time.perf_counter()
        for _ in range(number):
            function()
        rounds.append((time.perf_counter() - begin) / number)
    return min(rounds)


def line(what: str, seconds: float, reference: str, reference_seconds: float, wanted: str, kept: bool) -> bool:
    ratio = seconds / reference_seconds
    mark = "ok " if kept else "NOT"
    figures = f"{seconds * 1e3:.3f} ms; {reference}: {reference_seconds * 1e3:.3f} ms"
    print(f"{mark} {what}: {figures}; ratio {ratio:.3g} (wanted {wanted})", flush=True)
    return kept
