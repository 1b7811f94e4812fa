"""Checks of input at the doors of the core. Each message names the field, the value and what is accepted."""

from __future__ import annotations

import math
import re
from datetime import date, datetime

import numpy as np
from numpy.typing import ArrayLike, NDArray

from neat_verdict.core.limits import MAX_NUMBER_LENGTH


class InputError(ValueError):
    """A value the core cannot accept. ``field`` is the name of the argument, for messages beside form fields; ``rule`` what is
    accepted."""

    def __init__(self, field: str, value: object, rule: str) -> None:
        super().__init__(f"{field.replace('_', ' ')} ({_shown(value)}) {rule}")
        self.field = field
        self.rule = rule


def _shown(value: object) -> str:
    return f"{value:.12g}" if isinstance(value, float) else str(value)


def check_probability(field: str, value: float) -> float:
    """Return ``value`` if it lies strictly between 0 and 1; raise InputError otherwise."""
    if not (math.isfinite(value) and 0 < value < 1):
        raise InputError(field, value, "must lie between 0 and 1, both excluded")
    return float(value)


def check_positive(field: str, value: float) -> float:
    """Return ``value`` if it is finite and above 0; raise InputError otherwise."""
    if not (math.isfinite(value) and value > 0):
        raise InputError(field, value, "must be a number above 0")
    return float(value)


def check_within(field: str, value: float, low: float, high: float) -> float:
    """Return ``value`` if it lies in [low, high]: what is computed from it is a number then. Raises InputError otherwise."""
    if not low <= value <= high:
        raise InputError(field, value, f"must lie between {low:.12g} and {high:.12g}")
    return float(value)


def check_number(field: str, value: float) -> float:
    """Return ``value`` if it is finite; raise InputError otherwise."""
    if not math.isfinite(value):
        raise InputError(field, value, "must be a number")
    return float(value)


def check_share(field: str, value: float) -> float:
    """Return ``value`` if it lies between 0 and 1, both included; raise InputError otherwise."""
    if not 0 <= value <= 1:
        raise InputError(field, value, "must lie between 0 and 1")
    return float(value)


def check_not_negative(field: str, value: float) -> float:
    """Return ``value`` if it is finite and not under 0; raise InputError otherwise."""
    if not (math.isfinite(value) and value >= 0):
        raise InputError(field, value, "must be 0 or more")
    return float(value)


def check_count(field: str, value: float, least: int = 0) -> int:
    """Return ``value`` if it is a whole number of at least ``least``; raise InputError otherwise."""
    if not (math.isfinite(value) and value >= least and float(value).is_integer()):
        raise InputError(field, value, f"must be a whole number, {least} or more")
    return int(value)


def check_sign(sign: int) -> int:
    """Return 1 (more is better) or -1 (less is); raise InputError for anything else."""
    if sign not in (1, -1):
        raise InputError("sign", sign, "must be 1 or -1")
    return sign


def check_table(field: str, values: ArrayLike, columns: int | None = None) -> NDArray[np.float64]:
    """Counts as an array of rows by columns; raise InputError for another shape, or what is no whole number of 0 or more."""
    try:
        table = np.asarray(values, dtype=np.float64)
    except ValueError:
        raise InputError(field, "rows of different lengths", "must be a table") from None
    if table.size and (table.ndim != 2 or (columns is not None and table.shape[1] != columns)):
        raise InputError(field, f"shape {table.shape}", f"must be a table{f' of {columns} columns' if columns else ''}")
    wrong = ~(np.isfinite(table) & (table >= 0) & (table == np.floor(table)))
    if wrong.any():
        raise InputError(field, float(table[wrong][0]), "must be whole numbers, 0 or more")
    return table


FIRST_DAY, LAST_DAY = date(2000, 1, 1), date(2100, 12, 31)  # of a run: what lies outside is mistyped


def check_day(field: str, value: date) -> date:
    """Return a day from 2000 to 2100; raise InputError otherwise. A mistyped year would make a run of centuries."""
    if not FIRST_DAY <= (value.date() if isinstance(value, datetime) else value) <= LAST_DAY:
        raise InputError(field, value.isoformat(), "must lie between the years 2000 and 2100")
    return value


def check_length(field: str, text: str, most: int) -> None:
    """Raise InputError for a text of more than so many characters, with its beginning."""
    if len(text) > most:
        raise InputError(field, f"{text[:40]}…", f"has {len(text):,} characters and must have at most {most:,}")


def read_count(field: str, value: object) -> int:
    """Read a count as a person or a file gives it: an int, a whole float, or text such as "41,433" or "41 433".

    Raises
    ------
    InputError
        For anything else. A rate ("5.1 %", 0.051) gets a sentence of its own: without its counts it proves nothing.
    """
    if isinstance(value, bool) or value is None:
        raise InputError(field, value, "must be a whole number, 0 or more")
    if isinstance(value, int):
        number = float(value)
    elif isinstance(value, float):
        number = value
    else:
        number = _number_in_text(field, str(value))
    if not math.isfinite(number):
        raise InputError(field, value, "must be a whole number, 0 or more")
    if 0 < number < 1:
        raise InputError(field, value, RATE_WITHOUT_COUNTS)
    if not number.is_integer() or number < 0:
        raise InputError(field, value, "must be a whole number, 0 or more")
    if number > MAX_COUNT:
        raise InputError(field, value, f"must not be greater than {MAX_COUNT:,}")
    return int(number)


RATE_WITHOUT_COUNTS = (
    "is a rate. A rate without its counts cannot be judged: 5 % of 100 and 5 % of a million are different evidence. "
    "Give the number of units and the number of conversions"
)
MAX_COUNT = 10**12
# Thousands in groups of three, parted by one kind of mark: comma, point, apostrophe or any space.
_GROUPED = re.compile(r"[1-9]\d{0,2}(?:([,.' \u00a0\u202f\u2019])\d{3})(?:\1\d{3})*$")


def _number_in_text(field: str, text: str) -> float:
    bare = text.strip()
    check_length(field, bare, MAX_NUMBER_LENGTH)
    if bare.endswith("%"):
        raise InputError(field, bare, RATE_WITHOUT_COUNTS)
    if _GROUPED.match(bare):
        return float(re.sub(r"\D", "", bare))
    if re.fullmatch(r"0[.,](?=0*[1-9])\d+", bare):
        raise InputError(field, bare, RATE_WITHOUT_COUNTS)
    if not re.fullmatch(r"-?\d{1,18}(?:\.0*)?", bare):
        raise InputError(field, bare or "empty", "must be a whole number, 0 or more")
    return float(bare)
