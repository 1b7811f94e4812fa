"""Adaptive allocation: shares for the next epoch that follow the evidence of the epochs before."""

from neat_verdict.core.allocate.closing import MOST_SEGMENTS, Closing, close_epoch
from neat_verdict.core.allocate.policy import (
    Belief,
    Policy,
    PolicyKind,
    Step,
    next_shares,
    paced_shares,
    top_two_shares,
)
from neat_verdict.core.allocate.standing import (
    Gain,
    Memory,
    beliefs,
    believed,
    chance_within,
    fair_beliefs,
    gain_over_even,
    pooled_beliefs,
    value_remaining,
)

__all__ = [
    "MOST_SEGMENTS",
    "Belief",
    "Closing",
    "Gain",
    "Memory",
    "Policy",
    "PolicyKind",
    "Step",
    "beliefs",
    "believed",
    "chance_within",
    "close_epoch",
    "fair_beliefs",
    "gain_over_even",
    "next_shares",
    "paced_shares",
    "pooled_beliefs",
    "top_two_shares",
    "value_remaining",
]
