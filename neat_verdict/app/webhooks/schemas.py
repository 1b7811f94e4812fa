"""Shapes of webhooks."""

from __future__ import annotations

from datetime import datetime
from typing import Any, Literal

from ninja import Schema
from pydantic import Field

from neat_verdict.app.http.bodies import Body, shown


class WebhookIn(Body):
    model_config = shown(
        name="Team channel", url="https://tidewick.example/hooks", kinds=["verdict.changed", "decision.made"]
    )
    name: str = Field(max_length=80)
    url: str = Field(max_length=500)
    kinds: list[str] = Field(max_length=20)


class WebhookChanges(Body):
    """``paused``: nothing is sent; what happens meanwhile is sent when it goes on."""

    model_config = shown(paused=True)
    name: str | None = Field(default=None, max_length=80)
    url: str | None = Field(default=None, max_length=500)
    kinds: list[str] | None = Field(default=None, max_length=20)
    paused: bool | None = None


class WebhookOut(Schema):
    """``secret`` is what its messages are signed with, for the other side to check them. ``pause`` says why it is paused, ""
    while it is not."""

    id: int
    name: str
    url: str
    secret: str
    kinds: list[str]
    made_by: str
    made_at: datetime
    pause: str
    waiting: int
    failed: int
    last_sent: datetime | None


class WebhooksOut(Schema):
    """``kinds`` are what can be chosen, with what each means."""

    kinds: dict[str, str]
    webhooks: list[WebhookOut]


class DeliveryOut(Schema):
    """``status`` is that of the last answer, ``problem`` why there was none; ``data`` what is sent,
    ``name`` that of the experiment."""

    id: int
    message: str
    kind: str
    at: datetime
    state: Literal["waiting", "delivered", "failed"]
    tries: int
    due_at: datetime | None
    sent_at: datetime | None
    status: int | None
    problem: str
    name: str
    sentence: str
    data: dict[str, Any]


class DeliveriesOut(Schema):
    items: list[DeliveryOut]
    count: int
