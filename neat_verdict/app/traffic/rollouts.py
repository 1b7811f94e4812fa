"""A decided variant's rollout: its steps, for whom and until when. Called inside the transaction of an action."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date
from typing import Any

from neat_verdict.app import clock
from neat_verdict.app.experiments.audience import audience_of
from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.people.models import User
from neat_verdict.app.traffic.models import Rollout
from neat_verdict.core.checks import InputError, check_day

MAX_STEPS = 20


def keep_rollout(
    by: User,
    experiment: Experiment,
    letter: str,
    *,
    steps: Sequence[tuple[date, float]],
    rules: list[dict[str, Any]] | None = None,
    until: date | None = None,
    path: str = "",
) -> Rollout:
    """Keep a rollout by steps (day, share in (0, 1]), in place of one before; a stopped one goes on.

    Raises InputError, its field after ``path``, for steps that are not in order or do not rise, and for rules that are none.
    """
    _check_steps(steps, until, path)
    audience_of(rules or [], f"{path}rules")
    rollout, _ = Rollout.objects.update_or_create(
        experiment=experiment,
        defaults={
            "letter": letter,
            "steps": [{"day": day.isoformat(), "share": share} for day, share in steps],
            "rules": rules or [],
            "until": until,
            "made_by": by,
            "made_at": clock.now(),
            "stopped_at": None,
        },
    )
    return rollout


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
