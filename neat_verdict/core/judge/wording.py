"""Figures as text, one way everywhere: signs, decimals, whole counts."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

MINUS = "\u2212"


@dataclass(frozen=True, slots=True)
class Names:
    """How the experiment speaks: the metric ("paid bookings"), the units ("visitors"), the variants, control first."""

    metric: str
    units: str
    variants: tuple[str, ...]

    def variant(self, position: int) -> str:
        """A variant's name within a sentence: in quotes, for a name may be several words, or a plural; a mere letter bare."""
        name = self.variants[position]
        return name if len(name) <= 2 else f"“{name}”"


def signed(value: float) -> str:
    """A relative figure with its sign: +8.4%, −0.05%, +120%, "without limit", "not defined"."""
    if math.isnan(value):
        return "not defined"
    if math.isinf(value):
        return "without limit"
    text = f"{abs(value):.{_decimals(value)}%}"
    if float(text[:-1]) == 0:
        return "0%"
    return ("+" if value > 0 else MINUS) + text


def _decimals(value: float) -> int:
    size = abs(value) * 100
    if size >= 99.95:
        return 0
    return 1 if size >= 0.095 or size == 0 else 2


def plain(value: float) -> str:
    """The size of a relative figure as it was chosen, without sign or idle decimals: 3%, 2.5%."""
    return f"{round(abs(value) * 100, 4):g}%"


def share(value: float, decimals: int = 1) -> str:
    """A share of a whole. Never rounded up to 100 or down to 0 when it is not."""
    if math.isnan(value):
        return "not defined"
    step = 10 ** -(decimals + 2)
    if 0 < value < step / 2:
        return f"under {step:.{decimals}%}"
    if 1 - step / 2 <= value < 1:
        value = 1 - step
    return f"{value:.{decimals}%}"


def count(value: float) -> str:
    """A whole number with its thousands set apart: 41,433."""
    return f"{round(value):,}".replace("-", MINUS)


def pvalue(value: float) -> str:
    """ "= 0.034", "= 0.0018", "< 0.0001"; never "= 0"."""
    if value < 0.0001:
        return "< 0.0001"
    return f"= {value:.2g}" if value < 0.01 else f"= {value:.2f}"


def between(low: float, high: float) -> str:
    """An interval in words; one without upper limit says so."""
    if math.isinf(high):
        return f"{signed(low)} or more, without limit"
    return f"between {signed(low)} and {signed(high)}"


def levels(values: Sequence[float | None], unit: str = "percent", currency: str = "") -> list[str]:
    """Levels of a metric with their unit, all with the decimals that suit the column: 4.20%, 50.13 EUR, 812 ms.

    ``unit`` is that of the metric's definition. None and nan are "–".
    """
    known = [value for value in values if value is not None and math.isfinite(value)]
    if unit == "percent":
        return [_written(value, 100, _rate_decimals(known), "%") for value in values]
    scale = 1000 if unit == "per_thousand" else 1
    largest = max((abs(value) for value in known), default=0.0) * scale
    if unit == "money" and largest < 1000:
        decimals = 2
    else:
        decimals = next((d for least, d in ((1000, 0), (10, 2), (0.1, 3)) if largest >= least), 5)
    told = {
        "money": f" {currency}",
        "milliseconds": " ms",
        "per_thousand": f" {currency} per thousand".replace("  ", " "),
    }
    return [_written(value, scale, decimals, told.get(unit, "").rstrip()) for value in values]


def _rate_decimals(rates: Sequence[float]) -> int:
    """Those that show three figures of the smallest rate."""
    size = min((rate for rate in rates if rate > 0), default=1.0) * 100
    return 1 if size >= 10 else 2 if size >= 1 else min(8, 2 - math.floor(math.log10(size)))


def _written(value: float | None, scale: float, decimals: int, unit: str) -> str:
    if value is None or not math.isfinite(value):
        return "–"
    return f"{value * scale:,.{decimals}f}{unit}".replace("-", MINUS)
