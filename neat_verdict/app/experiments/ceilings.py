"""A ceiling on the values of a property that tallies are kept by: those with the most units stay, all others are together.

Decided once a round, when there are more, and kept: so it is the same whatever comes later, and when tallies are made again.
"""

from __future__ import annotations

import json
from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from datetime import date
from itertools import zip_longest
from typing import Any

from django.db import transaction
from django.db.models import QuerySet, Sum

from neat_verdict.app.experiments.exact_tallies import as_floats
from neat_verdict.app.experiments.models import Experiment, KeptValues, Tally
from neat_verdict.app.experiments.stamps import data_changed
from neat_verdict.app.sql import IN, run_many
from neat_verdict.core.metrics import ALL_COLUMNS
from neat_verdict.core.traffic import other_segment

MAX_VALUES = 200  # of a property, or of several together, that are tallied apart. The house's limit, no source
_Place = tuple[int, int, date]  # variant, metric, day
# By the names of a property or several: the segments that stay.
Kept = Mapping[tuple[str, ...], frozenset[str]]
_OF_OTHER_KINDS = "#@~"  # segments by epoch, by version of the page, by line of a rollout
_SUMS = (*ALL_COLUMNS, "capped")


def names_of(segment: str) -> tuple[str, ...]:
    """The properties of a segment; values have no " & "."""
    return tuple(part.partition("=")[0] for part in segment.split(" & "))


def tallied_as(segment: str, kept: Kept) -> str:
    """The segment under which units of one are tallied."""
    stays = kept.get(names_of(segment)) if kept and segment else None
    return segment if stays is None or segment in stays else other_segment(names_of(segment))


def kept_values(experiment: Experiment) -> dict[tuple[str, ...], frozenset[str]]:
    """Of the properties of the present round that have more values than are kept apart, those that stay."""
    lines = [line for line in experiment.kept_values.all() if line.round == experiment.round]
    return {tuple(line.names): frozenset(line.segments) for line in lines}


def keep_to_ceiling(experiment: Experiment) -> list[KeptValues]:
    """Decide for each property that has more values than `MAX_VALUES` which of them stay, and put the others together. Where none
    has, nothing is written and nobody waits."""
    return _decide(experiment) if _too_many(experiment) else []


def _too_many(experiment: Experiment) -> dict[tuple[str, ...], dict[str, int]]:
    """Units by segment, of each property with more values than are kept apart of which it is not decided who stays."""
    units: dict[tuple[str, ...], dict[str, int]] = defaultdict(dict)
    mine = Tally.objects.filter(variant__experiment=experiment, round=experiment.round).exclude(segment="")
    for segment, _metric, count in mine.values_list("segment", "metric").annotate(Sum("units")):
        if "=" in segment and segment[0] not in _OF_OTHER_KINDS:
            counted = units[names_of(segment)]
            counted[segment] = max(counted.get(segment, 0), count)
    decided = {tuple(line) for line in _lines(experiment).values_list("names", flat=True)}
    return {names: counted for names, counted in units.items() if len(counted) > MAX_VALUES and names not in decided}


def _lines(experiment: Experiment) -> QuerySet[KeptValues]:
    return KeptValues.objects.filter(experiment=experiment, round=experiment.round)


@transaction.atomic
def _decide(experiment: Experiment) -> list[KeptValues]:
    variants = list(experiment.variants.values_list("pk", flat=True))
    result = []
    for names, counted in sorted(_too_many(experiment).items()):
        stay = sorted(counted, key=lambda segment: (-counted[segment], segment))[:MAX_VALUES]
        line = KeptValues(
            experiment=experiment, round=experiment.round, names=list(names), segments=stay, seen=len(counted)
        )
        line.save()
        result.append(line)
        _put_together(experiment, variants, names, set(counted).difference(stay))
    if result:
        data_changed({experiment.pk})
    return result


def _put_together(experiment: Experiment, variants: Sequence[int], names: Sequence[str], gone: Iterable[str]) -> None:
    tallyings = {use.metric_id: use.tallying for use in experiment.metrics.all()}
    wanted, dropped = set(gone), []
    sums: dict[_Place, dict[str, Any]] = {}
    exact: dict[_Place, list[int | None]] = {}
    mine = Tally.objects.filter(variant__in=variants, round=experiment.round, segment__startswith=f"{names[0]}=")
    lines = mine.values_list("pk", "segment", "variant", "metric", "day", "exact", "steps", *_SUMS)
    for number, segment, variant, metric, day, whole, steps, *figures in lines.iterator():
        if segment not in wanted:
            continue
        dropped.append(number)
        place = (variant, metric, day)
        if whole is not None:
            exact[place] = added(exact.get(place, ()), whole)
        else:
            sums[place] = added_sums(sums.get(place), {**dict(zip(_SUMS, figures, strict=True)), "steps": steps})
    run_many(f"DELETE FROM experiments_tally WHERE id {IN}", [(json.dumps(dropped),)])
    sums |= {place: {**as_floats(tallyings[place[1]], one), "exact": one} for place, one in exact.items()}
    Tally.objects.bulk_create(
        [
            Tally(
                variant_id=variant,
                metric_id=metric,
                day=day,
                round=experiment.round,
                segment=other_segment(names),
                **figures,
            )
            for (variant, metric, day), figures in sums.items()
        ],
        batch_size=500,
    )


def added(one: Sequence[int | None], more: Sequence[int | None]) -> list[int | None]:
    """Exact sums of two cells together; what is not known of one is not known of both."""
    return [None if a is None or b is None else a + b for a, b in zip_longest(one, more, fillvalue=0)]


def added_sums(one: Mapping[str, Any] | None, more: Mapping[str, Any]) -> dict[str, Any]:
    """The same of the columns of two tallies."""
    if one is None:
        return dict(more)
    result: dict[str, Any] = {}
    for name, value in more.items():
        before = one[name]
        if name == "steps":
            result[name] = None if value is None else added(before or (), value)
        else:
            result[name] = None if value is None or before is None else before + value
    return result
