"""What is sent of a day: sums by variant, segment and metric as whole numbers, with what they are to be checked against."""

from __future__ import annotations

import hashlib
import hmac
import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from typing import Any, NamedTuple

SIGNATURE = "X-Signature"  # of the body of a batch: "v1=" and hexadecimal digits
FORMAT = 1


class Cell(NamedTuple):
    """Where units are summed: the variant's letter, the segment ("" for everybody), the metric's key."""

    letter: str
    segment: str
    metric: str


class Sums(NamedTuple):
    """The figures of a cell: ``sums`` in the order of its tallying's columns, in whole millionths of the order of each;
    ``places`` the units that reached each step, or the cap, or those in each bucket."""

    sums: tuple[int, ...]
    places: tuple[int, ...]


Cells = Mapping[Cell, Sums]


@dataclass(frozen=True, slots=True)
class DayBatch:
    """All cells of the units of one day of first exposures, in place of whatever was there of it.

    ``plan`` is the digest of what they were counted by, ``until`` up to when data were looked at, in milliseconds since 1970.
    """

    experiment: str
    round: int
    plan: str
    day: date
    until: int
    cells: Cells

    @property
    def digest(self) -> str:
        """The same for the same cells, whenever they were counted."""
        return digest_of_cells(self.cells)

    @property
    def units(self) -> int:
        """Units of everybody, by the metric that has the most."""
        found: dict[str, int] = {}
        for cell, sums in self.cells.items():
            if cell.segment == "":
                found[cell.metric] = found.get(cell.metric, 0) + sums.sums[0]
        return max(found.values(), default=0)

    def body(self) -> bytes:
        """As it is sent: JSON; sums as texts, because they may have more digits than a number of other readers."""
        return json.dumps(
            {
                "format": FORMAT,
                "experiment": self.experiment,
                "round": self.round,
                "plan": self.plan,
                "day": self.day.isoformat(),
                "until": self.until,
                "digest": self.digest,
                "cells": _lines(self.cells),
            },
            separators=(",", ":"),
            ensure_ascii=False,
        ).encode()


def cells_of(lines: Sequence[Mapping[str, Any]]) -> dict[Cell, Sums]:
    """The cells of a batch as they were sent. Raises ValueError for sums that are no whole numbers."""
    return {
        Cell(line["variant"], line["segment"], line["metric"]): Sums(
            tuple(int(value) for value in line["sums"]), tuple(int(value) for value in line["places"])
        )
        for line in lines
    }


def digest_of_cells(cells: Cells) -> str:
    """The same for the same cells, in whatever order they stand."""
    text = json.dumps(_lines(cells), separators=(",", ":"), ensure_ascii=False)
    return hashlib.sha256(text.encode()).hexdigest()[:32]


def _lines(cells: Cells) -> list[dict[str, Any]]:
    return [
        {
            "variant": cell.letter,
            "segment": cell.segment,
            "metric": cell.metric,
            "sums": [str(value) for value in sums.sums],
            "places": list(sums.places),
        }
        for cell, sums in sorted(cells.items())
    ]


def signature(body: bytes, key_digest: str) -> str:
    """Of a batch, by the digest of the key (SHA-256, hexadecimal), which both sides have: HMAC with SHA-256 (RFC 2104)."""
    return "v1=" + hmac.new(key_digest.encode(), body, hashlib.sha256).hexdigest()


def is_signed(body: bytes, given: str, key_digest: str) -> bool:
    """Whether a signature is the body's."""
    return hmac.compare_digest(given.encode(), signature(body, key_digest).encode())
