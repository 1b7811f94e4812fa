"""Which variant a unit gets: the same for ever, without asking anybody, fair, and moved by no more than must move.

A unit's *point* is the first half of MurmurHash3 x64-128 of a text, its upper 53 bits as a number in (0, 1):

    point(seed, text) = (h1 >> 11 + 0.5) / 2**53

Participation: point(1, "salt/unit") below the share; raising the share only adds units. Variant: weighted rendezvous (Thaler &
Ravishankar 1998 for the unweighted form): each variant scores -weight / ln(point(2, "salt/letter/unit")), the highest
wins, so that changed weights move only what must move. Exclusion: point(3, "group/unit") within the experiment's slice.
Where shares follow several properties, a unit with point(6, "salt/unit") below the uniform share has the even weights.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from math import isfinite, log
from typing import Literal

import mmh3

from neat_verdict.core.checks import InputError, check_positive, check_share
from neat_verdict.core.limits import MAX_UNIT_LENGTH
from neat_verdict.core.traffic.audience import Audience
from neat_verdict.core.variants import LETTERS

Reason = Literal["forced", "audience", "exclusion", "participation", "assigned", "kept", "stopped", "not_running"]
PARTICIPATION_SEED, VARIANT_SEED, EXCLUSION_SEED, UNIFORM_SEED = 1, 2, 3, 6

MAX_ALLOCATED_BY, MAX_PROPERTY_NAMES = 4, 80  # properties, and characters of their names in all
_OF_SEVERAL = 24  # characters of a value, where several are joined
UNIFORM_MARK = "~"  # before the segment of units that were assigned evenly whatever was seen
_SCALE = 2.0**-53


def point(seed: int, text: str) -> float:
    """The point of a text in (0, 1), both excluded."""
    return ((mmh3.hash64(text, seed, signed=False)[0] >> 11) + 0.5) * _SCALE


@dataclass(frozen=True, slots=True)
class Slice:
    """The part [start, end) of the units of an exclusion group that an experiment may have. Raises InputError outside [0, 1]."""

    group: str
    start: float
    end: float

    def __post_init__(self) -> None:
        if not self.group:
            raise InputError("group", "empty", "must name the exclusion group")
        if not 0 <= self.start < self.end <= 1:
            raise InputError("slice", f"{self.start:g} to {self.end:g}", "must be a part of 0 to 1")

    def holds(self, unit: str) -> bool:
        """Whether the unit is the experiment's."""
        return self.start <= point(EXCLUSION_SEED, f"{self.group}/{unit}") < self.end


@dataclass(frozen=True, slots=True)
class Assignment:
    """A variant by position (0 is control), the reason, and what decided in words."""

    position: int
    reason: Reason
    because: str = ""

    @property
    def takes_part(self) -> bool:
        """True where the unit counts."""
        return self.reason == "assigned"


_Parts = tuple[tuple[str, float, Assignment], ...]


def property_text(value: object) -> str:
    """A property's value as segments are named by it: the same for true and "true", and "(not known)" where there is none."""
    if value is None or value == "":
        return "(not known)"
    if isinstance(value, bool):
        return "true" if value else "false"
    # Crossed properties are joined by &, so no value has it.
    return str(value)[:80].replace(" & ", " and ")


def segment_name(names: Sequence[str], properties: Mapping[str, object], length: int | None = None) -> str:
    """The segment of a unit: "device=phone", or by several "device=phone & source=search"; values cut to ``length``."""
    return " & ".join(f"{name}={property_text(properties.get(name))[:length]}" for name in names)


def other_segment(names: Iterable[str]) -> str:
    """The segment of the units whose values are not kept apart, of a property or several: "town=(other)"."""
    return " & ".join(f"{name}=(other)" for name in names)


@dataclass(frozen=True, slots=True)
class Traffic:
    """How an experiment shares its traffic out.

    Parameters
    ----------
    salt : str
        Of the experiment's round; another salt shuffles the units anew. Not empty.
    weights : sequence of float
        One a variant, 2 to 10, control first, 0 or more and not all 0; only their proportions count, and a variant with 0
        gets nobody new.
    participation : float
        Share of the audience that takes part, in [0, 1].
    audience : Audience
    forced : mapping of unit to position
        Units that get a variant to look at it, before the start too; they do not count.
    slice : Slice or None
        The experiment's part of an exclusion group.
    running : bool
    holding : bool
        While it does not run: whether units that are in keep their variant. Nobody new comes in.
    allocated_by : sequence of str
        Properties; the segments by them in ``allocated`` have weights of their own, the others ``weights``. Empty for none.
    allocated : mapping of segment (as `segment_name`) to weights
    uniform : float
        Part of the units whose weights are even whatever the others' are, in [0, 1).
    given_up : set of position
        Variants that were stopped and whose units get control's from then on; what they do still counts where they were.

    Raises
    ------
    InputError
        Naming the field.
    """

    salt: str
    weights: tuple[float, ...]
    participation: float = 1.0
    audience: Audience = field(default_factory=Audience)
    forced: Mapping[str, int] = field(default_factory=dict)
    slice: Slice | None = None
    running: bool = True
    holding: bool = False
    allocated_by: tuple[str, ...] = ()
    allocated: Mapping[str, tuple[float, ...]] = field(default_factory=dict)
    uniform: float = 0.0
    given_up: frozenset[int] = frozenset()
    _parts: _Parts = field(init=False, repr=False, compare=False)
    _allocated_parts: Mapping[str, _Parts] = field(init=False, repr=False, compare=False)
    _even_parts: _Parts = field(init=False, repr=False, compare=False)
    _left_out: Assignment = field(init=False, repr=False, compare=False)

    def __post_init__(self) -> None:
        if not self.salt:
            raise InputError("salt", "empty", "must tell the experiment's round from all others")
        if not 2 <= len(self.weights) <= len(LETTERS):
            raise InputError("weights", len(self.weights), f"must be 2 to {len(LETTERS)}")
        for weights in (self.weights, *self.allocated.values()):
            if len(weights) != len(self.weights):
                raise InputError("allocated", len(weights), f"must be {len(self.weights)} weights for every value")
            for weight in weights:
                if not (isfinite(weight) and weight >= 0):
                    raise InputError("weights", weight, "must be 0 or more")
            check_positive("weights", sum(weights))
        if not 0 <= self.participation <= 1:
            raise InputError("participation", self.participation, "must lie between 0% and 100%")
        if not 0 <= self.uniform < 1:
            raise InputError("uniform", self.uniform, "must be at least 0% and under 100%")
        for position in self.forced.values():
            if not 0 <= position < len(self.weights):
                raise InputError("forced", position, "must be the position of a variant")
        object.__setattr__(self, "_parts", self._parts_of(self.weights))
        by_value = {value: self._parts_of(weights) for value, weights in self.allocated.items()}
        object.__setattr__(self, "_allocated_parts", by_value)
        object.__setattr__(self, "_even_parts", self._parts_of([1.0] * len(self.weights)))
        text = f"takes part below {self.participation:.4g} of the audience, and lies above"
        object.__setattr__(self, "_left_out", Assignment(0, "participation", text))

    def _parts_of(self, weights: Sequence[float]) -> _Parts:
        return tuple(
            (f"{self.salt}/{letter}/", -weight, Assignment(position, "assigned"))
            for position, (letter, weight) in enumerate(zip(LETTERS, weights, strict=False))
        )

    def assign(self, unit: str, properties: Mapping[str, object], kept: int | None = None) -> Assignment:
        """The unit's variant. ``kept`` is the position it was given before in this round: once in, it stays.

        Raises InputError for a unit that is empty or over 200 characters long.
        """
        if not 0 < len(unit) <= MAX_UNIT_LENGTH:
            raise InputError("unit", unit[:40] or "empty", f"must be 1 to {MAX_UNIT_LENGTH} characters")
        if self.forced and (chosen := self.forced.get(unit)) is not None:
            return Assignment(chosen, "forced", "chosen by hand")
        if not self.running:
            held = self.holding and kept is not None and kept not in self.given_up
            return self._parts[kept][2] if held and kept is not None else _NOT_RUNNING
        if kept is not None:
            return _STOPPED if kept in self.given_up else self._parts[kept][2]
        if self.audience.groups and not self.audience.admits(properties):
            return Assignment(0, "audience", self.audience.rule_on(properties).because)
        if self.slice is not None and not self.slice.holds(unit):
            return Assignment(0, "exclusion", f"kept for other experiments of “{self.slice.group}”")
        hash64 = mmh3.hash64
        if self.participation < 1:
            drawn = hash64(f"{self.salt}/{unit}", PARTICIPATION_SEED, signed=False)[0]
            if ((drawn >> 11) + 0.5) * _SCALE >= self.participation:
                return self._left_out
        best, won = 0.0, self._left_out
        parts = self._parts
        if self.uniform and self.is_uniform(unit):
            parts = self._even_parts
        elif self.allocated_by:
            parts = self._allocated_parts.get(self.segment_of(properties), parts)
        for prefix, negative_weight, outcome in parts:
            drawn = hash64(prefix + unit, VARIANT_SEED, signed=False)[0]
            score = negative_weight / log(((drawn >> 11) + 0.5) * _SCALE)
            if score > best:
                best, won = score, outcome
        return won

    def segment_of(self, properties: Mapping[str, object]) -> str:
        """The segment by which a unit's weights are found; "" where they are everybody's."""
        return segment_name(self.allocated_by, properties, _OF_SEVERAL if len(self.allocated_by) > 1 else None)

    def is_uniform(self, unit: str) -> bool:
        """Whether a unit has the even weights whatever the others' are."""
        return point(UNIFORM_SEED, f"{self.salt}/{unit}") < self.uniform


_STOPPED = Assignment(0, "stopped", "its variant was stopped, and who had it gets control's")
_NOT_RUNNING = Assignment(0, "not_running", "the experiment does not run")


def free_slice(taken: Sequence[tuple[float, float]], share: float) -> tuple[float, float] | None:
    """The first gap in [0, 1] beside the slices taken that holds ``share``; None where there is none."""
    if not 0 < share <= 1:
        raise InputError("share", share, "must be above 0 and at most 1")
    for slice_taken in taken:
        for edge in slice_taken:
            check_share("taken", edge)
    start = 0.0
    for begin, end in [*sorted(taken), (1.0, 1.0)]:
        if begin - start >= share - 1e-9:
            return round(start, 9), round(min(start + share, 1.0), 9)
        start = max(start, end)
    return None
