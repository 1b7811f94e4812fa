"""The designs. To add one: a package here, and a line below."""

from neat_verdict.core.designs.adaptive import Adaptive
from neat_verdict.core.designs.base import Design, Series, Summary
from neat_verdict.core.designs.factorial import Factorial
from neat_verdict.core.designs.parallel import Parallel

DESIGNS: dict[str, Design] = {design.name: design for design in (Parallel(), Adaptive(), Factorial())}
DEFAULT_DESIGN = DESIGNS[Parallel.name]

__all__ = ["DEFAULT_DESIGN", "DESIGNS", "Design", "Series", "Summary"]
