"""Shape of the stakeholder report and of the links to it."""

from __future__ import annotations

from datetime import date, datetime

from ninja import Schema

from neat_verdict.app.analysis.schemas import ReadingOut
from neat_verdict.app.experiments.schemas import DeliveryChangeOut, PictureOut, RuleChangeOut


class FactOut(Schema):
    label: str
    value: str
    note: str


class VariantLineOut(Schema):
    """A variant in figures: its level, the counts behind it, and the lift (empty for control, or where none may be read)."""

    letter: str
    name: str
    changes: str
    level: str
    counts: str
    lift: str


class ReportOut(Schema):
    """Everything a stakeholder reads, in words; ``rule_changes`` what was changed of the rule after the start."""

    key: str
    name: str
    area: str
    workspace: str
    state: str
    verdict_name: str
    date_line: str
    rule_line: str
    hypothesis: str
    because: str
    facts: list[FactOut]
    lines: list[VariantLineOut]
    secondary: list[str]
    caveats: list[str]
    how_decided: str
    shared_out: str
    why: str
    learnt: str
    next_step: str
    pictures: list[list[PictureOut]]
    earlier_pictures: list[list[PictureOut]]
    rule_changes: list[RuleChangeOut]
    delivery_changes: list[DeliveryChangeOut]
    started_on: date | None
    rule_locked_at: datetime | None
    decided_at: datetime | None
    decided_by: str
    decision: str
    decision_sentence: str
    decision_reason: str
    against_rule: bool
    reading: ReadingOut


class LinkIn(Schema):
    days: int = 30
    note: str = ""


class LinkOut(Schema):
    """``path`` is the address below the application's own; ``state`` tells whether it still opens."""

    id: int
    path: str
    note: str
    state: str
    made_by: str
    made_at: datetime
    expires_at: datetime
    opened: int
