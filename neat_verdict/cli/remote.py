"""``neat-verdict import``, ``evidence`` and ``report``: what a running application is asked, with a token."""

from __future__ import annotations

import argparse
import os
import sys
from pathlib import Path
from typing import TYPE_CHECKING, Any

from neat_verdict.cli.values import table
from neat_verdict.core.checks import InputError
from neat_verdict.core.text.format import format_count, plural

if TYPE_CHECKING:
    from neat_verdict.client import Call, Client, shapes

URL, TOKEN = "NEAT_VERDICT_URL", "NEAT_VERDICT_TOKEN"
_REPORTS = ("html", "pptx", "png", "svg", "zip")


def add(commands: Any) -> None:
    """Add the three commands."""
    about = f"The address and a token are read from {URL} and {TOKEN}."
    sending = commands.add_parser("import", help="store a file of daily counts", description=about)
    sending.add_argument("experiment", help="its key")
    sending.add_argument("file", type=Path)
    sending.add_argument("--metric", help="key of one of its metrics, if another than the one that decides")
    sending.add_argument("--decimal-mark", choices=[".", ","], help="where the file's numbers do not show it")
    sending.add_argument("--leave-out-wrong", action="store_true", help="store the other lines where some are wrong")
    sending.add_argument("--dry-run", action="store_true", help="say what the file holds, and store nothing")
    sending.set_defaults(run=run_import)
    reading = commands.add_parser("evidence", help="estimates, intervals and the verdict", description=about)
    reading.add_argument("experiment", help="its key")
    reading.add_argument("--format", choices=["text", "csv", "parquet", "json"], default="text")
    reading.add_argument("--output", type=Path, help="a file; else it is printed")
    reading.set_defaults(run=run_evidence)
    reporting = commands.add_parser("report", help="the report, as a file", description=about)
    reporting.add_argument("experiment", help="its key")
    reporting.add_argument("output", type=Path, help=f"a file whose name ends with .{', .'.join(_REPORTS)}")
    reporting.set_defaults(run=run_report)


def failures() -> tuple[type[Exception], ...]:
    """What asking may end with; nothing where its package (httpx) is not there."""
    try:
        from neat_verdict.client import Refused, Unreachable
    except ImportError:
        return ()
    return (Refused, Unreachable)


def client() -> Client:
    """The application that the environment names. Raises InputError where it names none, or httpx is not there."""
    try:
        from neat_verdict.client import Client
    except ImportError as problem:
        raise InputError(
            "httpx", "not installed", "is needed for this: pip install 'neat-verdict[client]'"
        ) from problem
    for name in (URL, TOKEN):
        if not os.environ.get(name):
            raise InputError(
                "environment",
                f"{name} not set",
                "must have the address of Neat Verdict, and a token made under Your account",
            )
    return Client(os.environ[URL], os.environ[TOKEN])


def run_import(given: argparse.Namespace) -> int:
    """Preview a file, and store it if every line is right."""
    from neat_verdict.client import Upload, calls

    file = Upload(given.file.name, given.file.read_bytes())
    options = {"metric": given.metric, "decimal_mark": given.decimal_mark}
    with client() as asked:
        *_, last = asked.send(calls.preview_import(given.experiment, file, **options))
        seen = last["preview"]
        assert seen is not None
        for wrong in seen["wrong"]:
            print(f"line {wrong['line']}: {wrong['reason']}", file=sys.stderr)
        print(f"{plural(seen['rows'], 'line')}, {seen['first_day']} to {seen['last_day']}")
        wrong_count = seen["wrong_count"]
        if given.dry_run or (wrong_count and not given.leave_out_wrong):
            return 1 if wrong_count else 0
        stored = asked.send(
            calls.store_import(
                given.experiment, file, digest=seen["digest"], leave_out_wrong=given.leave_out_wrong, **options
            )
        )
    print(f"{stored['added']:,} added, {stored['changed']:,} changed, {stored['left_out']:,} left out")
    return 0


def run_evidence(given: argparse.Namespace) -> int:
    """The evidence, as text or in a format."""
    from neat_verdict.client import calls

    with client() as asked:
        if given.format == "json":
            return _hand_out(asked.send(calls.get_evidence_json(given.experiment)), given.output)
        if given.format != "text":
            return _hand_out(asked.send(calls.get_evidence_table(given.experiment, given.format)), given.output)
        found = asked.send(calls.get_evidence(given.experiment))
    return _hand_out(_text(found).encode(), given.output)


def run_report(given: argparse.Namespace) -> int:
    """The report in the format that the name of the file says."""
    from neat_verdict.client import calls

    kind = given.output.suffix.removeprefix(".").lower()
    if kind not in _REPORTS:
        raise InputError("output", given.output, f"must end with .{', .'.join(_REPORTS)}")
    key = given.experiment
    ways: dict[str, Call[bytes]] = {
        "html": calls.get_report_html(key),
        "pptx": calls.get_report_slides(key),
        "zip": calls.get_verdict_file(key),
    }
    with client() as asked:
        content = asked.send(ways[kind] if kind in ways else calls.get_report_picture(key, kind))
    given.output.write_bytes(content)
    print(f"{given.output}, {len(content):,} bytes")
    return 0


def _text(found: shapes.EvidenceOut) -> str:
    reading = found["reading"]
    lines = [["variant", "units", "lift", f"{100 * reading['interval_confidence']:g}% interval", "p"]]
    compared = {one["letter"]: one for one in reading["comparisons"]}
    for arm in reading["arms"]:
        line = [f"{arm['letter']} {arm['name']}", format_count(arm["units"])]
        one = compared.get(arm["letter"])
        lift = one["lift"] if one else None
        effect = [lift["estimate_text"], f"{lift['low_text']} to {lift['high_text']}"] if lift else ["", ""]
        lines.append([*line, *effect, one["adjusted_text"] if one else ""])
    words = [reading["headline"], reading["detail"], "", table(lines), "", reading["rule_in_words"]]
    return "\n".join([*words, *(f"! {warning}" for warning in reading["warnings"])]) + "\n"


def _hand_out(content: bytes, output: Path | None) -> int:
    if output is None:
        sys.stdout.buffer.write(content)
        sys.stdout.flush()
    else:
        output.write_bytes(content)
    return 0
