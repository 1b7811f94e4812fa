"""Shapes of the API for forgetting people."""

from __future__ import annotations

from datetime import datetime

from ninja import Field, Schema

from neat_verdict.app.http.bodies import Body


class PersonIn(Body):
    """A person, by any of their ids."""

    unit: str = Field(max_length=200)


class KnownOut(Schema):
    """What is known of a person: their ids, events, the experiments that are counted without them, those decided with them, and
    those whose plan names one of the ids."""

    ids: list[str]
    events: int
    made_again: list[str]
    decided: list[str]
    named_in: list[str]


class ForgottenOut(Schema):
    """A person who was forgotten; ``ids`` are those still to be erased where the data live."""

    id: int
    at: datetime
    by: str
    ids: list[str]
    events: int
    experiments: int
    erased_there_at: datetime | None
