"""What runs the counting: DuckDB in this process, or Spark."""

from __future__ import annotations

import os
import tempfile
from abc import ABC, abstractmethod
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any, ClassVar

import duckdb
import ibis
from ibis.common.exceptions import IbisError
from ibis.expr import types as ir

from neat_verdict.core.checks import InputError
from neat_verdict.reduction.lake import Table

MEMORY = "3GB"
_ATTACHED = "lake"


class Engine(ABC):
    """An engine that runs expressions. ``name`` is what it is chosen by, ``title`` what it is called."""

    name: ClassVar[str]
    title: ClassVar[str]

    @abstractmethod
    def read(self, table: Table) -> ir.Table:
        """The table as it is. Raises InputError where there is none."""

    @abstractmethod
    def rows(self, asked: ir.Expr) -> list[tuple[Any, ...]]:
        """What an expression comes to."""

    @abstractmethod
    def keep(self, made: ir.Table, name: str) -> ir.Table:
        """A table computed once, to be asked several times."""

    @abstractmethod
    def explained(self, asked: ir.Expr) -> str:
        """How the engine would go about it."""


class DuckDB(Engine):
    """In this process, on one machine, in bounded memory: what does not fit goes to disk."""

    name, title = "duckdb", "DuckDB"

    def __init__(self, place: Path, database: str = "", *, memory: str = MEMORY, threads: int | None = None) -> None:
        self._backend = ibis.duckdb.connect(
            memory_limit=memory,
            threads=threads or os.cpu_count() or 1,
            temp_directory=str(place),
            autoinstall_known_extensions="false",
            preserve_insertion_order="false",
        )
        self._backend.raw_sql("SET TimeZone = 'UTC'")
        self._of_tables = _ATTACHED if database else "memory"
        if database:
            try:
                self._backend.attach(database, _ATTACHED, read_only=True)
            except duckdb.Error as problem:
                raise InputError("database", database, f"cannot be read: {_first_line(problem)}") from problem

    def read(self, table: Table) -> ir.Table:
        try:
            if table.path:
                return self._backend.read_parquet(table.path, union_by_name=True, hive_partitioning=True)
            schema, _, name = table.table.rpartition(".")
            return self._backend.table(name, database=(self._of_tables, schema or "main"))
        except (duckdb.Error, IbisError) as problem:
            raise InputError("lake", table.place, f"cannot be read: {_first_line(problem)}") from problem

    def rows(self, asked: ir.Expr) -> list[tuple[Any, ...]]:
        result: list[tuple[Any, ...]] = self._backend.raw_sql(self._backend.compile(asked)).fetchall()
        return result

    def keep(self, made: ir.Table, name: str) -> ir.Table:
        self._backend.raw_sql(f'CREATE OR REPLACE TABLE "{name}" AS {self._backend.compile(made)}')
        return self._backend.table(name)

    def explained(self, asked: ir.Expr) -> str:
        return str(self._backend.raw_sql("EXPLAIN " + self._backend.compile(asked)).fetchall()[0][1])

    def close(self) -> None:
        """Give back what it holds."""
        self._backend.disconnect()


class Spark(Engine):
    """A cluster, or this machine: wherever the master is that Spark's own settings name, ``local[2]`` without any."""

    name, title = "spark", "Spark"

    def __init__(self, place: Path, database: str = "") -> None:
        from pyspark.sql import SparkSession

        if database:
            raise InputError("database", database, "must be left out: Spark names tables by its own catalogs")

        builder = SparkSession.builder.appName("neat-verdict reduce")
        if "MASTER" not in os.environ and not os.environ.get("SPARK_CONF_DIR"):
            builder = (
                builder.master("local[2]")
                .config("spark.driver.bindAddress", "127.0.0.1")
                .config("spark.driver.host", "127.0.0.1")
                .config("spark.driver.memory", "3g")
                .config("spark.sql.shuffle.partitions", "8")
                .config("spark.ui.enabled", "false")
                .config("spark.ui.showConsoleProgress", "false")
                .config("spark.local.dir", str(place))
                .config("spark.sql.warehouse.dir", str(place / "warehouse"))
            )
        self._session = (
            builder.config("spark.sql.session.timeZone", "UTC").config("spark.sql.ansi.enabled", "true").getOrCreate()
        )
        self._session.sparkContext.setLogLevel("ERROR")
        self._backend = ibis.pyspark.connect(self._session)

    def read(self, table: Table) -> ir.Table:
        from pyspark.errors import PySparkException

        try:
            if table.path:
                return self._backend.read_parquet(_folder(table.path), mergeSchema="true")
            return self._backend.table(table.table)
        except (PySparkException, IbisError) as problem:
            raise InputError("lake", table.place, f"cannot be read: {_first_line(problem)}") from problem

    def rows(self, asked: ir.Expr) -> list[tuple[Any, ...]]:
        return [tuple(row) for row in self._session.sql(self._backend.compile(asked)).collect()]

    def keep(self, made: ir.Table, name: str) -> ir.Table:
        from pyspark import StorageLevel

        frame = self._session.sql(self._backend.compile(made)).persist(StorageLevel.MEMORY_AND_DISK)
        frame.createOrReplaceTempView(name)
        return self._backend.table(name)

    def explained(self, asked: ir.Expr) -> str:
        lines = self._session.sql("EXPLAIN FORMATTED " + self._backend.compile(asked)).collect()
        return str(lines[0][0])

    def close(self) -> None:
        """Give back what it holds."""
        self._session.stop()


ENGINES: dict[str, type[DuckDB] | type[Spark]] = {engine.name: engine for engine in (DuckDB, Spark)}


@contextmanager
def engine_named(name: str, database: str = "") -> Iterator[DuckDB | Spark]:
    """An engine for a while, with a folder for what does not fit into memory, and with the tables of a database.

    Raises InputError for a name that none has, for one whose packages are not installed, or for a database that cannot be read.
    """
    if name not in ENGINES:
        raise InputError("engine", name, f"must be {' or '.join(ENGINES)}")
    with tempfile.TemporaryDirectory(prefix="neat-verdict-") as place:
        try:
            engine = ENGINES[name](Path(place), database)
        except ImportError as problem:
            raise InputError(
                "engine", name, f"is not installed: {problem}; install requirements/{name}.txt"
            ) from problem
        try:
            yield engine
        finally:
            engine.close()


def _folder(path: str) -> str:
    """The folder before the first star, which Spark reads with its partitions."""
    return path.split("*", 1)[0].rstrip("/") if "**" in path else path


def _first_line(problem: Exception) -> str:
    return (str(problem).strip().splitlines() or [type(problem).__name__])[0][:200]
