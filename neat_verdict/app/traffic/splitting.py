"""Changing a fixed split while an experiment runs, and stopping a variant: with a reason, which evidence and report show."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import replace
from datetime import date, timedelta

from django.db import transaction

from neat_verdict.app import clock
from neat_verdict.app.experiments.actions import record
from neat_verdict.app.experiments.actions.parts import remove_variant
from neat_verdict.app.experiments.models import Experiment, Tally
from neat_verdict.app.experiments.queries import method, refuse_by_region, today
from neat_verdict.app.experiments.splits import (
    AFTERWARDS_WORDS,
    Afterwards,
    KeptChange,
    kept_changes,
    split_words,
    stopped_variants,
    stretches,
)
from neat_verdict.app.http.problems import Conflict
from neat_verdict.app.people.actions import require_editor
from neat_verdict.app.people.models import User
from neat_verdict.core.checks import InputError, check_day
from neat_verdict.core.stretches import stretch_on


def refusal(experiment: Experiment, *, stopping: bool) -> str:
    """Why the split of an experiment cannot be changed, or a variant of it be stopped; "" where it can."""
    # Of files it may be known only afterwards what was done elsewhere.
    states = ("running", "paused") if experiment.data_from == "events" else ("running", "paused", "ended")
    if experiment.state not in states:
        return f"This experiment is {experiment.state}; only one on the way has a split to change"
    if experiment.allocation is not None:
        return "Shares follow the evidence here: freeze them, or set them by hand for an epoch"
    if experiment.factors:
        return "Several factors are tested here, and each of their combinations keeps its share"
    if stopping and len(experiment.variants.all()) - len(stopped_variants(experiment)) <= 2:
        return "Only one variant is left to compare with control: end the experiment instead"
    if not stopping and method(experiment).credible:
        return (
            "A rule that reads by posterior probability reads all units as one, so its split stays as it is; end this round and "
            "begin another"
        )
    return ""


def earliest_day(experiment: Experiment) -> date:
    """The first day from which on another split can hold: a day has one split, so of one that we share out it is tomorrow."""
    tomorrow = today() + timedelta(days=1)
    if experiment.data_from == "events":
        return tomorrow
    return experiment.started_on + timedelta(days=1) if experiment.started_on else tomorrow


@transaction.atomic
def change_split(by: User, key: str, weights: Sequence[float], from_day: date, reason: str) -> Experiment:
    """Share units out by other weights from the beginning of a day on; who is in stays where they are.

    ``weights`` are one a variant, control first; those of stopped variants are passed over. Raises Conflict where the split
    cannot be changed, InputError for weights that are not above 0 or change nothing, a day that is over or has a change already,
    or no reason.
    """
    experiment = changeable(by, key, reason, lambda one: refusal(one, stopping=False))
    changes = kept_changes(experiment)
    wanted = checked_weights(experiment, weights)
    check_first_day(experiment, from_day)
    made = KeptChange(from_day, clock.now(), by.display_name, reason.strip(), weights=wanted)
    before = stretch_on(stretches(experiment), from_day.toordinal())[1].shares
    after = stretch_on(stretches(experiment, in_order([*changes, made])), from_day.toordinal())[1].shares
    if all(math.isclose(one, other, abs_tol=1e-9) for one, other in zip(before, after, strict=True)):
        raise InputError("weights", split_words(after), "must differ from the split that holds on that day")
    words = (
        f"Changed the split from {from_day:%-d %B %Y} on: {split_words(before)} → {split_words(after)}: {made.reason}"
    )
    return keep(by, experiment, [*changes, made], words)


def checked_weights(experiment: Experiment, weights: Sequence[float]) -> tuple[float, ...]:
    """Weights as they are kept, one a variant; those of stopped variants are passed over. Raises InputError."""
    letters, stopped = [variant.letter for variant in experiment.variants.all()], stopped_variants(experiment)
    if len(weights) != len(letters):
        raise InputError("weights", len(weights), f"must be {len(letters)}, one a variant")
    for letter, weight in zip(letters, weights, strict=True):
        if letter not in stopped and not (math.isfinite(weight) and weight > 0):
            raise InputError("weights", weight, f"must be above 0 for {letter}; stop a variant that shall get nobody")
    return tuple(1.0 if letter in stopped else weight for letter, weight in zip(letters, weights, strict=True))


def check_first_day(experiment: Experiment, from_day: date) -> None:
    """Raise InputError for a day that other weights cannot hold from: one that is over, has such a change already, or lies within
    a row of counts."""
    first = earliest_day(experiment)
    check_day("from_day", from_day)
    if from_day < first:
        raise InputError(
            "from_day", f"{from_day:%-d %B %Y}", f"must be {first:%-d %B %Y} or later, so that a day has one split"
        )
    if any(one.from_day == from_day and one.weights for one in kept_changes(experiment)):
        raise InputError("from_day", f"{from_day:%-d %B %Y}", "has a change of the split already; withdraw that first")
    _between_rows(experiment, "from_day", from_day)


@transaction.atomic
def stop_variant(
    by: User, key: str, letter: str, afterwards: Afterwards, reason: str, on_day: date | None = None
) -> Experiment:
    """Give a variant no new units any more, at once; the others are read on. ``afterwards`` is what its own units get ("" where
    others share out), ``on_day`` the day on which it was stopped elsewhere.

    Raises Conflict where no variant can be stopped, InputError for control, a variant that is stopped already, a choice that is
    missing, a day outside the run, or no reason.
    """
    experiment = changeable(by, key, reason, lambda one: refusal(one, stopping=True))
    letters = [variant.letter for variant in experiment.variants.all()]
    stopped = stopped_variants(experiment)
    left = [one for one in letters[1:] if one not in stopped]
    if letter not in left:
        raise InputError("variant", letter or "empty", f"must be one of {', '.join(left)}")
    ours = experiment.data_from == "events"
    if ours and afterwards not in ("keep", "control"):
        raise InputError("afterwards", afterwards or "empty", "must be keep or control")
    day = today() if ours or on_day is None else check_day("on_day", on_day)
    if experiment.started_on is not None and not experiment.started_on <= day <= today():
        said = f"must lie between {experiment.started_on:%-d %B %Y} and {today():%-d %B %Y}"
        raise InputError("on_day", f"{day:%-d %B %Y}", said)
    _between_rows(experiment, "on_day", day)
    made = KeptChange(
        day, clock.now(), by.display_name, reason.strip(), stopped=letter, afterwards=afterwards if ours else ""
    )
    words = f"Stopped {letter} on {day:%-d %B %Y}, {AFTERWARDS_WORDS[made.afterwards]}: {made.reason}"
    return keep(by, experiment, [*kept_changes(experiment), made], words)


@transaction.atomic
def withdraw_change(by: User, key: str, number: int) -> Experiment:
    """Withdraw a change that does not hold yet, or of counts from files one that was noted wrongly. Its ``number`` is its place
    among the changes of the round, from 1. Raises Conflict for one that holds already, InputError for a number without one."""
    require_editor(by)
    experiment = _locked(key)
    changes = kept_changes(experiment)
    if not 1 <= number <= len(changes):
        raise InputError("number", number, f"must be a change of this round: 1 to {len(changes)}")
    one = changes[number - 1]
    why = cannot_be_withdrawn(experiment, one)
    if why:
        raise Conflict(why)
    what = f"the stop of {one.stopped}" if one.stopped else "the change of the split"
    what = f"the joining of {one.joined}" if one.joined else what
    rest = [*changes[: number - 1], *changes[number:]]
    if one.joined:
        rest = [replace(other, weights=other.weights[:-1]) for other in rest if other.stopped != one.joined]
        experiment.forced = {unit: letter for unit, letter in experiment.forced.items() if letter != one.joined}
        remove_variant(experiment, experiment.variants.all()[len(one.weights) - 1])
        if experiment.rule is not None and experiment.rule["planned_units"] is not None:
            experiment.rule = {**experiment.rule, "planned_units": experiment.rule["planned_units"][:-1]}
    return keep(by, experiment, rest, f"Withdrew {what} of {one.from_day:%-d %B %Y}")


def cannot_be_withdrawn(experiment: Experiment, change: KeptChange) -> str:
    """Why a change stays; "" where it can be withdrawn."""
    if experiment.state not in ("running", "paused", "ended"):
        return f"This experiment is {experiment.state}; its split stays as it was"
    if experiment.data_from == "events" and change.from_day <= today():
        return "This change holds already: who came since was shared out by it. Change the split once more instead"
    if change.joined and change.joined != list(experiment.variants.all())[-1].letter:
        return "Another variant joined after this one; withdraw that first"
    return ""


def _between_rows(experiment: Experiment, field: str, day: date) -> None:
    """Raise InputError for a day that lies within days whose counts came in as one, which cannot be taken apart."""
    rows = Tally.objects.filter(
        variant__experiment=experiment, round=experiment.round, days__gt=1, day__gte=day
    ).values_list("day", "days")
    for last, length in rows:
        first = last - timedelta(days=length - 1)
        if first < day:
            raise InputError(
                field,
                f"{day:%-d %B %Y}",
                f"must not lie within {first:%-d %B} to {last:%-d %B %Y}, whose counts came in as one",
            )


def changeable(by: User, key: str, reason: str, refused: Callable[[Experiment], str]) -> Experiment:
    """The experiment, locked. Raises Conflict where ``refused`` says why not, InputError for no reason."""
    require_editor(by)
    experiment = _locked(key)
    refuse_by_region(experiment)
    if why := refused(experiment):
        raise Conflict(why)
    if not reason.strip():
        raise InputError("reason", "empty", "must say why: evidence and report show it")
    return experiment


def _locked(key: str) -> Experiment:
    return Experiment.objects.select_for_update().get(key=key)


def in_order(changes: Sequence[KeptChange]) -> list[KeptChange]:
    """By their days."""
    return sorted(changes, key=lambda one: (one.from_day, one.at))


def keep(by: User, experiment: Experiment, changes: Sequence[KeptChange], words: str) -> Experiment:
    """Keep the changes, and raise the version, so that all who serve the experiment load it again."""
    stretches(experiment, in_order(changes))
    experiment.split_changes = [one.stored() for one in in_order(changes)]
    experiment.version += 1
    experiment.save()
    record(experiment, by, "split", words)
    return experiment
