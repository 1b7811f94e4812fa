"""Which pages have the script: noted in memory as they ask, stored some seconds later in a thread of its own."""

from __future__ import annotations

import re
import threading
from datetime import datetime

from django.db import transaction

from neat_verdict.app import clock
from neat_verdict.app.http.texts import clean
from neat_verdict.app.later import Later
from neat_verdict.app.site.models import SeenPage

STORE_AFTER = 5.0  # seconds
WAITING = 2_000  # what a process keeps unstored; more is not noted
KEPT = 500  # pages of a key, the latest
MAX_LENGTH = 200
# A number, a long code, an address of a mailbox: one page for all of them, and nobody's name kept.
_PERSONAL = re.compile(r"\d+|[0-9a-fA-F-]{16,}|[^/]*(?:@|%40)[^/]*|[^/]{41,}")
_VERSION = re.compile(r"\d{1,4}\.\d{1,4}\.\d{1,4}")

_Page = tuple[int, str, str]  # key, origin, path
_Seen = tuple[str, bool, datetime]  # version of the script, whether the page is held back, when


def page_path(path: str) -> str:
    """A path with ``*`` in place of each part that names one thing of many: ``/orders/4711`` is ``/orders/*``."""
    parts = ["*" if _PERSONAL.fullmatch(part) else part for part in clean(path[:2000]).partition("?")[0].split("/")]
    return ("/" + "/".join(parts).lstrip("/"))[:MAX_LENGTH]


class Buffer:
    """What has been seen in this process and is not stored yet. It stores itself from time to time, or when it is asked to."""

    def __init__(self, *, by_itself: bool = True) -> None:
        self.by_itself = by_itself
        self._lock = threading.Lock()
        self._waiting: dict[_Page, _Seen] = {}
        self._later = Later(self.flush, STORE_AFTER)

    def note(self, key: int, origin: str, path: object, version: object, *, held: bool = False) -> None:
        """Note that a page asked. Never raises: what names no path or no version is passed over."""
        if not isinstance(path, str) or not isinstance(version, str) or not _VERSION.fullmatch(version):
            return
        page = (key, origin[:MAX_LENGTH], page_path(path))
        with self._lock:
            if page not in self._waiting and len(self._waiting) >= WAITING:
                return
            self._waiting[page] = (version, held, clock.now())
            if self.by_itself:
                self._later.soon()

    def flush(self) -> int:
        """Store what waits; returns how many pages that were."""
        taken = self._take()
        store(taken)
        return len(taken)

    def forget(self) -> None:
        """Begin with nothing noted."""
        self._take()

    def _take(self) -> dict[_Page, _Seen]:
        self._later.cancel()
        with self._lock:
            taken, self._waiting = self._waiting, {}
        return taken


buffer = Buffer()


@transaction.atomic
def store(seen: dict[_Page, _Seen]) -> None:
    """Store pages with when they were seen; of each key the latest `KEPT` stay."""
    rows = [
        SeenPage(key_id=key, origin=origin, path=path, version=version, held=held, first_at=at, last_at=at)
        for (key, origin, path), (version, held, at) in seen.items()
    ]
    SeenPage.objects.bulk_create(
        rows,
        update_conflicts=True,
        unique_fields=["key", "origin", "path"],
        update_fields=["version", "held", "last_at"],
    )
    for key in {row.key_id for row in rows}:
        surplus = SeenPage.objects.filter(key=key).values_list("pk", flat=True)[KEPT:]
        SeenPage.objects.filter(pk__in=list(surplus)).delete()
