"""Which levels to take: those whose effect is shown, and of factors that interact the combination."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np

from neat_verdict.core.designs.factorial.effects import FactorEffect, contrast
from neat_verdict.core.factors import Combination, combinations_of
from neat_verdict.core.numeric import FloatArray
from neat_verdict.core.statistics import Interval


def interacting(effects: Sequence[FactorEffect]) -> tuple[int, ...]:
    """The factors that have a part in an interaction that is shown: what one of them does hangs on the others."""
    return tuple(sorted({at for one in effects if one.clear and len(one.factors) > 1 for at in one.factors}))


def combination_weights(counts: Sequence[int], of: Combination, joined: Sequence[int]) -> FloatArray:
    """What is held against control for a combination: the main effects of its levels, and of the factors that are ``joined``
    their own combination against the base, averaged over the others."""
    weights = np.zeros(len(combinations_of(counts)))
    for at, level in enumerate(of):
        if level and at not in joined:
            weights += contrast(counts, tuple(level if place == at else 0 for place in range(len(counts))))
    if any(of[at] for at in joined):
        others = np.prod([counts[at] for at in range(len(counts)) if at not in joined])
        for place, cell in enumerate(combinations_of(counts)):
            mine = tuple(cell[at] for at in joined)
            weights[place] += ((mine == tuple(of[at] for at in joined)) - (not any(mine))) / others
    return weights


def chosen(
    counts: Sequence[int],
    effects: Sequence[FactorEffect],
    sign: int,
    is_better: Callable[[Interval], bool],
    of_combination: Callable[[Combination], Interval],
) -> Combination:
    """The combination to take, all at the base where nothing better is shown.

    A factor that interacts with none takes the level with the best effect of those that are shown to be better by what
    ``is_better`` asks. Those that interact are taken together: the combination that is best against their base of those that are
    shown to be better; ``of_combination`` is what a combination is held against control by.
    """
    joined = interacting(effects)
    result = [0] * len(counts)
    for at in range(len(counts)):
        mine = [one for one in effects if one.factors == (at,) and is_better(one.shown)]
        if at not in joined and mine:
            result[at] = max(mine, key=lambda one: sign * one.shown.estimate).of[at]
    tried: dict[Combination, float] = {}
    for cell in combinations_of([counts[at] for at in joined]) if joined else []:
        of = [0] * len(counts)
        for at, level in zip(joined, cell, strict=True):
            of[at] = level
        if any(of) and is_better(shown := of_combination(tuple(of))):
            tried[cell] = sign * shown.estimate
    best: Combination = max(tried, key=lambda cell: tried[cell]) if tried else (0,) * len(joined)
    for at, level in zip(joined, best, strict=True):
        result[at] = level
    return tuple(result)
