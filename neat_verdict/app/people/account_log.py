"""Writing down who changed what of accounts, keys and links; every action on them ends here."""

from __future__ import annotations

from typing import Any

from neat_verdict.app.people.models import AccountEntry, User


def note(by: User | None, about: User | None, verb: str, sentence: str, **detail: Any) -> AccountEntry:
    """Append an entry. To be called inside the transaction of the change; ``detail`` holds nothing that is secret."""
    return AccountEntry.objects.create(by=by, about=about, verb=verb, sentence=sentence[:500], detail=detail)
