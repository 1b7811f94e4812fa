"""The test by region that is planned with the past of the towns."""

from __future__ import annotations

import math
import tempfile
from collections.abc import Mapping
from datetime import date, timedelta
from pathlib import Path
from typing import Any

from neat_verdict.app.demo.towns import past_of_towns
from neat_verdict.app.experiments.actions import edit_experiment
from neat_verdict.app.experiments.queries import find
from neat_verdict.app.people.models import User
from neat_verdict.app.regions import actions, queries

BREAK_EVEN, WEEKS = 1.5, 4
PLAN = {"tested": "Posters in towns", "outcome": "fares", "break_even": BREAK_EVEN, "cool_down": 1}


def plan_test_of_towns(people: Mapping[str, User], today: date) -> None:
    """Autumn poster towns: planned with their past, the cells drawn."""
    by = people["mona"]
    made = actions.create_by_region(by, "Autumn poster towns")
    changes = {
        "area": "Advertising",
        "change": "No posters in some towns",
        "because": "posters are the dearest thing we print, and nobody has ever seen what they bring",
    }
    edit_experiment(by, made.key, made.version, changes, "")
    experiment = find(made.key)
    with tempfile.NamedTemporaryFile(suffix=".csv") as kept:
        kept.write(past_of_towns(today - timedelta(days=1)))
        kept.flush()
        plan = actions.bring_past(by, experiment, Path(kept.name), "towns.csv")
    plan = actions.edit_plan(by, experiment, plan.version, PLAN)
    enough = [
        one
        for one in queries.choice_of(plan).designs
        if one.weeks == WEEKS and (one.smallest_return or math.inf) <= BREAK_EVEN
    ]
    least = min(enough, key=lambda one: one.pairs)
    actions.edit_plan(by, experiment, plan.version, {"pairs": least.pairs, "weeks": least.weeks})
    plan = actions.draw_cells(by, experiment, 20_261)
    monday = today + timedelta(days=7 - today.weekday())
    calendar: dict[str, Any] = {
        "start": monday.isoformat(),
        "budget": None,
        "again": "other",
        "edits": [],
        "reason": "",
    }
    actions.set_calendar(by, experiment, plan.version, calendar)
