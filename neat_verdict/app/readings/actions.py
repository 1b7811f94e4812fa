"""Deciding on a reading: the decision is kept together with what was seen."""

from __future__ import annotations

from django.db import transaction

from neat_verdict.app.experiments import actions as experiments
from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.experiments.queries import daily_counts
from neat_verdict.app.people.models import User
from neat_verdict.app.readings.queries import reading_of


@transaction.atomic
def decide(by: User, experiment: Experiment, choice: str, reason: str, next_step: str) -> Experiment:
    """Record a decision with the reading of this moment; see `experiments.actions.decide` for what is refused."""
    reading = reading_of(experiment, daily_counts([experiment])[experiment.pk])
    return experiments.decide(
        by,
        experiment.key,
        choice=choice,
        suggested=reading.suggested,
        reason=reason,
        next_step=next_step,
        reading=reading.model_dump(mode="json"),
    )
