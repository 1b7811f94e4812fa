"""Taking looks, sets of segments, and deciding on a reading."""

from __future__ import annotations

from collections.abc import Sequence

from django.db import transaction

from neat_verdict.app import clock
from neat_verdict.app.analysis.analysis import Analysis, Look, analyse
from neat_verdict.app.analysis.models import SegmentSet, StoredLook
from neat_verdict.app.analysis.queries import record, record_of_look
from neat_verdict.app.analysis.stored import frozen, stored_counts
from neat_verdict.app.experiments import actions as experiments
from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.experiments.queries import find, rounds_left, today
from neat_verdict.app.experiments.record import as_stored
from neat_verdict.app.http.problems import Conflict
from neat_verdict.app.people.actions import require_editor
from neat_verdict.app.people.models import User
from neat_verdict.app.traffic.rollouts import keep_rollout
from neat_verdict.app.traffic.schemas import RolloutIn
from neat_verdict.app.traffic.wording import rollout_in_words
from neat_verdict.core.checks import InputError
from neat_verdict.core.variants import LETTERS

MAX_SETS = 200


@transaction.atomic
@transaction.atomic
def decide(
    by: User, experiment: Experiment, choice: str, reason: str, next_step: str, rollout: RolloutIn | None = None
) -> Experiment:
    """Record a decision with the reading of this moment, and the rollout of the variant chosen where one is given.

    See `experiments.actions.decide` and `traffic.rollouts.keep_rollout` for what is refused.
    """
    analysis, day = analyse(experiment), today()
    reading = record(analysis)
    then = ""
    if rollout is not None:
        if choice in ("none", LETTERS[0]):
            raise InputError("rollout", choice, "is for a variant other than control")
        steps = [(step.day, step.share) for step in rollout.steps]
        planned = keep_rollout(
            by,
            experiment,
            choice,
            steps=steps,
            lines=[line.model_dump() for line in rollout.lines],
            holdout=rollout.holdout,
            until=rollout.until,
            path="rollout.",
        )
        then = f"rolled out to {rollout_in_words(planned)}"
    return experiments.decide(
        by,
        experiment.key,
        choice=choice,
        suggested=reading.verdict.suggested,
        reason=reason,
        next_step=next_step,
        reading=as_stored(reading),
        counts=frozen(analysis.all_counts, analysis.all_periods, day, ended=experiment.state == "ended"),
        then=then,
    )


@transaction.atomic
def new_round(by: User, key: str) -> Experiment:
    """Run the experiment again. A plan of several rounds goes on by the same rule unless a look has settled it, after which
    nothing that came in by it would be read. See `experiments.actions.new_round` for what is refused."""
    experiment = find(key)
    settled = rounds_left(experiment) > 0 and analyse(experiment).reading.verdict.kind.settled
    return experiments.new_round(by, key, plan_goes_on=not settled)


def looks_due(analysis: Analysis) -> list[Look]:
    """Looks that the scheduler has to take: not stored yet, and their day over or the experiment ended."""
    experiment = analysis.experiment
    if experiment.rule is None or experiment.state not in ("running", "paused", "ended"):
        return []
    planned = len(analysis.rule.look_days) or 1
    return [look for look in _unstored(analysis) if look.number <= planned]


def _unstored(analysis: Analysis) -> list[Look]:
    return [look for look in analysis.looks if look.stored is None and _over(analysis.experiment, look)]


@transaction.atomic
def take_due_looks(experiment: Experiment, by: User | None = None) -> int:
    """Store every look that is due and not stored yet; returns how many. ``by`` is None for the scheduler.

    A look is due when its day is over, or the experiment has ended. The closing look of one that ended before its last planned
    look is taken by hand only: files of its last days may still come.
    """
    # Nobody else takes the same look meanwhile.
    locked = Experiment.objects.select_for_update().get(pk=experiment.pk)
    if locked.rule is None or locked.state not in ("running", "paused", "ended"):
        return 0
    fresh = find(locked.key)
    result = analyse(fresh)
    due = looks_due(result) if by is None else _unstored(result)
    for look in due:
        shown = record_of_look(result, look)
        StoredLook.objects.create(
            experiment=fresh, round=fresh.round, number=look.number, day=look.day, by=by,
            counts=stored_counts(look.counts, look.periods), record=as_stored(shown),
        )  # fmt: skip
        name = "The reading" if look.looks is None else f"Look {look.number}"
        text = f"{name} of {look.day:%-d %B %Y} was taken: {shown.sentences.short}"
        experiments.record(fresh, by or fresh.owner, "look", text[:500], number=look.number, verdict=shown.verdict.name)
    return len(due)


def _over(experiment: Experiment, look: Look) -> bool:
    return experiment.state == "ended" or look.day < today()


def take_looks(by: User, experiment: Experiment) -> int:
    """Take the looks that are due, now and by hand. Raises Conflict when none is."""
    require_editor(by)
    taken = take_due_looks(experiment, by)
    if not taken:
        raise Conflict("No look is due: the rule reads again when its next day is over and in the data")
    return taken


@transaction.atomic
def set_look_aside(by: User, experiment: Experiment, number: int, reason: str) -> None:
    """Leave a stored look out because its data were wrong; it stays on record, and the data are read again.

    Raises Conflict once decided, InputError for a look that is not stored or without a reason. Later looks rest on it: they
    go too.
    """
    require_editor(by)
    locked = Experiment.objects.select_for_update().get(pk=experiment.pk)
    if locked.state not in ("running", "paused", "ended"):
        raise Conflict(f"This experiment is {locked.state}; its looks stay as they are")
    if not reason.strip():
        raise InputError("reason", "empty", "must say what was wrong with the data of this look")
    kept = locked.looks_taken.filter(round=locked.round, set_aside_at__isnull=True)
    if not kept.filter(number=number).exists():
        raise InputError("number", number, "is no look that was taken")
    kept.filter(number__gte=number).update(
        set_aside_at=clock.now(), set_aside_by=by, set_aside_because=reason.strip()[:400]
    )
    text = f"Set look {number} aside: {reason.strip()}"
    experiments.record(locked, by, "look", text[:500], number=number, reason=reason.strip())


@transaction.atomic
def save_segment_set(by: User, name: str, segments_by: str, values: Sequence[str]) -> SegmentSet:
    """Save segments of a property under a name; one of the same name is replaced.

    Raises InputError for an empty name or property, or no segment.
    """
    require_editor(by)
    if not name.strip() or len(name.strip()) > 80:
        raise InputError("name", name.strip()[:40] or "empty", "must be 1 to 80 characters")
    chosen = list(dict.fromkeys(value.strip() for value in values if value.strip()))
    if not segments_by.strip() or not 1 <= len(chosen) <= 200:
        raise InputError("values", len(chosen), "must be 1 to 200 segments of a property")
    if SegmentSet.objects.exclude(name=name.strip()).count() >= MAX_SETS:
        raise Conflict(f"There are {MAX_SETS} sets already; remove one first")
    kept, _ = SegmentSet.objects.update_or_create(
        name=name.strip(), defaults={"by": segments_by.strip(), "values": chosen, "made_by": by}
    )
    return kept


@transaction.atomic
def remove_segment_set(by: User, number: int) -> None:
    """Forget a set of segments."""
    require_editor(by)
    SegmentSet.objects.filter(pk=number).delete()
