"""What a verdict hangs on, of many readings at once: one, the lift over time, or ten thousand rehearsals."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from neat_verdict.core.methods import AtMargin
from neat_verdict.core.numeric import BoolArray, FloatArray
from neat_verdict.core.questions import Question

Positions = NDArray[np.int64]
NOBODY = -1


@dataclass(frozen=True, slots=True)
class Facts:
    """One column a reading; tables have one row a variant beside control.

    Attributes
    ----------
    sound : readings
        Whether the data agree with the design.
    minimum_met : readings
        Whether the rule's minimum is met and there is something to compare.
    last, ended : readings
        Whether the rule reads no more after this, and whether no more data will come.
    clear, beaten : variants x readings
        Shown to be better, and to be worse, as the method of the rule has it.
    below_worthwhile, above_harmful : variants x readings
        Whether the interval lies below the worthwhile lift, and above its negative.
    gains : variants x readings
        How far each lies ahead of control (positive is good); nan counts as far behind.
    harmed, unproven : variants x readings
        Whether a guardrail is harmed or a secondary metric lost, and whether a guardrail has not been shown to be kept.
    at_margin : variants x readings
        Where effects lie against ± the worthwhile lift, as the method of the rule has it.
    question : Question
        What is asked: `wins` are the variants of which it is answered by yes.
    """

    sound: BoolArray
    minimum_met: BoolArray
    last: BoolArray
    ended: BoolArray
    clear: BoolArray
    beaten: BoolArray
    below_worthwhile: BoolArray
    above_harmful: BoolArray
    gains: FloatArray
    harmed: BoolArray
    unproven: BoolArray
    at_margin: AtMargin
    question: Question

    @property
    def inside(self) -> BoolArray:
        """Known to be too small to matter."""
        return self.below_worthwhile & self.above_harmful

    @property
    def wins(self) -> BoolArray:
        """Where the answer to the question is shown to be yes; only where the rule may be read."""
        return self.question.shown(self) & self.readable

    @property
    def refuted(self) -> BoolArray:
        """Where it is shown to be no."""
        return self.question.refuted(self) & self.readable

    @property
    def unharmed(self) -> BoolArray:
        """Winners that harm nothing."""
        return self.wins & ~self.harmed

    @property
    def clean(self) -> BoolArray:
        """Winners that harm nothing and are shown to keep every guardrail."""
        return self.unharmed & ~self.unproven

    @property
    def readable(self) -> BoolArray:
        """Where the rule may be read at all."""
        return self.sound & self.minimum_met

    @property
    def closed(self) -> BoolArray:
        """Where nothing more will be read."""
        return np.where(self.readable, self.last | self.ended, self.ended)

    def best(self, among: BoolArray | None = None) -> Positions:
        """Position of the variant furthest ahead (1 is the first beside control), of those ``among`` which it is sought."""
        gains = np.where(np.isnan(self.gains), -np.inf, self.gains)
        if not len(gains):
            return np.full(gains.shape[1:], NOBODY)
        if among is None:
            return np.asarray(1 + gains.argmax(axis=0))
        chosen = 1 + np.where(among, gains, -np.inf).argmax(axis=0)
        # Where a variant's gain is not known, it is still among those sought.
        first = 1 + among.argmax(axis=0)
        picked = np.take_along_axis(among, (chosen - 1)[None], axis=0)[0]
        return np.asarray(np.where(picked, chosen, np.where(among.any(axis=0), first, NOBODY)))


def some(table: BoolArray) -> BoolArray:
    """Of each reading whether it holds for any variant."""
    return np.asarray(table.any(axis=0))


def every(table: BoolArray) -> BoolArray:
    """Of each reading whether there is a variant and it holds for all."""
    return np.asarray(table.all(axis=0) & bool(len(table)))
