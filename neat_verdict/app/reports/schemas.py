"""Shapes of the stakeholder report, of what an engineer needs, and of the links to both."""

from __future__ import annotations

from datetime import date, datetime
from typing import Literal

from ninja import Schema

from neat_verdict.app.analysis.schemas import ReadingOut
from neat_verdict.app.experiments.schemas import DeliveryChangeOut, ParameterIO, PictureOut, Role, RuleChangeOut
from neat_verdict.app.http.bodies import Body, shown
from neat_verdict.app.regions.schemas import RegionReadingOut
from neat_verdict.app.site.schemas import FindingOut, PagePreviewOut
from neat_verdict.app.traffic.schemas import SnippetOut


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
    data_until: str
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
    rollout_brings: str = ""
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
    by_region: Literal[False] = False


class RegionReportOut(Schema):
    """The same of a test by region; ``outcomes`` are its other outcomes and product groups in words."""

    key: str
    name: str
    area: str
    workspace: str
    state: str
    verdict_name: str
    date_line: str
    rule_line: str
    because: str
    facts: list[FactOut]
    outcomes: list[str]
    caveats: list[str]
    how_decided: str
    why: str
    learnt: str
    next_step: str
    decided_at: datetime | None
    decided_by: str
    decision: str
    decision_sentence: str
    decision_reason: str
    against_rule: bool
    reading: RegionReadingOut
    by_region: Literal[True] = True


AnyReport = ReportOut | RegionReportOut


LinkKind = Literal["report", "engineer"]


class LinkIn(Body):
    """A link to the report, or to what an engineer needs, from the draft on."""

    model_config = shown(days=30, note="For the weekly review")
    kind: LinkKind = "report"
    days: int = 30
    note: str = ""


class LinkOut(Schema):
    """``path`` is the address below the application's own; ``state`` tells whether it still opens."""

    id: int
    kind: LinkKind
    path: str
    note: str
    state: str
    made_by: str
    made_at: datetime
    expires_at: datetime
    opened: int


class GivenVariantOut(Schema):
    """A variant as the site sees it; ``share`` is its share of the traffic that takes part."""

    letter: str
    name: str
    changes: list[str]
    share: float
    parameters: list[ParameterIO]


class WantedEventOut(Schema):
    """Events to be sent, in words, by the metric that counts them; ``amount_of`` is the property that holds its amount."""

    metric: str
    role: Role
    words: str
    events: list[str]
    amount_of: list[str]


class EngineerOut(Schema):
    """All that an engineer needs to bring an experiment onto the page."""

    key: str
    name: str
    workspace: str
    owner: str
    change: str
    audience: str
    page: str
    unit: str
    planned_start: date | None
    state: str
    variants: list[GivenVariantOut]
    events: list[WantedEventOut]
    snippets: list[SnippetOut]
    previews: list[PagePreviewOut]
    findings: list[FindingOut]
    expires_at: datetime
