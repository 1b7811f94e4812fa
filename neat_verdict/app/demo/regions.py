"""The tests by region: one on its way, one decided."""

from __future__ import annotations

import math
import tempfile
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from pathlib import Path
from typing import Any

from neat_verdict.app import clock
from neat_verdict.app.demo.towns import Changed, sales_of_towns
from neat_verdict.app.experiments.actions import edit_experiment, end
from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.experiments.queries import find
from neat_verdict.app.people.models import User
from neat_verdict.app.regions import actions, queries, running
from neat_verdict.app.regions.presenting import kept_reading

BREAK_EVEN, WEEKS, COOL_DOWN = 1.5, 4, 1
LEAK = 0.02


@dataclass(frozen=True, slots=True)
class RegionStory:
    """A test by region of invented towns. ``days_in`` are those that are over, all of them where it is decided; ``incremental``
    is what the last unit of the usual spend truly brings, with a ``bend`` (`towns.Changed`). As few pairs are taken as can show
    break-even, all of them in the ``widest``; a graded one has ``levels``."""

    name: str
    tested: str
    change: str
    because: str
    history: int
    towns: int
    seed: int
    days_in: int
    incremental: float
    spent: float
    again: str
    decided_ago: int | None = None
    widest: bool = False
    levels: tuple[float, float] | None = None
    bend: float = 0.0
    next_step: str = ""


REGION_STORIES = (
    RegionStory(
        "Autumn poster towns", "Posters in towns", "No posters in some towns",
        "posters are the dearest thing we print, and nobody has ever seen what they bring",
        history=730, towns=180, seed=7, days_in=17, incremental=2.6, spent=0.028, again="other",
    ),
    RegionStory(
        "Spring radio towns", "Radio spots", "No radio spots in some towns",
        "the radio says that everybody hears them; the fares have never shown it",
        history=400, towns=96, seed=23, widest=True, days_in=(WEEKS + COOL_DOWN) * 7, incremental=0.3, spent=0.09, again="after",
        decided_ago=150, next_step="The money of the radio spots goes to the timetable at the piers",
    ),
    RegionStory(
        "Summer brochure towns", "Brochures by post", "Half as many brochures in some towns, half as many again in others",
        "brochures are how most people hear of us, so that none dares to stop them; whether there are too many, nobody knows",
        history=500, towns=180, seed=41, widest=True, days_in=(WEEKS + COOL_DOWN) * 7, incremental=1.3, bend=2.0, spent=0.12,
        again="after", levels=(0.5, 1.5), decided_ago=70, next_step="The printers are asked for as many as this year",
    ),
)  # fmt: skip


def tell_of_regions(people: Mapping[str, User], today: date, moment: Callable[[date, int], datetime]) -> None:
    """All of them, each laid in its own past."""
    for story in REGION_STORIES:
        _tell(story, people["mona"], today, moment)


def _tell(story: RegionStory, by: User, today: date, moment: Callable[[date, int], datetime]) -> None:
    over = today - timedelta(days=story.decided_ago or 0)
    start = over - timedelta(days=story.days_in)
    last_of_past = start - timedelta(days=6)
    first = last_of_past - timedelta(days=story.history - 1)
    with clock.at(moment(last_of_past + timedelta(days=1), 10)):
        experiment = _planned(story, by, first, start)
    with clock.at(moment(start - timedelta(days=3), 9)):
        running.start_region_test(by, experiment)
        running.hand_over(by, experiment)
    experiment = find(experiment.key)
    plan = queries.plan_of(experiment)
    cells, calendar = queries.cells_of(plan), queries.calendar_to_hand_over(plan)
    spent_again = sum(one.planned[-1] for one in calendar.days if one.phase == "test")
    usual = sum(one.usual[-1] for one in calendar.days if one.phase == "test")
    # A little still goes where nothing was to be spent.
    levels = {town: max(share, LEAK) for arm, share in queries.levels_of(plan).items() for town in cells[arm]}
    levels |= dict.fromkeys(cells["other"], spent_again / usual if usual else 1.0)
    changed = Changed(levels, start, start + timedelta(weeks=WEEKS), story.incremental, story.bend)
    days = (over - first).days
    with clock.at(moment(over, 8)):
        with tempfile.NamedTemporaryFile(suffix=".csv") as kept:
            kept.write(
                sales_of_towns(
                    first, days, seed=story.seed, towns=story.towns, spent=story.spent, changed=changed,
                    since=last_of_past + timedelta(days=1),
                )
            )  # fmt: skip
            kept.flush()
            running.bring_days(by, experiment, Path(kept.name), "towns-since.csv")
        if story.decided_ago is not None:
            end(by, experiment.key)
            _decide(story, by, find(experiment.key))


def _decide(story: RegionStory, by: User, experiment: Experiment) -> None:
    shown = kept_reading(queries.plan_of(experiment))
    running.decide_by_region(
        by,
        experiment,
        choice=shown["suggested"],
        reason="",
        next_step=story.next_step,
        shown=shown,
    )


def _planned(story: RegionStory, by: User, first: date, start: date) -> Experiment:
    """Planned with its past, the cells drawn, the calendar made."""
    made = actions.create_by_region(by, story.name)
    edit_experiment(
        by, made.key, made.version, {"area": "Advertising", "change": story.change, "because": story.because}, ""
    )
    experiment = find(made.key)
    with tempfile.NamedTemporaryFile(suffix=".csv") as kept:
        kept.write(sales_of_towns(first, story.history, seed=story.seed, towns=story.towns, spent=story.spent))
        kept.flush()
        plan = actions.bring_past(by, experiment, Path(kept.name), "towns.csv")
    lower, higher = story.levels or (None, None)
    changes = {
        "tested": story.tested, "outcome": "fares", "break_even": BREAK_EVEN, "cool_down": COOL_DOWN, "lower": lower,
        "higher": higher,
    }  # fmt: skip
    plan = actions.edit_plan(by, experiment, plan.version, changes)
    fitting = [one for one in queries.choice_of(plan).designs if one.weeks == WEEKS]
    enough = [one for one in fitting if (one.smallest_return or math.inf) <= BREAK_EVEN]
    few = enough and not story.widest
    chosen = min(enough, key=lambda one: one.pairs) if few else max(fitting, key=lambda one: one.pairs)
    actions.edit_plan(by, experiment, plan.version, {"pairs": chosen.pairs, "weeks": chosen.weeks})
    plan = actions.draw_cells(by, experiment, 20_261)
    # Where every town is in a pair, what is saved can be spent again afterwards only.
    rest = set(queries.cells_of(plan)["other"]) & set(queries.panel_of(plan).regions)
    again = story.again if rest else "after"
    calendar: dict[str, Any] = {
        "start": start.isoformat(), "budget": None, "again": again, "edits": [], "reason": "",
    }  # fmt: skip
    actions.set_calendar(by, experiment, plan.version, calendar)
    return find(experiment.key)
