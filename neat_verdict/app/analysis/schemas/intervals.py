"""An interval as every shape shows it."""

from __future__ import annotations

from pydantic import BaseModel as Schema  # its instances are taken as they are, not walked through again


class IntervalOut(Schema):
    """``low_open``/``high_open`` distinguish a bound without limit from a missing one; the texts are as they are shown."""

    estimate: float | None
    low: float | None
    high: float | None
    low_open: bool = False
    high_open: bool = False
    estimate_text: str = ""
    low_text: str = ""
    high_text: str = ""
