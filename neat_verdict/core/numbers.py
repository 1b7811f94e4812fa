"""Numbers as people and programs write them: which mark parts the decimals is decided once for a whole file."""

from __future__ import annotations

import math
import re
from collections.abc import Iterable
from typing import Literal

from neat_verdict.core.checks import InputError, check_length
from neat_verdict.core.limits import MAX_NUMBER_LENGTH

DecimalMark = Literal[".", ","]
ASK_MARK = "say which decimal mark the file uses, or write its numbers without marks between thousands"
MARKS: tuple[DecimalMark, ...] = (".", ",")
# Signs and codes of money before or after a number. Three letters: the codes of ISO 4217.
_MONEY = re.compile(r"^(?:[A-Z]{3}(?=[\s\u00a0\u202f\d+-])|[$€£¥])|(?:[A-Z]{3}|[$€£¥])$")
_SPACES = re.compile(r"(?<=\d)[\s\u00a0\u2009\u202f'’](?=\d{3}(?!\d))")
# Thousands parted by one mark alone.
_GROUPED = {mark: re.compile(rf"\d{{1,3}}(?:{re.escape(mark)}\d{{3}})+$") for mark in MARKS}
_WRITTEN = re.compile(r"[+-]?(?:[\d.,]*\d)(?:[eE][+-]?\d{1,3})?$")


def _bare(text: str) -> str:
    """Without signs of money, and without the spaces and apostrophes that part thousands; a true minus is a hyphen."""
    plain = re.sub("[\u2212\u2013]", "-", text.strip())
    return _SPACES.sub("", _MONEY.sub("", plain).strip())


def _evidence(digits: str, *, whole: bool) -> DecimalMark | None:
    """The decimal mark that a number as written shows; None where it may be read both ways, is ill formed, or has no mark."""
    seen = [mark for mark in MARKS if mark in digits]
    if not seen:
        return None
    last = max(seen, key=digits.rfind)
    other: DecimalMark = "," if last == "." else "."
    bare = digits.lstrip("+-")
    if len(seen) == 2:
        return last if _GROUPED[other].match(bare.rsplit(last, 1)[0]) else None
    if bare.count(last) > 1:
        return other if _GROUPED[last].match(bare) else None
    before, after = bare.split(last)
    if len(after) != 3 or not 1 <= len(before) <= 3 or before.startswith("0"):
        return last
    # "41,433" of something that is counted cannot have decimals; "8.000" can still be 8 or 8,000.
    return other if whole and after != "000" else None


def decimal_mark(texts: Iterable[tuple[str, bool]]) -> DecimalMark | None:
    """The mark that a file's numbers use, from all of them: (text, whether it must be a whole number).

    None where none of them shows it. Raises InputError where some show one mark and some the other.
    """
    shown: dict[DecimalMark, str] = {}
    for text, whole in texts:
        if ("," not in text and "." not in text) or len(text) > MAX_NUMBER_LENGTH:
            continue
        bare = _bare(text)
        if _WRITTEN.match(bare) and (mark := _evidence(re.split("[eE]", bare)[0], whole=whole)):
            shown.setdefault(mark, text.strip())
            if len(shown) == 2:
                raise InputError(
                    "decimal_mark",
                    f"{shown['.']} and {shown[',']}",
                    "are written in two ways; write all numbers with the same decimal mark",
                )
    return next(iter(shown), None)


def read_number(field: str, text: str, mark: DecimalMark | None = None) -> float:
    """A finite number, its decimals after ``mark``; with None only what can be read in one way.

    Signs of money and spaces between thousands are left out. Raises InputError for what is no number, for a percentage, and
    for what may be read in two ways.
    """
    check_length(field, text.strip(), MAX_NUMBER_LENGTH)
    shown, bare = text.strip() or "empty", _bare(text)
    if bare.endswith("%"):
        raise InputError(field, shown, "is a percentage; give the number itself")
    if not _WRITTEN.match(bare):
        raise InputError(field, shown, "must be a number, such as 1234.5")
    digits = re.split("[eE]", bare)[0]
    chosen = mark or _evidence(digits, whole=False)
    if chosen is None and sum(map(digits.count, MARKS)) > 1:
        raise InputError(field, shown, "must be a number, such as 1234.5")
    if chosen is None and any(one in digits for one in MARKS):
        both = (float(re.sub("[.,]", between, digits)) for between in (".", ""))
        as_decimal, as_thousands = (f"{number:,.15g}" for number in both)
        raise InputError(field, shown, f"may be {as_decimal} or {as_thousands}: {ASK_MARK}")
    thousands = "," if chosen == "." else "."
    pattern = rf"[+-]?(?:\d{{1,3}}(?:{re.escape(thousands)}\d{{3}})+|\d*)(?:{re.escape(chosen or '.')}\d+)?$"
    if not re.match(pattern, digits):
        raise InputError(
            field, shown, f"must be a number with “{chosen}” before its decimals, as elsewhere in the file"
        )
    number = float(bare.replace(thousands, "").replace(chosen or ".", "."))
    if not math.isfinite(number):
        raise InputError(field, shown, "must be a finite number")
    return number
