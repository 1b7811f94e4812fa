"""The file: a ZIP of CSV tables, the record as JSON, what it is in words, and the scripts."""

from __future__ import annotations

import io
import json
import math
import platform
import textwrap
import zipfile
from collections.abc import Iterable, Sequence
from importlib import metadata
from pathlib import Path
from typing import Any

from neat_verdict.app import clock
from neat_verdict.app.analysis.analysis import Analysis
from neat_verdict.app.analysis.recording import record_of
from neat_verdict.app.analysis.verdict_file.figures import Figure, figures_of
from neat_verdict.app.analysis.verdict_file.scope import KINDS, Scope, scope_of
from neat_verdict.app.experiments.models import Experiment, ExperimentMetric
from neat_verdict.app.experiments.queries import local, weights
from neat_verdict.app.experiments.record import as_stored
from neat_verdict.app.http.downloads import csv_of
from neat_verdict.app.http.problems import Conflict
from neat_verdict.core.metrics import Tallying
from neat_verdict.core.variants import LETTERS
from neat_verdict.core.verdicts import VERDICTS, rule_in_words, write_sentences

SCRIPTS = ("check.py", "check.R")
_FOLDER = Path(__file__).parent
_FORMAT = 1
_VERSIONS_OF = ("numpy", "scipy", "django")
Row = Sequence[object]


def verdict_file(analysis: Analysis) -> bytes:
    """An analysis with all that it takes to arrive at it by other means. Raises Conflict where no metric decides yet."""
    if analysis.experiment.primary is None:
        raise Conflict("No metric decides yet, so there is no verdict to check; choose one in the Brief")
    scope = scope_of(analysis)
    tables = {
        "rule.csv": (("name", "value"), _rule(analysis, scope)),
        "variants.csv": (("variant", "name", "weight"), _variants(analysis)),
        "metrics.csv": (_METRIC, [_metric(analysis, use) for use in analysis.experiment.metrics.all()]),
        "counts.csv": _counts(analysis),
        "looks.csv": (("look", "day", "variant", "units"), _looks(analysis)),
        "figures.csv": (_FIGURE, [_figure(one) for one in figures_of(analysis, scope)]),
    }
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED) as file:
        file.writestr("README.txt", _words(analysis, scope))
        for name, (header, rows) in tables.items():
            file.writestr(name, csv_of(header, rows))
        file.writestr("record.json", json.dumps(_record(analysis), indent=2, ensure_ascii=False))
        for name in SCRIPTS:
            file.writestr(name, (_FOLDER / name).read_bytes())
    return packed.getvalue()


def _plain(value: float | None) -> float | str:
    """A figure as it is written: whole ones without a point, nothing for none."""
    if value is None or math.isnan(value):
        return ""
    return int(value) if float(value).is_integer() else float(value)


def _yes(value: object) -> str:
    return "yes" if value else "no"


def _rule(analysis: Analysis, scope: Scope) -> list[Row]:
    rule, reading = analysis.rule, analysis.reading
    settings: dict[str, Any] = rule.method.record()
    return [
        ("format", _FORMAT),
        ("experiment", analysis.experiment.key),
        ("covered", scope.covered),
        ("guardrails_covered", _yes(scope.guardrails)),
        ("design", rule.design.name),
        ("question", rule.question.name),
        ("method", rule.method.name),
        ("sides", rule.method.sides),
        ("spending", settings.get("spending", "")),
        ("confidence", _plain(rule.confidence)),
        ("worthwhile_lift", _plain(rule.worthwhile_lift)),
        ("minimum_days", rule.minimum_days),
        ("least_conversions", rule.least_conversions),
        ("planned_units", " ".join(map(str, rule.planned_units or ()))),
        ("longest_days", _plain(rule.longest_days)),
        ("warm_up_days", rule.warm_up_days),
        ("family", rule.family),
        ("ended", _yes(reading.ended)),
        ("looks_last", _yes(reading.reached.last)),
    ]


def _variants(analysis: Analysis) -> list[Row]:
    planned = weights(analysis.experiment)
    return [
        (LETTERS[at], name, _plain(weight))
        for at, (name, weight) in enumerate(zip(analysis.names.variants, planned, strict=True))
    ]


_METRIC = ("metric", "name", "role", "kind", "good_direction", "margin", "planned_level")


def _metric(analysis: Analysis, use: ExperimentMetric) -> Row:
    primary = use.role == "primary"
    counts = analysis.counts.primary if primary else analysis.counts.others[use.metric_id]
    return (
        use.metric.key,
        use.metric.name,
        use.role,
        counts.tallying.name,
        analysis.rule.good_direction if primary else use.definition["good_direction"],
        _plain(use.margin if use.role == "guardrail" else None),
        _plain(analysis.rule.planned_level if primary else use.baseline),
    )


def _counts(analysis: Analysis) -> tuple[Sequence[str], list[Row]]:
    """Each metric's sums by day and variant; columns of other kinds of metrics are empty."""
    uses = list(analysis.experiment.metrics.all())
    tables = [
        (use, analysis.counts.primary if use.role == "primary" else analysis.counts.others[use.metric_id])
        for use in uses
    ]
    fields = {use.pk: _fields(counts.tallying) for use, counts in tables}
    columns = list(dict.fromkeys(name for names in fields.values() for name in names))
    rows: list[Row] = []
    for use, counts in tables:
        mine = {name: place for place, name in enumerate(fields[use.pk])}
        for index, day in enumerate(counts.days):
            for at in range(counts.sums.shape[2]):
                sums = counts.sums[:, index, at]
                values = [_plain(sums[mine[name]]) if name in mine else "" for name in columns]
                rows.append((use.metric.key, counts.begins(day).isoformat(), day.isoformat(), LETTERS[at], *values))
    return ("metric", "first_day", "day", "variant", *columns), rows


def _fields(tallying: Tallying) -> tuple[str, ...]:
    """What a tally's sums are called, in their order; buckets of values are left out."""
    return (*tallying.fields, *tallying.third_fields) if tallying.name in KINDS else ("units",)


def _looks(analysis: Analysis) -> list[Row]:
    if not analysis.rule.method.has_looks:
        return []
    return [
        (look.number, look.day.isoformat(), LETTERS[at], int(units))
        for look in analysis.looks
        for at, units in enumerate(look.counts.primary.units.sum(axis=0))
    ]


_FIGURE = ("metric", "variant", "figure", "value", "not_covered")


def _figure(one: Figure) -> Row:
    value = one.value if isinstance(one.value, str) else _plain(one.value)
    return one.metric, one.variant, one.name, value, one.not_covered


def _record(analysis: Analysis) -> dict[str, Any]:
    experiment = analysis.experiment
    return {
        "format": _FORMAT,
        "made_at": clock.now().isoformat(),
        "experiment": {"key": experiment.key, "name": experiment.name},
        "rule": analysis.rule.record(),
        "rule_locked_at": experiment.rule_locked_at and experiment.rule_locked_at.isoformat(),
        "rule_changes": experiment.rule_changes,
        "read_on": analysis.read_on and analysis.read_on.isoformat(),
        "record": as_stored(record_of(analysis, rule_in_words(analysis.rule, weights(experiment)))),
        "versions": {"python": platform.python_version(), **{name: metadata.version(name) for name in _VERSIONS_OF}},
    }


def _words(analysis: Analysis, scope: Scope) -> str:
    reading, rule = analysis.reading, analysis.rule
    said = write_sentences(reading, rule, analysis.names)
    parts: Iterable[str] = (
        analysis.experiment.name,
        "=" * len(analysis.experiment.name),
        "",
        textwrap.fill(f"{VERDICTS[reading.verdict.name].title}. {said.headline} {said.detail}", _WIDTH),
        "",
        f"The rule, {_when_written(analysis.experiment)}:",
        textwrap.fill(rule_in_words(rule, weights(analysis.experiment)), _WIDTH),
        "",
        _HOW,
        *_not_covered(analysis, scope),
        _WHAT,
    )
    return "\n".join(parts) + "\n"


def _when_written(experiment: Experiment) -> str:
    if experiment.rule_locked_at is None:
        return "as the plan would give it; it is not locked yet"
    on = f"as it was locked on {local(experiment.rule_locked_at):%-d %B %Y}"
    return f"{on} and changed since (record.json says how)" if experiment.rule_changes else f"{on}, unchanged since"


def _not_covered(analysis: Analysis, scope: Scope) -> list[str]:
    if not (scope.why or scope.open_metrics):
        return []
    names = {use.metric.key: use.metric.name for use in analysis.experiment.metrics.all()}
    lines = [f"Not covered: {scope.why}."] if scope.why else []
    lines += [f"Not covered of {names[key]}: {why}." for key, why in scope.open_metrics.items() if why != scope.why]
    if scope.verdict and not scope.why:
        lines.append("Not covered therefore: the verdict, which hangs on that.")
    return [*(textwrap.fill(line, _WIDTH) for line in lines), ""]


_WIDTH = 120
_HOW = """To check it
-----------
    python check.py        Python 3.10 or newer, with SciPy
    Rscript check.R        R 4 or newer, nothing else

Each works all figures out again from rule.csv, variants.csv, metrics.csv, counts.csv and looks.csv, and compares them with
figures.csv; it ends with 1 where one differs by more than a millionth of itself. They are written apart from the application
that gave the verdict, and share nothing with it. figures.csv says of each figure that they do not cover why not.
"""

_WHAT = """What is here
------------
    rule.csv       the rule, one setting a line
    variants.csv   variants, control first, with the weights of the planned split
    metrics.csv    the metric that decides and the others, with their roles and margins
    counts.csv     sums by metric, day and variant of what was read: no more, no less. first_day is the first of several days
                   that came in together
    looks.csv      units in at each planned look
    figures.csv    what was said: estimates, bounds, p, critical values, the verdict
    record.json    the same as it was kept, with the rule as it was locked and the versions of what it was computed with

Whose methods these are
-----------------------
    Rates: the score test (Pearson 1900) and the intervals that invert it (Koopman 1984; Mee 1984), found as roots; without the
    factor N/(N - 1) of Miettinen & Nurminen (1985). The level by itself: Wilson (1927).
    Means and ratios: Welch (1947), skewness taken out (Johnson 1978; Hall 1992), Fieller (1954); ratios by the delta method.
    Several variants: Dunnett (1955) where the rule reads once, Bonferroni at planned looks.
    Planned looks: Lan & DeMets (1983), followed by recursion (Armitage, McPherson & Rowe 1969); the adjusted p is the smallest
    level whose boundary is reached (Jennison & Turnbull 2000), not under 1e-12.
    Secondary metrics: Holm (1979), or Benjamini & Hochberg (1995).
    The split: chi-square, or exact and binomial where little is expected. Side by side: chi-square of homogeneity, and the
    chance of days without a variant (hypergeometric).
"""
