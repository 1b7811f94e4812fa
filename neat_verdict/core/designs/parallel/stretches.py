"""Soundness of a fixed split that was changed on the way: each stretch against its own shares."""

from __future__ import annotations

from collections.abc import Sequence

from neat_verdict.core.periods import Period, added_up
from neat_verdict.core.soundness import OverlapCheck, SplitCheck, check_overlap_by_stretch, check_split_by_epoch


def split_by_stretch(periods: Sequence[Period]) -> SplitCheck:
    """All units against what the stretches' shares lead to expect; those of a variant that was stopped up to then."""
    together = [added_up(group) for group in _by_stretch(periods)]
    return check_split_by_epoch(
        [[arm.units if share else 0 for arm, share in zip(one.arms, one.shares, strict=True)] for one in together],
        [one.shares for one in together],
    )


def overlap_by_stretch(periods: Sequence[Period]) -> OverlapCheck:
    """Whether the variants ran side by side in each stretch; ``periods`` are by day, or by day and segment."""
    tables = []
    for group in _by_stretch(periods):
        columns = [at for at, share in enumerate(group[0].shares) if share]
        by_day: dict[int, list[int]] = {}
        for period in group:
            row = by_day.setdefault(period.day, [0] * len(columns))
            for place, at in enumerate(columns):
                row[place] += int(period.arms[at].units)
        tables.append((columns, [by_day[day] for day in sorted(by_day)]))
    return check_overlap_by_stretch(tables)


def _by_stretch(periods: Sequence[Period]) -> list[list[Period]]:
    groups: dict[tuple[int, int], list[Period]] = {}
    for period in periods:
        groups.setdefault((period.round, period.number), []).append(period)
    return [group for _, group in sorted(groups.items())]
