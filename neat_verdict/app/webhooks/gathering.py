"""What happened since it was looked at last, read from the ledger, the notices and what lists show.

Nothing that people or the scheduler do has to know of webhooks.
"""

from __future__ import annotations

from collections.abc import Iterator
from datetime import timedelta
from typing import Any

from django.db import transaction
from django.db.models import Max, Model

from neat_verdict.app import clock
from neat_verdict.app.analysis.models import Summary
from neat_verdict.app.experiments.models import Experiment, LedgerEntry
from neat_verdict.app.watch.models import Notice
from neat_verdict.app.webhooks.models import Delivery, Gathered, Happening, VerdictSeen, Webhook

# Of ledger entries by verb, and of notices by tone; others are of no interest to other systems.
OF_VERBS = {
    "start": "experiment.started",
    "end": "experiment.ended",
    "look": "look.taken",
    "decide": "decision.made",
    "withdraw": "decision.withdrawn",
    "rollout": "rollout.changed",
}
OF_TONES = {"unsound": "data.issue", "warning": "data.issue"}
AT_ONCE = 1000
KEPT = timedelta(days=90)


def gather() -> int:
    """Keep what happened, with a delivery for each system that wants it; returns how many there are new."""
    hooks = list(Webhook.objects.all())
    return _gather(hooks) if hooks else 0


def begin() -> None:
    """From now on: what happened before there was a webhook is nobody's."""
    Gathered.objects.all().delete()
    VerdictSeen.objects.all().delete()
    Gathered.objects.create(ledger=_last(LedgerEntry), notice=_last(Notice))
    _gather([])


def _last(model: type[Model]) -> int:
    return model._default_manager.aggregate(last=Max("pk"))["last"] or 0


@transaction.atomic
def _gather(hooks: list[Webhook]) -> int:
    mark, made = Gathered.objects.get(), 0
    for source, kind, at, data in [*_of_ledger(mark), *_of_notices(mark), *_of_verdicts()]:
        happening, fresh = Happening.objects.get_or_create(
            source=source, defaults={"kind": kind, "at": at, "data": data}
        )
        if fresh:
            made += deliver(happening, [hook for hook in hooks if kind in hook.kinds])
    mark.save()
    Happening.objects.filter(at__lt=clock.now() - KEPT).delete()
    return made


def deliver(happening: Happening, hooks: list[Webhook]) -> int:
    """Have it sent to these, now; returns to how many."""
    rows = [Delivery(webhook=hook, happening=happening, due_at=clock.now()) for hook in hooks]
    return len(Delivery.objects.bulk_create(rows))


_Found = tuple[str, str, Any, dict[str, Any]]


def _of_ledger(mark: Gathered) -> Iterator[_Found]:
    rows = LedgerEntry.objects.filter(pk__gt=mark.ledger).select_related("experiment", "by").order_by("pk")[:AT_ONCE]
    for entry in rows:
        mark.ledger = entry.pk
        if entry.verb in OF_VERBS:
            data = {**_about(entry.experiment), "sentence": entry.sentence, "by": entry.by.display_name}
            yield f"ledger:{entry.pk}", OF_VERBS[entry.verb], entry.at, data


def _of_notices(mark: Gathered) -> Iterator[_Found]:
    rows = Notice.objects.filter(pk__gt=mark.notice).select_related("experiment").order_by("pk")[:AT_ONCE]
    for notice in rows:
        mark.notice = notice.pk
        if notice.tone in OF_TONES:
            sentence = notice.sentence.removeprefix(f"{notice.experiment.name}: ")
            data = {**_about(notice.experiment), "sentence": sentence, "advice": notice.advice}
            yield f"notice:{notice.pk}", OF_TONES[notice.tone], notice.at, data


def _of_verdicts() -> Iterator[_Found]:
    """Where the verdict that lists show is another than it was, within a round."""
    seen = {one.experiment_id: one for one in VerdictSeen.objects.all()}
    shown = Summary.objects.filter(row__isnull=False).select_related("experiment")
    for summary in shown.exclude(experiment__state__in=["draft", "scheduled", "archived"]):
        experiment, verdict = summary.experiment, (summary.row or {}).get("verdict") or ""
        before = seen.get(experiment.pk)
        if before is not None and (before.round, before.verdict) == (experiment.round, verdict):
            continue
        VerdictSeen.objects.update_or_create(
            experiment=experiment, defaults={"round": experiment.round, "verdict": verdict}
        )
        if before is not None and before.round == experiment.round:
            data = {
                **_about(experiment),
                "verdict": verdict,
                "before": before.verdict,
                "sentence": (summary.row or {})["short"],
            }
            at = summary.at
            yield f"verdict:{experiment.pk}:{experiment.round}:{at:%Y%m%d%H%M%S%f}", "verdict.changed", at, data


def _about(experiment: Experiment) -> dict[str, Any]:
    return {"experiment": experiment.key, "name": experiment.name, "state": experiment.state, "round": experiment.round}
