"""Which lakes there are: files that whoever runs the application has put into a folder, each named after its file."""

from __future__ import annotations

from datetime import datetime, timedelta
from pathlib import Path

from django.conf import settings

from neat_verdict.core.checks import InputError
from neat_verdict.reduction.lake import Lake, read_lake

MAX_NAME_LENGTH = 80


def folder() -> Path:
    """Where the files are."""
    return Path(settings.LAKES)


def lakes() -> list[str]:
    """The names, in order."""
    return sorted(file.stem for file in folder().glob("*.toml") if len(file.stem) <= MAX_NAME_LENGTH)


def lake_named(name: str) -> Lake:
    """What a lake's file says. Raises InputError where there is none, or it cannot be read."""
    if name not in lakes():
        raise InputError(
            "lake", name[:MAX_NAME_LENGTH], f"must be one of {', '.join(lakes()) or 'those in the folder'}"
        )
    return read_lake(folder() / f"{name}.toml")


def last_due(every: str, hour: int, now: datetime) -> datetime | None:
    """The last moment, up to ``now`` (in the workspace's zone), at which a lake was to be counted; None where it never is."""
    if every == "hour":
        return now.replace(minute=0, second=0, microsecond=0)
    if every == "day":
        due = now.replace(hour=hour, minute=0, second=0, microsecond=0)
        return due if due <= now else due - timedelta(days=1)
    return None
