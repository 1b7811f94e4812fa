"""What the application does for each design of the core. To add one: a module here, and a line below."""

from neat_verdict.app.analysis.designs.adaptive import AdaptiveAnalysis
from neat_verdict.app.analysis.designs.base import DesignAnalysis, Periods
from neat_verdict.app.analysis.designs.factorial import FactorialAnalysis
from neat_verdict.app.analysis.designs.parallel import ParallelAnalysis

DESIGN_ANALYSES: dict[str, DesignAnalysis] = {
    one.name: one for one in (ParallelAnalysis(), AdaptiveAnalysis(), FactorialAnalysis())
}

__all__ = ["DESIGN_ANALYSES", "DesignAnalysis", "Periods"]
