"""Work that nobody waits for: done some seconds later, once for all that asked meanwhile, in a thread of its own."""

from __future__ import annotations

import logging
import threading
from collections.abc import Callable

from django.db import connections

log = logging.getLogger(__name__)


class Later:
    """Does ``work`` ``after`` so many seconds from the first `soon`; what fails is logged, and lost."""

    def __init__(self, work: Callable[[], object], after: float) -> None:
        self._work, self._after = work, after
        self._lock = threading.Lock()
        self._timer: threading.Timer | None = None

    def soon(self) -> None:
        """Do it, unless it is going to be done anyway."""
        with self._lock:
            if self._timer is None:
                self._timer = threading.Timer(self._after, self._alone)
                self._timer.daemon = True
                self._timer.start()

    def cancel(self) -> None:
        """Leave it, until `soon` is asked once more."""
        with self._lock:
            if self._timer is not None:
                self._timer.cancel()
            self._timer = None

    def _alone(self) -> None:
        with self._lock:
            self._timer = None
        try:
            self._work()
        except Exception:
            log.exception("what was to be stored later could not be stored")
        finally:
            connections.close_all()
