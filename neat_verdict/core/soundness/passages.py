"""Who set out for a variant's page and did not arrive there, and for whom a change of the page could not be made."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from scipy.stats import hypergeom

from neat_verdict.core.checks import InputError, check_count

# Shares above which more loss than control's, and failed changes, matter. The house's limits, no source.
LOST_ALARM, FAILED_ALARM = 0.01, 0.01
_LEAST_FAILED = 5
_LEVEL = 0.001


@dataclass(frozen=True, slots=True)
class Part:
    """Some of the units, such as those on phones (``name``), and how many of them are affected. Raises InputError for counts that
    cannot be."""

    name: str
    units: int
    affected: int

    def __post_init__(self) -> None:
        check_count("units", self.units)
        if check_count("affected", self.affected) > self.units:
            raise InputError("affected", self.affected, f"must be 0 to {self.units}, of those there")

    @property
    def share(self) -> float:
        """In [0, 1]; 0 without units."""
        return self.affected / self.units if self.units else 0.0


def where_most(parts: Sequence[Part], units: int, affected: int) -> Part | None:
    """The part whose units are affected more than the rest of ``units`` by more than chance: that with the smallest p of Fisher's
    exact test, one-sided, at 0.1 % among all parts (Bonferroni); None where none stands out. Parts may overlap, as phones and
    those who came by search do. Raises InputError for counts that cannot be.

    Source: Fisher (1935), The Design of Experiments.
    """
    if check_count("affected", affected) > check_count("units", units):
        raise InputError("affected", affected, f"must be 0 to {units}, of those there")
    found = [(float(hypergeom.sf(part.affected - 1, units, affected, part.units)), part) for part in parts]
    pvalue, part = min(found, key=lambda one: one[0], default=(1.0, None))
    return part if pvalue < _LEVEL / max(len(found), 1) else None


@dataclass(frozen=True, slots=True)
class Passage:
    """Units that were assigned to a variant where they set out (``assigned``), and those of them that its page reported
    (``reached``). ``address`` is that of the page; ``parts`` says where units are lost, as far as that has been looked at."""

    letter: str
    address: str
    assigned: int
    reached: int
    parts: Sequence[Part] = ()

    def __post_init__(self) -> None:
        check_count("assigned", self.assigned)
        if check_count("reached", self.reached) > self.assigned:
            raise InputError("reached", self.reached, f"must be 0 to {self.assigned}, of those that set out")

    @property
    def lost(self) -> int:
        """Units that did not arrive."""
        return self.assigned - self.reached

    @property
    def lost_share(self) -> float:
        """In [0, 1]; 0 where nobody set out."""
        return self.lost / self.assigned if self.assigned else 0.0

    @property
    def worst(self) -> Part | None:
        """Where most are lost, if anywhere more than elsewhere."""
        return where_most(self.parts, self.assigned, self.lost)


@dataclass(frozen=True, slots=True)
class FailedChange:
    """A change of the page, in words, that could not be made for ``failed`` of the ``units`` of its variant; ``parts`` says for
    whom. Raises InputError for counts that cannot be."""

    letter: str
    words: str
    units: int
    failed: int
    parts: Sequence[Part] = ()

    def __post_init__(self) -> None:
        check_count("units", self.units)
        if check_count("failed", self.failed) > self.units:
            raise InputError("failed", self.failed, f"must be 0 to {self.units}, of those that were to see it")

    @property
    def alarm(self) -> bool:
        """Whether it failed for more than 1 % of the units, and at least 5."""
        return self.failed >= _LEAST_FAILED and self.failed > FAILED_ALARM * self.units

    @property
    def worst(self) -> Part | None:
        """For whom it fails most, if for some more than for others."""
        return where_most(self.parts, self.units, self.failed)


@dataclass(frozen=True, slots=True)
class Loss:
    """A variant that loses more units than control; ``pvalue`` is that of so many or more by chance."""

    passage: Passage
    control: Passage
    pvalue: float


def check_passages(passages: Sequence[Passage]) -> tuple[Loss, ...]:
    """The variants (all after the first, which is control) that lose more than 1 % more units than control does, by more than
    chance: Fisher's exact test, one-sided, at 0.1 % among all variants together (Bonferroni).

    Source: Fisher (1935), The Design of Experiments.
    """
    if not passages:
        return ()
    control, *others = passages
    found = [Loss(one, control, _pvalue(one, control)) for one in others]
    level = _LEVEL / max(len(others), 1)
    return tuple(
        loss for loss in found if loss.pvalue < level and loss.passage.lost_share - control.lost_share > LOST_ALARM
    )


def _pvalue(one: Passage, control: Passage) -> float:
    units = one.assigned + control.assigned
    return float(hypergeom.sf(one.lost - 1, units, one.lost + control.lost, one.assigned))
