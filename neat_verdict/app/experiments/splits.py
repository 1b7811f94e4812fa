"""A fixed split that is changed while an experiment runs, and variants that are stopped or join: what is kept of it, and what
follows.

A change holds from the beginning of a day on, so that every day has one split; a variant is stopped at once, and the day of it
counts for the others only (`core.stretches`).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict, dataclass
from datetime import date, datetime
from typing import Any, Literal

from neat_verdict.app.experiments.delivery import DeliveryChange
from neat_verdict.app.experiments.models import Experiment
from neat_verdict.core.stretches import SplitChange, Stretch, stretch_on, stretches_of
from neat_verdict.core.text.format import format_share, listed
from neat_verdict.core.variants import LETTERS

Afterwards = Literal["keep", "control", ""]
AFTERWARDS_WORDS: dict[Afterwards, str] = {
    "keep": "who has it keeps it",
    "control": "who has it gets control’s",
    "": "it gets nobody new",
}


@dataclass(frozen=True, slots=True)
class KeptChange:
    """As it is kept: ``weights`` of all variants from ``from_day`` on, with the letter of one that ``joined`` on that day, or the
    letter of one that was ``stopped`` on it and what its units get ``afterwards`` ("" where others share out)."""

    from_day: date
    at: datetime
    by: str
    reason: str
    weights: tuple[float, ...] = ()
    stopped: str = ""
    afterwards: Afterwards = ""
    joined: str = ""

    def stored(self) -> dict[str, Any]:
        """Plain values."""
        return {
            **asdict(self),
            "from_day": self.from_day.isoformat(),
            "at": self.at.isoformat(),
            "weights": list(self.weights),
        }

    @property
    def change(self) -> SplitChange:
        """As the core has it."""
        return SplitChange(self.from_day.toordinal(), self.weights, _position(self.stopped), _position(self.joined))


def _position(letter: str) -> int | None:
    return LETTERS.index(letter) if letter else None


def kept_changes(experiment: Experiment) -> list[KeptChange]:
    """Those of the present round, in the order of their days."""
    made = [
        KeptChange(**{
            **line,
            "from_day": date.fromisoformat(line["from_day"]),
            "at": datetime.fromisoformat(line["at"]),
            "weights": tuple(line["weights"]),
        })
        for line in experiment.split_changes
    ]  # fmt: skip
    return sorted(made, key=lambda one: (one.from_day, one.at))


def stretches(experiment: Experiment, changes: Sequence[KeptChange] | None = None) -> tuple[Stretch, ...]:
    """The stretches of the round; one where nothing was changed."""
    kept = kept_changes(experiment) if changes is None else changes
    first = experiment.started_on.toordinal() if experiment.started_on else 0
    return stretches_of(_weights(experiment), [one.change for one in kept], first)


def is_changed(made: Sequence[Stretch]) -> bool:
    """Whether these are other than one split for the whole run."""
    return len(made) > 1 or any(0 in one.shares for one in made)


def shares_on(experiment: Experiment, day: date) -> tuple[float, ...]:
    """By which shares units fall to the variants on a day, by the weights of the plan where nothing was changed."""
    if not experiment.split_changes:
        return _weights(experiment)
    return stretch_on(stretches(experiment), day.toordinal())[1].shares


def stopped_variants(experiment: Experiment) -> dict[str, KeptChange]:
    """The variants that were stopped in this round, by letter."""
    return {one.stopped: one for one in kept_changes(experiment) if one.stopped}


def as_changes(experiment: Experiment) -> list[DeliveryChange]:
    """The changes as everybody reads them, with what follows for the evidence."""
    changes = kept_changes(experiment)
    first = experiment.started_on or date.min
    result = []
    for place, one in enumerate(changes):
        before = stretches(experiment, changes[:place])[-1].shares
        after = stretches(experiment, changes[: place + 1])[-1].shares
        if one.stopped:
            subject, was, now = one.stopped, "shown", AFTERWARDS_WORDS[one.afterwards]
            late = one.from_day > first
            consequence = "It is compared up to the day before." if late else "It has no whole day to compare."
        elif one.joined:
            subject, was, now = one.joined, "not there", split_words(after)
            consequence = "It is compared with the control of its own time."
        else:
            subject, was, now = "The split", split_words(before), split_words(after)
            consequence = (
                "Variants are compared within each stretch of one split, so that levels and lift need not agree."
            )
        result.append(
            DeliveryChange(
                one.at,
                one.by,
                one.reason,
                subject,
                was,
                now,
                one.from_day,
                consequence,
                bool(one.stopped),
                bool(one.joined),
            )
        )
    return result


def split_words(shares: Sequence[float]) -> str:
    """Shares in words: "A 90%, B 10%"; those of variants without any left out."""
    digits = 0 if all(round(100 * share, 6).is_integer() for share in shares) else 1
    parts = [f"{LETTERS[at]} {format_share(share, digits)}" for at, share in enumerate(shares) if share]
    return listed(parts)


def _weights(experiment: Experiment) -> tuple[float, ...]:
    return tuple(variant.weight for variant in experiment.variants.all())
