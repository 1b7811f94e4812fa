"""Adaptive allocation: shares for the next epoch that follow the evidence of the epochs before."""

from neat_verdict.core.allocate.policy import Belief, Policy, PolicyKind, Step, next_shares, top_two_shares
from neat_verdict.core.allocate.standing import beliefs, pooled_beliefs, value_remaining

__all__ = [
    "Belief",
    "Policy",
    "PolicyKind",
    "Step",
    "beliefs",
    "next_shares",
    "pooled_beliefs",
    "top_two_shares",
    "value_remaining",
]
