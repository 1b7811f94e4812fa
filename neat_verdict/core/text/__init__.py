"""Figures, names and statements as text."""

from neat_verdict.core.text.names import Names
from neat_verdict.core.text.statements import Condition, Derivation, Step

__all__ = ["Condition", "Derivation", "Names", "Step"]
