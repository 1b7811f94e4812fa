"""What can be asked of experiments."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from datetime import date, datetime, time, timedelta
from operator import itemgetter
from typing import Any, cast, overload
from zoneinfo import ZoneInfo

from django.db.models import CharField, F, Prefetch, Q, QuerySet, Sum
from django.db.models.functions import Cast
from django.http import Http404

from neat_verdict.app import clock
from neat_verdict.app.experiments import rounds
from neat_verdict.app.experiments.delivery import DeliveryChange
from neat_verdict.app.experiments.models import (
    GUARDING,
    Experiment,
    ExperimentMetric,
    LedgerEntry,
    Picture,
    Round,
    Spend,
    Tally,
    Workspace,
)
from neat_verdict.app.experiments.schemas import ExperimentFilter
from neat_verdict.app.experiments.splits import as_changes
from neat_verdict.app.experiments.tallies import Counts, DailyCounts, columns_of, figures_of, table
from neat_verdict.app.experiments.totals import SpendByDay, made_of_totals, spend_by_day, without_squares
from neat_verdict.app.http.problems import Conflict
from neat_verdict.app.people.models import User
from neat_verdict.core.checks import InputError
from neat_verdict.core.designs import DEFAULT_DESIGN, DESIGNS, Design
from neat_verdict.core.designs.adaptive.policy import Policy
from neat_verdict.core.factors import Factor, check_factors, counts_of
from neat_verdict.core.methods import Method, method_from
from neat_verdict.core.metrics import RATE, definition_of
from neat_verdict.core.planning import (
    Arms,
    Arrivals,
    Baseline,
    GuardrailNeed,
    Plan,
    PlanRequest,
    RampStep,
    Strictness,
    make_plan,
)
from neat_verdict.core.questions import QUESTIONS, Question
from neat_verdict.core.statistics import Correction
from neat_verdict.core.text.names import Names
from neat_verdict.core.verdicts import DecisionRule, Guardrail, rule_for, rule_from

# Joined where one row goes with each: Django writes a prefetch of those as a chain of OR, which SQLite refuses from 1,000 on.
METRICS = (
    Prefetch("metrics", ExperimentMetric.objects.select_related("metric", "version")),
    "metrics__metric__versions",
)


OWNING_ROLES = (User.Role.ANALYST, User.Role.ADMIN)
_SORTED_BY = {"name": "name", "created": "created_at", "started": "started_at", "decided": "decided_at"}


def that_fit(chosen: ExperimentFilter) -> QuerySet[Experiment]:
    """The experiments that fit every filter that is given, sorted."""
    found = Experiment.objects.select_related("owner").prefetch_related(*METRICS)
    for word in chosen.search.split():
        found = found.filter(
            Q(name__icontains=word) | Q(area__icontains=word) | Q(change__icontains=word) | Q(because__icontains=word)
        )
    given = {
        "state__in": chosen.state, "area__iexact": chosen.area, "owner__username": chosen.owner,
        "created_at__gte": local_moment(chosen.created_since),
    }  # fmt: skip
    found = found.filter(**{name: value for name, value in given.items() if value})
    if chosen.metric:
        found = found.filter(metrics__metric__key=chosen.metric).distinct()
    column = F(_SORTED_BY[chosen.sort.lstrip("-")])
    by = column.desc(nulls_last=True) if chosen.sort.startswith("-") else column.asc(nulls_last=True)
    return found.order_by(by, "pk")


def workspace() -> Workspace:
    """The one workspace; its defaults where it has not been named."""
    return Workspace.objects.first() or Workspace()


def breakdowns(experiment: Experiment, place: Workspace | None = None) -> list[list[str]]:
    """The properties, or pairs, that its tallies are kept by: those of the workspace, then its own; each once."""
    lines = [*(place or workspace()).segments, *experiment.breakdowns]
    return [list(line) for line in dict.fromkeys(map(tuple, lines))]


def today(place: Workspace | None = None) -> date:
    """The calendar day in the workspace's time zone."""
    return clock.now().astimezone(ZoneInfo((place or workspace()).time_zone)).date()


def local(moment: datetime) -> datetime:
    """A moment in the workspace's time zone."""
    return moment.astimezone(ZoneInfo(workspace().time_zone))


@overload
def local_moment(moment: datetime) -> datetime: ...
@overload
def local_moment(moment: datetime | None) -> datetime | None: ...
def local_moment(moment: datetime | None) -> datetime | None:
    """A moment that was given without an offset is meant in the workspace's time zone."""
    if moment is None or moment.tzinfo is not None:
        return moment
    return moment.replace(tzinfo=ZoneInfo(workspace().time_zone))


def first_moment(day: date) -> datetime:
    """Midnight at the beginning of a day, in the workspace's time zone."""
    return datetime.combine(day, time(), tzinfo=ZoneInfo(workspace().time_zone))


def find(key: str) -> Experiment:
    """The experiment with a key, its variants loaded; by the address of a closed round (``key~1``) as it was then. Raises
    Http404."""
    name, mark, number = key.partition(rounds.MARK)
    row = (
        Experiment.objects.select_related("owner", "decided_by")
        .prefetch_related("variants__pictures", *METRICS)
        .filter(key=name)
        .first()
    )
    if row is None:
        raise Http404
    if not mark:
        return row
    closed = row.rounds.filter(number=number).first() if number.isdecimal() else None
    if closed is None:
        raise Http404
    return rounds.in_round(row, closed)


def refuse_by_region(experiment: Experiment) -> None:
    """Raise Conflict for a test by region, in which what visitors get does not change and nobody of them is counted."""
    if experiment.by_region:
        raise Conflict("This is a test by region: visitors are neither shared out nor counted in it")


def key_when(experiment: Experiment, moment: datetime) -> str:
    """By which key to find the experiment in the round that it was in at a moment."""
    closed = experiment.rounds.filter(closed_at__gt=moment).first()
    return experiment.key if closed is None else rounds.address(experiment.key, closed.number)


def closed_and_decided(parts: Sequence[str | Prefetch]) -> list[Experiment]:
    """The closed rounds that were decided, as they were then; ``parts`` are loaded with their experiments."""
    closed = Round.objects.filter(kept__0__fields__state="decided")
    present = {one.pk: one for one in Experiment.objects.filter(rounds__in=closed).prefetch_related(*parts).distinct()}
    return [rounds.in_round(present[row.experiment_id], row) for row in closed]


def picture(number: int) -> Picture:
    """A variant's picture, one that was removed too. Raises Http404."""
    row = Picture.everything.filter(pk=number).first()
    if row is None:
        raise Http404
    return row


def earlier_pictures(experiment: Experiment) -> dict[int, list[Picture]]:
    """Pictures that were removed since the start of the round (up to its end, of a closed one), by variant."""
    if experiment.started_at is None:
        return {}
    removed = Picture.everything.filter(
        variant__in=[variant.pk for variant in experiment.variants.all()], removed_at__gt=experiment.started_at
    )
    if experiment.round_of and experiment.ended_at is not None:
        removed = removed.filter(removed_at__lte=experiment.ended_at)
    result: dict[int, list[Picture]] = {}
    for picture in removed:
        result.setdefault(picture.variant_id, []).append(picture)
    return result


def listed(*, archived: bool | None = False) -> QuerySet[Experiment]:
    """All experiments with what a list shows of them; None for the archived ones too."""
    result = Experiment.objects.select_related("owner").prefetch_related("variants", *METRICS)
    if archived is None:
        return result
    return result.filter(state="archived") if archived else result.exclude(state="archived")


def possible_owners() -> QuerySet[User]:
    """Who may own an experiment: people who may change one and sign in."""
    return User.objects.filter(is_active=True, service=False, role__in=OWNING_ROLES).order_by("username")


def ledger(experiment: Experiment) -> QuerySet[LedgerEntry]:
    """Entries, the latest first."""
    return experiment.ledger.select_related("by")


def weights(experiment: Experiment) -> tuple[float, ...]:
    """The planned split, control first."""
    return tuple(variant.weight for variant in experiment.variants.all())


def metric_use(experiment: Experiment, key: str = "") -> ExperimentMetric:
    """The metric of a key in an experiment, the one that decides where none is named. Raises InputError for another."""
    uses = list(experiment.metrics.all())
    result = next((use for use in uses if use.metric.key == key), None) if key else experiment.primary
    if result is None:
        raise InputError("metric", key or "empty", f"must be one of {', '.join(use.metric.key for use in uses)}")
    return result


def variant_position(experiment: Experiment, letter: str = "") -> int:
    """The position of a variant beside control, the first where none is named. Raises InputError for another letter."""
    letters = [variant.letter for variant in experiment.variants.all()]
    if letter and letter not in letters[1:]:
        raise InputError("variant", letter, f"must be one of {', '.join(letters[1:])}")
    return letters.index(letter) if letter else 1


def names(experiment: Experiment) -> Names:
    """How the experiment is spoken of."""
    return Names(
        metric=experiment.metric or "conversions",
        units=experiment.unit_name,
        variants=tuple(variant.name for variant in experiment.variants.all()),
        **({} if experiment.primary is None else _written_in(experiment.primary)),
    )


def _written_in(use: ExperimentMetric) -> dict[str, str]:
    return {"unit": use.definition["unit"], "currency": use.definition["currency"]}


def longest_run_weeks(experiment: Experiment, place: Workspace | None = None) -> int:
    """The longest run allowed: the experiment's own, or the workspace's."""
    return experiment.longest_run_weeks or (place or workspace()).longest_run_weeks


def method(experiment: Experiment) -> Method:
    """The method of reading. Raises InputError for settings out of range, and where it cannot read several rounds together."""
    chosen = method_from({"name": experiment.method, **experiment.method_settings})
    return chosen.over_rounds(experiment.rounds_planned)


def question(experiment: Experiment) -> Question:
    """What is asked of a variant against control."""
    return QUESTIONS[experiment.question]


def method_settings(experiment: Experiment) -> dict[str, Any]:
    """Every setting of the method, those that were not chosen with their usual value."""
    settings = method(experiment).record()
    return {name: value for name, value in settings.items() if name != "name"}


def design(experiment: Experiment) -> Design:
    """What is compared with what: by the evidence where traffic follows it, by effects where several factors are tested."""
    if experiment.factors:
        return DESIGNS["factorial"]
    return DESIGNS["adaptive"] if experiment.allocation is not None else DEFAULT_DESIGN


def factors(experiment: Experiment) -> tuple[Factor, ...]:
    """The factors whose combinations are the variants; none of an experiment of variants. Raises InputError for what are none."""
    return check_factors([Factor(one["name"], tuple(one["levels"])) for one in experiment.factors])


def policy(experiment: Experiment) -> Policy | None:
    """How traffic follows the evidence; None for a fixed split. Raises InputError for figures out of range."""
    result = experiment.allocation
    if result is None:
        return None
    return Policy(
        kind=result["kind"],
        floor=result["floor"],
        max_change=result["max_change"],
        even_units=result["even_units"],
        even_epochs=result["even_epochs"],
        half_life=result["half_life"],
        uniform=result["uniform"] if len(result["properties"]) > 1 else 0.0,
    )


def allocated_by(experiment: Experiment) -> tuple[str, ...]:
    """The properties by whose values traffic is allocated separately; none where it is allocated to everybody alike."""
    return tuple((experiment.allocation or {}).get("properties", ()))


def allocation_use(experiment: Experiment) -> ExperimentMetric:
    """The metric by which traffic is allocated where it follows the evidence."""
    return metric_use(experiment, (experiment.allocation or {}).get("metric", ""))


def baseline_of(use: ExperimentMetric | None, value: float | None, standard_deviation: float | None) -> Baseline | None:
    """A metric's level today as planning needs it; None while it is not known. Without a metric, that of a rate."""
    is_rate = use is None or use.kind.is_rate
    if value is None or (not is_rate and standard_deviation is None):
        return None
    return Baseline(value, None if is_rate else standard_deviation)


def participation_today(experiment: Experiment) -> float:
    """The share that takes part today, by the ramp; before the start that of its first day."""
    steps = tuple(RampStep(step["days"], step["participation"]) for step in experiment.ramp)
    day = (today() - experiment.started_on).days + 1 if experiment.started_on else 1
    return Arrivals(1, experiment.participation, steps).participation_on(day)


def currency_of(experiment: Experiment) -> str:
    """In which currency the experiment's cost is, in all rounds; "" where none came in, or none was asked for then."""
    rows = Spend.objects.filter(variant__experiment=experiment).exclude(currency="")
    return rows.values_list("currency", flat=True).first() or ""


def units_of(experiment: Experiment, number: int) -> int:
    """Units of a round, by the tallies of the metric that decides, or of the first that units are counted for."""
    use = next((use for use in sorted(experiment.metrics.all(), key=_deciding_first) if use.tallying.stored), None)
    if use is None:
        return 0
    rows = Tally.objects.filter(variant__experiment=experiment, round=number, segment="", metric=use.metric_id)
    return rows.aggregate(units=Sum("units"))["units"] or 0


def _deciding_first(use: ExperimentMetric) -> bool:
    return use.role != "primary"


def plan_request(experiment: Experiment, place: Workspace | None = None) -> PlanRequest | None:
    """What brief and sizing ask for; None while a figure is missing. Raises InputError for figures out of range."""
    baseline = baseline_of(experiment.primary, experiment.baseline, experiment.standard_deviation)
    if baseline is None or not experiment.audience_per_day:
        return None
    ramp = tuple(RampStep(step["days"], step["participation"]) for step in experiment.ramp)
    return PlanRequest(
        baseline=baseline,
        worthwhile_lift=experiment.worthwhile_lift,
        arrivals=Arrivals(
            experiment.audience_per_day * (experiment.exclusion_share if experiment.exclusion_group else 1.0),
            experiment.participation,
            ramp,
        ),
        arms=Arms(weights(experiment), counts_of(factors(experiment))),
        strictness=Strictness(experiment.confidence, experiment.power),
        method=method(experiment),
        sign=1 if experiment.good_direction == "up" else -1,
        least_weeks=experiment.least_weeks,
        longest_run_weeks=longest_run_weeks(experiment, place),
        guardrails=tuple(
            GuardrailNeed(
                use.metric.name,
                needed,
                use.margin,
                1 if use.definition["good_direction"] == "up" else -1,
                use.role == "goal",
            )
            for use in experiment.metrics.all()
            if use.role in GUARDING
            and use.margin
            and (needed := baseline_of(use, use.baseline, use.standard_deviation))
        ),
        correlation=experiment.correlation,
        question=question(experiment),
        rounds=experiment.rounds_planned,
    )


def plan(experiment: Experiment, place: Workspace | None = None) -> Plan | None:
    """The plan as the brief and the sizing stand; None while a figure is missing. Raises InputError for figures that clash."""
    request = plan_request(experiment, place)
    return make_plan(request, experiment.unit_name) if request else None


def missing_for_rule(experiment: Experiment) -> list[str]:
    """What brief and sizing lack before the decision rule can be locked. Raises InputError for figures that clash."""
    missing = [
        label
        for label, value in (
            ("the metric that decides (Brief)", experiment.metric),
            ("the level today (Sizing)", experiment.baseline),
            ("the audience per day (Sizing)", experiment.audience_per_day),
        )
        if not value
    ]
    if not missing and plan_request(experiment) is None:
        missing.append("the standard deviation of the metric that decides (Sizing)")
    return missing


def changes_after_start(experiment: Experiment) -> list[DeliveryChange]:
    """Changes of what visitors get while units came, and of the split, with local moments; those after the end change nothing."""
    changes = [
        DeliveryChange(**{**line, "at": local(datetime.fromisoformat(line["at"]))})
        for line in experiment.delivery_changes
    ]
    made = [one for one in changes if experiment.ended_at is None or one.at <= experiment.ended_at]
    splits = [replace(one, at=local(one.at)) for one in as_changes(experiment)]
    ended = experiment.ended_on
    return sorted([*made, *(one for one in splits if ended is None or one.day <= ended)], key=lambda one: one.day)


def decision_rule(experiment: Experiment) -> DecisionRule:
    """The locked rule, or before the start the one the plan would give."""
    if experiment.rule is None:
        return planned_rule(experiment)
    # Rules locked before windows were a part of them go by the metrics, which were locked too.
    return rule_from({"window_days": window_days(experiment), **experiment.rule})


def window_days(experiment: Experiment) -> int:
    """Whole days until the verdict may read a day's units: the longest window of the metrics that it hangs on."""
    uses = [use for use in experiment.metrics.all() if use.role in ("primary", *GUARDING)]
    return max((definition_of(use.definition).window_days for use in uses), default=0)


def planned_rule(experiment: Experiment) -> DecisionRule:
    """The rule that brief and sizing give as they stand. Raises InputError for figures that clash."""
    request = plan_request(experiment)
    guardrails = tuple(
        Guardrail(
            use.metric.name,
            0.0 if use.role == "goal" else use.margin or 0.0,
            use.definition["good_direction"],
            use.role == "goal",
        )
        for use in experiment.metrics.all()
        if use.role in GUARDING
    )
    longest = 7 * longest_run_weeks(experiment)
    if request is not None:
        planned = make_plan(request)
        return rule_for(
            request,
            planned,
            least_conversions=experiment.least_conversions,
            guardrails=guardrails,
            longest_days=longest,
            family=cast(Correction, experiment.family),
            warm_up_days=experiment.warm_up_days,
            design=design(experiment),
            window_days=window_days(experiment),
            strata=_strata(experiment),
            factors=factors(experiment),
        )
    days = 7 * experiment.least_weeks
    return DecisionRule(
        confidence=experiment.confidence,
        worthwhile_lift=experiment.worthwhile_lift,
        good_direction=experiment.good_direction,
        minimum_days=days,
        least_conversions=experiment.least_conversions,
        method=method(experiment),
        planned_days=days * experiment.rounds_planned,
        longest_days=max(longest, days) * experiment.rounds_planned,
        guardrails=guardrails,
        family=cast(Correction, experiment.family),
        warm_up_days=experiment.warm_up_days,
        design=design(experiment),
        question=question(experiment),
        window_days=window_days(experiment),
        strata=_strata(experiment),
        rounds=experiment.rounds_planned,
        factors=factors(experiment),
    )


def earlier_rounds(experiment: Experiment) -> list[Round]:
    """The closed rounds of the plan that the experiment is in, the first one first; none of a plan of one round."""
    if (experiment.rule or {}).get("rounds", 1) == 1:
        return []
    numbers = range(experiment.rule_round, experiment.round)
    return [row for row in experiment.rounds.defer("kept") if row.number in numbers]


def rounds_read(experiment: Experiment) -> list[int]:
    """The numbers of the rounds that are read: the present one, and the earlier ones of its plan."""
    return [*(row.number for row in earlier_rounds(experiment)), experiment.round]


def rounds_left(experiment: Experiment) -> int:
    """How many rounds of the plan are still to come after the present one; 0 where there is no plan yet."""
    planned: int = (experiment.rule or {}).get("rounds", 1)
    return max(planned - 1 - (experiment.round - experiment.rule_round), 0)


def _strata(experiment: Experiment) -> str:
    """The property by which the deciding metric is stratified, where design and method can."""
    primary = experiment.primary
    if primary is None or experiment.allocation is not None or method(experiment).credible:
        return ""
    return primary.strata


def last_day(experiment: Experiment) -> date | None:
    """The planned last day of an experiment that has a start, or of its round."""
    first = experiment.started_on or experiment.planned_start
    if first is None:
        return None
    return first + timedelta(days=max(decision_rule(experiment).days_a_round, 1) - 1)


def daily_counts(experiments: list[Experiment]) -> dict[int, Counts]:
    """Tallies of everybody, of each experiment's own round, of many experiments in one query; by the experiments' ids."""
    # With the metrics named SQLite goes through the index to these rows alone, past those of all segments.
    uses = [use for experiment in experiments for use in experiment.metrics.all() if use.tallying.stored]
    metrics = {use.metric_id for use in uses}
    columns = tuple(dict.fromkeys(column for use in uses for column in columns_of(use.tallying))) or RATE.columns
    round_of = {experiment.pk: experiment.round for experiment in experiments}
    present = Tally.objects.filter(segment="", round__in=set(round_of.values()), metric__in=metrics)
    # Thousands of rows of few days: each day is made of its text once, and nothing is sorted.
    rows = (
        present.filter(variant__experiment__in=experiments)
        .annotate(on=Cast("day", CharField()))
        .order_by()
        .values_list("variant__experiment_id", "round", "metric_id", "variant__position", "on", "days", *columns)
    )
    days: dict[str, date] = {}
    grouped: dict[int, dict[int, list[tuple[int, date, tuple[float, ...]]]]] = {e.pk: {} for e in experiments}
    lengths: dict[int, dict[int, dict[date, int]]] = {e.pk: {} for e in experiments}
    for experiment_id, number, metric_id, position, on, length, *sums in rows:
        if number != round_of[experiment_id]:
            continue
        day = days.get(on) or days.setdefault(on, date.fromisoformat(on))
        if length > 1:
            lengths[experiment_id].setdefault(metric_id, {})[day] = length
        grouped[experiment_id].setdefault(metric_id, []).append((position, day, tuple(sums)))
    spend = spend_by_day(experiments)
    return {
        experiment.pk: _counts(
            experiment, grouped[experiment.pk], columns, spend.get(experiment.pk, {}), lengths[experiment.pk]
        )
        for experiment in experiments
    }


def _counts(
    experiment: Experiment,
    rows: dict[int, list[tuple[int, date, tuple[float, ...]]]],
    columns: tuple[str, ...],
    spend: SpendByDay,
    lengths: Mapping[int, Mapping[date, int]],
) -> Counts:
    arms = len(experiment.variants.all())
    uses = list(experiment.metrics.all())
    result: dict[int, DailyCounts] = {}
    for use in uses:
        if not use.tallying.stored:
            continue
        tallying = use.tallying
        chosen = itemgetter(*(columns.index(column) for column in columns_of(tallying)))
        mine = [
            (position, day, figures_of(tallying, chosen(sums))) for position, day, sums in rows.get(use.metric_id, [])
        ]
        result[use.metric_id] = without_squares(table(tallying, arms, mine, lengths.get(use.metric_id)))
    in_order = sorted(uses, key=_deciding_first)
    counted = {use.metric.key: result[use.metric_id] for use in in_order if use.metric_id in result}
    for use in uses:
        if not use.tallying.stored:
            # Who came is what the metrics say that are counted, the deciding one first.
            result[use.metric_id] = made_of_totals(use, counted, spend, arms, next(iter(counted), ""))
    primary = experiment.primary
    first = result.pop(primary.metric_id) if primary else table(RATE, arms, [])
    return Counts(first, result)
