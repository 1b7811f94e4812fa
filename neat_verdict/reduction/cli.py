"""``neat-verdict reduce``: counts experiments where the data live, and sends what changed."""

from __future__ import annotations

import argparse
import os
import sys
import time
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from neat_verdict.core.checks import InputError
from neat_verdict.reduction.client import Client, Refused
from neat_verdict.reduction.lake import Lake, read_lake

URL, KEY = "NEAT_VERDICT_URL", "NEAT_VERDICT_KEY"


def add(commands: Any) -> None:
    """Add the command."""
    command: argparse.ArgumentParser = commands.add_parser(
        "reduce",
        help="count experiments where the data live, and send the days that changed",
        description=f"The address and the key are read from {URL} and {KEY}.",
    )
    command.add_argument("lake", type=Path, help="a TOML file: where events are kept and how their columns are called")
    command.add_argument(
        "experiment", nargs="*", help="keys of experiments; all whose own system assigns if none is given"
    )
    command.add_argument("--engine", help="duckdb or spark, if another than the lake’s file names")
    command.add_argument(
        "--all", action="store_true", help="count every day, not only those that something came in for"
    )
    command.add_argument("--dry-run", action="store_true", help="say what would be read and counted, and send nothing")
    command.add_argument("--explain", action="store_true", help="with --dry-run: also how the engine would go about it")
    command.set_defaults(run=lambda given: _run(command, given))


def _run(parser: argparse.ArgumentParser, given: argparse.Namespace) -> int:
    url, key = os.environ.get(URL, ""), os.environ.get(KEY, "")
    if not url or not key:
        parser.error(
            f"{URL} and {KEY} must be set: the address of Neat Verdict, and a server's key that may bring in counts"
        )
    return _reduce(given, read_lake(given.lake), Client(url, key))


def _reduce(given: argparse.Namespace, lake: Lake, client: Client) -> int:
    experiments = given.experiment or client.experiments()
    if not experiments:
        print("No experiment takes counts from where the data live.")
        return 0
    if given.dry_run:
        return _expect(given, lake, client, experiments)
    # Engines take seconds to load, and their packages need not be there for the help of the command.
    from neat_verdict.reduction.runs import count_lake

    failed = 0
    options = {"engine": given.engine or "", "everything": given.all}
    for counted in count_lake(lake, client, experiments, hear=_progress, **options):
        if counted.problem:
            failed += 1
            print(f"neat-verdict: {counted}", file=sys.stderr)
        else:
            print(counted)
    return 1 if failed else 0


def _expect(given: argparse.Namespace, lake: Lake, client: Client, experiments: Sequence[str]) -> int:
    from neat_verdict.reduction.engines import engine_named
    from neat_verdict.reduction.reducing import expected
    from neat_verdict.reduction.source import source_of

    failed = 0
    with engine_named(given.engine or lake.engine, lake.database) as engine:
        source = source_of(engine, lake)
        for name in experiments:
            try:
                asked, until = client.plan(name), int(time.time() * 1000)
                since = None if given.all else asked.since
                print(f"{name}: {expected(engine, source, asked.plan, until, since=since, explain=given.explain)}")
            except (InputError, Refused) as problem:
                failed += 1
                print(f"neat-verdict: {name}: {problem}", file=sys.stderr)
    return 1 if failed else 0


def _progress(words: str) -> None:
    if sys.stderr.isatty():
        print(f"\r\033[K{words}", end="", file=sys.stderr, flush=True)
