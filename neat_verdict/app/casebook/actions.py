"""Handing a verdict over: rolling out, places to change by hand, what was learnt."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import date
from typing import Any

from django.db import transaction

from neat_verdict.app import clock
from neat_verdict.app.casebook.models import Lesson, Place
from neat_verdict.app.experiments.actions.ledger import changed, record
from neat_verdict.app.experiments.actions.states import give_without_test
from neat_verdict.app.experiments.models import ROLLED_OUT, Experiment
from neat_verdict.app.experiments.queries import refuse_by_region
from neat_verdict.app.http.problems import Conflict
from neat_verdict.app.people.actions import require_editor
from neat_verdict.app.people.models import User
from neat_verdict.app.traffic.models import Rollout
from neat_verdict.app.traffic.rollouts import keep_rollout
from neat_verdict.app.traffic.wording import rollout_in_words
from neat_verdict.core.checks import InputError
from neat_verdict.core.variants import LETTERS

MAX_PLACES = 100
MAX_TEXT_LENGTH = 4000


@transaction.atomic
def plan_rollout(
    by: User,
    key: str,
    *,
    steps: Sequence[tuple[date, float]],
    lines: Sequence[Mapping[str, Any]] = (),
    holdout: float = 0.0,
    until: date | None = None,
    without_test: bool = False,
) -> Rollout:
    """Serve the decided variant, or by ``lines`` several, by steps (day, share in (0, 1]), up to and with ``until``; a share
    ``holdout`` of those reached keeps control. A draft is given ``without_test`` where that is asked for.

    A single step of 1 is a rollout at once. Raises Conflict unless a variant was decided for, or it is given without a test,
    InputError for what `traffic.rollouts.keep_rollout` refuses.
    """
    experiment = _rolled_out(by, key, without_test=without_test)
    letter = experiment.decision or _first_given(lines)
    rollout = keep_rollout(by, experiment, letter, steps=steps, lines=lines, holdout=holdout, until=until)
    words = rollout_in_words(rollout)
    changes = []
    if experiment.state == "draft":
        changes = [changed("state", experiment.state, "tailored")]
        give_without_test(experiment)
        text = f"{letter} given without a test: {words}"
    else:
        text = f"Rollout of {letter} planned: {words}"
    detail = {"steps": rollout.steps, "lines": rollout.lines, "holdout": rollout.holdout, "changes": changes}
    record(experiment, by, "rollout", text[:500], **detail)
    _touch(experiment)
    return rollout


@transaction.atomic
def stop_rollout(by: User, key: str, reason: str) -> Rollout:
    """Everybody gets control again, at once. Raises Conflict without a rollout, InputError without a reason."""
    experiment = _rolled_out(by, key)
    rollout = Rollout.objects.filter(experiment=experiment, stopped_at__isnull=True).first()
    if rollout is None:
        raise Conflict("There is no rollout to stop")
    if not reason.strip():
        raise InputError("reason", "empty", "must say why the rollout stops")
    rollout.stopped_at = clock.now()
    rollout.save()
    experiment.holds_units = False
    record(experiment, by, "rollout", f"Rollout of {rollout.letter} stopped: {reason.strip()}"[:500])
    _touch(experiment)
    return rollout


@transaction.atomic
def release(by: User, key: str) -> Rollout:
    """The variant is a part of the product now: nothing is served any more, and what was held out ends with it. Raises Conflict
    without a rollout."""
    experiment = _rolled_out(by, key)
    rollout = Rollout.objects.filter(experiment=experiment, stopped_at__isnull=True).first()
    if rollout is None:
        raise Conflict("There is no rollout that could end with a release")
    rollout.stopped_at = rollout.released_at = clock.now()
    rollout.save()
    experiment.holds_units = False
    record(experiment, by, "rollout", f"{rollout.letter} is in the product now; its rollout has ended")
    _touch(experiment)
    return rollout


def _rolled_out(by: User, key: str, *, without_test: bool = False) -> Experiment:
    """One that may be rolled out; ``without_test`` a draft, and none that was tested. Raises Conflict for others."""
    require_editor(by)
    experiment = Experiment.objects.select_for_update().get(key=key)
    refuse_by_region(experiment)
    if without_test:
        if experiment.state not in ("draft", "tailored"):
            raise Conflict(f"This experiment is {experiment.state}; only a draft can be given without a test")
    elif experiment.state == "draft":
        raise Conflict("A draft is rolled out only if it is said that there will be no test (without_test)")
    elif experiment.state not in ROLLED_OUT or (experiment.state == "decided" and experiment.decision in ("", "none")):
        raise Conflict("Only an experiment that was decided for a variant can be rolled out")
    return experiment


def _first_given(lines: Sequence[Mapping[str, Any]]) -> str:
    """The variant that the first line with one gives; B where all is left open."""
    return next((line["letter"] for line in lines if line["letter"] != LETTERS[0]), LETTERS[1])


def _touch(experiment: Experiment) -> None:
    """A new version tells those who serve it that something changed."""
    experiment.version += 1
    experiment.save(update_fields=["version", "holds_units", "state"])


@transaction.atomic
def add_place(by: User, experiment: Experiment, text: str, who: str = "") -> Place:
    """A place that must be changed by hand. Raises InputError for an empty text or too many places."""
    require_editor(by)
    if not text.strip():
        raise InputError("text", "empty", "must say what is to be changed, in 1 to 200 characters")
    if len(text.strip()) > 200:
        raise InputError("text", f"{text.strip()[:40]}…", "must be at most 200 characters long")
    if experiment.places.count() >= MAX_PLACES:
        raise Conflict(f"There are {MAX_PLACES} places already")
    place = Place.objects.create(
        experiment=experiment, text=text.strip(), who=who.strip()[:80], position=experiment.places.count()
    )
    record(experiment, by, "handover", f"To be changed by hand: {place.text}"[:500])
    return place


@transaction.atomic
def tick_place(by: User, experiment: Experiment, place_id: int, *, done: bool) -> Place:
    """Tick a place off, or open it again."""
    require_editor(by)
    place = _place(experiment, place_id)
    place.done_at, place.done_by = (clock.now(), by) if done else (None, None)
    place.save()
    record(experiment, by, "handover", f"{'Changed' if done else 'Open again'}: {place.text}"[:500])
    return place


@transaction.atomic
def remove_place(by: User, experiment: Experiment, place_id: int) -> None:
    """Take a place off the list."""
    require_editor(by)
    place = _place(experiment, place_id)
    record(experiment, by, "handover", f"Off the list: {place.text}"[:500])
    place.delete()


def _place(experiment: Experiment, place_id: int) -> Place:
    row = Place.objects.select_for_update().filter(experiment=experiment, pk=place_id).first()
    if row is None:
        raise InputError("place", place_id, "is no place of this experiment")
    return row


@transaction.atomic
def set_lesson(by: User, experiment: Experiment, *, learnt: str, why: str) -> Lesson:
    """Write down what was learnt, and why we think it came out so. Raises InputError for texts over 4,000 characters."""
    require_editor(by)
    for field, text in (("learnt", learnt), ("why", why)):
        if len(text) > MAX_TEXT_LENGTH:
            raise InputError(field, f"{len(text)} characters", f"must be at most {MAX_TEXT_LENGTH}")
    lesson, _ = Lesson.objects.update_or_create(
        experiment=experiment, defaults={"learnt": learnt.strip(), "why": why.strip()}
    )
    record(experiment, by, "lesson", "Wrote down what was learnt", learnt=lesson.learnt, why=lesson.why)
    return lesson
