"""A new installation from a package: looked at whole, brought to the state of the version that made it, filled, migrated."""

from __future__ import annotations

import csv
import hashlib
import io
import json
import shutil
import sqlite3
import zipfile
from collections.abc import Callable, Iterator, Mapping
from contextlib import closing
from dataclasses import dataclass
from pathlib import Path, PurePosixPath
from typing import Any

from django.db import connection
from django.db.migrations.executor import MigrationExecutor

from neat_verdict.app.portable.cells import KINDS, value_of
from neat_verdict.app.portable.contents import BLANKED, is_ours
from neat_verdict.app.portable.writing import FOLDERS, FORM, NAME

_BLOCK = 1 << 20
_CELL = 1 << 30  # characters that a cell may have: a decision keeps all its counts


class PackageRefused(Exception):  # noqa: N818
    """What is wrong with a package, or why it does not fit here; nothing was written."""


@dataclass(frozen=True, slots=True)
class Table:
    """A table of a package: its columns with the kinds of their values."""

    name: str
    path: str
    kinds: Mapping[str, str]


@dataclass(frozen=True, slots=True)
class Package:
    """What a file holds: the migrations that its version had run, tables, and files by their places in the data folder."""

    migrations: Mapping[str, list[str]]
    tables: tuple[Table, ...]
    files: tuple[str, ...]


def look_into(package: zipfile.ZipFile) -> Package:
    """What a package holds. Raises PackageRefused for what is none, is not whole, or holds what no package of ours does."""
    try:
        described = json.loads(package.read("datapackage.json"))
        resources = described["resources"]
        if (described["name"], described["form"]) != (NAME, FORM):
            raise PackageRefused(
                f"It is a {described['name']} of form {described['form']}; a {NAME} of form {FORM} is read here"
            )
        for one in resources:
            _check_whole(package, one["path"], one["hash"])
        found = [Table(one["name"], one["path"], _kinds(one)) for one in resources if one.get("type") == "table"]
        files = [_place(one["path"]) for one in resources if one.get("type") != "table"]
        return Package({app: list(names) for app, names in described["migrations"].items()}, tuple(found), tuple(files))
    except (KeyError, TypeError, AttributeError, ValueError, zipfile.BadZipFile) as problem:
        raise PackageRefused(f"It is no package of a workspace, or not a whole one: {problem}") from problem


def _check_whole(package: zipfile.ZipFile, path: str, digest: str) -> None:
    found = hashlib.sha256()
    with package.open(path) as stream:
        while block := stream.read(_BLOCK):
            found.update(block)
    if digest != f"sha256:{found.hexdigest()}":
        raise PackageRefused(f"{path} is not what was written: its digest differs")


def _kinds(resource: Mapping[str, Any]) -> dict[str, str]:
    described = {json.dumps(dict(kind.described), sort_keys=True): name for name, kind in KINDS.items()}
    kinds = {}
    for field in resource["schema"]["fields"]:
        said = {name: field[name] for name in ("type", "format", "description") if name in field}
        kinds[field["name"]] = described[json.dumps(said, sort_keys=True)]
    return kinds


def _place(path: str) -> str:
    """Where a file stands in the data folder. Raises PackageRefused for a place outside of the folders that are ours."""
    place = PurePosixPath(path).relative_to("files")
    if place.parts[0] not in FOLDERS or ".." in place.parts:
        raise PackageRefused(f"{path} is at no place for a file of a workspace")
    return place.as_posix()


def load_package(file: Path, database: Path, data: Path, hear: Callable[[str], None] = lambda _: None) -> Package:
    """Make the database and files of a new installation from a package. Raises PackageRefused; then nothing is there.

    ``database`` is where Django's connection has its file, ``data`` the data folder.
    """
    if database.exists():
        raise PackageRefused(
            f"{database} is there already; a package makes a new installation, in a data folder without one"
        )
    try:
        with zipfile.ZipFile(file) as package:
            held = look_into(package)
            database.touch(mode=0o600)
            _migrate(held.migrations)
            with closing(sqlite3.connect(database)) as into:
                fill(package, held, into, hear)
            _migrate_on()
            for place in held.files:
                target = data / place
                target.parent.mkdir(parents=True, exist_ok=True)
                with package.open(f"files/{place}") as stream, target.open("wb") as out:
                    shutil.copyfileobj(stream, out, _BLOCK)
            return held
    except zipfile.BadZipFile as problem:
        raise PackageRefused(f"{file.name} is no zip file, or a damaged one") from problem
    except BaseException:
        connection.close()
        for ending in ("", "-wal", "-shm"):
            Path(f"{database}{ending}").unlink(missing_ok=True)
        raise


def _migrate(migrations: Mapping[str, list[str]]) -> None:
    """Bring an empty database to where the package's was. Raises PackageRefused for a package of a later version."""
    executor = MigrationExecutor(connection)
    wanted = {(app, name) for app, names in migrations.items() for name in names}
    unknown = sorted(wanted - executor.loader.graph.nodes.keys())
    if unknown:
        raise PackageRefused(
            f"It was made by a later version, which has {'.'.join(unknown[0])}; upgrade this one first"
        )
    nodes = executor.loader.graph.node_map
    # The last of each app: one that others came after would be taken for the wish to go back to it.
    last = [
        one
        for one in wanted
        if not any(child.key in wanted and child.key[0] == one[0] for child in nodes[one].children)
    ]
    executor.migrate(sorted(last))


def _migrate_on() -> None:
    executor = MigrationExecutor(connection)
    executor.migrate(executor.loader.graph.leaf_nodes())
    connection.close()


def fill(package: zipfile.ZipFile, held: Package, into: sqlite3.Connection, hear: Callable[[str], None]) -> None:
    there = {name for (name,) in into.execute("SELECT name FROM sqlite_master WHERE type = 'table'")}
    into.execute("PRAGMA foreign_keys = OFF")  # looked at as a whole before it is kept
    with into:
        for table in held.tables:
            if table.name not in there or not is_ours(table.name):
                raise PackageRefused(f"There is no table {table.name} that a package may fill")
            hear(table.name)
            into.execute(f'DELETE FROM "{table.name}"')  # what migrations put there
            _fill_table(package, table, into)
        broken = into.execute("PRAGMA foreign_key_check").fetchone()
        if broken:
            raise PackageRefused(f"{broken[0]} refers to something in {broken[2]} that is not there")


def _fill_table(package: zipfile.ZipFile, table: Table, into: sqlite3.Connection) -> None:
    blanked = BLANKED.get(table.name, {})
    known = {row[1] for row in into.execute(f'PRAGMA table_info("{table.name}")')}
    unknown = table.kinds.keys() - known
    if unknown:
        raise PackageRefused(f"{table.name} has no column {min(unknown)}")
    added = {name: value for name, value in blanked.items() if name in known}
    names = [*table.kinds, *added]
    marks = ", ".join("?" for _ in names)
    listed = ", ".join(f'"{name}"' for name in names)
    rows = ((*row, *added.values()) for row in _rows(package, table))
    try:
        into.executemany(f'INSERT INTO "{table.name}" ({listed}) VALUES ({marks})', rows)
    except sqlite3.IntegrityError as problem:
        raise PackageRefused(f"{table.name}: {problem}") from problem


def _rows(package: zipfile.ZipFile, table: Table) -> Iterator[tuple[object, ...]]:
    kinds = list(table.kinds.values())
    csv.field_size_limit(_CELL)
    with package.open(table.path) as stream, io.TextIOWrapper(stream, encoding="utf-8", newline="") as text:
        lines = csv.reader(text)
        if next(lines, None) != list(table.kinds):
            raise PackageRefused(f"The header of {table.path} is not that of its schema")
        for number, line in enumerate(lines, start=2):
            try:
                yield tuple(value_of(kind, cell) for kind, cell in zip(kinds, line, strict=True))
            except (ValueError, KeyError) as problem:
                raise PackageRefused(f"{table.path}, row {number}: {problem} is not as its schema says") from problem
