"""What is due each minute: held events, starts, ends, epochs, lakes, looks, notices, and what lists show.

Experiments are read outside of transactions, so that nobody waits for a reading to write; and only those in which something
changed since they were read last.
"""

from __future__ import annotations

import logging
from collections import Counter
from collections.abc import Callable
from datetime import datetime
from typing import TypeVar

from django.db import transaction

from neat_verdict.app import clock
from neat_verdict.app.analysis.actions import looks_due, take_due_looks
from neat_verdict.app.analysis.models import Summary
from neat_verdict.app.analysis.schemas import Summed
from neat_verdict.app.analysis.summaries import SETTLED, Standing, hour_of, keep_summaries, standing
from neat_verdict.app.collect.events import recount_busy, release_held
from neat_verdict.app.experiments import actions as experiments
from neat_verdict.app.experiments.ceilings import keep_to_ceiling
from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.experiments.queries import daily_counts, listed, today, workspace
from neat_verdict.app.experiments.stamps import Stamp, stamps
from neat_verdict.app.http.problems import Conflict
from neat_verdict.app.sources.running import begin_due
from neat_verdict.app.traffic.reallocation import tend_epochs
from neat_verdict.app.traffic.serving import OPEN_STATES
from neat_verdict.app.watch.actions import catch_up, notify
from neat_verdict.app.watch.notices import Occasion, occasions_of
from neat_verdict.core.checks import InputError

T = TypeVar("T")
READ_AT_ONCE = 200  # experiments a minute: at a full hour a thousand take five minutes. The house’s limit, no source
log = logging.getLogger(__name__)


def tick() -> dict[str, int]:
    """Do everything that is due, any number of times without harm: held events, starts, ends, looks, notices. Mails
    go out apart from it (`mails.send_mails`)."""
    done = {
        "events released": release_held(),
        "busy units counted": recount_busy(),
        "started": _each(_due_starts(), _start),
        "epochs closed": _each(_adaptive(), tend_epochs),
        "ended": _each(_due_ends(), _end),
        "lakes begun": begin_due(),
        **read_due(),
    }
    return {what: count for what, count in done.items() if count}


def _each(things: list[T], do: Callable[[T], int]) -> int:
    """Do something to each; one that fails is logged and does not keep the others."""
    done = 0
    for thing in things:
        try:
            done += do(thing)
        except Exception:
            log.exception("%s of %s failed", do.__name__, thing)
    return done


def _due_starts() -> list[Experiment]:
    return list(Experiment.objects.filter(state="scheduled", starts_at__lte=clock.now()).select_related("scheduled_by"))


def _start(due: Experiment) -> int:
    assert due.scheduled_by is not None
    try:
        with transaction.atomic():
            catch_up(experiments.start(due.scheduled_by, due.key))
    except (Conflict, InputError) as refused:
        with transaction.atomic():
            experiments.unschedule(due.scheduled_by, due.key)
            sentence = f"{due.name} did not start as scheduled: {refused}"
            advice = "Put it right, then start or schedule it again"
            notify(due, [Occasion(f"{due.round}:not-started:{due.version}", "warning", sentence, advice, "traffic")])
        return 0
    return 1


def _due_ends() -> list[Experiment]:
    due = Experiment.objects.filter(state__in=["running", "paused"], ends_at__lte=clock.now())
    return list(due.select_related("owner", "scheduled_by"))


def _end(due: Experiment) -> int:
    experiments.end(due.scheduled_by or due.owner, due.key)
    return 1


def _adaptive() -> list[Experiment]:
    return list(Experiment.objects.filter(state="running", allocation__isnull=False))


def read_due(at_most: int = READ_AT_ONCE) -> Counter[str]:
    """Read experiments that changed since they were read last, then those not read in this hour, those read longest ago first:
    take their looks, notify, and keep what lists show of them. Returns how many looks were taken, and notices are new."""
    moment, done = clock.now(), Counter[str]()
    read: dict[int, tuple[Stamp, Summed | None]] = {}
    for number, stamp in _due(stamps(), moment)[:at_most]:
        try:
            found = _standing_now(number)
            if found.analysis is not None and looks_due(found.analysis):
                done["looks taken"] += take_due_looks(found.experiment)
                found = _standing_now(number)
            done["notices"] += notify(found.experiment, occasions_of(found))
            read[number] = (stamp, found.summary)
        except Exception:
            log.exception("reading experiment %s failed", number)
            # Read again with the next minute, after the others.
            read[number] = (Stamp("", ""), None)
    keep_summaries(read, moment)
    return done


def _due(found: dict[int, Stamp], moment: datetime) -> list[tuple[int, Stamp]]:
    """Experiments that are to be read, by their ids, in order, with their stamps."""
    kept = {line[0]: line[1:] for line in Summary.objects.values_list("experiment_id", "edits", "data", "hour", "at")}
    hour, order = hour_of(moment), []
    for number, state in Experiment.objects.values_list("pk", "state"):
        if number not in found:
            continue  # made a moment ago
        stamp = found[number]
        edits, data, of_hour, at = kept.get(number, ("", "", "", None))
        changed = (edits, data) != stamp
        if changed or (of_hour != hour and state not in SETTLED):
            order.append((not changed, at is not None, at or moment, number, stamp))
    return [(number, stamp) for *_, number, stamp in sorted(order)]


def _standing_now(number: int) -> Standing:
    # Each by itself, so that counts that cannot be read keep no other experiment from being read.
    experiment = listed(archived=None).prefetch_related("looks_taken").get(pk=number)
    if experiment.data_from == "events" and experiment.state in OPEN_STATES:
        keep_to_ceiling(experiment)
    place = workspace()
    return standing(experiment, daily_counts([experiment])[number], place, today(place))
