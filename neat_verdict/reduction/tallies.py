"""From what units come to, to the sums by day, variant and segment that the application keeps."""

from __future__ import annotations

import itertools
from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from functools import cache
from math import prod
from typing import Any

import ibis
from ibis.expr import types as ir

from neat_verdict.core.metrics import whole_millionths
from neat_verdict.core.statistics.histogram import BUCKETS, MILLION, PART_BITS, TOP_BITS
from neat_verdict.reduction.batches import Cell, Sums
from neat_verdict.reduction.engines import Engine
from neat_verdict.reduction.plan import Plan
from neat_verdict.reduction.units import Columns, Value

# The powers of a metric's first and second value that each of its columns sums.
POWERS: Mapping[str, tuple[int, int]] = {
    "total": (1, 0), "squares": (2, 0), "second_total": (0, 1), "second_squares": (0, 2), "cross": (1, 1),
    "cubes": (3, 0), "squares_cross": (2, 1), "cross_squares": (1, 2), "second_cubes": (0, 3),
}  # fmt: skip
# Values that need their millionths are summed in two parts, so that no product is wider than engines have it.
_BASE = 10**9
EPOCH = date(1970, 1, 1)


@dataclass(frozen=True, slots=True)
class _Part:
    """A column that, times ``factor`` millionths, is a part of a value."""

    column: str
    factor: int


def tallies_of(engine: Engine, units: ir.Table, columns: Sequence[Columns], plan: Plan) -> dict[date, dict[Cell, Sums]]:
    """The sums of each day of first exposures. ``units`` are kept already."""
    segments = [f"s{number}" for number in range(len(plan.segments))]
    sums = _Sums(columns)
    split = sums.split(units)
    fine = engine.keep(
        split.group_by(["position", "day", *segments]).agg(units=split.count(), **sums.expressions(split)), "fine"
    )
    by_bucket = {
        one.metric.key: _by_bucket(engine, units, one, ["position", "day", *segments])
        for one in columns
        if one.metric.tallying.buckets
    }
    result: dict[date, dict[Cell, Sums]] = defaultdict(dict)
    for segment in (None, *segments):
        by = ["position", "day", *([segment] if segment else [])]
        whole = fine.group_by(by).agg(**{name: fine[name].sum() for name in ("units", *sums.names)})
        histograms = {key: _histograms(engine, counted, by) for key, counted in by_bucket.items()}
        for row in engine.rows(whole.select(*by, "units", *sums.names)):
            position, day, *rest = row
            place = (position, day, rest.pop(0) if segment else "")
            cells = result[EPOCH + timedelta(days=int(day))]
            counted, found = int(rest[0]), dict(zip(sums.names, rest[1:], strict=True))
            for one in columns:
                counts = histograms.get(one.metric.key, {}).get(place, [])
                cells[Cell(plan.letters[position], place[2], one.metric.key)] = sums.of(one, counted, found, counts)
    return dict(result)


class _Sums:
    """The sums of products that a metric's columns are made of: named once, summed by the engine, put together here."""

    def __init__(self, columns: Sequence[Columns]) -> None:
        self._columns = columns
        self._products: dict[tuple[str, ...], str] = {}
        self._reached: dict[str, tuple[Columns, ...]] = {}
        for one in columns:
            if one.metric.tallying.buckets:
                self._products[f"{one.values[0].column}!",] = f"known_{one.values[0].column}"
                continue
            for name in one.metric.tallying.columns[1:]:
                for product, _ in _expanded(one.values, POWERS[name]):
                    self._products.setdefault(product, f"q{len(self._products)}")
            for step in one.steps:
                self._products.setdefault((step,), f"q{len(self._products)}")
            if one.metric.definition.caps:
                self._reached[_capped_name(one)] = (one,)

    @property
    def names(self) -> list[str]:
        """Of the columns that are summed."""
        return [*self._products.values(), *self._reached]

    def split(self, units: ir.Table) -> ir.Table:
        """Units with the parts of those values that are summed in two."""
        made: dict[str, ir.Value] = {}
        for one in self._columns:
            for value in () if one.metric.tallying.buckets else one.values:
                if value.step == 1:
                    column = units[value.column]
                    left = column % _BASE
                    # What is left of a negative number has its sign with some engines, not with others.
                    low = ibis.ifelse(left < 0, left + _BASE, left)
                    high = ((column - low) / _BASE).round().cast("int64")
                    made |= {f"{value.column}_low": low, f"{value.column}_high": high}
        return units.mutate(**made) if made else units

    def expressions(self, units: ir.Table) -> dict[str, ir.Value]:
        """What the engine sums, by name."""
        result: dict[str, ir.Value] = {}
        for product, name in self._products.items():
            if product[0].endswith("!"):
                result[name] = units[product[0][:-1]].notnull().cast("int64").sum()
                continue
            # Wide from the first factor on: an engine may refuse a product that is wider than its factors.
            worth = units[product[0]].cast("decimal(20, 0)")
            for column in product[1:]:
                worth = worth * units[column].cast("decimal(10, 0)")
            result[name] = worth.cast("decimal(38, 0)").sum()
        for name, (one,) in self._reached.items():
            limits = [
                units[value.column] >= whole_millionths(cap) // value.step
                for value, cap in zip(one.values, one.metric.definition.caps, strict=False)
                if cap is not None
            ]
            reached = limits[0] if len(limits) == 1 else limits[0] | limits[1]
            result[name] = reached.cast("int64").sum()
        return result

    def of(self, one: Columns, units: int, found: Mapping[str, Any], counts: Sequence[int]) -> Sums:
        """A metric's sums from those of the products."""
        tallying = one.metric.tallying
        if tallying.buckets:
            known = int(found[f"known_{one.values[0].column}"])
            return Sums((units, known * MILLION), tuple(counts))
        sums = [units]
        for name in tallying.columns[1:]:
            sums.append(
                sum(
                    factor * int(found[self._products[product]])
                    for product, factor in _expanded(one.values, POWERS[name])
                )
            )
        places = [int(found[self._products[(step,)]]) for step in one.steps]
        if one.metric.definition.caps:
            places = [int(found[_capped_name(one)])]
        return Sums(tuple(sums), tuple(places))


def _capped_name(one: Columns) -> str:
    return f"capped_{one.values[0].column}"


@cache
def _expanded(values: tuple[Value, ...], powers: tuple[int, int]) -> list[tuple[tuple[str, ...], int]]:
    """The product of powers of values as a sum of products of their parts: (columns, whole factor in millionths)."""
    factors = [_parts(value) for value, power in zip(values, powers, strict=False) for _ in range(power)]
    result: dict[tuple[str, ...], int] = defaultdict(int)
    for chosen in itertools.product(*factors):
        result[tuple(sorted(part.column for part in chosen))] += prod(part.factor for part in chosen)
    return list(result.items())


def _parts(value: Value) -> list[_Part]:
    if value.step != 1:
        return [_Part(value.column, value.step)]
    return [_Part(f"{value.column}_high", _BASE), _Part(f"{value.column}_low", 1)]


def _by_bucket(engine: Engine, units: ir.Table, one: Columns, by: Sequence[str]) -> ir.Table:
    """How many units' values fall into each bucket, by all segments together."""
    name = one.values[0].column
    known = units.filter(units[name].notnull())
    bucketed = known.mutate(bucket=bucket(known[name]))
    return engine.keep(bucketed.group_by([*by, "bucket"]).agg(times=bucketed.count()), f"buckets_{name}")


def _histograms(engine: Engine, counted: ir.Table, by: Sequence[str]) -> dict[tuple[int, int, str], list[int]]:
    """The same by one segment: counts up to the last bucket that holds one."""
    whole = counted.group_by([*by, "bucket"]).agg(times=counted.times.sum())
    result: dict[tuple[int, int, str], list[int]] = defaultdict(list)
    for position, day, *rest in engine.rows(whole.select(*by, "bucket", "times")):
        segment, place, times = (rest[0] if len(by) > 2 else ""), int(rest[-2]), int(rest[-1])
        counts = result[position, day, segment]
        counts.extend([0] * (place + 1 - len(counts)))
        counts[place] += times
    return result


def bucket(value: ir.IntegerValue) -> ir.IntegerValue:
    """The bucket of a value in whole millionths, as `core.statistics.histogram` has it."""
    whole = ibis.greatest(ibis.least(value, 2**TOP_BITS), 0)
    # A logarithm may be off by one at a power of two; up to there such numbers are exact.
    doublings: ir.IntegerValue = ibis.literal(0, "int64")
    for bits in range(PART_BITS + 2, TOP_BITS + 2):
        doublings = doublings + (whole >= 2 ** (bits - 1)).cast("int64")
    return ibis.least(2**PART_BITS * doublings + (whole >> doublings), BUCKETS - 1).cast("int64")
