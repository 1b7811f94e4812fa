"""Closing an epoch: what it brought is remembered, and the shares of the next one follow."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from neat_verdict.core.checks import InputError
from neat_verdict.core.designs.adaptive.policy import Policy, Step, next_shares
from neat_verdict.core.designs.adaptive.posteriors import Memory, partially_pooled, posteriors_of
from neat_verdict.core.statistics import Arm

MAX_SEGMENTS = 20


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

    Segments share information (`partially_pooled`). The twenty with the most units are allocated; the others stay even, as does
    one that comes for the first time. Nothing here is drawn by chance: the same record gives the same shares.

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
