"""The workspace into a file: a zip with ``datapackage.json``, CSV tables, pictures, and events that were put away."""

from __future__ import annotations

import csv
import hashlib
import io
import json
import os
import sqlite3
import zipfile
from collections.abc import Callable, Iterator
from contextlib import closing
from datetime import datetime
from importlib.metadata import PackageNotFoundError, version
from pathlib import Path
from typing import IO, Any

from django.db.models import Model

from neat_verdict.app.portable.cells import MISSING, cell_of
from neat_verdict.app.portable.contents import columns, kind_of, schema_of, tables

PROFILE = "https://datapackage.org/profiles/2.0/datapackage.json"
NAME = "neat-verdict-workspace"
FORM = 1  # of what this package holds and how; another number is another form
FOLDERS = ("media", "events")  # of files in the data folder that belong to it
_BLOCK = 1 << 20


class _Hashed(io.RawIOBase):
    """Passes bytes on to a stream, and knows how many there were and their digest."""

    def __init__(self, into: IO[bytes]) -> None:
        self.into, self.size, self.sha256 = into, 0, hashlib.sha256()

    def writable(self) -> bool:
        return True

    def write(self, data: Any) -> int:
        content = bytes(data)
        self.size += len(content)
        self.sha256.update(content)
        self.into.write(content)
        return len(content)

    @property
    def described(self) -> dict[str, object]:
        """Size and digest as a Data Package has them."""
        return {"bytes": self.size, "hash": f"sha256:{self.sha256.hexdigest()}"}


def write_package(
    database: Path, data: Path, file: Path, at: datetime, hear: Callable[[str], None] = lambda _: None
) -> None:
    """Write all of a workspace as it is at one moment, while it is used; the file is there once it is whole.

    ``database`` is SQLite's file, ``data`` the data folder. ``hear`` is said each table as it is begun.
    """
    partial = file.with_name(f".{file.name}.partial")
    partial.touch(mode=0o600)  # it is all that the database is
    try:
        with closing(sqlite3.connect(f"file:{database}?mode=ro", uri=True)) as connection:
            connection.execute("BEGIN")  # what is read is as it was now, whatever is written meanwhile
            with zipfile.ZipFile(partial, "w", zipfile.ZIP_DEFLATED) as package:
                resources = [_table(package, connection, model, hear) for model in tables()]
                resources += [_file(package, data, path) for path in _files(data)]
                described = _descriptor(connection, resources, at)
                package.writestr("datapackage.json", json.dumps(described, indent=1, ensure_ascii=False))
        os.replace(partial, file)
    finally:
        partial.unlink(missing_ok=True)


def _table(
    package: zipfile.ZipFile, connection: sqlite3.Connection, model: type[Model], hear: Callable[[str], None]
) -> dict[str, object]:
    name, fields = model._meta.db_table, columns(model)
    hear(name)
    kinds = [kind_of(field) for field in fields]
    listed = ", ".join(f'"{field.column}"' for field in fields)
    rows = connection.execute(f'SELECT {listed} FROM "{name}" ORDER BY "{model._meta.pk.column}"')
    with package.open(f"data/{name}.csv", "w", force_zip64=True) as stream:
        hashed = _Hashed(stream)
        with io.TextIOWrapper(io.BufferedWriter(hashed, _BLOCK), encoding="utf-8", newline="") as text:
            written = csv.writer(text)  # lines end as RFC 4180 says, so that a return within a text is quoted
            written.writerow([field.column for field in fields])
            for row in rows:
                written.writerow([cell_of(kind, value) for kind, value in zip(kinds, row, strict=True)])
    return {
        "name": name,
        "type": "table",
        "path": f"data/{name}.csv",
        "format": "csv",
        "mediatype": "text/csv",
        "encoding": "utf-8",
        **hashed.described,
        "schema": {**schema_of(model), "missingValues": [MISSING]},
    }


def _files(data: Path) -> Iterator[Path]:
    for folder in FOLDERS:
        yield from sorted(path for path in (data / folder).rglob("*") if path.is_file())


def _file(package: zipfile.ZipFile, data: Path, path: Path) -> dict[str, object]:
    place = path.relative_to(data).as_posix()
    with package.open(f"files/{place}", "w", force_zip64=True) as stream, path.open("rb") as content:
        hashed = _Hashed(stream)
        while block := content.read(_BLOCK):
            hashed.write(block)
    name = "".join(letter if letter.isalnum() or letter in "-._" else "-" for letter in place.lower())
    return {"name": name, "path": f"files/{place}", **hashed.described}


def _descriptor(connection: sqlite3.Connection, resources: list[dict[str, object]], at: datetime) -> dict[str, object]:
    migrations: dict[str, list[str]] = {}
    for app, name in connection.execute("SELECT app, name FROM django_migrations ORDER BY app, name"):
        migrations.setdefault(app, []).append(name)
    return {
        "$schema": PROFILE,
        "name": NAME,
        "title": "A whole workspace of Neat Verdict",
        "created": at.isoformat(),
        "form": FORM,
        "made_by": f"neat-verdict {_version()}",
        "migrations": migrations,
        "resources": resources,
    }


def _version() -> str:
    try:
        return version("neat-verdict")
    except PackageNotFoundError:
        return "from a checkout"
