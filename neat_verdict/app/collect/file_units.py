"""Which units files brought, so that the same units in another file are found: in sums by day nobody can see them."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Mapping
from dataclasses import dataclass
from datetime import date

import numpy as np
from django.db.models import QuerySet
from numpy.typing import NDArray

from neat_verdict.app.collect.models import FileUnits
from neat_verdict.app.collect.unit_files import Reduced, Units
from neat_verdict.app.experiments.models import Experiment

_AS_STORED = np.dtype("<u8")
_NAMED = 5  # units, of those seen already


@dataclass(frozen=True, slots=True)
class SeenAlready:
    """Units of a file that another brought, for a metric of this one and on days that it does not replace. ``units`` is about
    right where only one of several was kept; ``files`` are the names of the others, ``hashes`` some of the units."""

    units: int = 0
    files: tuple[str, ...] = ()
    hashes: tuple[int, ...] = ()


def units_seen_already(experiment: Experiment, reduced: Reduced) -> SeenAlready:
    """Which units of a file are counted already, and would count twice."""
    replaced = _places(reduced)
    mine = {m.metric for m in reduced.measured}
    files: dict[str, None] = {}
    same: list[Units] = [np.empty(0, np.uint64)]
    standing_for: list[NDArray[np.int64]] = [np.empty(0, np.int64)]
    coming = _all_of(reduced.units)
    for row in _kept(experiment).select_related("variant"):
        staying = mine.intersection(row.metrics)
        staying -= {metric for metric in staying if row.day in replaced.get((metric, row.variant.position), ())}
        if not staying:
            continue
        every = max(row.every, reduced.units_every)
        found = np.intersect1d(_of_every(_read(row), every), _of_every(coming, every), assume_unique=True)
        if len(found):
            same.append(found)
            standing_for.append(np.full(len(found), every))
            files[row.name] = None
    hashes, first = np.unique(np.concatenate(same), return_index=True)
    units = int(np.concatenate(standing_for)[first].sum())
    return SeenAlready(units, tuple(files), tuple(hashes[:_NAMED].tolist()))


def keep_units(experiment: Experiment, reduced: Reduced, name: str) -> None:
    """Keep which units a file brought, in place of those of the days, variants and metrics that it replaces. Called inside a
    transaction."""
    variants = {variant.position: variant.pk for variant in experiment.variants.all()}
    for (metric, position), days in _places(reduced).items():
        _drop(experiment, variants[position], metric, days)
    metrics = sorted(m.metric for m in reduced.measured)
    FileUnits.objects.bulk_create(
        [
            FileUnits(
                variant_id=variants[position],
                round=experiment.round,
                day=day,
                metrics=metrics,
                every=reduced.units_every,
                hashes=hashes.astype(_AS_STORED).tobytes(),
                name=name[:200],
            )
            for (position, day), hashes in reduced.units.items()
        ],
        batch_size=100,
    )


def drop_units(experiment: Experiment, metric: int, places: Collection[tuple[date, int]]) -> None:
    """Forget which units a file brought for a metric, by day and position of the variant, where sums came in their place.
    Called inside a transaction."""
    variants = {variant.position: variant.pk for variant in experiment.variants.all()}
    by_position: dict[int, set[date]] = defaultdict(set)
    for day, position in places:
        by_position[position].add(day)
    for position, days in by_position.items():
        _drop(experiment, variants[position], metric, days)


def forget_units(hashes: Collection[int]) -> int:
    """Forget units by their hashes, whatever file brought them; returns from how many lists they went. Called inside a
    transaction."""
    gone = np.array(sorted(hashes), np.uint64)
    changed = 0
    for row in FileUnits.objects.iterator(chunk_size=50):
        kept = _read(row)
        left = kept[~np.isin(kept, gone)]
        if len(left) != len(kept):
            FileUnits.objects.filter(pk=row.pk).update(hashes=left.astype(_AS_STORED).tobytes())
            changed += 1
    return changed


def _drop(experiment: Experiment, variant: int, metric: int, days: Collection[date]) -> None:
    rows = FileUnits.objects.filter(variant=variant, round=experiment.round, day__in=days)
    for number, metrics in rows.values_list("pk", "metrics"):
        if metric in metrics:
            left = [one for one in metrics if one != metric]
            row = FileUnits.objects.filter(pk=number)
            row.update(metrics=left) if left else row.delete()


def _kept(experiment: Experiment) -> QuerySet[FileUnits]:
    return FileUnits.objects.filter(variant__experiment=experiment, round=experiment.round)


def _places(reduced: Reduced) -> dict[tuple[int, int], set[date]]:
    """The days that a file has of each metric and variant, by its position."""
    result: dict[tuple[int, int], set[date]] = defaultdict(set)
    for metric, position, _, day in reduced.sums:
        result[metric, position].add(day)
    return result


def _all_of(units: Mapping[tuple[int, date], Units]) -> Units:
    return np.unique(np.concatenate([*units.values(), np.empty(0, np.uint64)]))


def _read(row: FileUnits) -> Units:
    return np.unique(np.frombuffer(row.hashes, _AS_STORED))


def _of_every(hashes: Units, every: int) -> Units:
    return hashes[hashes % np.uint64(every) == 0]
