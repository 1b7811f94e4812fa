"""Assigning without asking, from the list of running experiments: what `assign.mjs` does in JavaScript."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from neat_verdict.core.matching import groups_of
from neat_verdict.core.traffic.assignment import Reason, Slice, Traffic
from neat_verdict.core.traffic.audience import Audience
from neat_verdict.core.traffic.rollout import RolloutLine, RolloutTraffic
from neat_verdict.core.variants import LETTERS

_FORMAT = 1


@dataclass(frozen=True, slots=True)
class ListedExperiment:
    """An experiment of the list: its key, the letters and parameters of its variants, and how it shares traffic out; of one that
    is rolled out by a list of its own that list, and whether it is measured."""

    key: str
    parameters: Mapping[str, Mapping[str, Any]]
    traffic: Traffic
    rollout: RolloutTraffic | None = None
    measured: bool = False

    def assign(
        self, unit: str, properties: Mapping[str, object], kept: str = "", in_test: str = ""
    ) -> tuple[str, Reason]:
        """A unit's letter, and why. ``kept`` is the letter that it was given before, ``in_test`` the one before a rollout.

        Raises InputError for a unit that is empty or over 200 characters long.
        """
        if self.rollout is not None:
            before = _position(kept) if self.measured else None
            given = self.rollout.assign(unit, properties, in_test=_position(in_test), kept=before)
            return LETTERS[given.position], given.reason
        position = _position(kept)
        known = position is not None and (kept in self.parameters or position in self.traffic.given_up)
        given = self.traffic.assign(unit, properties, position if known else None)
        return LETTERS[given.position], given.reason


def _position(letter: str) -> int | None:
    return LETTERS.index(letter) if letter and letter in LETTERS else None


def read_list(record: Mapping[str, Any]) -> list[ListedExperiment]:
    """The experiments of a list as it was fetched. Raises InputError for values that none may have, KeyError for another
    format."""
    if record["format"] != _FORMAT:
        raise KeyError(f"format {record['format']}")
    return [_experiment(one) for one in record["experiments"]]


def _experiment(one: Mapping[str, Any]) -> ListedExperiment:
    weights = {LETTERS.index(line["letter"]): float(line["weight"]) for line in one["variants"]}
    given_up = frozenset(LETTERS.index(letter) for letter in one["given_up"])
    width = max(2, *(position + 1 for position in (*weights, *given_up)))
    combinations, part = one["combinations"], one["exclusion"]
    if combinations:
        by, shares = tuple(combinations["by"]), combinations["weights"]
    else:
        by = (one["allocated_by"],) if one["allocated_by"] else ()
        shares = {f"{one['allocated_by']}={value}": line for value, line in one["allocated"].items()}
    listed = sorted(weights)
    return ListedExperiment(
        key=one["key"],
        parameters={line["letter"]: line["parameters"] for line in one["variants"]},
        traffic=Traffic(
            salt=one["salt"],
            weights=tuple(weights.get(position, 0.0) for position in range(width)),
            participation=combinations["participation"] if combinations else one["participation"],
            audience=Audience(groups_of(one["audience"], "audience")),
            forced={
                unit: LETTERS.index(letter)
                for unit, letter in one["forced"].items()
                if LETTERS.index(letter) in weights
            },
            slice=Slice(**part) if part else None,
            allocated_by=by,
            allocated={name: _spread(line, listed, width) for name, line in shares.items()},
            uniform=combinations["uniform"] if combinations else 0.0,
            given_up=given_up,
        ),
        rollout=_rollout(one["rollout"]) if one["rollout"] else None,
        measured=bool(one["rollout"] and one["rollout"]["measured"]),
    )


def _spread(shares: Sequence[float], listed: Sequence[int], width: int) -> tuple[float, ...]:
    """Weights in the order of the list, as weights by position."""
    by_position = dict(zip(listed, shares, strict=False))
    return tuple(float(by_position.get(position, 0.0)) for position in range(width))


def _rollout(record: Mapping[str, Any]) -> RolloutTraffic:
    lines = tuple(
        RolloutLine(line["name"], LETTERS.index(line["variant"]), Audience(groups_of(line["audience"], "audience")))
        for line in record["lines"]
    )
    return RolloutTraffic(record["salt"], lines, record["share"], record["holdout"])
