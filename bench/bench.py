"""Measures what the product promises about speed; each figure stands beside a reference of the same run."""

from __future__ import annotations

import csv
import io
import os
import sys
from datetime import date, timedelta
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parents[1]))
os.environ.setdefault("NEAT_VERDICT_SECRET_KEY", "bench")
os.environ.setdefault("DJANGO_SETTINGS_MODULE", "neat_verdict.app.config.settings")

import numpy as np
from statsmodels.stats.proportion import confint_proportions_2indep

from bench import allocation, evidence, growth, lake, page, regions, running
from bench.measure import best, line
from neat_verdict.app.collect.counts import Expected, fields_of, read_counts
from neat_verdict.app.collect.days import Span
from neat_verdict.app.collect.text import match_columns, read_text
from neat_verdict.core.methods import GroupSequential
from neat_verdict.core.metrics import RATE
from neat_verdict.core.planning import STANDARD, Arms, Arrivals, Baseline, PlanRequest, make_plan
from neat_verdict.core.rehearsal import World, rehearse
from neat_verdict.core.statistics import (
    Rate,
    alpha_spending,
    compare_arms,
    difference_interval,
    two_sided_critical_value,
)
from neat_verdict.core.verdicts import DecisionRule, read_experiment

Z = two_sided_critical_value(0.95)


def large_and_small() -> bool:
    rule = DecisionRule(0.95, 0.05)
    large = best(lambda: read_experiment([Rate(375_000, 5_000_000), Rate(377_000, 5_000_000)], (1, 1), rule))
    small = best(lambda: read_experiment([Rate(37, 500), Rate(39, 500)], (1, 1), rule))
    return line("reading 375,000 of 5,000,000", large, "reading 37 of 500", small, "at most 1.2", large / small <= 1.2)


def one_comparison() -> bool:
    ours = best(lambda: compare_arms(Rate(375, 5000), Rate(400, 5000), Z))
    theirs = best(lambda: confint_proportions_2indep(375, 5000, 400, 5000, method="score", compare="diff"))
    what, reference = "one comparison with both intervals", "statsmodels' score interval of the difference"
    return line(what, ours, reference, theirs, "at most 1", ours <= theirs)


def many_at_once() -> bool:
    draw = np.random.default_rng(5)
    units = draw.integers(1000, 100_000, 10_000)
    first, second = draw.binomial(units, 0.05), draw.binomial(units, 0.052)
    together = best(lambda: difference_interval(first, units, second, units, Z), repeat=5, number=3) / 10_000
    single = best(lambda: difference_interval(first[0], units[0], second[0], units[0], Z))
    return line(
        "a difference interval among 10,000", together, "one alone", single, "at most 0.1", together <= 0.1 * single
    )


def a_large_file() -> bool:
    start = date(2020, 1, 1)
    rows = [
        f"{(start + timedelta(days=i % 2000)).isoformat()},{'AB'[i % 2]},{1000 + i % 7},{50 + i % 5},{i}"
        for i in range(200_000)
    ]
    content = ("day,variant,units,conversions,place\n" + "\n".join(rows)).encode()
    text = read_text(content)
    known = {name: place for name, place in match_columns(text.header, fields_of(RATE)).items() if place is not None}
    expected = Expected(known, len(text.header), [("A", "Old"), ("B", "New")], Span(date(2026, 1, 1)))
    ours = best(lambda: list(read_counts(text, expected)), repeat=5, number=1)
    bare = best(lambda: list(csv.reader(io.StringIO(text.body))), repeat=5, number=1)
    return line("checking 200,000 rows", ours, "csv.reader alone", bare, "at most 4", ours <= 4 * bare)


def a_rehearsal() -> bool:
    world = World(Baseline(0.05), Arms.even(2), Arrivals(3000), 28)
    rule = DecisionRule(0.95, 0.05, minimum_days=28, planned_days=28)
    draw = np.random.default_rng(1)
    units, levels = world.units(), world.levels(np.zeros(2))
    ours = best(lambda: rehearse(world, rule, 0.0), repeat=3, number=1)
    bare = best(lambda: draw.binomial(units, levels, size=(10_000, 28, 2)), repeat=3, number=1)
    return line("10,000 rehearsals of 28 days", ours, "NumPy drawing the same", bare, "at most 4", ours <= 4 * bare)


def ten_looks() -> bool:
    information = tuple(k / 10 for k in range(1, 11))

    def ours() -> None:
        alpha_spending._boundary.cache_clear()
        alpha_spending.boundary(information, 0.95)

    def reference() -> None:
        """The same recursion as a plain loop over 400 even grid points, its boundary known beforehand."""
        grid, density = np.zeros(1), np.ones(1)
        for _, c in zip(information, alpha_spending.boundary(information, 0.95).critical_values, strict=True):
            edge = min(c, 8.0)
            following = np.linspace(-edge, edge, 400)
            density = np.array([(np.exp(-5 * (x - grid) ** 2) @ density) for x in following]) * np.sqrt(5 / np.pi)
            grid, density = following, density * (following[1] - following[0])

    result, loop = best(ours, number=5), best(reference, number=3)
    return line(
        "a boundary of 10 looks",
        result,
        "a plain loop with the boundary known",
        loop,
        "under 50 ms",
        result < 0.05,
    )


def a_plan() -> bool:
    request = PlanRequest(Baseline(0.042), 0.1, Arrivals(2900), Arms.even(3), STANDARD, GroupSequential())
    single = PlanRequest(Baseline(0.042), 0.1, Arrivals(2900), Arms.even(3), STANDARD)
    result, once = best(lambda: make_plan(request), number=3), best(lambda: make_plan(single), number=3)
    return line("a plan with four looks", result, "one with a single reading", once, "under 50 ms", result < 0.05)


MEASURED = {
    measure.__name__: measure
    for measure in (
        large_and_small, one_comparison, many_at_once, a_large_file, a_rehearsal, ten_looks, a_plan,
        *evidence.MEASURED, *allocation.MEASURED, *running.MEASURED, *page.MEASURED, *regions.MEASURED, *growth.MEASURED,
        *lake.MEASURED,
    )
}  # fmt: skip


def main(names: list[str]) -> int:
    """Measure what is named, or everything; 1 where something is slower than promised, 2 for a name that there is not."""
    unknown = [name for name in names if name not in MEASURED]
    if unknown:
        print(f"There is no measure {', '.join(unknown)}; there are {', '.join(MEASURED)}", file=sys.stderr)
        return 2
    kept = [measure() for name, measure in MEASURED.items() if name in names or not names]
    return 0 if all(kept) else 1


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
