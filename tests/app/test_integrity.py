"""A database that is damaged is found, read and not written to, and comes back from a copy."""

import os
import shutil
import sqlite3
import subprocess
import sys
from pathlib import Path

import pytest

from neat_verdict.app import integrity

ROOT = Path(__file__).parents[2]


def filled(path):
    with sqlite3.connect(path) as connection:
        connection.execute("CREATE TABLE lines (place INTEGER PRIMARY KEY, words TEXT)")
        connection.executemany("INSERT INTO lines VALUES (?, ?)", ((place, "words " * 50) for place in range(2000)))
        connection.execute("CREATE INDEX by_words ON lines (words, place)")
    connection.close()


def damage(path):
    """As a disk does it: some kilobytes in the middle are others."""
    with path.open("r+b") as file:
        file.seek(path.stat().st_size // 2 // 4096 * 4096)
        file.write(b"\xff" * 8192)


@pytest.fixture
def kept(settings, tmp_path):
    settings.DATA = tmp_path
    settings.DATABASES["default"]["NAME"] = str(tmp_path / "kept.sqlite3")
    filled(integrity.database())
    return tmp_path


@pytest.fixture(autouse=True)
def name(settings):
    before = settings.DATABASES["default"]["NAME"]
    yield
    settings.DATABASES["default"]["NAME"] = before


def test_damage_in_the_middle_is_found_and_remembered_until_it_is_whole_again(kept):
    assert (integrity.look(), integrity.known_damage()) == ("", "")
    copy = integrity.back_up("by-hand")
    damage(integrity.database())
    found = integrity.look()
    assert found
    assert integrity.known_damage() == found
    shutil.copy(copy, integrity.database())
    assert (integrity.look(), integrity.known_damage()) == ("", "")


def test_what_is_no_database_is_damage_too(kept):
    integrity.database().write_bytes(b"something else " * 1000)
    assert "not a database" in integrity.look()


def test_the_last_five_copies_are_kept(kept):
    for number in range(8):
        integrity.back_up(f"of-{number}")
    copies = sorted((kept / "backups").glob("*.sqlite3"))
    assert [one.stem.rsplit("-", 1)[1] for one in copies] == ["3", "4", "5", "6", "7"]
    assert all(integrity.damage_of(one) == "" for one in copies)


@pytest.mark.django_db
def test_while_it_is_damaged_it_is_read_and_nothing_is_written(ask, draft, settings, tmp_path):
    settings.DATA = tmp_path
    (tmp_path / "damaged.txt").write_text("row 7 missing from index")
    assert ask("get", f"/experiments/{draft.key}")[0] == 200
    status, problem = ask("patch", f"/experiments/{draft.key}", {"version": draft.version, "changes": {"area": "Home"}})
    assert status == 503
    assert "nothing is stored until a copy has been put in its place" in problem["title"]
    (tmp_path / "damaged.txt").unlink()
    changed = ask("patch", f"/experiments/{draft.key}", {"version": draft.version, "changes": {"area": "Home"}})
    assert changed[0] == 200


def prepare(data):
    environment = {**os.environ, "NEAT_VERDICT_DATA": str(data), "NEAT_VERDICT_SECRET_KEY": "x"}
    return subprocess.run(  # noqa: PLW1510
        [sys.executable, "manage.py", "prepare_database"], cwd=ROOT, env=environment, capture_output=True, text=True, timeout=120
    )  # fmt: skip


def test_it_is_copied_before_it_is_migrated_and_not_served_when_it_is_damaged(tmp_path):
    """From the database of an older version on, as an upgrade finds it, to the way back from its copy."""
    database = tmp_path / "neat-verdict.sqlite3"
    assert prepare(tmp_path).returncode == 0
    assert not (tmp_path / "backups").exists()
    with sqlite3.connect(database) as connection:
        connection.execute("DELETE FROM django_migrations WHERE app = 'watch' AND name = '0004_mail_retries'")
        connection.execute("ALTER TABLE watch_notice DROP COLUMN mail_tries")
        connection.execute("ALTER TABLE watch_notice DROP COLUMN mail_after")
    connection.close()
    migrated = prepare(tmp_path)
    assert migrated.returncode == 0
    assert "before 1 migration" in migrated.stdout
    (copy,) = (tmp_path / "backups").glob("*-before-watch-0004_mail_retries.sqlite3")
    damage(database)
    for stale in ("-wal", "-shm"):
        database.with_name(database.name + stale).unlink(missing_ok=True)
    refused = prepare(tmp_path)
    assert refused.returncode != 0
    assert "is damaged" in refused.stderr
    assert "docs/operations.md" in refused.stderr
    shutil.copy(copy, database)
    again = prepare(tmp_path)
    assert (again.returncode, "before 1 migration" in again.stdout) == (0, True)
    assert integrity.damage_of(database) == ""
