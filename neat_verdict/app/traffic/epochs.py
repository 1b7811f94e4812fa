"""Epochs of traffic that follows the evidence, and what the tallies hold of each."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from typing import Any
from zoneinfo import ZoneInfo

import numpy as np
from numpy.typing import NDArray

from neat_verdict.app.experiments.models import Experiment, ExperimentMetric, Tally
from neat_verdict.app.experiments.queries import allocated_by, workspace
from neat_verdict.app.experiments.tallies import columns_of, figures_of
from neat_verdict.app.traffic.models import Epoch
from neat_verdict.app.traffic.serving import epochs_of
from neat_verdict.core.designs.adaptive.closing import Closing, close_epoch
from neat_verdict.core.designs.adaptive.policy import Policy
from neat_verdict.core.designs.adaptive.posteriors import Memory
from neat_verdict.core.metrics import ALL_COLUMNS, TALLYINGS, Tallying, definition_of
from neat_verdict.core.periods import Period
from neat_verdict.core.statistics import Arm
from neat_verdict.core.statistics.arms import ARMS
from neat_verdict.core.traffic import UNIFORM_MARK

OTHERS = "(all others)"


@dataclass(frozen=True, slots=True)
class Cell:
    """Units first exposed in an epoch, in a segment ("" for everybody), on a day: ``sums`` is columns x variants. ``uniform`` are
    those that were assigned evenly whatever was seen."""

    number: int
    segment: str
    uniform: bool
    day: date
    sums: NDArray[np.float64]


def cells(
    experiment: Experiment, uses: Sequence[ExperimentMetric], numbers: Iterable[int] | None = None
) -> dict[int, list[Cell]]:
    """What the tallies hold of each epoch, by the metric's id; only of epochs with these ``numbers`` where given."""
    columns = (*ALL_COLUMNS, "steps")
    tallyings = {use.metric_id: use.tallying for use in uses}
    chosen = Tally.objects.filter(
        variant__in=list(experiment.variants.all()), metric__in=list(tallyings), round=experiment.round
    )
    # Ranges, because SQLite finds them by the index: "$" comes after "#", and "!" after a space yet before a figure.
    spans = [("#", "$")] if numbers is None else [(f"#{number}", f"#{number}!") for number in numbers]
    rows = [
        row
        for begins, ends in spans
        for row in chosen.filter(segment__gte=begins, segment__lt=ends).values_list(
            "metric_id", "segment", "day", "variant__position", *columns
        )
    ]
    arms = len(experiment.variants.all())
    result: dict[int, dict[tuple[int, str, bool, date], NDArray[np.float64]]] = {metric: {} for metric in tallyings}
    for metric, label, day, position, *sums in rows:
        number, _, segment = label[1:].partition(" ")
        tallying = tallyings[metric]
        where = (int(number), segment.removeprefix(UNIFORM_MARK), segment.startswith(UNIFORM_MARK), day)
        place = result[metric].setdefault(where, np.zeros((tallying.width, arms)))
        mine = [sums[columns.index(column)] for column in columns_of(tallying)]
        place[:, position] = figures_of(tallying, mine)
    return {
        metric: [Cell(*place, sums) for place, sums in sorted(by_place.items(), key=lambda line: line[0])]
        for metric, by_place in result.items()
    }


def shares_in(epoch: Epoch, segment: str, arms: int) -> tuple[float, ...]:
    """The shares that units of a segment were assigned by; even where nothing else was set."""
    return tuple(epoch.shares.get(segment) or epoch.shares.get("") or [1 / arms] * arms)


def periods_of(experiment: Experiment, tallying: Tallying, cells_of_metric: Sequence[Cell]) -> list[Period]:
    """Cells as the core reads them, each with the shares of its epoch; adjusted means by what all of them came to before."""
    if not cells_of_metric:
        return []
    count = len(experiment.variants.all())
    by_number = {epoch.number: epoch for epoch in epochs_of(experiment)}
    if len(allocated_by(experiment)) > 1:
        cells_of_metric = _rare_ones_together(
            cells_of_metric, {name for one in by_number.values() for name in one.shares}
        )
    arms = tallying.arms_along(np.stack([cell.sums for cell in cells_of_metric], axis=1))
    even = (1 / count,) * count
    followed = [
        shares_in(by_number[cell.number], cell.segment, count) if cell.number in by_number else even
        for cell in cells_of_metric
    ]
    return [
        Period(
            tuple(line),
            even if cell.uniform else shares,
            cell.day.toordinal(),
            cell.segment,
            cell.number,
            experiment.round,
            followed=shares if cell.uniform else None,
        )
        for cell, line, shares in zip(cells_of_metric, arms, followed, strict=True)
    ]


def _rare_ones_together(cells_of_metric: Sequence[Cell], named: Collection[str]) -> list[Cell]:
    """Cells with those of combinations that never had shares of their own (``named``) put together by epoch and day: they all
    had everybody's, and are too small to be compared each by itself."""
    result: dict[tuple[int, str, bool, date], Cell] = {}
    for cell in cells_of_metric:
        segment = cell.segment if cell.segment in named else OTHERS
        where = (cell.number, segment, cell.uniform, cell.day)
        before = result.get(where)
        result[where] = Cell(*where, cell.sums if before is None else before.sums + cell.sums)
    return [result[where] for where in sorted(result)]


def epochs_by_metric(experiment: Experiment) -> dict[int, list[Period]]:
    """The epochs of every metric, as they are read, by the metric's id."""
    uses = list(experiment.metrics.all())
    result = cells(experiment, uses)
    return {use.metric_id: periods_of(experiment, use.tallying, result[use.metric_id]) for use in uses}


def next_close(experiment: Experiment, epoch: Epoch) -> datetime:
    """When an open epoch ends by itself. Epochs of whole days end at midnight, the first no shorter than half its length."""
    hours = int((experiment.allocation or {})["epoch_hours"])
    if hours % 24:
        return epoch.started_at + timedelta(hours=hours)
    zone = ZoneInfo(workspace().time_zone)
    begun = epoch.started_at.astimezone(zone)
    ends = datetime.combine(begun.date() + timedelta(days=hours // 24), time(), tzinfo=zone)
    if ends - begun < timedelta(hours=hours / 2):
        ends = datetime.combine(ends.date() + timedelta(days=1), time(), tzinfo=zone)
    return ends


def mature_numbers(experiment: Experiment, use: ExperimentMetric, after: int, now: datetime) -> list[int]:
    """Closed epochs past ``after`` whose last units have had their counting window, in order."""
    window = timedelta(hours=definition_of(use.definition).window_hours or 0)
    later = experiment.epochs.filter(round=experiment.round, number__gt=after)
    result = []
    for number, ended_at in later.values_list("number", "ended_at"):
        if ended_at is None or ended_at + window > now:
            break
        result.append(number)
    return result


def sums_by_segment(cells_of_metric: Sequence[Cell], number: int, tallying: Tallying) -> dict[str, list[list[float]]]:
    """An epoch's sums by segment, one list an arm, its days added up, without those of the uniform share; allocation asks for
    none of third order."""
    total: dict[str, NDArray[np.float64]] = {}
    for cell in cells_of_metric:
        if cell.number == number and not cell.uniform:
            total[cell.segment] = total.get(cell.segment, 0) + cell.sums
    asked = tallying.width if tallying.buckets else len(tallying.fields)
    return {segment: sums[:asked].T.tolist() for segment, sums in total.items()}


def worked_out(record: Mapping[str, Any]) -> Closing:
    """What a record leads to: the same shares, as often as it is asked."""
    tallying = TALLYINGS[record["kind"]]
    kind = ARMS.index(tallying.arm)
    memories = {
        segment: tuple(Memory(int(seen), units, total, variance, kind) for seen, units, total, variance in lines)
        for segment, lines in record["remembered"].items()
    }
    taken: list[dict[str, list[Arm]]] = [
        {segment: [tallying.check_sums(sums) for sums in arms] for segment, arms in record["taken"][number].items()}
        for number in sorted(record["taken"], key=int)
    ]
    return close_epoch(
        memories,
        taken,
        {segment: tuple(shares) for segment, shares in record["before"].items()},
        _policy_of(record["policy"]),
        arms=record["arms"],
        epochs=record["epochs"],
        sign=record["sign"],
        together=len(record.get("by", ())) > 1,
    )


def _policy_of(record: Mapping[str, Any]) -> Policy:
    """A policy as it was recorded; its largest change had another name once."""
    fields = {"max_change" if name == "most_change" else name: value for name, value in record.items()}
    return Policy(**fields)


def units_by_epoch(experiment: Experiment) -> dict[int, list[int]]:
    """First exposures by epoch and variant, by the tallies of the metric that decides."""
    use = experiment.primary
    result: dict[int, list[int]] = defaultdict(lambda: [0] * len(experiment.variants.all()))
    if use is None:
        return result
    for cell in cells(experiment, [use])[use.metric_id]:
        result[cell.number] = [a + int(b) for a, b in zip(result[cell.number], cell.sums[0], strict=True)]
    return result
