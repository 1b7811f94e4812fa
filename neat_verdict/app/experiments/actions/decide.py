"""Keeping what a person decided, which may differ from what the rule says."""

from __future__ import annotations

from collections.abc import Collection
from typing import Any

from django.db import transaction

from neat_verdict.app import clock
from neat_verdict.app.experiments.actions.ledger import changed, record
from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.experiments.queries import today
from neat_verdict.app.http.problems import Conflict
from neat_verdict.app.people.actions import require_editor
from neat_verdict.app.people.models import User
from neat_verdict.core.checks import InputError


@transaction.atomic
def decide(
    by: User,
    key: str,
    *,
    choice: str,
    suggested: str,
    reason: str,
    next_step: str,
    reading: dict[str, Any] | None,
    counts: dict[str, Any] | None,
    then: str = "",
    options: Collection[str] | None = None,
) -> Experiment:
    """Record a decision.

    ``choice`` is "none" (nothing to roll out) or a variant's letter, or one of ``options`` where these are given; ``suggested``
    is what the rule says, and a choice that differs needs a ``reason`` (InputError). ``reading`` and the ``counts`` it was made
    on are kept as they were at this moment (None for a test by region, which keeps its own). ``then`` says in words what is
    rolled out; units that have the chosen variant keep it.
    """
    require_editor(by)
    experiment = Experiment.objects.select_for_update().get(key=key)
    if experiment.state not in ("running", "paused", "ended"):
        raise Conflict(f"This experiment is {experiment.state}; only one that has run can be decided")
    letters = [variant.letter for variant in experiment.variants.all()]
    if choice not in (options or ("none", *letters)):
        raise InputError("choice", choice, f"must be one of {', '.join(letters)} or none")
    if choice != suggested and not reason.strip():
        raise InputError("reason", "empty", "must say why the decision differs from the rule")
    change = changed("state", experiment.state, "decided")
    experiment.ended_on = experiment.ended_on or today()
    experiment.ended_at = experiment.ended_at or clock.now()
    experiment.state = "decided"
    experiment.holds_units = choice not in ("none", letters[0])
    experiment.decision, experiment.decision_reason = choice, reason.strip()
    experiment.decision_next, experiment.decision_reading = next_step.strip(), reading
    experiment.decision_counts = counts
    experiment.decided_by, experiment.decided_at = by, clock.now()
    experiment.version += 1
    experiment.save()
    differs = "" if choice == suggested else ", against the rule"
    text = "Decided: nothing to roll out" if choice == "none" else f"Decided: {choice}"
    detail = {"choice": choice, "suggested": suggested, "reason": reason.strip()}
    record(experiment, by, "decide", f"{text}{differs}{then and f'; {then}'}", changes=[change], **detail)
    return experiment


@transaction.atomic
def withdraw_decision(by: User, key: str, reason: str) -> Experiment:
    """Take a decision back; the experiment is ended again. The ledger keeps both."""
    require_editor(by)
    experiment = Experiment.objects.select_for_update().get(key=key)
    if experiment.state != "decided":
        raise Conflict(f"This experiment is {experiment.state}; there is no decision to take back")
    if not reason.strip():
        raise InputError("reason", "empty", "must say why the decision is taken back")
    changes = [changed("state", "decided", "ended"), changed("decision", experiment.decision, "")]
    record(experiment, by, "withdraw", f"Took the decision back: {reason.strip()}", changes=changes)
    experiment.state, experiment.decision = "ended", ""
    experiment.decision_reading = experiment.decision_counts = None
    experiment.decided_by = experiment.decided_at = None
    experiment.version += 1
    experiment.save()
    return experiment
