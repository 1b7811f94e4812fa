"""What can be asked of a test by region: its past, its pairs and designs, its cells, its placebo tests."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from datetime import date
from functools import lru_cache
from typing import Any

import numpy as np
from django.http import Http404

from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.http.problems import Conflict
from neat_verdict.app.planning.background import bury_the_dead
from neat_verdict.app.regions.desk import Order
from neat_verdict.app.regions.models import PlaceboRun, RegionPlan, RegionSeries
from neat_verdict.core.checks import InputError
from neat_verdict.core.regions import (
    WITHHELD,
    YEAR,
    Arm,
    Block,
    Blocks,
    DrawnPair,
    Group,
    Levels,
    Matching,
    Panel,
    RegionDesign,
    RegionPair,
    SpendingCalendar,
    base_days_of,
    blocks_of,
    designs_for,
    edited,
    graded,
    groups_of,
    match_regions,
    pairs_from,
    spending_calendar,
    usual_spend,
)

SPEND = ""  # the measure of spend, which is no outcome's name
NOT_ANALYSED = "not-analysed"  # as its list is named


@dataclass(frozen=True, slots=True)
class Asked:
    """What pairs and designs follow from; the same are worked out once."""

    plan: int
    digest: str
    outcome: str
    groups: tuple[str, ...]
    excluded: tuple[str, ...]
    must: tuple[str, ...]
    listed: tuple[tuple[str, str], ...]
    cool_down: int
    confidence: float
    power: float
    break_even: float
    levels: tuple[tuple[Arm, float], ...]

    @property
    def key(self) -> str:
        """The same for what is the same, short."""
        return hashlib.sha256(json.dumps(asdict(self), sort_keys=True).encode()).hexdigest()


@dataclass(frozen=True)
class Choice:
    """The pairs, from the closest on, and the designs there are to choose from; none, and why, where there cannot be any."""

    matching: Matching | None
    designs: tuple[RegionDesign, ...]
    problem: str


def plan_of(experiment: Experiment) -> RegionPlan:
    """The plan of an experiment by region. Raises Conflict for one by visitor."""
    plan = RegionPlan.objects.filter(experiment=experiment).first()
    if plan is None:
        raise Conflict("This experiment is by visitor; a test by region is made as one")
    return plan


def asked(plan: RegionPlan) -> Asked | None:
    """None before there are past data and an outcome that decides."""
    if not plan.digest or not plan.outcome:
        return None
    return Asked(
        plan.pk,
        plan.digest,
        plan.outcome,
        tuple(plan.groups),
        tuple(plan.excluded),
        tuple(plan.must),
        tuple((first, second) for first, second in plan.listed),
        plan.cool_down,
        plan.confidence,
        plan.power,
        plan.break_even or 0.0,
        tuple(levels_of(plan).items()),
    )


def levels_of(plan: RegionPlan) -> Levels:
    """What is spent of the usual while the test runs, by arm."""
    if plan.lower is None or plan.higher is None:
        return WITHHELD
    return graded(plan.lower, plan.higher)


def panel_of(plan: RegionPlan) -> Panel:
    """The past of the product groups that count. Raises Conflict without past data."""
    if not plan.digest:
        raise Conflict("There are no past data yet: bring them in on Sizing")
    return _panel(plan.pk, plan.digest, tuple(plan.groups))


def past_of(plan: RegionPlan, groups: tuple[str, ...]) -> Panel:
    """The past of some product groups ((): all)."""
    return _panel(plan.pk, plan.digest, groups)


@lru_cache(maxsize=8)
def _panel(plan: int, _digest: str, groups: tuple[str, ...]) -> Panel:
    rows = RegionSeries.objects.filter(plan=plan, of_test=False)
    if groups:
        rows = rows.filter(group__in=groups)
    sums: dict[str, dict[str, np.ndarray]] = {}
    first = None
    for row in rows:
        first = row.first
        values = np.frombuffer(bytes(row.values), dtype="<f8")
        of = sums.setdefault(row.measure, {})
        of[row.region] = of[row.region] + values if row.region in of else values
    if first is None:
        raise InputError("groups", ", ".join(groups), "must be groups of the past data")
    regions = tuple(sorted(sums[SPEND]))
    tables = {measure: np.stack([of[region] for region in regions]) for measure, of in sums.items()}
    spend = tables.pop(SPEND)
    return Panel(regions, first, tables, spend)


def choice_of(plan: RegionPlan) -> Choice:
    """Pairs and designs of a plan as it is now."""
    question = asked(plan)
    if question is None:
        return Choice(None, (), "")
    return _choice(question)


def blocks_for(question: Asked) -> Blocks | None:
    """The past in blocks with the pairs that the rest of it leads to; None for pairs that somebody listed."""
    if question.listed:
        return None
    panel = _panel(question.plan, question.digest, question.groups)

    @lru_cache
    def blocks(count: int) -> Sequence[Block]:
        return blocks_of(panel, question.outcome, count, without=question.excluded, must=question.must)

    return blocks


@lru_cache(maxsize=16)
def _choice(question: Asked) -> Choice:
    panel = _panel(question.plan, question.digest, question.groups)
    try:
        if question.listed:
            matching = pairs_from(panel, question.outcome, question.listed)
        else:
            matching = match_regions(panel, question.outcome, without=question.excluded, must=question.must)
    except InputError as problem:
        return Choice(None, (), str(problem))
    try:
        designs = designs_for(
            panel,
            question.outcome,
            matching.pairs,
            break_even=question.break_even,
            confidence=question.confidence,
            power=question.power,
            cool_down=question.cool_down,
            blocks=blocks_for(question),
            levels=dict(question.levels),
        )
    except InputError as problem:
        return Choice(matching, (), str(problem))
    return Choice(matching, tuple(designs), "")


def chosen_of(plan: RegionPlan) -> RegionDesign | None:
    """The design that was chosen; None before, or where it is no longer among those there are."""
    return next((one for one in choice_of(plan).designs if (one.pairs, one.weeks) == (plan.pairs, plan.weeks)), None)


def chosen_pairs(plan: RegionPlan) -> tuple[RegionPair, ...]:
    """The pairs of the chosen design. Raises Conflict before one is chosen."""
    matching, chosen = choice_of(plan).matching, chosen_of(plan)
    if matching is None or chosen is None:
        raise Conflict("Choose a design on Sizing first")
    return matching.pairs[: chosen.pairs]


@dataclass(frozen=True, slots=True)
class Length:
    """Days of the test, of its cool-down, and of the base before it."""

    test_days: int
    cool_down_days: int
    base_days: int


def length_of(plan: RegionPlan) -> Length:
    """How long the chosen design is; it needs no designs to be worked out again. Raises Conflict before one is chosen."""
    if plan.weeks is None:
        raise Conflict("Choose a design on Sizing first")
    test, cool_down = plan.weeks * 7, plan.cool_down * 7
    return Length(test, cool_down, base_days_of(test + cool_down))


def asked_of_placebo(plan: RegionPlan) -> str:
    """What a placebo test of the chosen design answers. Raises Conflict before one is chosen."""
    pairs, question = chosen_pairs(plan), asked(plan)
    assert question is not None
    named = [[pair.first, pair.second] for pair in pairs]
    whole = [question.plan, question.digest, question.outcome, question.groups, named, plan.weeks, plan.cool_down]
    if plan.lower is not None:
        whole += question.levels
    return hashlib.sha256(json.dumps([*whole, plan.confidence, plan.power]).encode()).hexdigest()


def latest_placebo(plan: RegionPlan) -> PlaceboRun | None:
    """The placebo test begun last."""
    bury_the_dead(plan.placebos.all())
    return plan.placebos.select_related("by").first()


def find_placebo(plan: RegionPlan, number: int) -> PlaceboRun:
    """Raises Http404."""
    row = plan.placebos.filter(pk=number).first()
    if row is None:
        raise Http404
    return row


def calendar_of(plan: RegionPlan) -> SpendingCalendar | None:
    """The spending calendar as it was made and changed; None before it is made. Raises Conflict before the draw."""
    if plan.calendar is None:
        return None
    return worked_out(plan, plan.calendar)


def worked_out(plan: RegionPlan, kept: Mapping[str, Any]) -> SpendingCalendar:
    """A calendar from what is kept of it. Raises Conflict before the draw, InputError for what cannot be."""
    cells, length = cells_of(plan), length_of(plan)
    panel = panel_of(plan)
    known = set(panel.regions)
    groups = {group: [name for name in regions if name in known] for group, regions in cells.items()}
    made = spending_calendar(
        usual_spend(panel, groups),
        date.fromisoformat(kept["start"]),
        test_days=length.test_days,
        cool_down_days=length.cool_down_days,
        again=kept["again"],
        budget=kept["budget"],
        levels=levels_of(plan),
    )
    return edited(made, {(date.fromisoformat(day), group): cents for day, group, cents in kept["edits"]})


def calendar_to_hand_over(plan: RegionPlan) -> SpendingCalendar:
    """Raises Conflict before it is made, and for a difference from the budget that nobody gave a reason for."""
    calendar = calendar_of(plan)
    if calendar is None:
        raise Conflict("There is no spending calendar yet: make it on Traffic")
    if calendar.beyond and not (plan.calendar or {})["reason"]:
        raise Conflict("The calendar differs from the budget by more than is tolerated: say why on Traffic")
    return calendar


def drawn_of(plan: RegionPlan) -> dict[Arm, tuple[DrawnPair, ...]]:
    """The drawn pairs by arm. Raises Conflict before the draw."""
    if plan.drawn is None:
        raise Conflict("Nothing is drawn yet: draw on Traffic")
    made: dict[Arm, list[DrawnPair]] = {arm: [] for arm in levels_of(plan)}
    for treated, control, *arm in plan.drawn:
        made[arm[0] if arm else "withheld"].append(DrawnPair(treated, control))
    return {arm: tuple(pairs) for arm, pairs in made.items()}


def cells_of(plan: RegionPlan) -> dict[Group, list[str]]:
    """Regions by group in the calendar's order, each in that of the alphabet. Raises Conflict before the draw."""
    drawn = drawn_of(plan)
    groups: dict[Group, list[str]] = {arm: sorted(pair.treated for pair in pairs) for arm, pairs in drawn.items()}
    groups["control"] = sorted(pair.control for pairs in drawn.values() for pair in pairs)
    taken = {name for regions in groups.values() for name in regions}
    everywhere: Sequence[str] = [*panel_of(plan).regions, *(plan.found or {}).get("left_out", [])]
    groups["other"] = sorted(name for name in everywhere if name not in taken)
    return {group: groups[group] for group in groups_of(levels_of(plan))}


def list_of(plan: RegionPlan, name: str) -> list[str]:
    """The regions of a list to hand over. Raises Conflict before the draw, InputError for a list that the test does not have."""
    cells = {NOT_ANALYSED if group == "other" else str(group): regions for group, regions in cells_of(plan).items()}
    if name not in cells:
        raise InputError("name", name, f"must be one of {', '.join(cells)}")
    return cells[name]


def order_of(plan: RegionPlan, name: str) -> Order:
    """What the advertising desk is asked to spend: the calendar, and the regions with what each usually has a day."""
    calendar, panel, cells = calendar_to_hand_over(plan), panel_of(plan), cells_of(plan)
    usual = dict(zip(panel.regions, panel.spend[:, -YEAR:].mean(axis=1).tolist(), strict=True))
    return Order(
        name,
        plan.currency,
        tuple(
            (one.day, group, cents)
            for one in calendar.days
            for group, cents in zip(calendar.groups, one.planned, strict=True)
        ),
        {group: {region: usual[region] for region in regions if region in usual} for group, regions in cells.items()},
    )


def missing_for_start(plan: RegionPlan) -> list[str]:
    """What a test by region lacks before it can start, in words, in the order of its sheets; nothing where it is ready."""
    missing = []
    if plan.break_even is None:
        missing.append("say on Brief what each unit of spend must bring for it to pay")
    if plan.drawn is None:
        return [*missing, "draw the cells on Traffic"]
    panel = panel_of(plan)
    if any(panel.spend[panel.rows([pair.treated for pair in pairs])].sum() == 0 for pairs in drawn_of(plan).values()):
        missing.append("the past has no spend in the regions where it is to be changed; bring it in with the past data")
    try:
        calendar = calendar_to_hand_over(plan)
    except Conflict as problem:
        return [*missing, str(problem)]
    start, base_days = calendar.days[0].day, length_of(plan).base_days
    if start <= panel.last:
        missing.append(
            f"the calendar begins on {start:%-d %B %Y}, within the past data, which go up to {panel.last:%-d %B %Y}"
        )
    elif (start - panel.first).days < base_days:
        missing.append(f"the past must have {base_days} days before the first day")
    return missing


def outcome_of(experiment: Experiment) -> str:
    """The outcome that decides, in words; "" before there are past data."""
    return plan_of(experiment).outcome.replace("_", " ")


def next_step(experiment: Experiment) -> str:
    """What a test by region in preparation waits for, in the order of its sheets."""
    plan = plan_of(experiment)
    if not plan.digest:
        return "By region; its past is to come"
    if plan.pairs is None:
        return "By region; a design is to be chosen"
    if plan.drawn is None:
        return f"By region, {plan.pairs} pairs; to be drawn"
    if plan.calendar is None:
        return f"By region, {plan.pairs} pairs drawn"
    doing = "nothing is spent" if plan.lower is None else "spending is changed"
    return f"By region, {plan.pairs} pairs drawn; {doing} from {date.fromisoformat(plan.calendar['start']):%-d %B} on"
