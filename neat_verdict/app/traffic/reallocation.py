"""Setting the shares of epochs: by the policy when one ends, or by hand, always with the reason on record."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import asdict
from datetime import datetime
from typing import Any

from django.db import transaction

from neat_verdict.app import clock
from neat_verdict.app.experiments.actions import record
from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.experiments.queries import allocated_by, allocation_use, policy
from neat_verdict.app.http.problems import Conflict
from neat_verdict.app.people.actions import require_editor
from neat_verdict.app.people.models import User
from neat_verdict.app.traffic.epochs import cells, mature_numbers, next_close, sums_by_segment, worked_out
from neat_verdict.app.traffic.models import Epoch
from neat_verdict.core.checks import InputError
from neat_verdict.core.designs.adaptive.policy import MIN_SHARE
from neat_verdict.core.variants import LETTERS


def tend_epochs(experiment: Experiment) -> int:
    """Open the first epoch of a running experiment whose traffic follows the evidence, and close one that is due.

    Returns how many were closed. Called every minute; nothing happens where nothing is due.
    """
    if experiment.allocation is None or experiment.state != "running":
        return 0
    # Looked at first, so that nobody waits for it to write while nothing is due.
    seen = experiment.epochs.filter(round=experiment.round).last()
    if seen is not None and clock.now() < next_close(experiment, seen):
        return 0
    with transaction.atomic():
        locked = Experiment.objects.select_for_update().get(pk=experiment.pk)
        current, now = _open_epoch(locked), clock.now()
        if locked.state != "running" or now < next_close(locked, current):
            return 0
        _close(locked, current, now)
        return 1


@transaction.atomic
def freeze(by: User, key: str, reason: str) -> Experiment:
    """Keep the shares as they are from epoch to epoch, until `resume_policy`. Raises Conflict, or InputError without a reason."""
    experiment, _ = _for_reallocation(by, key, reason)
    if experiment.allocation_mode == "frozen":
        raise Conflict("The shares are frozen already")
    return _set_mode(by, experiment, "frozen", f"Froze the shares: {reason.strip()}")


@transaction.atomic
def resume_policy(by: User, key: str, reason: str) -> Experiment:
    """Follow the policy again from the end of this epoch on."""
    experiment, _ = _for_reallocation(by, key, reason)
    if experiment.allocation_mode == "follow":
        raise Conflict("The shares follow the evidence already")
    return _set_mode(by, experiment, "follow", f"Let the shares follow the evidence again: {reason.strip()}")


@transaction.atomic
def return_to_even(by: User, key: str, reason: str) -> Experiment:
    """Close the epoch now and go on with even shares, until `resume_policy`."""
    experiment, current = _for_reallocation(by, key, reason)
    if experiment.allocation_mode == "even":
        raise Conflict("The shares are even already")
    experiment.allocation_mode = "even"
    _close(experiment, current, clock.now(), by=by, reason=reason)
    return _set_mode(by, experiment, "even", f"Returned to even shares: {reason.strip()}")


@transaction.atomic
def set_by_hand(by: User, key: str, shares: Sequence[float], reason: str) -> Experiment:
    """Close the epoch now; the next has these shares (control first, adding up to 1), for everybody, until its end.

    Raises InputError for shares that do not add up, or one under 1 %: a variant that nobody sees cannot be compared.
    """
    experiment, current = _for_reallocation(by, key, reason)
    arms = experiment.variants.count()
    if len(shares) != arms:
        raise InputError("shares", len(shares), f"must be one for each of {arms} variants")
    for place, share in enumerate(shares):
        if not (math.isfinite(share) and MIN_SHARE <= share <= 1):
            raise InputError(f"shares.{place}", share, f"must be {MIN_SHARE:.0%} or more")
    if abs(sum(shares) - 1) > 0.005:
        raise InputError("shares", f"{sum(shares):.1%} in all", "must add up to 100%")
    whole = [share / sum(shares) for share in shares]
    _close(experiment, current, clock.now(), by=by, reason=reason, shares={"": whole})
    text = ", ".join(f"{letter} {share:.0%}" for letter, share in zip(LETTERS, whole, strict=False))
    return _set_mode(by, experiment, experiment.allocation_mode, f"Set the shares by hand, {text}: {reason.strip()}")


def _for_reallocation(by: User, key: str, reason: str) -> tuple[Experiment, Epoch]:
    require_editor(by)
    experiment = Experiment.objects.select_for_update().get(key=key)
    if experiment.allocation is None:
        raise Conflict("The split of this experiment is fixed; its shares do not change")
    if experiment.state != "running":
        raise Conflict(f"This experiment is {experiment.state}; only the shares of a running one can be set")
    if not reason.strip():
        raise InputError("reason", "empty", "must say why, for whoever reads the ledger")
    return experiment, _open_epoch(experiment)


def _set_mode(by: User, experiment: Experiment, mode: str, text: str) -> Experiment:
    experiment.allocation_mode = mode
    experiment.version += 1
    experiment.save()
    record(experiment, by, "reallocate", text, epoch=experiment.epoch)
    return experiment


def _open_epoch(experiment: Experiment) -> Epoch:
    """The epoch that is open; the first, with even shares, from the start on where there is none yet."""
    row = experiment.epochs.filter(round=experiment.round).last()
    if row is not None:
        return row
    assert experiment.started_at is not None
    made = Epoch.objects.create(
        experiment=experiment, round=experiment.round, number=1, started_at=experiment.started_at,
        shares={"": _even(experiment)}, origin=Epoch.Origin.START,
    )  # fmt: skip
    experiment.epoch = 1
    experiment.save(update_fields=["epoch"])
    return made


def _even(experiment: Experiment) -> list[float]:
    arms = experiment.variants.count()
    return [1 / arms] * arms


def _close(
    experiment: Experiment,
    current: Epoch,
    now: datetime,
    *,
    by: User | None = None,
    reason: str = "",
    shares: dict[str, list[float]] | None = None,
) -> Epoch:
    """End an epoch and open the next; the policy's opinion is worked out and kept whoever sets the shares."""
    current.ended_at = now
    current.save(update_fields=["ended_at"])
    kept = closing_record(experiment, current, now)
    wanted: dict[str, list[float]] = kept["shares"]
    if shares is not None:
        origin = Epoch.Origin.HAND
    elif experiment.allocation_mode == "frozen":
        shares, origin = current.shares, Epoch.Origin.FROZEN
    elif experiment.allocation_mode == "even":
        shares, origin = {"": _even(experiment)}, Epoch.Origin.EVEN
    else:
        shares, origin = wanted, Epoch.Origin.POLICY
    made = Epoch.objects.create(
        experiment=experiment, round=experiment.round, number=current.number + 1, started_at=now, shares=shares,
        origin=origin, record=kept, reason=reason.strip()[:300], set_by=by,
    )  # fmt: skip
    experiment.epoch = made.number
    experiment.save(update_fields=["epoch"])
    # What was loaded with the experiment is out of date now.
    getattr(experiment, "_prefetched_objects_cache", {}).pop("epochs", None)
    return made


def closing_record(experiment: Experiment, current: Epoch, now: datetime) -> dict[str, Any]:
    """All that the next shares rest on, and what they are: `epochs.worked_out` gives the same again, by this record alone.

    ``taken`` has the sums of the epochs whose counting windows have closed since the last record, ``remembered`` what was kept of
    those before, ``memories`` of all of them now. Nothing is drawn by chance here; who gets which variant hangs on ``salt``.
    """
    use = allocation_use(experiment)
    chosen = policy(experiment)
    assert chosen is not None
    last = current.record
    numbers = mature_numbers(experiment, use, last.get("taken_up_to", 0), now)
    result = cells(experiment, [use], numbers)[use.metric_id] if numbers else []
    kept: dict[str, Any] = {
        "format": 1,
        "at": now.isoformat(),
        "salt": f"{experiment.key}:{experiment.round}",
        "metric": use.metric.key,
        "kind": use.tallying.name,
        "arms": experiment.variants.count(),
        "sign": 1 if use.definition["good_direction"] == "up" else -1,
        "epochs": current.number,
        "policy": asdict(chosen),
        "by": list(allocated_by(experiment)),
        "before": current.shares,
        "remembered": last.get("memories", {}),
        "taken": {str(number): sums_by_segment(result, number, use.tallying) for number in numbers},
        "taken_up_to": numbers[-1] if numbers else last.get("taken_up_to", 0),
    }
    closing = worked_out(kept)
    kept["memories"] = {
        segment: [[m.seen, m.units, m.total, m.variance] for m in lines] for segment, lines in closing.memories.items()
    }
    for name in ("chances", "wanted", "shares"):
        kept[name] = {segment: list(getattr(step, name)) for segment, step in closing.steps.items()}
    kept["reasons"] = {segment: step.reason for segment, step in closing.steps.items()}
    return kept
