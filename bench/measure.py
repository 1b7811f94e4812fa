"""Measuring, and a line that says how it came out."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

ROOT = Path(__file__).resolve().parents[1]


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


def in_a_fresh_workspace(script: str) -> Any:
    """Run a script within an empty workspace of its own; what its last line prints, as JSON."""
    with tempfile.TemporaryDirectory() as folder:
        env = {**os.environ, "PYTHONPATH": str(ROOT), "NEAT_VERDICT_DATA": folder, "NEAT_VERDICT_SECRET_KEY": "bench"}
        manage = [sys.executable, "manage.py"]
        subprocess.run([*manage, "migrate", "--verbosity", "0"], cwd=ROOT, env=env, check=True)
        ran = subprocess.run(
            [*manage, "shell", "-v", "0", "-c", script],
            cwd=ROOT,
            env=env,
            check=True,
            stdout=subprocess.PIPE,
            text=True,
        )
    return json.loads(ran.stdout.strip().splitlines()[-1])
