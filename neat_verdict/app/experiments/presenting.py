"""An experiment as the screens get it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from datetime import date, timedelta
from typing import cast

from neat_verdict.app.experiments import brief, queries
from neat_verdict.app.experiments.audience import audience_of, never_counted_of
from neat_verdict.app.experiments.fields import FIELDS
from neat_verdict.app.experiments.models import Experiment, ExperimentMetric, Picture, Variant
from neat_verdict.app.experiments.page_changes import changes_of, read_change
from neat_verdict.app.experiments.rounds import address
from neat_verdict.app.experiments.schemas import (
    AllocationIO,
    ConditionGroupIO,
    DeliveryChangeOut,
    ExperimentOut,
    ListedOut,
    MetricUseOut,
    NeverCountedIO,
    ParameterIO,
    PictureOut,
    PlanOut,
    RampStepIO,
    Role,
    RoundOut,
    RuleChangeOut,
    State,
    VariantOut,
)
from neat_verdict.app.experiments.splits import as_changes
from neat_verdict.core.checks import InputError
from neat_verdict.core.metrics import definition_of
from neat_verdict.core.planning import Arms, make_plan, plan_alternatives
from neat_verdict.core.rule import Direction
from neat_verdict.core.statistics.skewness import uneven_sizes
from neat_verdict.core.verdicts import rule_in_words

# Beside the fields that can be edited.
_SAME_NAME = (
    *FIELDS, "key", "version", "by_region", "state", "metric", "good_direction", "allocation_mode", "started_on", "ended_on",
    "rule_locked_at", "breakdowns", "round", "round_of", "starts_at", "ends_at", "decision", "decision_reason", "decision_next",
"decided_at", )  # fmt: skip
# Given in another shape.
_MADE = {"allocation", "ramp", "audience_rules", "never_counted", "method_settings"}


def present(experiment: Experiment) -> ExperimentOut:
    """Fields, sentence, remarks, plan and rule. A plan that cannot be made comes as the reason why."""
    plan, plan_problem, last_day, words = _plan_parts(experiment)
    earlier = queries.earlier_pictures(experiment)
    return ExperimentOut(
        **{name: getattr(experiment, name) for name in _SAME_NAME if name not in _MADE},
        design=queries.design(experiment).name,
        method_settings=queries.method_settings(experiment),
        allocation=AllocationIO(**experiment.allocation) if experiment.allocation else None,
        metrics=[_use(use) for use in experiment.metrics.all()],
        ramp=[RampStepIO(**step) for step in experiment.ramp],
        participation_today=queries.participation_today(experiment),
        audience_rules=[ConditionGroupIO(**group) for group in experiment.audience_rules],
        audience_in_words=audience_of(experiment.audience_rules).words(),
        never_counted=NeverCountedIO(**experiment.never_counted),
        never_counted_in_words=never_counted_of(experiment.never_counted).words(),
        rounds=[
            RoundOut(
                key=address(experiment.round_of or experiment.key, r.number),
                number=r.number,
                started_on=r.started_on,
                ended_on=r.ended_on,
                units=queries.units_of(experiment, r.number),
            )
            for r in experiment.rounds.defer("kept")
        ],
        rounds_left=queries.rounds_left(experiment),
        workspace_longest_run_weeks=queries.workspace().longest_run_weeks,
        rule_changes=[RuleChangeOut(**line) for line in experiment.rule_changes],
        delivery_changes=delivery_changes(experiment),
        owner=experiment.owner.display_name,
        decided_by=experiment.decided_by.display_name if experiment.decided_by else "",
        variants=[variant_out(variant, earlier.get(variant.pk, ())) for variant in experiment.variants.all()],
        hypothesis=hypothesis(experiment),
        remarks=_remarks(experiment, plan),
        rule_in_words=words,
        plan=plan,
        plan_problem=plan_problem,
        last_day=last_day,
        # The windows of the last day's units have closed by then.
        read_after=last_day and last_day + timedelta(days=queries.window_days(experiment)),
    )


def picture_out(picture: Picture) -> PictureOut:
    """A picture with its address."""
    return PictureOut(
        id=picture.pk,
        url=f"/api/v1/pictures/{picture.pk}",
        width=picture.width,
        height=picture.height,
        caption=picture.caption,
        until=queries.local(picture.removed_at).date() if picture.removed_at else None,
    )


def variant_out(variant: Variant, earlier: Sequence[Picture] = ()) -> VariantOut:
    """A variant with the addresses of its pictures, and of those that were removed since the start."""
    return VariantOut(
        id=variant.pk,
        letter=variant.letter,
        name=variant.name,
        changes=variant.changes,
        parameters=[ParameterIO(**line) for line in variant.parameters],
        link=variant.link,
        address=variant.address,
        page_changes=[read_change(line) for line in variant.page_changes],
        page_changes_in_words=[read_change(line).words() for line in variant.page_changes],
        weight=variant.weight,
        pictures=[picture_out(picture) for picture in variant.pictures.all()],
        earlier_pictures=[picture_out(picture) for picture in earlier],
    )


def _use(use: ExperimentMetric) -> MetricUseOut:
    definition = definition_of(use.definition)
    latest = use.metric.latest.number
    return MetricUseOut(
        name=use.metric.name,
        key=use.metric.key,
        role=cast(Role, use.role),
        margin=use.margin,
        baseline=use.baseline,
        standard_deviation=use.standard_deviation,
        before_days=use.before_days,
        strata=use.strata or None,
        direction=cast(Direction, use.direction) if use.direction else None,
        kind=definition.kind,
        is_rate=definition.is_rate,
        good_direction=definition.good_direction,
        unit=definition.unit,
        currency=definition.currency,
        words=definition.words(),
        # None where it is not read from sums.
        fields=["day", "variant", *use.tallying.fields] if use.tallying.typed else [],
        added_at=use.added_at,
        version=use.version.number if use.version else latest,
        latest_version=latest,
    )


def _remarks(experiment: Experiment, plan: PlanOut | None) -> list[str]:
    weeks_of_two = smallest = None
    limit = queries.longest_run_weeks(experiment)
    if plan is not None and plan.too_long:
        request = queries.plan_request(experiment)
        assert request is not None
        if len(request.arms.weights) > 2:
            weeks_of_two = make_plan(replace(request, arms=Arms.even(2))).duration.weeks
        smallest = plan.curve[limit - 1] if limit <= len(plan.curve) else None
    return brief.remarks(
        change=experiment.change,
        because=experiment.because,
        metric=experiment.metric,
        # Of several factors it is known what each change does, however many a combination has.
        variants=[] if experiment.factors else [(one.name, changes_of(one)) for one in experiment.variants.all()],
        weeks=plan.weeks if plan else None,
        weeks_of_two=weeks_of_two,
        longest_weeks=limit,
        smallest_seen=smallest,
        worthwhile_lift=experiment.worthwhile_lift,
        looked_for=queries.question(experiment).looked_for,
        uneven_amounts=_uneven_amounts(experiment),
        window_days=queries.window_days(experiment),
    )


def _uneven_amounts(experiment: Experiment) -> bool:
    use, shares = experiment.primary, queries.weights(experiment)
    definition = definition_of(use.definition) if use else None
    return definition is not None and not definition.is_rate and not definition.caps and uneven_sizes(shares)


def hypothesis(experiment: Experiment) -> str:
    """The hypothesis of an experiment as a sentence."""
    return brief.hypothesis(
        change=experiment.change,
        audience=experiment.audience,
        metric=experiment.metric,
        sign=1 if experiment.good_direction == "up" else -1,
        worthwhile_lift=experiment.worthwhile_lift,
        because=experiment.because,
        question=queries.question(experiment),
    )


def _plan_parts(experiment: Experiment) -> tuple[PlanOut | None, str, date | None, str]:
    try:
        request = queries.plan_request(experiment)
        plan = PlanOut.of(make_plan(request, experiment.unit_name), plan_alternatives(request)) if request else None
        rule = queries.decision_rule(experiment)
    except InputError as problem:
        return None, str(problem), None, ""
    return plan, "", queries.last_day(experiment), rule_in_words(rule, queries.weights(experiment))


def delivery_changes(experiment: Experiment) -> list[DeliveryChangeOut]:
    """What visitors get, and in which split, as it was changed after the start."""
    kept = [DeliveryChangeOut(**line) for line in experiment.delivery_changes]
    splits = [DeliveryChangeOut.model_validate(one, from_attributes=True) for one in as_changes(experiment)]
    return sorted([*kept, *splits], key=lambda one: one.at)


def listed_out(experiment: Experiment) -> ListedOut:
    """An experiment in the list."""
    return ListedOut(
        key=experiment.key,
        name=experiment.name,
        state=cast(State, experiment.state),
        area=experiment.area,
        owner=experiment.owner.username,
        by_region=experiment.by_region,
        round=experiment.round,
        version=experiment.version,
        metric=experiment.metric,
        method=experiment.method,
        question=experiment.question,
        decision=experiment.decision,
        created_at=experiment.created_at,
        started_at=experiment.started_at,
        ended_at=experiment.ended_at,
        decided_at=experiment.decided_at,
    )
