"""Days that come in while a test runs: appended to the past, with what is missing of them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from neat_verdict.core.checks import InputError
from neat_verdict.core.numeric import BoolArray, FloatArray
from neat_verdict.core.regions.drawing import DrawnPair
from neat_verdict.core.regions.effect import Windows
from neat_verdict.core.regions.panel import Panel

# The house's limits, no source: of the regions that must have a day before it is read, and of the days that a pair may lack.
ARRIVED, LACKING = 0.5, 0.25


@dataclass(frozen=True)
class Observed:
    """Past and test in one ``panel``, 0 where a row is ``missing`` (regions x days, in the panel's order)."""

    panel: Panel
    missing: BoolArray

    def complete(self, regions: Sequence[str], windows: Windows) -> bool:
        """Whether regions lack no day of base and test. Raises InputError for one that there is not."""
        return not self.missing[self.panel.rows(regions), windows.base : windows.end].any()


@dataclass(frozen=True)
class Usable:
    """What a reading rests on: the ``panel`` in which a day that one of a pair lacks counts for neither, and the ``pairs`` with
    days enough. ``left_out`` pairs lack more than a quarter of the test's length, in the base or since."""

    panel: Panel
    pairs: tuple[DrawnPair, ...]
    left_out: tuple[DrawnPair, ...]


def follow(past: Panel, outcomes: Mapping[str, FloatArray], spend: FloatArray) -> Observed:
    """The past with the days right after it.

    Parameters
    ----------
    past : Panel
    outcomes, spend : array of regions x days
        In the order of the past's regions, NaN where a figure is missing. Days at the end that fewer than half of the regions
        have are left out: they are still coming in.

    Raises
    ------
    InputError
        For another shape, or an outcome that the past does not have.
    """
    shape = spend.shape
    if shape[0] != len(past.regions):
        raise InputError("spend", f"{shape}", f"must have {len(past.regions)} regions")
    if set(outcomes) != set(past.outcomes):
        raise InputError("outcomes", ", ".join(outcomes), f"must be {', '.join(past.outcomes)}")
    missing: BoolArray = np.any(np.isnan(np.stack([spend, *outcomes.values()])), axis=0)
    arrived = np.flatnonzero((~missing).mean(axis=0) >= ARRIVED)
    kept = int(arrived[-1]) + 1 if len(arrived) else 0
    appended = {
        name: np.concatenate([past.outcomes[name], np.nan_to_num(values[:, :kept])], axis=1)
        for name, values in outcomes.items()
    }
    whole = Panel(
        past.regions, past.first, appended, np.concatenate([past.spend, np.nan_to_num(spend[:, :kept])], axis=1)
    )
    before = np.zeros((shape[0], past.days), dtype=bool)
    return Observed(whole, np.concatenate([before, missing[:, :kept]], axis=1))


def usable_days(observed: Observed, pairs: Sequence[DrawnPair], windows: Windows) -> Usable:
    """What can be read of the pairs in the windows. Raises InputError for a region that the panel does not have."""
    panel = observed.panel
    sides = [panel.rows([getattr(pair, side) for pair in pairs]) for side in ("treated", "control")]
    lacking = observed.missing[sides[0]] | observed.missing[sides[1]]
    outcomes, spend = {name: values.copy() for name, values in panel.outcomes.items()}, panel.spend.copy()
    for rows in sides:
        for values in (*outcomes.values(), spend):
            values[rows] = np.where(lacking, 0.0, values[rows])
    shares = lacking[:, windows.base : windows.end].sum(axis=1) / (windows.end - windows.start)
    return Usable(
        replace(panel, outcomes=outcomes, spend=spend),
        tuple(pair for pair, share in zip(pairs, shares, strict=True) if share <= LACKING),
        tuple(pair for pair, share in zip(pairs, shares, strict=True) if share > LACKING),
    )
