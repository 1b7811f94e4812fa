"""Taking in what was counted where the data live: each day once, as it is, in place of what was there."""

from __future__ import annotations

import json
from collections import defaultdict
from collections.abc import Mapping, Sequence
from datetime import date
from typing import Any

from django.db import transaction
from django.db.models import F

from neat_verdict.app.collect.actions import open_for_data
from neat_verdict.app.collect.file_units import drop_units
from neat_verdict.app.experiments.actions.ledger import record
from neat_verdict.app.experiments.ceilings import added, keep_to_ceiling, kept_values, tallied_as
from neat_verdict.app.experiments.exact_tallies import SUMS, as_floats
from neat_verdict.app.experiments.models import Experiment, ExperimentMetric, Tally
from neat_verdict.app.experiments.queries import breakdowns
from neat_verdict.app.experiments.queries import find as find_experiment
from neat_verdict.app.experiments.stamps import data_changed
from neat_verdict.app.experiments.tallies import columns_of, figures_of
from neat_verdict.app.http.problems import Conflict
from neat_verdict.app.people.models import MachineKey, User
from neat_verdict.app.room import check_room
from neat_verdict.app.sources.models import LakeRun, ReducedDay, ReductionRun
from neat_verdict.app.sources.queries import counted_elsewhere, days_known, last_run, plan_record
from neat_verdict.core.checks import InputError, check_day
from neat_verdict.core.metrics import ALL_COLUMNS
from neat_verdict.core.text.format import plural
from neat_verdict.reduction.batches import FORMAT, Cells, DayBatch, Sums, cells_of
from neat_verdict.reduction.plan import digest_of

LATEST = 10**15  # milliseconds since 1970: in thirty thousand years
LARGEST_SUM = 10**60  # a billion units' cubes of the largest number that is summed, in millionths


def read_batch(body: bytes) -> tuple[DayBatch, str]:
    """A batch as it was sent, and the digest that came with it. Raises InputError for what is none."""
    try:
        sent = json.loads(body)
        if sent["format"] != FORMAT:
            raise InputError(
                "format", sent["format"], f"must be {FORMAT}; this reduction and this application do not fit"
            )
        batch = DayBatch(
            experiment=str(sent["experiment"]),
            round=int(sent["round"]),
            plan=str(sent["plan"]),
            day=date.fromisoformat(sent["day"]),
            until=int(sent["until"]),
            cells=cells_of(sent["cells"]),
        )
    except (ValueError, KeyError, TypeError, AttributeError) as problem:
        if isinstance(problem, InputError):
            raise
        raise InputError("body", f"{len(body):,} bytes", f"must be a batch of one day: {problem}"[:200]) from problem
    check_day("day", batch.day)
    if not 0 <= batch.until < LATEST:
        raise InputError("until", batch.until, "must be a moment in milliseconds since 1970")
    return batch, str(sent.get("digest", ""))


@transaction.atomic
def take_in_day(by: User, batch: DayBatch, digest: str, *, lake: str = "") -> bool:
    """Put a day's sums in place of what was there of the day; returns whether anything is another now.

    ``lake`` is that which the application counted, empty for a command from outside. Raises Conflict for a batch that was
    counted by another plan, or before one that is there, or where another counts the experiment; InputError for cells that
    cannot be.
    """
    check_room()
    experiment = find_experiment(batch.experiment)
    Experiment.objects.select_for_update().get(pk=experiment.pk)
    open_for_data(by, experiment)
    if other := counted_elsewhere(experiment, lake):
        raise Conflict(
            f"{experiment.name} is counted by {other}; what this one does not have would be taken away by it"
        )
    if digest != batch.digest:
        raise InputError("digest", digest[:40] or "missing", "is not that of the cells: the batch did not come whole")
    if (batch.round, batch.plan) != (experiment.round, digest_of(plan_record(experiment))):
        raise Conflict("What is counted of this experiment is another now; ask for the plan and count again")
    there = days_known(experiment).filter(day=batch.day).first()
    if there is not None and there.until > batch.until:
        raise Conflict(f"Counts of {batch.day} that were made later are there already")
    uses = {use.metric.key: use for use in experiment.metrics.all() if use.tallying.stored}
    _check(experiment, uses, batch.cells)
    changed = there is None or there.digest != digest
    if changed:
        _write(experiment, uses, batch)
        data_changed({experiment.pk})
    ReducedDay.objects.update_or_create(
        experiment=experiment,
        round=batch.round,
        day=batch.day,
        defaults={
            "plan": batch.plan,
            "digest": digest,
            "until": batch.until,
            "units": batch.units,
            "lake": lake,
            "changed": changed or (there is not None and there.changed),
        },
    )
    return changed


def _check(experiment: Experiment, uses: Mapping[str, ExperimentMetric], cells: Cells) -> None:
    letters = [variant.letter for variant in experiment.variants.all()]
    lines = breakdowns(experiment)
    parts: dict[tuple[str, str, int], list[int]] = defaultdict(lambda: [0, 0])
    for place, (cell, sums) in enumerate(sorted(cells.items())):
        path = f"cells.{place}"
        if cell.letter not in letters:
            raise InputError(f"{path}.variant", cell.letter[:40], f"must be one of {', '.join(letters)}")
        if cell.metric not in uses:
            raise InputError(f"{path}.metric", cell.metric[:80], f"must be one of {', '.join(uses)}")
        use = uses[cell.metric]
        number = _breakdown(lines, cell.segment)
        if number is None:
            raise InputError(f"{path}.segment", cell.segment[:80], "must be of a property that counts are kept by")
        tallying = use.tallying
        if any(abs(value) > LARGEST_SUM for value in sums.sums) or any(not 0 <= times < 2**62 for times in sums.places):
            raise InputError(f"{path}.sums", "a figure", "must not be larger than units can come to")
        if len(sums.sums) != len(tallying.columns) or len(sums.places) > max(tallying.buckets, 20):
            wanted = ", ".join(tallying.columns)
            raise InputError(f"{path}.sums", f"{len(sums.sums)} figures", f"must be {wanted}, each a whole number")
        stored = as_floats(tallying, _exact(use, sums))
        try:
            tallying.check_sums(figures_of(tallying, [stored[column] for column in columns_of(tallying)]))
        except InputError as problem:
            problem.field = f"{path}.{problem.field}"
            raise
        both = parts[cell.letter, cell.metric, number]
        both[0] += sums.sums[0]
        both[1] += sums.sums[1]
    for (letter, metric, number), both in parts.items():
        whole = parts.get((letter, metric, -1), [0, 0])
        if both != whole:
            names = " & ".join(lines[number])
            raise InputError(
                "cells",
                f"{names}: {both[0]:,} units of {letter}",
                f"must add up to the {whole[0]:,} of everybody, {metric} too",
            )


def _breakdown(lines: Sequence[Sequence[str]], segment: str) -> int | None:
    """Which line of properties a segment is of; -1 for everybody, None where it is of none."""
    if segment == "":
        return -1
    # Values have no " & ", so that what stands between is what joins two properties.
    names = [part.partition("=")[0] for part in segment.split(" & ")]
    return next((number for number, line in enumerate(lines) if list(line)[: len(names)] == names), None)


def _exact(use: ExperimentMetric, sums: Sums) -> list[int | None]:
    exact: list[int | None] = [0] * SUMS
    for column, value in zip(use.tallying.columns, sums.sums, strict=True):
        exact[ALL_COLUMNS.index(column)] = value
    return [*exact, *sums.places]


def _write(experiment: Experiment, uses: Mapping[str, ExperimentMetric], batch: DayBatch) -> None:
    variants = {variant.letter: variant for variant in experiment.variants.all()}
    metrics = {key: use.metric_id for key, use in uses.items()}
    Tally.objects.filter(
        variant__in=[variant.pk for variant in variants.values()],
        metric__in=metrics.values(),
        round=batch.round,
        day=batch.day,
    ).delete()
    kept = kept_values(experiment)
    together: dict[tuple[str, str, str], list[int | None]] = {}
    for cell, sums in batch.cells.items():
        place = (cell.letter, tallied_as(cell.segment, kept), cell.metric)
        together[place] = added(together.get(place, ()), _exact(uses[cell.metric], sums))
    Tally.objects.bulk_create(
        [
            Tally(
                variant=variants[letter],
                metric_id=metrics[metric],
                round=batch.round,
                segment=segment,
                day=batch.day,
                **as_floats(uses[metric].tallying, exact),
            )
            for (letter, segment, metric), exact in together.items()
            if exact[0]
        ],
        batch_size=500,
    )
    keep_to_ceiling(experiment)
    for metric in metrics.values():
        drop_units(experiment, metric, [(batch.day, variant.position) for variant in variants.values()])


@transaction.atomic
def end_run(by: User, experiment: Experiment, sent: Mapping[str, Any], of: MachineKey | LakeRun) -> ReductionRun:
    """Keep that a run came to its end, from which on only what comes in later need be looked at. Raises Conflict for a run by
    another plan, or while a day that it has is not there."""
    open_for_data(by, experiment)
    if sent["plan"] != digest_of(plan_record(experiment)):
        raise Conflict("What is counted of this experiment is another now; ask for the plan and count again")
    known = list(days_known(experiment))
    missing = set(sent["days"]) - {row.day for row in known if row.plan == sent["plan"]}
    if missing:
        raise Conflict(f"Counts of {min(missing)} are not there; send them first")
    units = sum(row.units for row in known)
    differences = [[row.day.isoformat(), row.before, row.units] for row in known if row.changed]
    run = ReductionRun(
        experiment=experiment, round=experiment.round, plan=sent["plan"], engine=sent["engine"][:40], units=units,
        until=sent["until"], days=len(sent["days"]), changed=sent["changed"], seconds=sent["seconds"], differences=differences,
        **{"key" if isinstance(of, MachineKey) else "lake_run": of},
    )  # fmt: skip
    before = last_run(experiment)
    if before is not None and not before.changed and not run.changed:
        run.pk = before.pk  # a row an hour in which nothing came in says nothing
    run.save()
    ReducedDay.objects.filter(pk__in=[row.pk for row in known]).update(changed=False, before=F("units"))
    if run.changed:
        record(
            experiment,
            by,
            "import",
            f"Counted where the data live, by {run.engine} {run.counted_from}: {plural(run.changed, 'day')} changed, "
            f"{units:,} {experiment.unit_name} in all",
            plan=run.plan,
            until=run.until,
        )
    return run
