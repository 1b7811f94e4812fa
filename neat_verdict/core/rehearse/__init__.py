"""The plan rehearsed in simulation before the first visitor comes."""

from neat_verdict.core.rehearse.allocation import MOST_EPOCHS, AllocationRehearsal, Way, rehearse_allocation
from neat_verdict.core.rehearse.engine import MOST_RUNS, Paths, Rehearsal, rehearse
from neat_verdict.core.rehearse.world import FLAT, World, world_of

__all__ = [
    "FLAT",
    "MOST_EPOCHS",
    "MOST_RUNS",
    "AllocationRehearsal",
    "Paths",
    "Rehearsal",
    "Way",
    "World",
    "rehearse",
    "rehearse_allocation",
    "world_of",
]
