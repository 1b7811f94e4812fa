"""Which unit is in which experiment since when: the table behind every event. Called inside a transaction."""

from __future__ import annotations

import json
from collections.abc import Collection, Sequence
from typing import Any

from neat_verdict.app.sql import IN, rows, run_many

_UPSERT = """INSERT INTO traffic_enrolment
    (unit, experiment_id, round, variant_id, first_at, segments, "values", mixed) VALUES (%s, %s, %s, %s, %s, %s, %s, %s)
    ON CONFLICT (unit, experiment_id, round) DO UPDATE SET variant_id = excluded.variant_id, first_at = excluded.first_at,
        segments = excluded.segments, "values" = excluded."values", mixed = excluded.mixed"""


def enrolments_of(units: Collection[str]) -> list[tuple[Any, ...]]:
    """(unit, experiment, round, variant, first_at, segments, values, mixed) of units."""
    return rows(
        f"""SELECT unit, experiment_id, round, variant_id, first_at, segments, "values", mixed FROM traffic_enrolment
            WHERE unit {IN}""",
        json.dumps(list(units)),
    )


def keep_enrolments(lines: Sequence[Sequence[Any]]) -> None:
    """Keep lines as `enrolments_of` gives them."""
    run_many(_UPSERT, lines)


def clear_enrolments(experiment: int, round_number: int) -> None:
    """Forget who is in a round."""
    run_many("DELETE FROM traffic_enrolment WHERE experiment_id = %s AND round = %s", [(experiment, round_number)])
