"""Writing the ledger; every action ends here."""

from __future__ import annotations

from typing import Any

from neat_verdict.app.experiments.models import Experiment, LedgerEntry
from neat_verdict.app.people.models import User


def changed(field: str, before: Any, after: Any) -> dict[str, Any]:
    """One line of an entry's ``changes``: a field with what it was and what it is now."""
    return {"field": field, "before": before, "after": after}


def record(experiment: Experiment, by: User, verb: str, sentence: str, **detail: Any) -> LedgerEntry:
    """Append an entry. To be called inside the transaction of the change it tells of."""
    return LedgerEntry.objects.create(experiment=experiment, by=by, verb=verb, sentence=sentence[:500], detail=detail)
