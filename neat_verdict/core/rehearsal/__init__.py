"""The plan rehearsed in simulation before the first visitor comes."""

from neat_verdict.core.rehearsal.aa_test import MAX_UNITS, MIN_UNITS, AATestResult, split_at_random
from neat_verdict.core.rehearsal.allocation import MAX_EPOCHS, AllocationRehearsal, Way, rehearse_allocation
from neat_verdict.core.rehearsal.plan import MAX_RUNS, Paths, Rehearsal, rehearse
from neat_verdict.core.rehearsal.world import FLAT, World, world_of

__all__ = [
    "FLAT",
    "MAX_EPOCHS",
    "MAX_RUNS",
    "MAX_UNITS",
    "MIN_UNITS",
    "AATestResult",
    "AllocationRehearsal",
    "Paths",
    "Rehearsal",
    "Way",
    "World",
    "rehearse",
    "rehearse_allocation",
    "split_at_random",
    "world_of",
]
