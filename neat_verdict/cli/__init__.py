"""``neat-verdict``: the commands that need no screen; some need no server."""

from __future__ import annotations

import argparse
import sys
from collections.abc import Sequence

from neat_verdict.cli import judge, remote, size
from neat_verdict.core.checks import InputError
from neat_verdict.reduction import cli as reduce
from neat_verdict.reduction.client import Refused

COMMANDS = (size, judge, remote, reduce)  # each adds its own


def main(words: Sequence[str] | None = None) -> int:
    """Run a command; 0 where everything was done, 1 where something was refused, 2 for a wrong call."""
    parser = argparse.ArgumentParser(prog="neat-verdict", description=__doc__)
    commands = parser.add_subparsers(required=True, metavar="command")
    for one in COMMANDS:
        one.add(commands)
    given = parser.parse_args(words)
    refusals: tuple[type[Exception], ...] = (InputError, Refused, *remote.failures())
    try:
        return int(given.run(given))
    except refusals as problem:
        print(f"neat-verdict: {problem}", file=sys.stderr)
        return 1
    except OSError as problem:
        print(f"neat-verdict: {problem.filename or ''}: {problem.strerror or problem}", file=sys.stderr)
        return 1
