"""Which levels to take: those whose effect is shown, and of factors that interact the combination."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np

from neat_verdict.core.designs.factorial.effects import Estimate, FactorEffect, contrast
from neat_verdict.core.factors import Combination, combinations_of
from neat_verdict.core.numeric import FloatArray


def entangled(effects: Sequence[FactorEffect]) -> tuple[int, ...]:
    """The factors that have a part in an interaction that is shown: what one of them does hangs on the others."""
    return tuple(sorted({at for one in effects if one.clear and len(one.factors) > 1 for at in one.factors}))


def combination_weights(counts: Sequence[int], of: Combination, together: Sequence[int]) -> FloatArray:
    """What is held against control for a combination: the main effects of its levels, and of the factors that go ``together``
    their own combination against the base, averaged over the others."""
    weights = np.zeros(len(combinations_of(counts)))
    for at, level in enumerate(of):
        if level and at not in together:
            weights += contrast(counts, tuple(level if place == at else 0 for place in range(len(counts))))
    if any(of[at] for at in together):
        for place, cell in enumerate(combinations_of(counts)):
            mine = tuple(cell[at] for at in together)
            same = np.prod([counts[at] for at in range(len(counts)) if at not in together])
            weights[place] += ((mine == tuple(of[at] for at in together)) - (not any(mine))) / same
    return weights


def chosen(
    counts: Sequence[int],
    effects: Sequence[FactorEffect],
    sign: int,
    held_against_base: Callable[[FloatArray], Estimate],
) -> Combination:
    """The combination to take, all at the base where nothing better is shown.

    A factor that interacts with none takes the level with the best effect of those shown to be better. Those that interact are
    taken together: the combination that is best against their base of those that ``held_against_base`` shows to be better.
    """
    together = entangled(effects)
    result = [0] * len(counts)
    for at in range(len(counts)):
        mine = [one for one in effects if one.factors == (at,) and sign * one.shown.side > 0]
        if at not in together and mine:
            result[at] = max(mine, key=lambda one: sign * one.shown.estimate).of[at]
    best, gain = None, 0.0
    for cell in combinations_of([counts[at] for at in together]) if together else []:
        if not any(cell):
            continue
        of = [0] * len(counts)
        for at, level in zip(together, cell, strict=True):
            of[at] = level
        made = held_against_base(combination_weights(counts, tuple(of), together))
        shown = made.lift if effects[0].on_logs else made.difference
        if sign * shown.side > 0 and sign * shown.estimate > gain:
            best, gain = cell, sign * shown.estimate
    for at, level in zip(together, best or (), strict=False):
        result[at] = level
    return tuple(result)
