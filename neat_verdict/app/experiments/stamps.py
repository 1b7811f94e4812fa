"""What a reading of an experiment follows from, as short stamps: where they are the same, so is the reading."""

from __future__ import annotations

import hashlib
from collections.abc import Collection
from functools import lru_cache
from pathlib import Path
from typing import NamedTuple

import neat_verdict
from neat_verdict.app.experiments.models import Workspace
from neat_verdict.app.sql import rows, run_many

_CHANGED = """INSERT INTO experiments_datarevision (experiment_id, number) VALUES (%s, 1)
    ON CONFLICT (experiment_id) DO UPDATE SET number = number + 1"""
# Every operation that changes an experiment leaves an entry in its ledger.
STAMPS = """SELECT experiment.id, experiment.version, experiment.epoch, coalesce(revision.number, 0),
        (SELECT max(entry.id) FROM experiments_ledgerentry AS entry WHERE entry.experiment_id = experiment.id)
    FROM experiments_experiment AS experiment
    LEFT JOIN experiments_datarevision AS revision ON revision.experiment_id = experiment.id"""


class Stamp(NamedTuple):
    """``edits`` changes with what people do and decide, the library, the workspace and this program, ``data`` with what events
    and closed epochs bring without anybody's doing."""

    edits: str
    data: str


def data_changed(experiments: Collection[int]) -> None:
    """Mark that what is counted of experiments, by their ids, is another now. Called inside the transaction that changes it."""
    run_many(_CHANGED, [(number,) for number in sorted(experiments)])


def stamps() -> dict[int, Stamp]:
    """The stamps of all experiments, by their ids."""
    around = hashlib.sha256(f"{_program()} {_workspace()} {_library()}".encode()).hexdigest()[:16]
    return {
        number: Stamp(f"{around} {version} {entry or 0}", f"{revision} {epoch}")
        for number, version, epoch, revision, entry in rows(STAMPS)
    }


def _workspace() -> str:
    return repr(Workspace.objects.values().first())


def _library() -> str:
    """Names and definitions of metrics: a draft follows the latest."""
    return repr(rows("SELECT id, name, (SELECT max(id) FROM metrics_metricversion) FROM metrics_metric ORDER BY id"))


@lru_cache(maxsize=1)
def _program() -> str:
    """What reads and words it: another program may read the same otherwise."""
    digest = hashlib.sha256()
    place = Path(neat_verdict.__file__).parent
    for source in sorted(place.rglob("*.py")):
        digest.update(source.read_bytes())
    return digest.hexdigest()
