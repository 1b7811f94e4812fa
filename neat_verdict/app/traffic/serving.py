"""The experiments that events and assignments concern, as the core's objects; made again when one of them changes."""

from __future__ import annotations

import json
from bisect import bisect_right
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import date
from functools import cached_property
from typing import Any, NamedTuple
from zoneinfo import ZoneInfo

from django.db import connection
from django.db.models import Prefetch, Q, QuerySet

from neat_verdict.app import clock
from neat_verdict.app.experiments.addresses import address_of, page_of
from neat_verdict.app.experiments.audience import audience_of, never_counted_of
from neat_verdict.app.experiments.ceilings import Kept, kept_values
from neat_verdict.app.experiments.models import ROLLED_OUT, Experiment, Variant, Workspace
from neat_verdict.app.experiments.page_changes import changes_made
from neat_verdict.app.experiments.queries import METRICS, allocated_by, breakdowns, policy, today, workspace
from neat_verdict.app.experiments.splits import shares_on, stopped_variants
from neat_verdict.app.traffic.models import Epoch, Rollout
from neat_verdict.app.traffic.rollouts import rollout_traffic
from neat_verdict.core.metrics import Definition, Tallying, definition_of
from neat_verdict.core.page_use import sample_share
from neat_verdict.core.planning import Arrivals, RampStep
from neat_verdict.core.traffic import UNIFORM_MARK, IdentityRule, NeverCounted, RolloutTraffic, Slice, Traffic
from neat_verdict.core.variants import LETTERS

OPEN_STATES = ("running", "paused", "ended")


class CountedMetric(NamedTuple):
    """A metric of an experiment, and how many days before its first exposure a unit is looked at (None: not at all)."""

    id: int
    definition: Definition
    before_days: int | None

    @property
    def tallying(self) -> Tallying:
        """How its units are tallied."""
        return self.definition.rules.tallying(self.before_days)


@dataclass(frozen=True, slots=True)
class Served:
    """An experiment whose traffic we share out. ``open`` says that events count; times are milliseconds since 1970."""

    id: int
    key: str
    name: str
    state: str
    round: int
    unit: str
    traffic: Traffic
    variants: tuple[tuple[int, str, Mapping[str, object]], ...]  # (id, name, parameters), control first
    started: int | None
    ended: int | None
    metrics: tuple[CountedMetric, ...]
    event_names: frozenset[str]
    segments: tuple[tuple[str, ...], ...]
    epoch_starts: tuple[int, ...]  # of an experiment whose traffic follows the evidence
    positions: Mapping[str, int]  # by letter
    decided: int | None  # position of the variant that was decided for
    identity: IdentityRule
    never_counted: NeverCounted
    # Positions of stopped variants whose units get control's, with the moment from which on.
    given_up: Mapping[int, int]
    rollout: RolloutTraffic | None = None  # of one that is decided and rolled out
    test_round: int = 0  # there, the round of the test; ``round`` is that under which the rollout is measured
    measured: bool = False
    page: str = ""  # that is changed, or left for a variant's, as `experiments.addresses.page_of`; "" where none is
    addresses: tuple[str, ...] = ()  # of those, by position; "" of the others
    page_changes: tuple[list[dict[str, Any]], ...] = ()  # by position
    followed_pages: tuple[str, ...] = ()  # by position: where it is followed what units do; () where there is no page
    follow_share: float = 1.0
    kept_values: Kept = field(default_factory=dict)  # of properties that have more values than are tallied apart

    @property
    def serving(self) -> bool:
        """True while units get variants: of a running experiment, of a rollout, or those that keep what they have."""
        return self.traffic.running or self.traffic.holding

    @property
    def needs_from(self) -> int:
        """The moment, in milliseconds since 1970, before which no event counts here: that of the start, or so many days before
        as some metric looks at; a far one before there is a start."""
        if self.started is None:
            return 2**62
        return self.started - max((metric.before_days or 0 for metric in self.metrics), default=0) * 86_400_000

    @property
    def open(self) -> bool:
        """True while events count."""
        return self.state in OPEN_STATES or self.measured


class ServedByKey(dict[str, Served]):
    """Experiments by key, never changed once made, with what every batch of events asks of all of them."""

    @cached_property
    def event_names(self) -> frozenset[str]:
        """The events that some metric counts."""
        return frozenset(name for experiment in self.values() for name in experiment.event_names)

    @cached_property
    def open_ones(self) -> ServedByKey:
        """Those whose events count."""
        return ServedByKey({key: experiment for key, experiment in self.items() if experiment.open})

    @cached_property
    def needs_from(self) -> int:
        """The earliest moment at which an event may count for any of them."""
        return min((experiment.needs_from for experiment in self.values()), default=2**62)

    @cached_property
    def by_id(self) -> Mapping[int, Served]:
        """The same by their ids."""
        return {experiment.id: experiment for experiment in self.values()}

    @cached_property
    def by_person(self) -> bool:
        """Whether some of them counts all ids of a person as one."""
        return any(experiment.identity == "person" for experiment in self.values())


_made: tuple[object, ServedByKey] | None = None


def served() -> ServedByKey:
    """All experiments that take events and are not closed, by key; those in preparation too, for forced variants, and
    decided ones whose variant is being rolled out."""
    global _made
    stamp = _stamp()
    if _made is None or _made[0] != stamp:
        _made = (stamp, ServedByKey((experiment.key, experiment) for experiment in _load(workspace(), today())))
    return _made[1]


def forget() -> None:
    """Make them again when asked next."""
    global _made
    _made = None


# A text a column, so that a thousand of them are compared as one; and not one text a row, which would take three times as long.
STAMP = """SELECT group_concat(id), group_concat(version), group_concat(state), group_concat(epoch)
    FROM experiments_experiment
    WHERE data_from = 'events' AND (state NOT IN ('decided', 'tailored', 'archived')
        OR state IN ('decided', 'tailored') AND (holds_units OR id IN
            (SELECT experiment_id FROM traffic_rollout WHERE stopped_at IS NULL)))"""


def _stamp() -> tuple[object, ...]:
    """What changes whenever one of them does: each change raises its version. Written out, because every assignment asks."""
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT time_zone, segments, (SELECT max(id) FROM experiments_keptvalues) "
            "FROM experiments_workspace ORDER BY id LIMIT 1"
        )
        zone, segments, kept = cursor.fetchone() or ("UTC", "[]", None)
        cursor.execute(STAMP)
        return clock.now().astimezone(ZoneInfo(zone)).date(), zone, segments, kept, cursor.fetchone()


def _candidates() -> QuerySet[Experiment]:
    planned = Q(rollout__isnull=False, rollout__stopped_at__isnull=True)
    rolled_out = Q(state__in=ROLLED_OUT) & (planned | Q(holds_units=True))
    open_still = ~Q(state__in=[*ROLLED_OUT, "archived"])
    return (
        Experiment.objects.filter(open_still | rolled_out, data_from="events").select_related("rollout").order_by("pk")
    )


def decided_on_events(keys: Collection[str] | None = None) -> ServedByKey:
    """The experiments, of all or of these, that are decided and keep the counts they were decided on, so that theirs may be
    counted again."""
    decided = Experiment.objects.filter(state__in=["decided", "archived"], data_from="events", started_at__isnull=False)
    if keys is not None:
        decided = decided.filter(key__in=keys)
    chosen = decided.filter(decision_counts__isnull=False).select_related("rollout")
    place, day = workspace(), today()
    return ServedByKey({experiment.key: _of_test(experiment, place, day) for experiment in _with_parts(chosen)})


def _load(place: Workspace, day: date) -> list[Served]:
    return [_served(experiment, place, day) for experiment in _with_parts(_candidates())]


def _with_parts(experiments: QuerySet[Experiment]) -> QuerySet[Experiment]:
    epochs = Prefetch("epochs", Epoch.objects.defer("record"))
    return experiments.prefetch_related("variants", *METRICS, epochs, "kept_values")


def _served(experiment: Experiment, place: Workspace, day: date) -> Served:
    result = _of_test(experiment, place, day)
    rollout: Rollout | None = getattr(experiment, "rollout", None)
    if experiment.state not in ROLLED_OUT or rollout is None or rollout.stopped_at is not None:
        return result
    result = replace(result, rollout=rollout_traffic(experiment, rollout, day), test_round=experiment.round)
    if not rollout.is_measured or rollout.measured_round is None or rollout.measured_at is None:
        return result
    # Counted apart from the test, from its own beginning on, as long as it lasts.
    began = int(rollout.measured_at.timestamp() * 1000)
    return replace(
        result, measured=True, round=rollout.measured_round, started=began, ended=None, epoch_starts=(), given_up={}
    )


def _of_test(experiment: Experiment, place: Workspace, day: date) -> Served:
    variants = list(experiment.variants.all())
    metrics = tuple(
        CountedMetric(use.metric_id, definition_of(use.definition), use.before_days)
        for use in experiment.metrics.all()
        if use.tallying.stored
    )
    return Served(
        id=experiment.pk,
        key=experiment.key,
        name=experiment.name,
        state=experiment.state,
        round=experiment.round,
        unit=experiment.assignment_unit,
        traffic=traffic_of(experiment, day),
        variants=tuple((v.pk, v.name, parameters_of(v.parameters)) for v in variants),
        started=int(experiment.started_at.timestamp() * 1000) if experiment.started_at else None,
        ended=int(experiment.ended_at.timestamp() * 1000) if experiment.ended_at else None,
        metrics=metrics,
        event_names=frozenset(name for metric in metrics for name in metric.definition.event_names),
        segments=tuple(tuple(line) for line in breakdowns(experiment, place)),
        epoch_starts=_epoch_starts(experiment),
        positions={variant.letter: variant.position for variant in variants},
        decided=next((v.position for v in variants if v.letter == experiment.decision), None),
        identity=experiment.identity,
        never_counted=never_counted_of(experiment.never_counted),
        **_pages(experiment, variants),
        followed_pages=tuple(page_of(address_of(experiment.page, one)) for one in variants) if experiment.page else (),
        follow_share=follow_share(experiment),
        kept_values=kept_values(experiment),
        given_up={
            variants[LETTERS.index(letter)].position: int(one.at.timestamp() * 1000)
            for letter, one in stopped_variants(experiment).items()
            if one.afterwards == "control"
        },
    )


def _pages(experiment: Experiment, variants: Sequence[Variant]) -> dict[str, Any]:
    if not any(variant.address or changes_made(variant) for variant in variants):
        return {}
    addresses = tuple(address_of(experiment.page, one) if one.address else "" for one in variants)
    changes = tuple(changes_made(one) for one in variants)
    return {"page": page_of(experiment.page), "addresses": addresses, "page_changes": changes}


def follow_share(experiment: Experiment) -> float:
    """The share of units that are followed on the page, from the planned traffic; it stays the same whatever comes."""
    days = int((experiment.rule or {}).get("planned_days") or 7 * experiment.least_weeks)
    share = experiment.exclusion_share if experiment.exclusion_group else 1.0
    planned = (experiment.audience_per_day or 0) * share * days
    return sample_share(planned) if planned > 0 else 1.0


def _epoch_starts(experiment: Experiment) -> tuple[int, ...]:
    if experiment.allocation is None or experiment.started_at is None:
        return ()
    later = [epoch.started_at for epoch in epochs_of(experiment) if epoch.number > 1]
    return tuple(int(moment.timestamp() * 1000) for moment in (experiment.started_at, *later))


def epoch_segment(experiment: Served, at: int, unit: str, properties: Mapping[str, object]) -> str:
    """What a unit first exposed at a moment is tallied under, so that its epoch can be read by itself: "#3", "#3 device=phone",
    and of the uniform share "#3 ~device=phone & source=search".

    No property begins with #, so these are never taken for segments.
    """
    number, traffic = max(bisect_right(experiment.epoch_starts, at), 1), experiment.traffic
    if not traffic.allocated_by:
        return f"#{number}"
    mark = UNIFORM_MARK if traffic.uniform and traffic.is_uniform(unit) else ""
    return f"#{number} {mark}{traffic.segment_of(properties)}"


def rollout_segment(line: int | None) -> str:
    """What a unit of a rollout is tallied under, by the place of the line that admitted it; no property begins with #."""
    return f"#line {0 if line is None else line + 1}"


def epochs_of(experiment: Experiment) -> list[Epoch]:
    """The epochs of the present round, in order; their records are left in the database until somebody asks for one."""
    loaded = getattr(experiment, "_prefetched_objects_cache", {}).get("epochs")
    if loaded is None:
        return list(experiment.epochs.filter(round=experiment.round).defer("record"))
    return [epoch for epoch in loaded if epoch.round == experiment.round]


def shares_now(experiment: Experiment) -> dict[str, tuple[float, ...]]:
    """The shares of the present epoch by segment ("" for everybody); none before the first has been closed."""
    if experiment.allocation is None:
        return {}
    latest = epochs_of(experiment)[-1:]
    return {name: tuple(shares) for epoch in latest for name, shares in epoch.shares.items()}


def traffic_of(experiment: Experiment, day: date) -> Traffic:
    """How the experiment shares its traffic out on a day."""
    variants = list(experiment.variants.all())
    steps = tuple(RampStep(step["days"], step["participation"]) for step in experiment.ramp)
    first = experiment.started_on or day
    positions = {variant.letter: variant.position for variant in variants}
    part = None
    if experiment.exclusion_group and experiment.slice_start is not None and experiment.slice_end is not None:
        part = Slice(experiment.exclusion_group, experiment.slice_start, experiment.slice_end)
    salt = f"{experiment.key}:{experiment.round}"
    if experiment.state in ROLLED_OUT:
        return _rolled_out(experiment, salt, positions, day)
    even = shares_on(experiment, day)
    shares = shares_now(experiment)
    stopped = stopped_variants(experiment)
    followed = policy(experiment)
    return Traffic(
        salt=salt,
        weights=shares.get("", even),
        allocated_by=allocated_by(experiment),
        allocated={name: own for name, own in shares.items() if name},
        uniform=followed.uniform if followed else 0.0,
        participation=Arrivals(1, experiment.participation, steps).participation_on((day - first).days + 1),
        audience=audience_of(experiment.audience_rules),
        forced={unit: positions[letter] for unit, letter in experiment.forced.items() if letter in positions},
        slice=part,
        running=experiment.state == "running",
        holding=experiment.holds_units and experiment.state in ("paused", "ended"),
        given_up=frozenset(positions[letter] for letter, one in stopped.items() if one.afterwards == "control"),
    )


def _rolled_out(experiment: Experiment, salt: str, positions: Mapping[str, int], day: date) -> Traffic:
    """After a decision, or without a test: control for all; what a rollout gives is for `rollouts.rollout_traffic`. Until one is
    planned those who saw the variant keep it, and nobody else gets it."""
    rollout: Rollout | None = getattr(experiment, "rollout", None)
    control = (1.0, *(0.0 for _ in range(len(positions) - 1)))
    if rollout is None:
        return Traffic(salt, control, running=False, holding=experiment.holds_units)
    return Traffic(salt, control, running=rollout.share_on(day) > 0)


def parameters_of(lines: list[dict[str, Any]]) -> dict[str, object]:
    """A variant's parameters as the site reads them: text, number, true or false, or JSON."""
    return {line["name"]: _value(line.get("kind", "text"), line.get("value", "")) for line in lines}


def _value(kind: str, text: str) -> object:
    if kind == "number":
        number = float(text)
        return int(number) if number.is_integer() else number
    if kind == "true_false":
        return text.strip().lower() == "true"
    return json.loads(text) if kind == "json" else text
