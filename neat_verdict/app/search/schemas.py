"""What a search finds."""

from __future__ import annotations

from typing import Literal

from ninja import Schema
from pydantic import Field

Where = Literal["name", "area", "change", "hypothesis", "audience", "lesson", "decision"]


class Words(Schema):
    """All of them must be there, in any order and any case, with or without accents."""

    words: str = Field(default="", max_length=200)


class FoundExperiment(Schema):
    """``where`` the words stand, and the text around the first of them; "" for the name itself, which is shown anyway."""

    key: str
    name: str
    area: str
    state: str
    where: Where
    excerpt: str


class FoundMetric(Schema):
    """``experiments`` have it, in whatever role."""

    key: str
    name: str
    experiments: int


class FoundPerson(Schema):
    """Who owns experiments, and how many."""

    username: str
    display_name: str
    experiments: int


class SearchOut(Schema):
    """The best of each; ``further`` experiments hold the words, too."""

    experiments: list[FoundExperiment]
    further: int
    metrics: list[FoundMetric]
    people: list[FoundPerson]
