"""``neat-verdict judge``: lift, interval, p and verdict from a table of counts. No server is asked."""

from __future__ import annotations

import argparse
import csv
import json
import math
import sys
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from neat_verdict.cli.values import share, table
from neat_verdict.core.checks import InputError, read_count
from neat_verdict.core.numbers import read_number
from neat_verdict.core.questions import DEFAULT_QUESTION, QUESTIONS
from neat_verdict.core.statistics import Comparison, Rate
from neat_verdict.core.text.format import format_count, format_interval, format_levels, format_lift, format_pvalue
from neat_verdict.core.text.names import Names
from neat_verdict.core.variants import LETTERS
from neat_verdict.core.verdicts import DecisionRule, Reading, read_experiment, rule_in_words
from neat_verdict.core.verdicts.sentences import Sentences, write_sentences

_MOST_BYTES = 1_000_000
_COLUMNS = ("variant", "units", "conversions", "weight")


def add(commands: Any) -> None:
    """Add the command."""
    parser: argparse.ArgumentParser = commands.add_parser(
        "judge",
        help="a verdict from counts",
        description=__doc__,
        epilog="The file has a header: variant,units,conversions",
    )
    parser.add_argument("file", help="CSV, control in the first row; - reads what is typed")
    parser.add_argument("--confidence", default="95%", help="95%%")
    parser.add_argument("--worthwhile", default="5%", help="the least lift that is worthwhile (5%%)")
    parser.add_argument("--question", default=DEFAULT_QUESTION.name, choices=list(QUESTIONS))
    parser.add_argument("--less-is-better", action="store_true")
    parser.add_argument("--least-conversions", default=50, type=int, help="in each variant before it is read (50)")
    parser.add_argument("--days", default=0, type=int, help="whole days that were counted; 0 where they do not matter")
    parser.add_argument("--metric", default="conversions", help="what conversions are called in sentences")
    parser.add_argument("--json", action="store_true", help="as JSON")
    parser.set_defaults(run=run)


@dataclass(frozen=True, slots=True)
class Row:
    """A variant as counted; ``weight`` is its planned share, as large as those of the others are."""

    name: str
    rate: Rate
    weight: float


def rows_of(text: str) -> list[Row]:
    """Variants of a table with a header. Raises InputError naming row and column."""
    first = text.lstrip("\ufeff").partition("\n")[0]
    mark = max(",;\t", key=first.count)
    lines = [line for line in csv.reader(text.lstrip("\ufeff").splitlines(), delimiter=mark) if any(line)]
    header = [cell.strip().lower() for cell in lines[0]] if lines else []
    unknown = [cell for cell in header if cell not in _COLUMNS]
    if unknown or not {"units", "conversions"} <= set(header) or len(set(header)) < len(header):
        raise InputError(
            "header", mark.join(header) or "empty", f"must be {', '.join(_COLUMNS[:3])}, and weight if they differ"
        )
    if not 2 <= len(lines) - 1 <= len(LETTERS):
        raise InputError("rows", len(lines) - 1, f"must be 2 to {len(LETTERS)} variants, control in the first")
    return [
        _row(position, dict(zip(header, line, strict=False)), len(line), header)
        for position, line in enumerate(lines[1:])
    ]


def _row(position: int, cells: dict[str, str], length: int, header: Sequence[str]) -> Row:
    place = f"row {position + 2}"
    if length != len(header):
        raise InputError(place, f"{length} cells", f"must have {len(header)}")
    try:
        rate = Rate(read_count("conversions", cells["conversions"]), read_count("units", cells["units"]))
        weight = read_number("weight", cells["weight"]) if "weight" in cells else 1.0
    except InputError as problem:
        raise InputError(
            f"{place}, {problem.field}", cells.get(problem.field, "").strip() or "empty", problem.rule
        ) from problem
    return Row(cells.get("variant", "").strip() or LETTERS[position], rate, weight)


def run(given: argparse.Namespace) -> int:
    """Print the verdict. Raises InputError."""
    rows = rows_of(_text(given.file))
    rule = DecisionRule(
        confidence=share("confidence", given.confidence),
        worthwhile_lift=share("worthwhile", given.worthwhile),
        question=QUESTIONS[given.question],
        good_direction="down" if given.less_is_better else "up",
        least_conversions=given.least_conversions,
    )
    reading = read_experiment([row.rate for row in rows], [row.weight for row in rows], rule, days=given.days)
    sentences = write_sentences(reading, rule, Names(given.metric, "units", tuple(row.name for row in rows)))
    print(json.dumps(_found(rows, reading, sentences)) if given.json else _said(rows, reading, sentences, rule))
    return 0


def _text(file: str) -> str:
    content = sys.stdin.buffer.read(_MOST_BYTES + 1) if file == "-" else Path(file).read_bytes()
    if len(content) > _MOST_BYTES:
        raise InputError("file", f"{len(content):,} bytes", f"must not be larger than {_MOST_BYTES:,}")
    try:
        return content.decode("utf-8")
    except UnicodeDecodeError as problem:
        raise InputError("file", file, "must be text in UTF-8") from problem


def _said(rows: Sequence[Row], reading: Reading, sentences: Sentences, rule: DecisionRule) -> str:
    lines = [["variant", "units", "conversions", "rate", "lift", f"{100 * rule.confidence:g}% interval", "p"]]
    levels = format_levels([row.rate.conversions / row.rate.units if row.rate.units else None for row in rows])
    compared = dict(enumerate(reading.comparisons, start=1))
    for at, row in enumerate(rows):
        one = compared.get(at)
        effect = (
            [
                format_lift(one.lift.estimate),
                format_interval(one.lift.low, one.lift.high),
                _pvalue(one),
            ]
            if one is not None and one.known
            else ["", "", ""]
        )
        lines.append([row.name, format_count(row.rate.units), format_count(row.rate.conversions), levels[at], *effect])
    words = [
        sentences.headline,
        sentences.detail,
        "",
        table(lines),
        "",
        rule_in_words(rule, reading.split.planned_shares),
    ]
    return "\n".join([*words, *(f"! {warning}" for warning in sentences.warnings)])


def _pvalue(one: Comparison) -> str:
    """p, and the exact one of this comparison alone where counts are so small that it stands by it."""
    said = format_pvalue(one.adjusted_pvalue).removeprefix("= ")
    return said if one.exact_pvalue is None else f"{said} (exact {format_pvalue(one.exact_pvalue).removeprefix('= ')})"


def _found(rows: Sequence[Row], reading: Reading, sentences: Sentences) -> dict[str, Any]:
    return {
        "verdict": reading.verdict.name,
        "variant": rows[reading.verdict.variant].name if reading.verdict.variant is not None else None,
        "headline": sentences.headline,
        "detail": sentences.detail,
        "warnings": list(sentences.warnings),
        "split_pvalue": _number(reading.split.pvalue),
        "comparisons": [
            {
                "variant": row.name,
                "lift": _number(one.lift.estimate),
                "lift_low": _number(one.lift.low),
                "lift_high": _number(one.lift.high),
                "difference": _number(one.difference.estimate),
                "difference_low": _number(one.difference.low),
                "difference_high": _number(one.difference.high),
                "pvalue": _number(one.pvalue),
                "adjusted_pvalue": _number(one.adjusted_pvalue),
                "exact_pvalue": _number(one.exact_pvalue),
            }
            for row, one in zip(rows[1:], reading.comparisons, strict=False)
        ],
    }


def _number(value: float | None) -> float | None:
    """JSON has no infinity: what is not defined or without limit is null."""
    return value if value is not None and math.isfinite(value) else None
