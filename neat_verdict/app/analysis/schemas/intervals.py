"""An interval as every shape shows it."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel as Schema  # its instances are taken as they are, not walked through again

Tone = Literal["ahead", "behind", "open"]


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
