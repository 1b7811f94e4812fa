"""What happened on the pages of an experiment: who was sent on and did not arrive, and for whom a change could not be made."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace

from django.db import connection

from neat_verdict.app.collect.events import milliseconds
from neat_verdict.app.collect.recount import BASE_SEGMENT
from neat_verdict.app.experiments.addresses import address_of
from neat_verdict.app.experiments.models import Experiment, Variant
from neat_verdict.app.experiments.page_changes import changes_made, read_change
from neat_verdict.app.sql import rows
from neat_verdict.core.metrics import EXPOSURE, PAGE_CHANGE_FAILED, PAGE_REACHED
from neat_verdict.core.soundness import FailedChange, Part, Passage, check_passages

ON_THE_WAY = 60_000  # milliseconds in which a page may be reached


def passages(experiment: Experiment) -> list[Passage]:
    """Who set out for each variant, and who its page reported; nothing without variants that are pages of their own. Who set out
    within the last minute may still be on the way."""
    variants = list(experiment.variants.all())
    if experiment.data_from != "events" or not any(variant.address for variant in variants):
        return []
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT variant_id, COUNT(*), SUM(EXISTS (SELECT 1 FROM collect_event WHERE name = %s AND experiment = %s "
            "AND unit = traffic_enrolment.unit AND at >= first_at)) FROM traffic_enrolment "
            "WHERE experiment_id = %s AND round = %s AND first_at < %s AND standing = '' GROUP BY variant_id",
            [PAGE_REACHED, experiment.key, experiment.pk, experiment.round, milliseconds() - ON_THE_WAY],
        )
        counted = {variant: (assigned, reached) for variant, assigned, reached in cursor.fetchall()}
    found = [Passage(one.letter, address_of(experiment.page, one), *counted.get(one.pk, (0, 0))) for one in variants]
    losing = {loss.passage.letter for loss in check_passages(found)}
    return [
        replace(one, parts=_lost_by_segment(experiment, variant)) if one.letter in losing else one
        for one, variant in zip(found, variants, strict=True)
    ]


def _lost_by_segment(experiment: Experiment, variant: Variant) -> list[Part]:
    """Who set out for a variant's page, and who did not arrive, by the single properties that units are tallied under."""
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT segment.value, COUNT(*), SUM(NOT EXISTS (SELECT 1 FROM collect_event WHERE name = %s AND experiment = %s "
            "AND unit = traffic_enrolment.unit AND at >= first_at)) FROM traffic_enrolment, json_each(segments) AS segment "
            "WHERE experiment_id = %s AND round = %s AND variant_id = %s AND first_at < %s AND standing = '' GROUP BY 1",
            [PAGE_REACHED, experiment.key, experiment.pk, experiment.round, variant.pk, milliseconds() - ON_THE_WAY],
        )
        return [Part(name, units, lost) for name, units, lost in cursor.fetchall() if _is_single(name)]


def _is_single(segment: str) -> bool:
    """Whether a segment is of one property that units came with."""
    return not segment.startswith(("#", BASE_SEGMENT)) and " & " not in segment


def page_changes(
    experiment: Experiment, units: Sequence[int], by_segment: Callable[[Experiment], Mapping[str, Sequence[int]]]
) -> list[FailedChange]:
    """Of each change that a variant makes on the page, for how many of its ``units`` (by position) it could not be made.

    ``by_segment`` finds the units by position within each segment; asked only where a change fails for many."""
    changing = {variant: made for variant in experiment.variants.all() if (made := changes_made(variant))}
    if not changing:
        return []
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT variant_id, json_extract(properties, '$.change'), COUNT(DISTINCT collect_event.unit) FROM collect_event "
            "JOIN traffic_enrolment ON traffic_enrolment.unit = collect_event.unit AND experiment_id = %s AND round = %s "
            "AND standing = '' AND at >= first_at WHERE name = %s AND experiment = %s GROUP BY 1, 2",
            [experiment.pk, experiment.round, PAGE_CHANGE_FAILED, experiment.key],
        )
        failed = {(variant, number): count for variant, number, count in cursor.fetchall()}
    found = [
        FailedChange(
            variant.letter,
            read_change(line).words(),
            max(units[variant.position], failed.get((variant.pk, number), 0)),  # tallies may follow a moment later
            failed.get((variant.pk, number), 0),
        )
        for variant, lines in changing.items()
        for number, line in enumerate(lines, 1)
    ]
    places = [(variant, number) for variant, lines in changing.items() for number in range(1, len(lines) + 1)]
    return [
        _located(one, experiment, variant, number, by_segment(experiment)) if one.alarm else one
        for one, (variant, number) in zip(found, places, strict=True)
    ]


def _located(
    one: FailedChange, experiment: Experiment, variant: Variant, number: int, segments: Mapping[str, Sequence[int]]
) -> FailedChange:
    """The same, with whom it could not be made for: by the single properties that units are tallied under, and by the browser
    that the script named with the exposure."""
    failed_units = (
        "FROM collect_event JOIN traffic_enrolment ON traffic_enrolment.unit = collect_event.unit AND experiment_id = %s "
        "AND round = %s AND variant_id = %s AND standing = '' AND at >= first_at{each} "
        "WHERE name = %s AND experiment = %s AND json_extract(properties, '$.change') = %s GROUP BY 1"
    )
    place = [experiment.pk, experiment.round, variant.pk, PAGE_CHANGE_FAILED, experiment.key, number]
    by_segment = failed_units.format(each=" JOIN json_each(segments) AS segment")
    failed = dict(rows(f"SELECT segment.value, COUNT(DISTINCT collect_event.unit) {by_segment}", *place))
    units = {name: counts[variant.position] for name, counts in segments.items()}
    if not any(name.startswith("browser=") for name in units):  # the site may have a property of that name
        by_browser = failed_units.format(each="")
        browsers = rows(
            f"SELECT json_extract(properties, '$.browser'), COUNT(DISTINCT collect_event.unit) {by_browser}", *place
        )
        failed |= {f"browser={name}": count for name, count in browsers}
        units |= _units_by_browser(experiment, variant)
    counted = [(name, min(count, one.units)) for name, count in units.items()]  # tallies may follow a moment later
    return replace(one, parts=[Part(name, count, min(failed.get(name, 0), count)) for name, count in counted])


def _units_by_browser(experiment: Experiment, variant: Variant) -> dict[str, int]:
    found = rows(
        "SELECT json_extract(properties, '$.browser'), COUNT(DISTINCT collect_event.unit) FROM traffic_enrolment "
        "JOIN collect_event ON collect_event.unit = traffic_enrolment.unit AND name = %s AND experiment = %s "
        "WHERE experiment_id = %s AND round = %s AND variant_id = %s AND standing = '' AND at >= first_at GROUP BY 1",
        EXPOSURE, experiment.key, experiment.pk, experiment.round, variant.pk,
    )  # fmt: skip
    return {f"browser={name}": units for name, units in found if isinstance(name, str)}
