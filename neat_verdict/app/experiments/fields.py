"""What each field of an experiment means for the rest: when it is locked, whether a copy takes it, how it is called, its range.

Declared once. What is locked at the start, what belongs to the decision rule, what a copy has and what the API hands on as
it is all follow from here. To add a field: the column in `models`, a line here, its shape in `schemas.ExperimentFields`, its
place on a sheet.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

from neat_verdict.core.checks import InputError

Lock = Literal["never", "start", "rule", "delivery"]


@dataclass(frozen=True, slots=True)
class Field:
    """``lock``: never, from the start on ("start"), or from the start on but for a reason that is kept, as a part of the decision
    rule ("rule") or of what visitors get and who of them counts ("delivery").

    ``copied``: a copy and a next round begin with it. ``label`` is how the ledger and refusals call it, "" for its name.
    ``above`` and ``below`` bound it, both excluded; ``at_most`` is included; ``allowed`` says it in words.
    """

    lock: Lock = "never"
    copied: bool = True
    label: str = ""
    above: float | None = None
    below: float | None = None
    at_most: float | None = None
    allowed: str = ""

    def check(self, name: str, value: Any) -> None:
        """Raise InputError for a number out of its range; None is let through."""
        if value is None or self.above is None:
            return
        inside = value > self.above
        inside &= self.below is None or value < self.below
        inside &= self.at_most is None or value <= self.at_most
        if not inside:
            raise InputError(name, value, self.allowed)


def _share(lock: Lock = "never") -> Field:
    return Field(lock, above=0.0, at_most=1.0, allowed="must be above 0% and at most 100%")


def _between(lock: Lock) -> Field:
    return Field(lock, above=0.0, below=1.0, allowed="must lie between 0% and 100%, both excluded")


def _above(lock: Lock) -> Field:
    return Field(lock, above=0.0, below=1e15, allowed="must be above 0")


FIELDS: dict[str, Field] = {
    "name": Field(copied=False),
    "area": Field(),
    "description": Field(),
    "change": Field(label="what changes"),
    "audience": Field(),
    "because": Field(label="reason"),
    "unit_name": Field("start", label="unit"),
    "baseline": _above("start"),
    "standard_deviation": _above("start"),
    "correlation": Field("start"),
    "worthwhile_lift": Field("rule", above=0.0, below=100.0, allowed="must be above 0%"),
    "audience_per_day": Field("start"),
    "participation": _share(),
    "page": Field(label="address of the page"),
    "ramp": Field(),
    "data_from": Field("start"),
    "assignment_unit": Field("start"),
    "audience_rules": Field("delivery", label="who qualifies"),
    "identity": Field("delivery", label="who is a unit"),
    "never_counted": Field("delivery", label="who is never counted"),
    "forced": Field(copied=False),
    "exclusion_group": Field("start"),
    "exclusion_share": _share("start"),
    "confidence": _between("rule"),
    "power": _between("rule"),
    "least_weeks": Field("rule"),
    "least_conversions": Field("rule"),
    "planned_start": Field("start", copied=False),
    "longest_run_weeks": Field("rule"),
    "rounds_planned": Field("rule", label="rounds read together"),
    "question": Field("rule"),
    "method": Field("rule"),
    "method_settings": Field("rule", label="settings of the method"),
    "family": Field("rule"),
    "warm_up_days": Field("rule"),
    "count_tolerance": Field(
        "start",
        above=0.0,
        below=1.0,
        allowed="must lie between 0% and 100%, both excluded",
        label="tolerance of second counts",
    ),
    "allocation": Field("start"),
    "factors": Field("start"),
}
# Lists that are edited as a whole, and locked beside the fields.
LOCKED_LISTS = frozenset({"metrics"})
LOCKED_AT_START = LOCKED_LISTS | {name for name, field in FIELDS.items() if field.lock == "start"}
RULE_FIELDS = frozenset(name for name, field in FIELDS.items() if field.lock == "rule")
COPIED = tuple(name for name, field in FIELDS.items() if field.copied)


def label_of(name: str) -> str:
    """How a field is called in the ledger and in refusals."""
    field = FIELDS.get(name)
    return (field.label if field else "") or name.replace("_", " ")
