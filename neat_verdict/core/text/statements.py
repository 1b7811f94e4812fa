"""What the core says, as data: conditions and derivations."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Literal

from neat_verdict.core.text.format import format_full

State = Literal["met", "not_met", "unknown"]
Subject = Literal["minimum", "soundness", "effect"]


@dataclass(frozen=True, slots=True)
class Condition:
    """One line of the decision rule with the figure seen and the figure required.

    ``subject`` says what kind it is: the rule's minimum, the soundness of the data, or the effect.
    """

    key: str
    subject: Subject
    label: str
    state: State
    seen: str
    required: str


def condition(key: str, subject: Subject, label: str, met: bool, seen: str, required: str) -> Condition:
    """A condition that is met or not."""
    return Condition(key, subject, label, "met" if met else "not_met", seen, required)


@dataclass(frozen=True, slots=True)
class Step:
    """One line of a derivation: what it is, and its value in full."""

    name: str
    value: str


@dataclass(frozen=True, slots=True)
class Derivation:
    """How a figure is made, so that it can be done again by hand.

    ``inputs`` are what was counted, ``steps`` what is made of them in order, the last being the figure itself.
    """

    title: str
    words: str
    formula: str
    source: str
    inputs: tuple[Step, ...]
    steps: tuple[Step, ...]


def steps(values: Iterable[tuple[str, float]], mark: str = "") -> tuple[Step, ...]:
    """Named values as steps, their names marked."""
    return tuple(Step(f"{name}{mark}", format_full(value)) for name, value in values)
