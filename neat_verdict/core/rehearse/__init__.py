"""The plan rehearsed in simulation before the first visitor comes."""

from neat_verdict.core.rehearse.engine import MOST_RUNS, Paths, Rehearsal, rehearse
from neat_verdict.core.rehearse.world import FLAT, World, world_of

__all__ = ["FLAT", "MOST_RUNS", "Paths", "Rehearsal", "World", "rehearse", "world_of"]
