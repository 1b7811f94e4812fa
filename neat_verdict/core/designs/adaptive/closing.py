"""Closing an epoch: what it brought is remembered, and the shares of the next one follow."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from neat_verdict.core.checks import InputError
from neat_verdict.core.designs.adaptive.policy import Policy, Step, next_shares, next_step
from neat_verdict.core.designs.adaptive.posteriors import Memory, partially_pooled, posteriors_of
from neat_verdict.core.designs.adaptive.regression import chances_to_be_best, levels_by_combination
from neat_verdict.core.statistics import Arm

MAX_SEGMENTS = 20
MAX_COMBINATIONS = 50


@dataclass(frozen=True, slots=True)
class Closing:
    """What is known once an epoch is closed: memories and steps, by segment ("" for everybody)."""

    memories: Mapping[str, tuple[Memory, ...]]
    steps: Mapping[str, Step]


def close_epoch(
    memories: Mapping[str, Sequence[Memory]],
    taken: Sequence[Mapping[str, Sequence[Arm]]],
    before: Mapping[str, Sequence[float]],
    policy: Policy,
    *,
    arms: int,
    epochs: int,
    sign: int = 1,
    together: bool = False,
) -> Closing:
    """Take in the epochs whose counting windows have closed, and decide the next shares.

    Parameters
    ----------
    memories : mapping
        What was remembered at the closing before, by segment; empty at the first.
    taken : sequence of mappings
        Arms by segment of each epoch that is taken in now, in order. One segment "" where all are allocated as one.
    before : mapping
        Shares of the epoch that closes, by segment; a segment that had none was even.
    policy : Policy
    arms : int
        Number of variants, 2 to 10.
    epochs : int
        Epochs run so far.
    sign : +1 or -1
    together : bool
        Segments are combinations of several properties, whose levels come from one regression (`levels_by_combination`), and the
        chances from draws with the number of epochs for a seed; every arm needs ``policy.even_units`` in all of them together.

    Other segments share information by `partially_pooled`. The `MAX_SEGMENTS` or `MAX_COMBINATIONS` with the most units are
    allocated; the others stay even, as does one that comes for the first time. The same record gives the same shares.

    Raises
    ------
    InputError
        As `next_shares`.
    """
    known = {segment: tuple(memory) for segment, memory in memories.items()}
    for epoch in taken:
        for segment in {*known, *epoch}:
            remembered = known.get(segment, (Memory(),) * arms)
            if segment not in epoch:
                known[segment] = tuple(memory.aged(policy.kept) for memory in remembered)
                continue
            if len(epoch[segment]) != arms:
                raise InputError("taken", len(epoch[segment]), f"must have {arms} arms")
            known[segment] = tuple(
                memory.followed_by(arm, policy.kept) for memory, arm in zip(remembered, epoch[segment], strict=True)
            )
    if not known:
        known = {"": (Memory(),) * arms}
    largest = sorted(known, key=lambda segment: (-sum(memory.seen for memory in known[segment]), segment))
    if together and "" not in known:
        allocated = largest[:MAX_COMBINATIONS]
        return Closing(known, _steps_together({one: known[one] for one in allocated}, before, policy, epochs, sign))
    allocated = largest[:MAX_SEGMENTS]
    result = [posteriors_of(known[segment]) for segment in allocated]
    if len(result) > 1:
        result = list(partially_pooled(result))
    even = (1 / arms,) * arms
    steps = {
        segment: next_shares(
            posteriors,
            [memory.seen for memory in known[segment]],
            before.get(segment, even),
            policy,
            sign=sign,
            epochs=epochs,
        )
        for segment, posteriors in zip(allocated, result, strict=True)
    }
    return Closing(known, steps)


def _steps_together(
    known: Mapping[str, Sequence[Memory]],
    before: Mapping[str, Sequence[float]],
    policy: Policy,
    epochs: int,
    sign: int,
) -> dict[str, Step]:
    levels = levels_by_combination(known)
    units = [sum(memory.seen for memory in arm) for arm in zip(*known.values(), strict=True)]
    even = (1 / len(units),) * len(units)
    return {
        name: next_step(chances, units, before.get(name, even), policy, epochs=epochs)
        for name, chances in zip(levels.combinations, chances_to_be_best(levels, epochs, sign=sign), strict=True)
    }
