"""The days that the rows of a file may be of."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, timedelta

from neat_verdict.core.checks import FIRST_DAY, InputError

FAR_BEFORE = 92  # days before the start, beyond which a day is taken for a slip. The house's limit, no source


@dataclass(frozen=True, slots=True)
class Span:
    """Up to ``latest``, today; from a while before the experiment ``began`` on: a year that is mistyped makes a run of years."""

    latest: date
    began: date | None = None

    @property
    def earliest(self) -> date:
        return FIRST_DAY if self.began is None else max(self.began - timedelta(days=FAR_BEFORE), FIRST_DAY)

    @property
    def too_early(self) -> str:
        """What is wrong with a day before the earliest."""
        began = f"{self.began:%-d %B %Y}" if self.began else "the first of all days"
        return f"lies more than {FAR_BEFORE} days before the experiment began ({began}); is the year right?"

    def check(self, field: str, text: str, day: date) -> date:
        """Return the day; raise InputError, naming the field and the text as it was, for one that is not in the span."""
        if day > self.latest:
            raise InputError(field, text, f"lies in the future (today is {self.latest.isoformat()})")
        if day < self.earliest:
            raise InputError(field, text, self.too_early)
        return day
