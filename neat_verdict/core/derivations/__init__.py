"""How each figure is made, so that it can be done again by hand."""

from neat_verdict.core.derivations.by_region import RegionFigure, region_derivation
from neat_verdict.core.derivations.comparison import FIGURES, Figure, comparison_derivation, level_derivation
from neat_verdict.core.derivations.conditional_power import power_derivation
from neat_verdict.core.derivations.impact import impact_derivation
from neat_verdict.core.derivations.multiplicity import family_derivation
from neat_verdict.core.derivations.posteriors import chance_ahead_derivation, chance_derivation, posterior_derivation
from neat_verdict.core.derivations.segments import partially_pooled_derivation, trend_derivation, within_derivation
from neat_verdict.core.derivations.spend import SpendFigure, spend_derivation
from neat_verdict.core.derivations.stopping import stopping_derivation
from neat_verdict.core.derivations.tests import (
    difference_derivation,
    exact_derivation,
    margin_derivation,
    split_derivation,
)
from neat_verdict.core.text.statements import Derivation, Step

__all__ = [
    "FIGURES",
    "Derivation",
    "Figure",
    "RegionFigure",
    "SpendFigure",
    "Step",
    "chance_ahead_derivation",
    "chance_derivation",
    "comparison_derivation",
    "difference_derivation",
    "exact_derivation",
    "family_derivation",
    "impact_derivation",
    "level_derivation",
    "margin_derivation",
    "partially_pooled_derivation",
    "posterior_derivation",
    "power_derivation",
    "region_derivation",
    "spend_derivation",
    "split_derivation",
    "stopping_derivation",
    "trend_derivation",
    "within_derivation",
]
