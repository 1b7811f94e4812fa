"""Room where the data lie: taking in stops before the database is in danger, and admins hear of it long before that."""

from __future__ import annotations

import errno
import shutil

from django.conf import settings

# The house's limits, no source: room for a night of events and a copy of the database, and time to make more.
MIN_FREE = 512 * 1024 * 1024
LOW_FREE = 2 * 1024 * 1024 * 1024


def free_bytes() -> int:
    """What is free where the data lie."""
    return shutil.disk_usage(settings.DATA).free


def check_room() -> None:
    """Raise OSError (ENOSPC, answered 507) where so little is free that nothing more is taken in."""
    if free_bytes() < MIN_FREE:
        raise OSError(errno.ENOSPC, "too little is free where the data lie")


def warning() -> str:
    """What people are to hear of it; "" while there is room."""
    free = free_bytes()
    if free >= LOW_FREE:
        return ""
    left = f"{free / 2**30:.1f} GiB are free on the server"
    return f"{left}: nothing more is taken in until there is room" if free < MIN_FREE else f"{left}: it needs room soon"
