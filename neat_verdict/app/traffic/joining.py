"""A new challenger that joins while an experiment runs, compared with the control of its own time.

Where the rule reads once nobody has been read yet, so that the level can be shared among one comparison more. A rule that reads
on the way has spent some of its level on the comparisons that there were: there a new challenger takes a round of its own.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from datetime import date
from typing import Any

from django.db import transaction

from neat_verdict.app import clock
from neat_verdict.app.experiments.actions.parts import add_variant
from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.experiments.queries import daily_counts, decision_rule, method
from neat_verdict.app.experiments.splits import KeptChange, kept_changes, split_words, stopped_variants, stretches
from neat_verdict.app.people.models import User
from neat_verdict.app.traffic.splitting import changeable, check_first_day, checked_weights, in_order, keep, refusal
from neat_verdict.core.checks import InputError
from neat_verdict.core.stretches import stretch_on


def joining_refusal(experiment: Experiment) -> str:
    """Why no challenger can join; "" where one can."""
    if why := refusal(experiment, stopping=False):
        return why
    if not method(experiment).reads_once or experiment.rounds_planned > 1:
        return (
            "This rule reads on the way, and has spent some of its level on the variants that there are: end this round, and "
            "begin another with the new variant"
        )
    if experiment.state == "ended":
        return "Nobody new comes any more: begin another round with the new variant"
    if _was_read(experiment):
        return "The planned sample is in, so that the rule has read: begin another round with the new variant"
    return ""


def _was_read(experiment: Experiment) -> bool:
    """Whether the rule's one reading may have been seen: all that it waits for is in."""
    rule, stopped = decision_rule(experiment), stopped_variants(experiment)
    counts = daily_counts([experiment])[experiment.pk].primary
    if not counts.days:
        return False
    longest = rule.longest_days is not None and counts.span >= rule.longest_days
    # Without a planned sample it reads as soon as its days are over.
    planned = rule.planned_units or (0,) * len(counts.units[0])
    units = zip(experiment.variants.all(), counts.units.sum(axis=0).tolist(), planned, strict=True)
    sample = all(seen >= needed for variant, seen, needed in units if variant.letter not in stopped)
    return longest or (sample and counts.span >= rule.minimum_days + rule.warm_up_days)


@transaction.atomic
def add_challenger(
    by: User, key: str, variant: Mapping[str, Any], weights: Sequence[float], from_day: date, reason: str
) -> Experiment:
    """Let a ``variant`` (name, changes, parameters, link) join from the beginning of a day on, by ``weights`` of all
    variants, its own last.

    Raises Conflict where none can join, InputError for a variant that is not accepted, for weights that are not above 0, a day
    that is over or has a change already, or no reason.
    """
    experiment = changeable(by, key, reason, joining_refusal)
    check_first_day(experiment, from_day)
    if not weights or len(weights) != len(experiment.variants.all()) + 1:
        raise InputError("weights", len(weights), f"must be {len(experiment.variants.all()) + 1}, one a variant")
    # Its weight in the plan stands to control's as it does from its day on.
    per_control = weights[-1] / weights[0] if weights[0] > 0 else 0.0
    control = experiment.variants.all()[0].weight
    checked_weights(experiment, weights[:-1])
    if not 0 < per_control < 1e6:
        raise InputError("weights", weights[-1], "must be above 0 for the new variant")
    made = add_variant(experiment, {**variant, "weight": per_control * control})
    changes = [_padded(one, per_control) for one in kept_changes(experiment)]
    change = KeptChange(
        from_day,
        clock.now(),
        by.display_name,
        reason.strip(),
        weights=checked_weights(experiment, weights),
        joined=made.letter,
    )
    planned = decision_rule(experiment).planned_units
    if experiment.rule is not None and planned is not None:
        experiment.rule = {**experiment.rule, "planned_units": [*planned, max(planned[1:])]}
    after = stretch_on(stretches(experiment, in_order([*changes, change])), from_day.toordinal())[1].shares
    words = f"Let {made.letter} “{made.name}” join from {from_day:%-d %B %Y} on ({split_words(after)}): {change.reason}"
    return keep(by, experiment, [*changes, change], words)


def _padded(change: KeptChange, per_control: float) -> KeptChange:
    """An earlier change with a weight of the new variant too, in the same ratio to control's."""
    if not change.weights:
        return change
    return replace(change, weights=(*change.weights, per_control * change.weights[0]))
