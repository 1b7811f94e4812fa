"""What can be done to an experiment: permission, transaction and ledger entry in one place each."""

from neat_verdict.app.experiments.actions.create import copy_experiment, create_experiment, follow_up
from neat_verdict.app.experiments.actions.decide import decide, withdraw_decision
from neat_verdict.app.experiments.actions.edit import counting_changed, edit_experiment
from neat_verdict.app.experiments.actions.ledger import record
from neat_verdict.app.experiments.actions.ownership import give, hand_over
from neat_verdict.app.experiments.actions.pictures import add_picture, remove_picture
from neat_verdict.app.experiments.actions.states import (
    archive,
    back_to_draft,
    begin_by_region,
    end,
    new_round,
    pause,
    restore,
    resume,
    schedule,
    set_end,
    start,
    unschedule,
)

__all__ = [
    "add_picture",
    "archive",
    "back_to_draft",
    "begin_by_region",
    "copy_experiment",
    "counting_changed",
    "create_experiment",
    "decide",
    "edit_experiment",
    "end",
    "follow_up",
    "give",
    "hand_over",
    "new_round",
    "pause",
    "record",
    "remove_picture",
    "restore",
    "resume",
    "schedule",
    "set_end",
    "start",
    "unschedule",
    "withdraw_decision",
]
