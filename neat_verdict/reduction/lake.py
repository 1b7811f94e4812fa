"""Where events are kept and how their columns are called: a file that is written once for a lake."""

from __future__ import annotations

import os
import re
import tomllib
from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from neat_verdict.core.checks import InputError
from neat_verdict.core.metrics import EXPOSURE

ENGINE = "duckdb"
REQUIRED = ("unit", "at")
_OF_EVENTS = ("event",)
_OF_EXPOSURES = ("experiment", "variant")
OPTIONAL = ("id", "received", "forced")
_KNOWN = (*REQUIRED, *_OF_EVENTS, *_OF_EXPOSURES, *OPTIONAL)
_VARIABLE = re.compile(r"\$\{(\w+)\}")


@dataclass(frozen=True, slots=True)
class Table:
    """A table: a ``path`` of Parquet files (with * and **), or a ``table`` of the engine's; and its columns by their role.

    ``at`` is a moment, or a whole number of milliseconds since 1970. ``id`` is the sender's own: of rows with the same one the
    earliest counts. ``received`` is when a row came into the lake; ``forced`` marks exposures of somebody who looked on purpose.
    """

    path: str
    table: str
    columns: Mapping[str, str]

    @property
    def place(self) -> str:
        """Where it is."""
        return self.path or self.table


@dataclass(frozen=True, slots=True)
class Lake:
    """Events, and exposures where these have a table of their own; by which ``engine`` they are counted if no other is asked for,
    the ``database`` that tables are in, where it is a file of the engine's, and what came ``from_environment``, by its names.

    ``properties`` are columns by the names that metrics, audiences and segments call them by; those not listed, and without a
    role, have their own name. ``variants`` are the values that stand for letters, in small letters.
    """

    events: Table
    exposures: Table | None = None
    exposure: str = EXPOSURE
    properties: Mapping[str, str] = field(default_factory=dict)
    variants: Mapping[str, str] = field(default_factory=dict)
    engine: str = ENGINE
    database: str = ""
    from_environment: Mapping[str, str] = field(default_factory=dict, repr=False)

    def without_secrets(self, text: str) -> str:
        """A text as people may see it: what came from the environment goes by its name again."""
        for name, value in sorted(self.from_environment.items(), key=lambda one: -len(one[1])):
            text = text.replace(value, f"${{{name}}}") if value else text
        return text


def read_lake(path: Path) -> Lake:
    """The lake that a TOML file describes, in whose texts ``${NAME}`` stands for a variable of the environment. Raises InputError
    naming the part, what stands there and what is accepted."""
    try:
        record = tomllib.loads(path.read_text(encoding="utf-8"))
    except OSError as problem:
        raise InputError("lake", str(path), f"cannot be read: {problem.strerror}") from problem
    except (tomllib.TOMLDecodeError, UnicodeDecodeError) as problem:
        raise InputError("lake", path.name, f"must be TOML: {problem}") from problem
    known = ("events", "exposures", "exposure", "properties", "variants", "engine", "database")
    _refuse_unknown("lake", record, known)
    taken: dict[str, str] = {}
    record = {name: _filled(part, name, taken) for name, part in record.items()}
    if not isinstance(record.get("events"), dict):
        raise InputError("events", "missing", "must say where events are and how their columns are called")
    own = record.get("exposures")
    if own is not None and not isinstance(own, dict):
        raise InputError("exposures", str(own), "must say where exposures are and how their columns are called")
    base = path.parent
    return Lake(
        events=_table(record["events"], "events", base, _OF_EVENTS if own else (*_OF_EVENTS, *_OF_EXPOSURES)),
        exposures=_table(own, "exposures", base, _OF_EXPOSURES) if own else None,
        exposure=str(record.get("exposure", EXPOSURE)),
        properties=_names(record, "properties"),
        variants={value.lower(): letter for value, letter in _names(record, "variants").items()},
        engine=str(record.get("engine", ENGINE)),
        database=_place(str(record.get("database", "")), base),
        from_environment=taken,
    )


def _filled(value: Any, path: str, taken: dict[str, str]) -> Any:
    """A value with what the environment has in place of ``${NAME}``; what that is is noted in ``taken``."""
    if isinstance(value, dict):
        return {name: _filled(part, f"{path}.{name}", taken) for name, part in value.items()}
    if not isinstance(value, str):
        return value
    for name in _VARIABLE.findall(value):
        if name not in os.environ:
            raise InputError(path, f"${{{name}}}", "must be a variable that is set in the environment")
        taken[name] = os.environ[name]
    return _VARIABLE.sub(lambda found: os.environ[found[1]], value)


def _place(path: str, base: Path) -> str:
    """A path as from where the file is that names it."""
    return path if "://" in path or not path else str(base / path)


def _table(record: Mapping[str, Any], name: str, base: Path, needed: tuple[str, ...]) -> Table:
    _refuse_unknown(name, record, (*_KNOWN, "path", "table"))
    path, table = str(record.get("path", "")), str(record.get("table", ""))
    if bool(path) == bool(table):
        raise InputError(
            name, path or "neither", "must have a path of Parquet files or a table of the engine, one of them"
        )
    columns = {role: str(record[role]) for role in _KNOWN if role in record}
    for role in (*REQUIRED, *needed):
        if role not in columns:
            raise InputError(f"{name}.{role}", "missing", "must name the column")
    return Table(_place(path, base), table, columns)


def _names(record: Mapping[str, Any], part: str) -> dict[str, str]:
    lines = record.get(part, {})
    if not isinstance(lines, dict) or not all(isinstance(value, str) for value in lines.values()):
        raise InputError(part, str(lines)[:80], "must be names, each with a text")
    return dict(lines)


def _refuse_unknown(name: str, record: Mapping[str, Any], known: tuple[str, ...]) -> None:
    for key in record:
        if key not in known:
            raise InputError(
                f"{name}.{key}" if name != "lake" else key, "not known", f"must be one of {', '.join(known)}"
            )
