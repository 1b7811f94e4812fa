"""Whether the database is whole: looked at before it is served and each night. Nothing is written to one that is not."""

from __future__ import annotations

import shutil
import sqlite3
from contextlib import closing
from datetime import UTC, datetime
from pathlib import Path

from django.conf import settings

BACKUPS_KEPT = 5
_BESIDE = ("media", "events", "lakes")  # folders of what is kept beside the database


def damage_of(path: Path) -> str:
    """The first thing that SQLite's own quick check finds wrong; "" where nothing is."""
    try:
        with closing(sqlite3.connect(f"file:{path}?mode=ro", uri=True)) as connection:
            found = connection.execute("PRAGMA quick_check(1)").fetchone()
    except sqlite3.DatabaseError as problem:
        return str(problem)
    return "" if found == ("ok",) else str(found[0] if found else "nothing was answered")


def _mark() -> Path:
    return Path(settings.DATA) / "damaged.txt"


def known_damage() -> str:
    """What was found last, "" where the database was whole; costs next to nothing."""
    try:
        return _mark().read_text()
    except FileNotFoundError:
        return ""


def look() -> str:
    """Check the database, and keep what was found until it is found whole again."""
    found = damage_of(database())
    if found:
        _mark().write_text(found)
    else:
        _mark().unlink(missing_ok=True)
    return found


def database() -> Path:
    """The file of the database."""
    return Path(str(settings.DATABASES["default"]["NAME"]))


def back_up(occasion: str) -> Path:
    """Copy the database as it is, while it is used; the last five copies are kept."""
    folder = Path(settings.DATA) / "backups"
    folder.mkdir(exist_ok=True)
    made = folder / f"{datetime.now(UTC):%Y%m%d-%H%M%S}-{occasion}.sqlite3"
    _copy_database(made)
    for old in sorted(folder.glob("*.sqlite3"))[:-BACKUPS_KEPT]:
        old.unlink()
    return made


def copy_everything(folder: Path) -> str:
    """Copy all that is kept into a folder, while it is used; returns what is wrong with the copy of the database, "" for nothing.

    The database comes first: what is put away from it meanwhile is then in both, and counts once. Raises FileExistsError for a
    folder that is not empty.
    """
    folder.mkdir(parents=True, exist_ok=True)
    if any(folder.iterdir()):
        raise FileExistsError(folder)
    folder.chmod(0o700)
    made = folder / database().name
    _copy_database(made)
    for name in _BESIDE:
        if (there := Path(settings.DATA) / name).is_dir():
            shutil.copytree(there, folder / name)
    return damage_of(made)


def _copy_database(made: Path) -> None:
    with (
        closing(sqlite3.connect(f"file:{database()}?mode=ro", uri=True)) as source,
        closing(sqlite3.connect(made)) as copy,
    ):
        source.backup(copy)
    made.chmod(0o600)
