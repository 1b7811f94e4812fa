"""A rollout, of what was decided for or without a test: who gets what, by which steps, how many are held out, until when. Called
inside the transaction of an action."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import date
from typing import Any

from neat_verdict.app import clock
from neat_verdict.app.experiments.audience import audience_of
from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.people.models import User
from neat_verdict.app.traffic.models import Rollout
from neat_verdict.core.checks import InputError, check_day
from neat_verdict.core.traffic import RolloutLine, RolloutTraffic

MAX_STEPS = 20
EVERYBODY = "Everybody"
# Rounds of the test itself are far below; a rollout that is measured counts under one above.
FIRST_MEASURED_ROUND = 1001


def keep_rollout(
    by: User,
    experiment: Experiment,
    letter: str,
    *,
    steps: Sequence[tuple[date, float]],
    lines: Sequence[Mapping[str, Any]] = (),
    holdout: float = 0.0,
    until: date | None = None,
    path: str = "",
) -> Rollout:
    """Keep a rollout by steps (day, share in (0, 1]), in place of one before; a stopped one goes on. Without ``lines`` everybody
    gets the variant of ``letter``.

    Raises InputError, its field after ``path``, for steps that are not in order or do not rise, lines that are none or are never
    reached, and a holdout out of range or of what is not served here.
    """
    _check_steps(steps, until, path)
    kept = [{**line, "name": line["name"].strip()} for line in lines] or [
        {"name": EVERYBODY, "letter": letter, "rules": []}
    ]
    _check_lines(experiment, kept, holdout, path)
    before = Rollout.objects.filter(experiment=experiment).first()
    rollout, _ = Rollout.objects.update_or_create(
        experiment=experiment,
        defaults={
            "letter": letter,
            "steps": [{"day": day.isoformat(), "share": share} for day, share in steps],
            "lines": kept,
            "holdout": holdout,
            "until": until,
            "made_by": by,
            "made_at": clock.now(),
            "stopped_at": None,
            "released_at": None,
            **_measured(experiment, before, kept, holdout),
        },
    )
    return rollout


def _measured(
    experiment: Experiment, before: Rollout | None, lines: list[dict[str, Any]], holdout: float
) -> dict[str, Any]:
    """Under which round it counts, and since when: as before while, after the same test, the same get the same; a new one
    otherwise."""
    latest = before.measured_round if before is not None else None
    if before is not None and before.measured_at is not None:
        same_test = experiment.started_at is None or before.measured_at >= experiment.started_at
        # From a draft, what is given may have been changed since.
        same_test = same_test and experiment.state != "draft"
        if holdout == 0 or (same_test and (before.lines, before.holdout) == (lines, holdout)):
            return {"measured_round": latest, "measured_at": before.measured_at}
    if holdout == 0:
        return {"measured_round": None, "measured_at": None}
    return {"measured_round": FIRST_MEASURED_ROUND if latest is None else latest + 1, "measured_at": clock.now()}


def rollout_traffic(experiment: Experiment, rollout: Rollout, day: date) -> RolloutTraffic:
    """How a rollout shares traffic out on a day. Raises InputError for lines or a holdout that cannot be."""
    positions = {variant.letter: variant.position for variant in experiment.variants.all()}
    return RolloutTraffic(
        # Another list draws others: whoever was held out of one is not for ever.
        f"{experiment.key}:{experiment.round}:{rollout.measured_round or 0}",
        _lines(rollout.lines, positions),
        rollout.share_on(day),
        rollout.holdout,
    )


def _lines(lines: Sequence[Mapping[str, Any]], positions: Mapping[str, int], path: str = "") -> tuple[RolloutLine, ...]:
    return tuple(
        RolloutLine(line["name"], positions[line["letter"]], audience_of(line["rules"], f"{path}lines.{place}.rules"))
        for place, line in enumerate(lines)
    )


def _check_lines(experiment: Experiment, lines: Sequence[Mapping[str, Any]], holdout: float, path: str) -> None:
    positions = {variant.letter: variant.position for variant in experiment.variants.all()}
    names = [line["name"] for line in lines]
    for place, (line, name) in enumerate(zip(lines, names, strict=True)):
        if not name or name in names[:place]:
            raise InputError(f"{path}lines.{place}.name", name or "empty", "must name the line, each another")
        if line["letter"] not in positions:
            raise InputError(f"{path}lines.{place}.letter", line["letter"], f"must be one of {', '.join(positions)}")
    if all(positions[line["letter"]] == 0 for line in lines):
        raise InputError(f"{path}lines", "control for all", "must give somebody a variant; else stop the rollout")
    if holdout and experiment.data_from != "events":
        raise InputError(f"{path}holdout", holdout, "needs events: only what we serve ourselves can be held out")
    try:
        RolloutTraffic("check", _lines(lines, positions, path), 1.0, holdout)
    except InputError as wrong:
        if not wrong.field.startswith(path):
            wrong.field = f"{path}{wrong.field}"
        raise


def _check_steps(steps: Sequence[tuple[date, float]], until: date | None, path: str) -> None:
    if not 1 <= len(steps) <= MAX_STEPS:
        raise InputError(f"{path}steps", len(steps), f"must be 1 to {MAX_STEPS}")
    for place, (day, share) in enumerate(steps):
        check_day(f"{path}steps.{place}.day", day)
        if not 0 < share <= 1:
            raise InputError(f"{path}steps.{place}.share", share, "must be above 0% and at most 100%")
        if place and (day <= steps[place - 1][0] or share <= steps[place - 1][1]):
            raise InputError(f"{path}steps.{place}.day", day, "must come after the step before, with a larger share")
    if until is not None:
        check_day(f"{path}until", until)
    if until is not None and until < steps[-1][0]:
        raise InputError(f"{path}until", until, "must not lie before the last step")
