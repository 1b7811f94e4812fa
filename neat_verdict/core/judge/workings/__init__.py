"""How each figure is made, so that it can be done again by hand."""

from neat_verdict.core.judge.workings.best import chance_working, gain_working, posterior_working, remaining_working
from neat_verdict.core.judge.workings.by_epoch import working_by_epoch
from neat_verdict.core.judge.workings.checks import difference_working, exact_working, split_working
from neat_verdict.core.judge.workings.comparison import FIGURES, Figure, comparison_working, level_working
from neat_verdict.core.judge.workings.families import family_working
from neat_verdict.core.judge.workings.looks import boundary_working, once_working, power_working
from neat_verdict.core.judge.workings.parts import Step, Working
from neat_verdict.core.judge.workings.strata import pooled_working, shrunken_working, trend_working, within_working
from neat_verdict.core.judge.workings.worth import OutlayFigure, impact_working, outlay_working

__all__ = [
    "FIGURES",
    "Figure",
    "OutlayFigure",
    "Step",
    "Working",
    "boundary_working",
    "chance_working",
    "comparison_working",
    "difference_working",
    "exact_working",
    "family_working",
    "gain_working",
    "impact_working",
    "level_working",
    "once_working",
    "outlay_working",
    "pooled_working",
    "posterior_working",
    "power_working",
    "remaining_working",
    "shrunken_working",
    "split_working",
    "trend_working",
    "within_working",
    "working_by_epoch",
]
