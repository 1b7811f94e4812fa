"""A fixed split: one period, and nothing but its comparisons."""

from __future__ import annotations

from neat_verdict.app.analysis.designs.base import DesignAnalysis


class ParallelAnalysis(DesignAnalysis):
    name = "parallel"
