"""Verdicts on graded tests: what the money up to the usual brings, and what more of it would."""

from neat_verdict.core.verdicts.by_region.graded.base import GradedFacts, GradedKind
from neat_verdict.core.verdicts.by_region.graded.keep_on import GradedKeepOn
from neat_verdict.core.verdicts.by_region.graded.less_is_enough import LessIsEnough
from neat_verdict.core.verdicts.by_region.graded.more_does_not_pay import MoreDoesNotPay
from neat_verdict.core.verdicts.by_region.graded.more_pays import MorePays
from neat_verdict.core.verdicts.by_region.graded.planned_pays import PlannedPays
from neat_verdict.core.verdicts.by_region.graded.price import GradedPrice
from neat_verdict.core.verdicts.by_region.graded.same import GradedSame
from neat_verdict.core.verdicts.by_region.graded.unresolved import GradedUnresolved
from neat_verdict.core.verdicts.by_region.graded.unsound import GradedUnsound

__all__ = [
    "GradedFacts",
    "GradedKeepOn",
    "GradedKind",
    "GradedPrice",
    "GradedSame",
    "GradedUnresolved",
    "GradedUnsound",
    "LessIsEnough",
    "MoreDoesNotPay",
    "MorePays",
    "PlannedPays",
]
