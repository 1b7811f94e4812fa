"""What a total by day is of."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal, get_args

from neat_verdict.core.checks import InputError

TotalOf = Literal["cost", "impressions", "units", "metric"]


@dataclass(frozen=True, slots=True)
class Total:
    """Cost, impressions or units of a day, or what another ``metric`` (by its key) came to on it.

    Raises InputError for another name, for a metric without its key, or a key where there is no metric.
    """

    of: TotalOf
    metric: str = ""

    def __post_init__(self) -> None:
        if self.of not in get_args(TotalOf):
            raise InputError("of", self.of, f"must be one of {', '.join(get_args(TotalOf))}")
        if self.of == "metric" and not self.metric:
            raise InputError("metric", "empty", "must say which metric the total is of")
        if self.of != "metric" and self.metric:
            raise InputError("metric", self.metric, f"must be empty for the total of {self.of}")

    def words(self) -> str:
        """ "cost", "the total of bookings"."""
        return f"the total of {self.metric.replace('-', ' ')}" if self.of == "metric" else self.of
