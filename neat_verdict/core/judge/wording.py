"""Figures as text, one way everywhere: signs, decimals, whole counts."""

from __future__ import annotations

import math

MINUS = "\u2212"


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
