"""What each unit comes to: first exposures, and each metric's values of the events that follow, as the core counts them unit by
unit (`core.metrics.unit_figure`)."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import reduce
from operator import and_, or_

import ibis
from ibis.expr import types as ir

from neat_verdict.core.metrics import EventFilter, Measure, whole_millionths
from neat_verdict.core.statistics.histogram import MILLION
from neat_verdict.reduction.conditions import fulfils, group_holds, number_in
from neat_verdict.reduction.engines import Engine
from neat_verdict.reduction.plan import Plan, PlannedMetric
from neat_verdict.reduction.source import DAY, HOUR, Source, local_day, never_counted, segment_columns

Within = Callable[[ir.Table], ir.BooleanValue]


@dataclass(frozen=True, slots=True)
class Value:
    """A column of the table of units: a whole number of ``step`` millionths, null where a unit has none."""

    column: str
    step: int


@dataclass(frozen=True, slots=True)
class Columns:
    """Where the values of a metric stand in the table of units, and the steps that were reached."""

    metric: PlannedMetric
    values: tuple[Value, ...]
    steps: tuple[str, ...] = ()


def exposures_shown(source: Source, plan: Plan, until: int) -> ir.Table:
    """The exposures that count, of whoever they are, while the round runs."""
    last = until if plan.ended is None else min(plan.ended, until)
    return source.exposures.filter(
        source.exposures.experiment == plan.experiment,
        source.exposures.at.between(plan.started, last),
        source.exposures.variant.isin(list(_positions(source, plan))),
        ~source.exposures.forced,
    )


def _positions(source: Source, plan: Plan) -> dict[str, int]:
    """The position of a variant by what stands for it, in small letters."""
    letters = {letter.lower(): place for place, letter in enumerate(plan.letters)}
    return letters | {
        value: letters[letter.lower()] for value, letter in source.lake.variants.items() if letter.lower() in letters
    }


def first_exposures(source: Source, plan: Plan, until: int) -> ir.Table:
    """A row a unit: ``unit``, ``first_at``, ``position``, ``day`` (days since 1970), its segments, and ``exposures``, how many it
    has while the round runs; without those who are never counted."""
    shown = exposures_shown(source, plan, until)
    segments = segment_columns(source, shown, plan)
    lines = shown.select(
        unit=shown.unit,
        first_at=shown.at,
        id=shown.id,
        position=shown.variant.cases(*_positions(source, plan).items()).cast("int64"),
        never=never_counted(source, shown, plan),
        **segments,
    )
    # Where rows have no id, the order of those at the same moment is by what they say, so that it is the same each time.
    order = [lines.first_at, lines.id, lines.position, *(lines[name] for name in segments)]
    placed = lines.mutate(
        place=ibis.row_number().over(ibis.window(group_by=lines.unit, order_by=order)),
        exposures=lines.count().over(ibis.window(group_by=lines.unit)),
    )
    firsts = placed.filter(placed.place == 0, ~placed.never).drop("id", "place", "never")
    return firsts.mutate(day=local_day(firsts.first_at, plan.zone, plan.started, until))


def units_of(
    engine: Engine, source: Source, plan: Plan, firsts: ir.Table, until: int
) -> tuple[ir.Table, list[Columns]]:
    """The table of units, with every metric's values; and where these stand. ``firsts`` are kept already."""
    followed = _followed(source, plan, firsts, until)
    robots = plan.never_counted.more_than
    counted: dict[str, ir.Value] = {}
    apart: list[ir.Table] = []
    columns: list[Columns] = []
    for number, metric in enumerate(plan.metrics):
        if metric.definition.steps:
            names = tuple(f"m{number}_step{step}" for step in range(len(metric.definition.steps)))
            apart.append(_steps_reached(source, plan, metric, followed, names))
            columns.append(Columns(metric, (Value(names[-1], MILLION),), names))
            continue
        values = []
        for place, (measure, within) in enumerate(_parts(plan, metric)):
            name = f"m{number}_{place}"
            step = MILLION if _is_whole(measure) else 1
            values.append(Value(name, step))
            fits = _fits(source, measure.events, followed) & within(followed)
            total, refunds = _total(engine, source, measure, followed, fits, name, step)
            counted[name] = total
            if refunds is not None:
                apart.append(refunds)
            if metric.tallying.buckets:
                amount = source.property_of(followed, measure.amount_of)
                known = ibis.literal(False) if amount is None else number_in(amount).notnull()
                counted[f"{name}_known"] = (fits & known).max()
        columns.append(Columns(metric, tuple(values)))
    if robots is not None:
        last = until if plan.ended is None else plan.ended
        counted["events"] = followed.at.between(plan.started, last).cast("int64").sum()
    grouped = followed.group_by(followed.unit).agg(**counted)
    units = _joined(firsts, [grouped, *apart])
    made: dict[str, ir.Value] = {}
    for one in columns:
        for value in () if one.steps else one.values:
            made |= _settled(units, one, value)
        made |= {name: units[name].fill_null(0) for name in one.steps}
    if robots is not None:
        units = units.filter(units.events.fill_null(0) + units.exposures <= robots)
    kept = [name for name in firsts.columns if name not in ("first_at", "exposures", "unit")]
    return units.select(*kept, **made), columns


def _followed(source: Source, plan: Plan, firsts: ir.Table, until: int) -> ir.Table:
    """Events that some metric may count, each with the first exposure of its unit."""
    before = max((metric.before_days or 0 for metric in plan.metrics), default=0) * DAY
    after = max(((metric.definition.window_hours or 0) * HOUR for metric in plan.metrics), default=0)
    last = until if plan.ended is None else min(until, plan.ended + int(after))
    events = source.events.filter(
        source.events.name.isin(list(plan.event_names)), source.events.at.between(plan.started - before, last)
    )
    exposed = firsts.select(exposed="unit", first_at="first_at")
    return events.join(exposed, events.unit == exposed.exposed).drop("exposed")


def _timely(plan: Plan, metric: PlannedMetric) -> Within:
    window = metric.definition.window_hours

    def within(table: ir.Table) -> ir.BooleanValue:
        since = table.at >= table.first_at
        if window:
            return since & (table.at <= table.first_at + int(window * HOUR))
        return since if plan.ended is None else since & (table.at <= plan.ended)

    return within


def _parts(plan: Plan, metric: PlannedMetric) -> list[tuple[Measure, Within]]:
    """Each measure of a metric with the time in which it counts, in the order of the tally's values."""
    result = [(measure, _timely(plan, metric)) for measure in metric.definition.measures]
    days = metric.before_days
    if days and metric.definition.rules.adjustable:
        since = days * DAY
        result.append(
            (
                metric.definition.first_measure,
                lambda table: (table.at < table.first_at) & (table.at >= table.first_at - since),
            )
        )
    return result


def _is_whole(measure: Measure) -> bool:
    """Whether a unit's figure is a whole number, so that millionths need not be kept."""
    return not measure.amount_of and (measure.cap is None or measure.cap == int(measure.cap))


def _fits(source: Source, wanted: EventFilter, table: ir.Table) -> ir.BooleanValue:
    def column_of(name: str) -> ir.Column | None:
        return source.property_of(table, name)

    named = table.name.isin(list(wanted.names))
    rules = [fulfils(condition, column_of) for condition in wanted.conditions]
    rules += [group_holds(group, column_of) for group in wanted.groups]
    return reduce(and_, rules, named)


def _worth(source: Source, measure: Measure, table: ir.Table, step: int) -> ir.IntegerValue:
    """What a fitting event adds, in steps of millionths; what is no number adds nothing."""
    if not measure.amount_of:
        return ibis.literal(MILLION // step, "int64")
    column = source.property_of(table, measure.amount_of)
    if column is None:
        return ibis.literal(0, "int64")
    return (number_in(column) * float(MILLION) + 0.5).floor().cast("int64").fill_null(0)


def _total(
    engine: Engine,
    source: Source,
    measure: Measure,
    table: ir.Table,
    fits: ir.BooleanValue,
    name: str,
    step: int,
) -> tuple[ir.Value, ir.Table | None]:
    """What a unit's events come to; and, where refunds make a cap depend on the order, by how much that is too much."""
    worth = ibis.ifelse(fits, _worth(source, measure, table, step), 0)
    if measure.rules.is_rate:
        return worth.max(), None
    cap = None if measure.cap is None else whole_millionths(measure.cap) // step
    if measure.first_only:
        order = ibis.struct({"at": table.at, "id": table.id, "worth": worth})
        total = worth.argmin(order, where=fits)
        return (total if cap is None else ibis.least(total, ibis.literal(cap, "int64"))), None
    total = worth.sum()
    if cap is None:
        return total, None
    if not measure.amount_of or not _has_refunds(engine, source, measure):
        return ibis.least(total, ibis.literal(cap, "int64")), None
    # The sum falls short by how far it ever was beyond the cap (`core.metrics`: a walk that is reflected there).
    fitting = table.mutate(fits=fits, worth=worth).filter(ibis._.fits)
    walked = fitting.mutate(so_far=fitting.worth.sum().over(_so_far(fitting, fitting.worth)))
    beyond = (walked.so_far.max() - cap).clip(lower=0)
    return total, walked.group_by(walked.unit).agg(**{f"{name}_beyond": beyond})


def _has_refunds(engine: Engine, source: Source, measure: Measure) -> bool:
    """Whether any event that the measure may count is worth less than nothing."""
    column = source.property_of(source.events, measure.amount_of)
    if column is None:
        return False
    named = source.events.filter(source.events.name.isin(list(measure.events.names)), number_in(column) < 0)
    return bool(engine.rows(named.limit(1).count().as_table())[0][0])


def _steps_reached(
    source: Source, plan: Plan, metric: PlannedMetric, table: ir.Table, names: tuple[str, ...]
) -> ir.Table:
    """Which steps each unit reached, 0 or 1 each, of those that have an event which is one.

    Of each step the latest first step is kept from which it was reached in time, after each event in turn; an event makes a step
    where the one before was made by an earlier event (`core.metrics.kinds.funnel`).
    """
    definition = metric.definition
    within = _timely(plan, metric)
    marked = table.mutate(
        **{f"fits{number}": _fits(source, step, table) for number, step in enumerate(definition.steps)}
    )
    any_step = reduce(or_, (marked[f"fits{number}"] for number in range(len(definition.steps))))
    walked = marked.filter(any_step & within(marked))
    span = None if definition.within_hours is None else int(definition.within_hours * HOUR)
    walked = walked.mutate(made=ibis.ifelse(walked.fits0, walked.at, ibis.null("int64")))
    walked = walked.mutate(begun0=walked.made.max().over(_so_far(walked)))
    for number in range(1, len(definition.steps)):
        walked = walked.mutate(start=walked[f"begun{number - 1}"].lag(1).over(_in_order(walked)))
        made = walked[f"fits{number}"] & walked.start.notnull()
        if span is not None:
            made = made & (walked.at - walked.start <= span)
        walked = walked.mutate(made=ibis.ifelse(made, walked.start, ibis.null("int64")))
        walked = walked.mutate(**{f"begun{number}": walked.made.max().over(_so_far(walked))})
    return walked.group_by(walked.unit).agg(
        **{name: walked[f"begun{number}"].notnull().cast("int64").max() for number, name in enumerate(names)}
    )


def _in_order(table: ir.Table) -> ibis.expr.builders.WindowBuilder:
    """A unit's events as they happened; where rows have no id, those of the same moment by their names."""
    return ibis.window(group_by=table.unit, order_by=[table.at, table.id, table.name])


def _so_far(table: ir.Table, *then_by: ir.Value) -> ibis.expr.builders.WindowBuilder:
    order = [table.at, table.id, table.name, *then_by]
    return ibis.window(group_by=table.unit, order_by=order, preceding=None, following=0)


def _joined(firsts: ir.Table, others: list[ir.Table]) -> ir.Table:
    """Every unit, with what each of the other tables has of it."""
    result = firsts
    for number, other in enumerate(others):
        same = f"unit{number}"
        renamed = other.rename({same: "unit"})
        result = result.left_join(renamed, result.unit == renamed[same]).drop(same)
    return result


def _settled(units: ir.Table, of: Columns, value: Value) -> dict[str, ir.Value]:
    """A value of units that may have none: nothing is 0, of a quantile null."""
    total = units[value.column].fill_null(0)
    if f"{value.column}_beyond" in units.columns:
        total = total - units[f"{value.column}_beyond"].fill_null(0)
    if of.metric.tallying.buckets:
        total = ibis.ifelse(units[f"{value.column}_known"].fill_null(False), total, ibis.null("int64"))
    # By way of another type: an engine may have summed into a wider one than the expression knows of.
    return {value.column: total.cast("decimal(38, 0)").cast("int64")}
