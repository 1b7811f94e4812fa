"""A verdict with all that it takes to arrive at it without this application: counts, rule, figures, and two scripts."""

from neat_verdict.app.analysis.verdict_file.pack import verdict_file

__all__ = ["verdict_file"]
