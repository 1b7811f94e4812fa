"""Values as they are typed after a command, and tables as they are printed."""

from __future__ import annotations

from collections.abc import Sequence

from neat_verdict.core.checks import InputError
from neat_verdict.core.numbers import read_number


def share(field: str, text: str) -> float:
    """A share from "5%" or "0.05". Raises InputError for no number, and for 1 and more, which may be a percentage."""
    typed = text.strip()
    if typed.endswith("%"):
        return read_number(field, typed[:-1]) / 100
    value = read_number(field, typed)
    if abs(value) >= 1:
        raise InputError(field, typed, f"may be meant as a percentage; write {typed}%, or a share such as 0.05")
    return value


def shares(field: str, text: str) -> list[float]:
    """Numbers parted by commas or spaces: "1,1" or "2 1 1"."""
    return [read_number(field, part) for part in text.replace(",", " ").split()]


def table(rows: Sequence[Sequence[str]]) -> str:
    """Rows as columns of text, the first to the left and numbers to the right."""
    widths = [max(len(row[column]) for row in rows) for column in range(len(rows[0]))]
    lines = []
    for row in rows:
        cells = [row[0].ljust(widths[0]), *(cell.rjust(width) for cell, width in zip(row[1:], widths[1:], strict=True))]
        lines.append("  ".join(cells).rstrip())
    return "\n".join(lines)
