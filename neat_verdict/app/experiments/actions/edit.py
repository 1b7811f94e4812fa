"""Edits, saved as the analyst goes; each carries the version it was made on."""

from __future__ import annotations

import math
from collections.abc import Sequence
from datetime import date
from typing import Any

from django.db import transaction
from django.dispatch import Signal

from neat_verdict.app import clock
from neat_verdict.app.experiments.actions.ledger import changed, record
from neat_verdict.app.experiments.actions.parts import edit_metrics, edit_variants, variants_of
from neat_verdict.app.experiments.actions.states import begin_next_round
from neat_verdict.app.experiments.addresses import check_addresses
from neat_verdict.app.experiments.audience import audience_of, never_counted_of
from neat_verdict.app.experiments.delivery import WHO_COUNTS, delivery_changes
from neat_verdict.app.experiments.fields import FIELDS, LOCKED_AT_START, RULE_FIELDS, label_of
from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.experiments.queries import (
    design,
    factors,
    method,
    method_settings,
    planned_rule,
    policy,
    question,
    today,
    weights,
)
from neat_verdict.app.experiments.rounds import snapshot
from neat_verdict.app.http.problems import Conflict
from neat_verdict.app.people.actions import require_editor
from neat_verdict.app.people.models import User
from neat_verdict.app.people.origins import origin_of
from neat_verdict.core.checks import InputError, check_day
from neat_verdict.core.combinations import check_combination
from neat_verdict.core.designs.adaptive.policy import MIN_SHARE
from neat_verdict.core.factors import combinations_of, counts_of
from neat_verdict.core.limits import MAX_UNIT_LENGTH
from neat_verdict.core.planning import Strictness
from neat_verdict.core.traffic import MAX_PROPERTY_NAMES, UNIFORM_MARK
from neat_verdict.core.verdicts import rule_from, rule_in_words

# Sent with ``experiment`` when what has come in must be counted again, by those who count.
counting_changed = Signal()


@transaction.atomic
def edit_experiment(
    by: User, key: str, version: int, changes: dict[str, Any], reason: str = "", *, new_round: bool = False
) -> Experiment:
    """Apply changes to fields, metrics and variants.

    After the start the decision rule and what visitors get change only with a ``reason``, which is kept in the ledger and shown
    in the report. With ``new_round`` a change of what visitors get ends the round and begins the next with it.
    Raises Conflict when the experiment has moved on since ``version``, or when a field is locked; InputError for a value
    that is out of its range.
    """
    require_editor(by)
    experiment = Experiment.objects.select_for_update().get(key=key)
    if experiment.version != version:
        raise Conflict(
            "Somebody changed this experiment meanwhile; see what is there now, then change it again",
            current_version=experiment.version,
        )
    if experiment.state == "tailored":
        raise Conflict(
            "What visitors get here stays as it is while it is given without a test; make it a draft again first"
        )
    if experiment.state in ("decided", "archived"):
        raise Conflict(f"This experiment is {experiment.state}; it can be copied, not changed")
    before = snapshot(experiment, (today(), clock.now())) if new_round else None
    text = apply_changes(by, experiment, dict(changes), reason)
    if not text:
        return experiment
    verb, sentence = _consequences(by, experiment, text, reason.strip(), before)
    record(experiment, by, verb, sentence, changes=text)
    experiment.save()
    if any(line["field"] in WHO_COUNTS for line in text):
        counting_changed.send(Experiment, experiment=experiment)
    return experiment


def apply_changes(by: User, experiment: Experiment, changes: dict[str, Any], reason: str = "") -> list[dict[str, Any]]:
    """Set fields, metrics and variants, and answer what changed, as lines of a ledger entry. Fields are not saved yet."""
    variants, metrics = changes.pop("variants", None), changes.pop("metrics", None)
    _refuse_locked(experiment, changes, reason)
    text = edit_metrics(by, experiment, metrics) if metrics is not None else []
    for field, value in changes.items():
        before = getattr(experiment, field)
        if before == value:
            continue
        setattr(experiment, field, _checked(field, value))
        text.append(changed(field, _plain(before), _plain(value)))
    if any(line["field"] == "factors" for line in text) and experiment.factors and variants is None:
        variants = variants_of(experiment)
    if "method" in changes or "method_settings" in changes:
        _settle_method(experiment, changes)
    if variants is not None:
        text += edit_variants(experiment, variants)
        getattr(experiment, "_prefetched_objects_cache", {}).pop("variants", None)
    _check_together(experiment)
    if text:
        experiment.version += 1
    sent = any(variant.address or variant.page_changes for variant in experiment.variants.all())
    if experiment.rule_locked_at is not None and sent and any(line["field"] == "page" for line in text):
        raise Conflict(
            "Locked since the start: the page that is changed, or from which visitors are sent", fields=["page"]
        )
    if experiment.rule_locked_at is not None and not reason.strip() and (delivered := delivery_changes(text)):
        subjects = " and ".join(subject[0].lower() + subject[1:] for subject, *_ in delivered)
        raise Conflict(
            f"Locked since the start: {subjects}. It changes only with a reason, which evidence and report show",
            fields=[line["field"] for line in text],
        )
    return text


def change_rule(by: User, experiment: Experiment, reason: str) -> None:
    """Lock the rule again, as the plan has it now, and keep what it was. The experiment is not saved yet."""
    before = rule_in_words(rule_from(experiment.rule or {}), weights(experiment))
    experiment.rule = planned_rule(experiment).record()
    after = rule_in_words(planned_rule(experiment), weights(experiment))
    line = {"by": by.display_name, "at": clock.now().isoformat(), "reason": reason.strip()}
    experiment.rule_changes = [*experiment.rule_changes, {**line, "before": before, "after": after}]


def _consequences(
    by: User,
    experiment: Experiment,
    text: list[dict[str, Any]],
    reason: str,
    closing: list[dict[str, Any]] | None,
) -> tuple[str, str]:
    """What follows from changes for rule, record and round; verb and sentence of the ledger entry. Nothing is saved yet.

    ``closing`` is the round as it was, where it shall end with the change."""
    subjects = ", ".join(dict.fromkeys(label_of(line["field"]) for line in text))
    if experiment.rule_locked_at is None:
        return "edit", f"Changed {subjects}"
    delivered = delivery_changes(text)
    words = "; ".join(f"{subject}: {before} → {after}" for subject, before, after in delivered)
    if delivered and closing is not None:
        # By the plan as it is now: a rule changed in the same edit is that of the new round.
        begin_next_round(experiment, closing)
        return "round", f"Changed after the start ({words}); round {experiment.round} begun with it: {reason}"
    line = {"by": by.display_name, "at": clock.now().isoformat(), "reason": reason}
    kept = [{**line, "subject": subject, "before": before, "after": after} for subject, before, after in delivered]
    experiment.delivery_changes = [*experiment.delivery_changes, *kept]
    if any(line["field"] in RULE_FIELDS for line in text):
        change_rule(by, experiment, reason)
        return "rule", f"Changed the decision rule ({subjects}): {reason}"
    return (
        ("delivery", f"Changed after the start ({words}): {reason}") if delivered else ("edit", f"Changed {subjects}")
    )


def _refuse_locked(experiment: Experiment, changes: dict[str, Any], reason: str) -> None:
    if experiment.rule_locked_at is None:
        return
    differing = {field for field, value in changes.items() if getattr(experiment, field) != value}
    locked = sorted(differing & LOCKED_AT_START)
    if locked:
        text = ", ".join(label_of(field) for field in locked)
        raise Conflict(f"Locked since the start: {text}. Copy the experiment to plan it again", fields=locked)
    rule = sorted(differing & RULE_FIELDS)
    if rule and not reason.strip():
        text = ", ".join(label_of(field) for field in rule)
        raise Conflict(
            f"Locked since the start: {text}. The decision rule changes only with a reason, which the report shows",
            fields=rule,
        )


def _settle_method(experiment: Experiment, changes: dict[str, Any]) -> None:
    """Another method keeps what it shares of the settings. Raises InputError for a setting that it does not have."""
    known = set(method_settings(experiment))
    for name in changes.get("method_settings", {}):
        if name not in known:
            raise InputError("method_settings", name, f"must be one of {', '.join(sorted(known))}")
    experiment.method_settings = {name: v for name, v in experiment.method_settings.items() if name in known}


def _check_together(experiment: Experiment) -> None:
    """What concerns several fields."""
    Strictness(experiment.confidence, experiment.power)
    method(experiment)
    question(experiment).check_size(experiment.worthwhile_lift, 1 if experiment.good_direction == "up" else -1)
    audience_of(experiment.audience_rules)
    never_counted_of(experiment.never_counted)
    _check_allocation(experiment)
    _check_factors(experiment)
    check_addresses(experiment)
    if experiment.rounds_planned > 1:
        planned_rule(experiment)
    letters = [variant.letter for variant in experiment.variants.all()]
    for unit, letter in experiment.forced.items():
        if not 0 < len(unit) <= MAX_UNIT_LENGTH:
            raise InputError("forced", unit[:40] or "empty", f"must be a unit of 1 to {MAX_UNIT_LENGTH} characters")
        if letter not in letters:
            raise InputError("forced", letter, f"must be one of {', '.join(letters)}")
    use = experiment.primary
    if (use is None or use.kind.is_rate) and experiment.baseline is not None and not experiment.baseline < 1:
        raise InputError("baseline", experiment.baseline, "must lie between 0% and 100%, both excluded")


def _check_allocation(experiment: Experiment) -> None:
    """What traffic that follows the evidence needs: our assignments, even weights, a metric to follow, a reading that holds."""
    chosen = policy(experiment)
    if chosen is None:
        return
    if experiment.data_from != "events":
        raise InputError(
            "allocation", experiment.data_from, "needs events: only what we assign ourselves can follow the evidence"
        )
    check_combination(design(experiment), question(experiment), type(method(experiment)))
    split = weights(experiment)
    if len(set(split)) > 1:
        raise InputError("variants", "their weights", "must all be the same: the evidence sets the shares")
    if chosen.floor * len(split) >= 1:
        raise InputError(
            "allocation.floor", chosen.floor, f"must be under {1 / len(split):.0%}, for {len(split)} variants"
        )
    record: dict[str, Any] = experiment.allocation or {}
    keys = [use.metric.key for use in experiment.metrics.all()]
    if record["metric"] and record["metric"] not in keys:
        known = ", ".join(keys) or "the metrics of the brief"
        raise InputError("allocation.metric", record["metric"], f"must be one of {known}")
    _check_allocated_by(record["properties"])
    if chosen.uniform and chosen.floor < MIN_SHARE:
        raise InputError(
            "allocation.floor", chosen.floor, f"must be {MIN_SHARE:.0%} or more where several properties count"
        )


def _check_allocated_by(properties: Sequence[str]) -> None:
    for place, name in enumerate(properties):
        field = f"allocation.properties.{place}"
        if (
            not name.strip()
            or name != name.strip()
            or any(mark in name for mark in "=&")
            or name.startswith(UNIFORM_MARK)
        ):
            raise InputError(
                field, name or "empty", f"must be one property, without = or &, or {UNIFORM_MARK} in front"
            )
        if name in properties[:place]:
            raise InputError(field, name, "is there twice; name each property once")
    if len(" & ".join(properties)) > MAX_PROPERTY_NAMES:
        raise InputError(
            "allocation.properties", ", ".join(properties), f"must have {MAX_PROPERTY_NAMES} characters or fewer in all"
        )


def _check_factors(experiment: Experiment) -> None:
    """What several factors need: all their combinations, even weights, a design and a metric that go with them."""
    chosen = factors(experiment)
    if not chosen:
        return
    if experiment.allocation is not None:
        raise InputError("factors", len(chosen), "cannot be tested where shares follow the evidence")
    check_combination(design(experiment), question(experiment), type(method(experiment)))
    split, count = weights(experiment), len(combinations_of(counts_of(chosen)))
    if len(split) != count:
        raise InputError("variants", len(split), f"must be the {count} combinations of the factors")
    if len(set(split)) > 1:
        raise InputError(
            "variants", "their weights", "must all be the same, so that every factor is measured by all units"
        )
    use = experiment.primary
    if use is not None and not use.tallying.stored:
        raise InputError("factors", use.metric.name, "cannot be judged by a metric that is made of totals by day")
    if use is not None and use.strata:
        raise InputError("strata", use.strata, "must be empty where several factors are tested")
    planned_rule(experiment)


def _checked(field: str, value: Any) -> Any:
    if isinstance(value, float) and not math.isfinite(value):
        raise InputError(field, value, "must be a number")
    FIELDS[field].check(field, value)
    if isinstance(value, date):
        check_day(field, value)
    if field == "name" and not str(value).strip():
        raise InputError(field, "empty", "must say what is tested, in 1 to 120 characters")
    if field == "page" and str(value).strip():
        origin_of(str(value).strip())
    return value.strip() if isinstance(value, str) else value


def _plain(value: Any) -> Any:
    return value.isoformat() if isinstance(value, date) else value
