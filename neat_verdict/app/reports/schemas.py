"""Shape of the stakeholder report."""

from __future__ import annotations

from datetime import date, datetime

from ninja import Schema

from neat_verdict.app.experiments.schemas import PictureOut, RuleChangeOut
from neat_verdict.app.readings.schemas import ReadingOut


class ReportOut(Schema):
    """``tried`` lists, by variant, what was changed; ``rule_changes`` what was changed of the rule after the start."""

    key: str
    name: str
    area: str
    workspace: str
    state: str
    hypothesis: str
    because: str
    tried: list[list[str]]
    pictures: list[list[PictureOut]]
    rule_changes: list[RuleChangeOut]
    started_on: date | None
    rule_locked_at: datetime | None
    decided_at: datetime | None
    decided_by: str
    decision: str
    decision_sentence: str
    decision_reason: str
    decision_next: str
    against_rule: bool
    reading: ReadingOut
