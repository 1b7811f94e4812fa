"""Conditions on properties as expressions, as `core.matching` has them value by value."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from datetime import date
from functools import reduce
from operator import and_, or_

import ibis
from ibis.expr import types as ir

from neat_verdict.core.checks import InputError
from neat_verdict.core.matching import LARGEST_NUMBER, NUMBER, Comparable, Condition, Group, ValueKind

ColumnOf = Callable[[str], ir.Column | None]
_DAY = r"^[0-9]{4}-[0-9]{2}-[0-9]{2}($|[T ])"
_VERSION = r"^v?[0-9]{1,9}([.][0-9]{1,9}){0,5}([-+ ].*)?$"
# Without backslashes, which engines read in different ways.
_NUMBER = "^" + NUMBER.pattern.replace(r"\d", "[0-9]").replace(r"\.", "[.]")
_PARTS, _DIGITS = 6, 9  # of a version


def fulfils(condition: Condition, column_of: ColumnOf) -> ir.BooleanValue:
    """Whether a row's properties fulfil a condition; one that is absent never does."""
    column = column_of(condition.attribute)
    if column is None:
        return ibis.literal(False)
    present = column.notnull()
    if column.type().is_string():
        present = present & (column != "")
    if condition.operator == "is_set":
        return present
    seen = _read(column, condition.kind, condition.attribute)
    wanted = [_comparable(value) for value in condition.wanted]
    return (present & _TESTS[condition.operator](seen, wanted)).fill_null(False)


def group_holds(group: Group, column_of: ColumnOf) -> ir.BooleanValue:
    """Whether all of a group's conditions hold, or any one, as its kind says."""
    return reduce(and_ if group.kind == "all" else or_, (fulfils(one, column_of) for one in group.conditions))


def number_in(column: ir.Column) -> ir.FloatingValue:
    """A property as a number, null where it is none or beyond what is summed, as `core.matching.number_of`."""
    if column.type().is_boolean():
        return ibis.null("float64")
    number = _number(column)
    return ibis.ifelse(number.abs() <= LARGEST_NUMBER, number, ibis.null("float64"))


def text_in(column: ir.Column, name: str) -> ir.StringValue:
    """A property as text. Raises InputError for a column whose values engines write in different ways."""
    kind = column.type()
    if kind.is_string():
        return column
    if kind.is_boolean():
        return ibis.ifelse(column, "true", "false")
    if kind.is_integer() or kind.is_date():
        return column.cast("string")
    raise InputError(
        f"properties.{name}", str(kind), "must be a column of texts, whole numbers, days or true and false here"
    )


def _read(column: ir.Column, kind: ValueKind, name: str) -> ir.Value:
    if kind == "number":
        return _number(column)
    text = text_in(column, name).strip()
    if kind == "text":
        return text.lower().nullif("")
    if kind == "true_false":
        return text.lower().nullif("").cases(("true", True), ("false", False), else_=ibis.null("boolean"))
    if kind == "date":
        day = ibis.ifelse(text.re_search(_DAY), text.left(10), ibis.null("string"))
        return ibis.ifelse(day.try_cast("date").notnull(), day, ibis.null("string"))
    return ibis.ifelse(text.re_search(_VERSION), _version(text), ibis.null("string"))


def _number(column: ir.Column) -> ir.FloatingValue:
    if column.type().is_string():
        text = column.strip()
        number = ibis.ifelse(text.re_search(_NUMBER), text, ibis.null("string")).try_cast("float64")
    elif column.type().is_numeric() and not column.type().is_boolean():
        number = column.cast("float64")
    else:
        return ibis.null("float64")
    return ibis.ifelse(number.isnan() | number.isinf(), ibis.null("float64"), number)


def _version(text: ir.StringValue) -> ir.StringValue:
    """Its parts, each as wide as the widest may be, so that texts compare as they do."""
    parts = [text.re_extract(f"^v?(?:[0-9]{{1,9}}[.]){{{place}}}([0-9]{{1,9}})", 1) for place in range(_PARTS)]
    return reduce(lambda one, other: one + other, (part.fill_null("").lpad(_DIGITS, "0") for part in parts))


def _comparable(value: Comparable) -> str | float | bool:
    """A value as the expressions above have theirs."""
    if isinstance(value, date):
        return value.isoformat()
    if isinstance(value, tuple):
        return "".join(f"{part:0{_DIGITS}d}" for part in (*value, *[0] * (_PARTS - len(value))))
    return value


_Test = Callable[[ir.Value, Sequence[str | float | bool]], ir.BooleanValue]
_TESTS: dict[str, _Test] = {
    "is": lambda seen, wanted: seen == wanted[0],
    "is_not": lambda seen, wanted: seen != wanted[0],
    "any_of": lambda seen, wanted: seen.isin(wanted),
    "contains": lambda seen, wanted: reduce(or_, (seen.contains(one) for one in wanted)),
    "starts_with": lambda seen, wanted: reduce(or_, (seen.startswith(one) for one in wanted)),
    "ends_with": lambda seen, wanted: reduce(or_, (seen.endswith(one) for one in wanted)),
    "greater": lambda seen, wanted: seen > wanted[0],
    "less": lambda seen, wanted: seen < wanted[0],
    "between": lambda seen, wanted: (seen >= wanted[0]) & (seen <= wanted[1]),
}
