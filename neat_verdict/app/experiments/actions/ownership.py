"""Whose experiment it is."""

from __future__ import annotations

from django.db import transaction

from neat_verdict.app.experiments.actions.ledger import changed, record
from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.experiments.queries import possible_owners
from neat_verdict.app.people.actions import require_editor
from neat_verdict.app.people.models import User
from neat_verdict.core.checks import InputError


@transaction.atomic
def hand_over(by: User, key: str, owner: str) -> Experiment:
    """Give an experiment, in whatever state, to the person with that name to sign in. Raises InputError for one who may not own
    experiments."""
    require_editor(by)
    experiment = Experiment.objects.select_for_update(of=("self",)).select_related("owner").get(key=key)
    new = possible_owners().filter(username=owner).first()
    if new is None:
        names = ", ".join(possible_owners().values_list("username", flat=True))
        raise InputError("owner", owner, f"must be the name of an analyst or admin who may sign in: {names}")
    if new == experiment.owner:
        return experiment
    give(by, experiment, new, f"Passed from {experiment.owner.display_name} to {new.display_name}")
    return experiment


def give(by: User, experiment: Experiment, owner: User, sentence: str) -> None:
    """Another owner, with the entry that says why. To be called inside a transaction."""
    line = changed("owner", experiment.owner.username, owner.username)
    experiment.owner = owner
    experiment.version += 1
    experiment.save(update_fields=["owner", "version"])
    record(experiment, by, "edit", sentence, changes=[line])
