"""The kinds of metrics. To add one: a module here, and a line below."""

from neat_verdict.core.checks import InputError
from neat_verdict.core.metrics.kinds.amount import Amount
from neat_verdict.core.metrics.kinds.base import Kind, MeasureKind, Reason
from neat_verdict.core.metrics.kinds.conversion import Conversion
from neat_verdict.core.metrics.kinds.count import Count
from neat_verdict.core.metrics.kinds.funnel import Funnel
from neat_verdict.core.metrics.kinds.quantile import Median, Percentile90, Percentile95
from neat_verdict.core.metrics.kinds.ratio import Ratio
from neat_verdict.core.metrics.kinds.totals import Totals

_KINDS = (Conversion(), Count(), Amount(), Ratio(), Funnel(), Median(), Percentile90(), Percentile95(), Totals())
KINDS: dict[str, Kind] = {kind.name: kind for kind in _KINDS}
MEASURE_KINDS: dict[str, MeasureKind] = {name: kind for name, kind in KINDS.items() if isinstance(kind, MeasureKind)}


def kind_named(name: str) -> Kind:
    """A kind by its name. Raises InputError for another."""
    if name not in KINDS:
        raise InputError("kind", name, f"must be one of {', '.join(KINDS)}")
    return KINDS[name]


def measure_kind(name: str) -> MeasureKind:
    """A kind that a measure may have, by its name. Raises InputError for another."""
    if name not in MEASURE_KINDS:
        raise InputError("kind", name, f"must be one of {', '.join(MEASURE_KINDS)}")
    return MEASURE_KINDS[name]


__all__ = ["KINDS", "MEASURE_KINDS", "Kind", "MeasureKind", "Reason", "kind_named", "measure_kind"]
