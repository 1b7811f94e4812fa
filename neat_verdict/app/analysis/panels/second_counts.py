"""What other systems counted of the experiment beside what was counted here, and whether the verdict would be another by them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date

import numpy as np

from neat_verdict.app.analysis.analysis import Analysis
from neat_verdict.app.analysis.schemas import SecondCountOut, SecondQuantityOut
from neat_verdict.app.experiments.models import Experiment, SecondTally, Spend
from neat_verdict.app.experiments.queries import weights
from neat_verdict.core.metrics import DAILY_TOTALS, TALLYINGS
from neat_verdict.core.numeric import FloatArray
from neat_verdict.core.soundness import Quantity, SecondCount, compare_counts, likely_causes
from neat_verdict.core.statistics import Arm, Rate, daily_sums
from neat_verdict.core.variants import LETTERS
from neat_verdict.core.verdicts import Reading, read_experiment
from neat_verdict.core.verdicts.second_count import same_verdict, verdicts_in_words

QUANTITIES: tuple[Quantity, ...] = ("units", "conversions", "amount", "cost")


@dataclass(frozen=True, slots=True)
class _Both:
    """The days that both counts have, and their tables (days x arms) by quantity."""

    days: tuple[date, ...]
    first: Mapping[Quantity, FloatArray]
    second: Mapping[Quantity, FloatArray]


def second_counts(analysis: Analysis) -> list[SecondCountOut]:
    """One a source; none where nothing may be read yet."""
    return [_presented(analysis, source, both) for source, both in _sources(analysis).items()]


def compared(analysis: Analysis) -> dict[str, tuple[SecondCount, ...]]:
    """The quantities that both counts have, by source."""
    return {source: _compared(analysis, both) for source, both in _sources(analysis).items()}


def _sources(analysis: Analysis) -> dict[str, _Both]:
    experiment, counts = analysis.experiment, analysis.counts.primary
    rows = SecondTally.objects.filter(variant__experiment=experiment, round=experiment.round)
    lines = list(rows.values_list("source", "day", "variant__position", *QUANTITIES))
    if not lines or not counts.days:
        return {}
    first = _own(analysis)
    arms = counts.sums.shape[2]
    result = {}
    for source in sorted({line[0] for line in lines}):
        mine = [line for line in lines if line[0] == source]
        known = {
            quantity: {(line[1], line[2]): line[number] for line in mine if line[number] is not None}
            for number, quantity in enumerate(QUANTITIES, start=3)
            if quantity in first
        }
        known = {quantity: values for quantity, values in known.items() if values}
        # What was not sent for a day is not known, which is not 0: only days with all that the source has are compared.
        whole = [{day for day, _ in values} for values in known.values()]
        days = tuple(day for day in counts.days if whole and all(day in there for there in whole))
        if not days:
            continue
        at = [counts.days.index(day) for day in days]
        tables = {
            quantity: np.array([[values.get((day, arm), 0.0) for arm in range(arms)] for day in days])
            for quantity, values in known.items()
        }
        result[source] = _Both(days, {quantity: first[quantity][at] for quantity in tables}, tables)
    return result


def _own(analysis: Analysis) -> dict[Quantity, FloatArray]:
    """Our own totals of the days that are read, by day and arm."""
    counts = analysis.counts.primary
    result: dict[Quantity, FloatArray] = {"units": counts.sums[0]}
    if counts.tallying.arm.converts:
        result["conversions"] = counts.sums[1]
    for use in analysis.experiment.metrics.all():
        sums = analysis.counts_of(use)
        amounts = use.tallying is TALLYINGS["mean"] and use.definition["unit"] == "money"
        if amounts and sums.days == counts.days and "amount" not in result:
            result["amount"] = sums.sums[1]
    spent = _spent(analysis.experiment, counts.days, counts.sums.shape[2])
    if spent is not None:
        result["cost"] = spent
    return result


def _spent(experiment: Experiment, days: Sequence[date], arms: int) -> FloatArray | None:
    rows = Spend.objects.filter(variant__experiment=experiment, round=experiment.round)
    spent = {(day, at): cost for day, at, cost in rows.values_list("day", "variant__position", "cost")}
    if not any(spent.values()):
        return None
    return np.array([[spent.get((day, at), 0.0) for at in range(arms)] for day in days])


def _compared(analysis: Analysis, both: _Both) -> tuple[SecondCount, ...]:
    tolerance = analysis.experiment.count_tolerance
    return tuple(
        compare_counts(quantity, both.first[quantity], both.second[quantity], tolerance) for quantity in both.second
    )


def _presented(analysis: Analysis, source: str, both: _Both) -> SecondCountOut:
    counts = _compared(analysis, both)
    here, there = (_reading(analysis, both, tables) for tables in (both.first, both.second))
    # Before the rule reads there is no verdict that could be another.
    waits = any(line.state != "met" for line in analysis.reading.conditions if line.subject == "minimum")
    readable = analysis.readable and not waits and here is not None and there is not None
    return SecondCountOut(
        source=source,
        days=list(both.days),
        tolerance=analysis.experiment.count_tolerance,
        letters=list(LETTERS[: analysis.counts.primary.sums.shape[2]]),
        quantities=[
            SecondQuantityOut(
                quantity=one.quantity,
                first=list(one.first),
                second=list(one.second),
                differences=list(one.differences),
                beyond=list(one.beyond),
                apart=list(one.apart),
                drifts=one.drifts,
                a_week=one.a_week,
                drift_pvalue=one.drift_pvalue,
                first_by_day=both.first[one.quantity].tolist(),
                second_by_day=both.second[one.quantity].tolist(),
            )
            for one in counts
        ],
        causes=list(likely_causes(counts)),
        same_verdict=same_verdict(here, there) if readable and here is not None and there is not None else None,
        sentence=verdicts_in_words(
            source,
            (here, there) if readable and here is not None and there is not None else None,
            analysis.names,
            alone=bool(analysis.rule.guardrails),
        ),
    )


def _reading(analysis: Analysis, both: _Both, tables: Mapping[Quantity, FloatArray]) -> Reading | None:
    """A count read by the rule, without its guardrails, which the other does not have; None where it takes more than totals.

    Both are read at the same moment: the planned sample is the plan's by our count, and in proportion by the other.
    """
    arms = _arms(analysis, tables)
    if arms is None:
        return None
    latest, planned = analysis.latest_look, analysis.rule.planned_units
    if planned is not None:
        own = both.first["units"].sum(axis=0)
        part = np.divide(tables["units"].sum(axis=0), own, out=np.ones(len(own)), where=own > 0)
        planned = tuple(int(units * share) for units, share in zip(planned, part, strict=True))
    return read_experiment(
        arms,
        weights(analysis.experiment),
        replace(analysis.rule, guardrails=(), strata="", planned_units=planned),
        units_by_day=tables["units"].astype(np.int64),
        days=len(both.days),
        ended=analysis.experiment.state in ("ended", "decided"),
        looks=latest.looks if latest else None,
    )


def _arms(analysis: Analysis, tables: Mapping[Quantity, FloatArray]) -> list[Arm] | None:
    """Of a rate its counts, of an amount its totals, by day in both counts alike."""
    primary = analysis.experiment.primary
    if primary is None or "units" not in tables or analysis.shares_vary or analysis.rule.rounds > 1:
        return None
    units = tables["units"]
    if not units.sum(axis=0).all():
        return None
    if primary.kind.is_rate and "conversions" in tables:
        pairs = zip(tables["conversions"].sum(axis=0), units.sum(axis=0), strict=True)
        return [Rate(int(min(converted, whole)), int(whole)) for converted, whole in pairs]
    if primary.tallying is TALLYINGS["mean"] and "amount" in tables:
        return DAILY_TOTALS.arms(daily_sums(tables["amount"], units, units).sum(axis=1))
    return None
