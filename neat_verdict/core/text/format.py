"""The only place where a number becomes text: signs, decimals, whole counts."""

from __future__ import annotations

import math
import sys
from collections.abc import Sequence
from decimal import ROUND_HALF_UP, Context, Decimal

MINUS = "\u2212"


def format_lift(value: float) -> str:
    """A relative figure with its sign: +8.4%, −0.05%, +120%, "without limit", "not defined"."""
    if math.isnan(value):
        return "not defined"
    if math.isinf(value):
        return "without limit"
    text = rounded(abs(value) * 100, _decimals(value))
    if not text.strip("0."):
        return "0%"
    return f"{'+' if value > 0 else MINUS}{text}%"


_ANY_SIZE = Context(prec=400)  # the largest number of the machine has 309 digits


def rounded(value: float, decimals: int) -> str:
    """A number with its decimals, halves away from zero as people round (Python and JavaScript each do otherwise)."""
    # Through the shortest text of the value, less the noise of the last bits: 0.5625 * 100 is a half, 56.24999999999999 is too.
    exact = Decimal(f"{value:.12g}") if abs(value) < 1e11 else Decimal(value)
    text = f"{exact.quantize(Decimal(1).scaleb(-decimals), ROUND_HALF_UP, _ANY_SIZE):,f}"
    return text if text.strip("-0.,") else text.removeprefix("-")


def _decimals(value: float) -> int:
    size = abs(value) * 100
    if size >= 99.95:
        return 0
    return 1 if size >= 0.095 or size == 0 else 2


def format_percent(value: float) -> str:
    """The size of a relative figure as it was chosen, without sign or idle decimals: 3%, 2.5%."""
    return f"{round(abs(value) * 100, 4):g}%"


def format_share(value: float, decimals: int = 1) -> str:
    """A share of a whole. Never rounded up to 100 or down to 0 when it is not."""
    if math.isnan(value):
        return "not defined"
    step = 10 ** -(decimals + 2)
    if 0 < value < step / 2:
        return f"under {rounded(step * 100, decimals)}%"
    if 1 - step / 2 <= value < 1:
        value = 1 - step
    return f"{rounded(value * 100, decimals)}%"


def format_probability(value: float, decimals: int = 1) -> str:
    """A probability that data alone have given: never 0 or 100%, not even where the machine's numbers end."""
    return format_share(min(max(value, sys.float_info.min), 1 - sys.float_info.epsilon), decimals)


def format_simulated(share: float, standard_error: float) -> str:
    """A simulated share with the margin of its 95 % interval in percentage points, as fine as the margin allows: 12.4% ± 0.6.

    The margin is 1.96 Monte Carlo standard errors (normal approximation), as is common practice for simulated shares.
    """
    margin = 196 * standard_error
    decimals = 0 if margin >= 0.95 else 1
    return f"{format_share(share, decimals)} ± {rounded(margin, decimals)}"


def format_count(value: float) -> str:
    """A whole number with its thousands set apart: 41,433."""
    return rounded(value, 0).replace("-", MINUS)


def format_pvalue(value: float) -> str:
    """ "= 0.034", "= 0.0018", "< 0.0001"; never "= 0"."""
    if value < 0.0001:
        return "< 0.0001"
    return f"= {value:.2g}" if value < 0.01 else f"= {value:.2f}"


def format_interval(low: float, high: float) -> str:
    """Bounds of a lift: "+2.4% to +14.7%"; one without upper limit says so."""
    if math.isinf(high):
        return f"{format_lift(low)} or more, without limit"
    return f"{format_lift(low)} to {format_lift(high)}"


def format_levels(values: Sequence[float | None], unit: str = "percent", currency: str = "") -> list[str]:
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
    suffixes = {
        "money": f" {currency}",
        "milliseconds": " ms",
        "per_thousand": f" {currency} per thousand".replace("  ", " "),
    }
    return [_written(value, scale, decimals, suffixes.get(unit, "").rstrip()) for value in values]


def format_amount(value: float, unit: str = "number", currency: str = "") -> str:
    """A level or a size of one: 50.13 EUR, 0.15 EUR."""
    return format_levels([value], unit, currency)[0]


def format_difference(value: float, unit: str = "number", currency: str = "") -> str:
    """A difference of levels with its sign: +0.42 EUR, −3.1; "without limit", "not defined"."""
    if math.isnan(value):
        return "not defined"
    if math.isinf(value):
        return "without limit"
    text = format_amount(abs(value), unit, currency)
    return f"{'+' if value > 0 else MINUS if value < 0 else ''}{text}"


def _rate_decimals(rates: Sequence[float]) -> int:
    """Those that show three figures of the smallest rate."""
    size = min((rate for rate in rates if rate > 0), default=1.0) * 100
    return 1 if size >= 10 else 2 if size >= 1 else min(8, 2 - math.floor(math.log10(size)))


def _written(value: float | None, scale: float, decimals: int, unit: str) -> str:
    if value is None or not math.isfinite(value):
        return "–"
    return f"{rounded(value * scale, decimals)}{unit}".replace("-", MINUS)


def format_full(value: float) -> str:
    """Full precision: every digit that matters; whole numbers as such."""
    if math.isnan(value):
        return "not defined"
    if math.isinf(value):
        return "without limit" if value > 0 else f"{MINUS}without limit"
    text = f"{value:.0f}" if float(value).is_integer() and abs(value) < 1e15 else f"{value:.10g}"
    return text.replace("-", MINUS)


def format_small(pvalue: float) -> str:
    """A p-value far below any level: "= 1.8e-06", "< 1e-12"."""
    return f"= {pvalue:.1e}" if pvalue >= 1e-12 else "< 1e-12"


def plural(number: float, noun: str) -> str:
    """ "1 day", "28 days"."""
    return f"{format_count(number)} {noun}{'' if number == 1 else 's'}"


def listed(items: Sequence[str]) -> str:
    """ "1, 2 and 3"."""
    return f"{', '.join(items[:-1])} and {items[-1]}" if len(items) > 1 else "".join(items)


def capital(text: str) -> str:
    """With a capital at its beginning, the rest as it is."""
    return f"{text[:1].upper()}{text[1:]}"
