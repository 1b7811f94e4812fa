"""The plan rehearsed in simulation before the first visitor comes."""

from neat_verdict.core.rehearsal.allocation import MAX_EPOCHS, AllocationRehearsal, Way, rehearse_allocation
from neat_verdict.core.rehearsal.own_units import LEAST_UNITS, MAX_UNITS, OwnUnits, split_own_units
from neat_verdict.core.rehearsal.plan import MAX_RUNS, Paths, Rehearsal, rehearse
from neat_verdict.core.rehearsal.world import FLAT, World, world_of

__all__ = [
    "FLAT",
    "LEAST_UNITS",
    "MAX_EPOCHS",
    "MAX_RUNS",
    "MAX_UNITS",
    "AllocationRehearsal",
    "OwnUnits",
    "Paths",
    "Rehearsal",
    "Way",
    "World",
    "rehearse",
    "rehearse_allocation",
    "split_own_units",
    "world_of",
]
