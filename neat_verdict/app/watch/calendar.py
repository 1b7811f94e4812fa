"""Starts, looks and ends of experiments as a calendar that other programmes read (iCalendar, RFC 5545)."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date, datetime, timedelta

from icalendar import Calendar, Event

from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.experiments.queries import decision_rule, local
from neat_verdict.core.rule import DecisionRule

SHOWN_AFTER = timedelta(days=180)  # of what is over


@dataclass(frozen=True, slots=True)
class Occasion:
    """Something on a day; ``name`` tells it from the others of its experiment, ``words`` say it."""

    name: str
    day: date
    words: str


def as_icalendar(today: date, moment: datetime, origin: str) -> bytes:
    """Every start, look and end of experiments that are not archived, but for what is long over."""
    made = Calendar()
    made.add("prodid", "-//Neat Verdict//Experiments//EN")
    made.add("version", "2.0")
    made.add("x-wr-calname", "Experiments")
    rows = Experiment.objects.exclude(state="archived").prefetch_related("metrics__metric").order_by("key")
    for experiment in rows:
        for one in occasions(experiment):
            if one.day < today - SHOWN_AFTER:
                continue
            event = Event()
            event.add("uid", f"{experiment.key}-{experiment.round}-{one.name}@neat-verdict")
            event.add("dtstamp", moment)
            event.add("dtstart", one.day)
            event.add("dtend", one.day + timedelta(days=1))
            event.add("summary", f"{experiment.name}: {one.words}")
            event.add("url", f"{origin}/experiments/{experiment.key}")
            event.add("transp", "TRANSPARENT")
            made.add_component(event)
    return bytes(made.to_ical())


def occasions(experiment: Experiment) -> Iterator[Occasion]:
    """What is, was, or is going to be on which day."""
    if experiment.started_on is None:
        if experiment.state == "scheduled" and experiment.starts_at is not None:
            yield Occasion("start", local(experiment.starts_at).date(), "starts")
        return
    yield Occasion("start", experiment.started_on, "started")
    over = experiment.ended_on
    if not experiment.by_region:
        rule = decision_rule(experiment)
        last = over or date.max
        looks = [
            (number, day) for number, day in enumerate(_days_of_looks(experiment.started_on, rule), 1) if day <= last
        ]
        for number, day in looks:
            yield Occasion(f"look-{number}", day, f"look {number} of {len(rule.look_days)}")
        if over is None and not experiment.ends_at and rule.planned_days:
            yield Occasion("end", experiment.started_on + timedelta(days=rule.planned_days - 1), "planned to end")
    if over is not None:
        yield Occasion("end", over, "ended")
    elif experiment.ends_at is not None:
        yield Occasion("end", local(experiment.ends_at).date(), "ends")


def _days_of_looks(first: date, rule: DecisionRule) -> list[date]:
    """Each look is taken when its day is over."""
    return [first + timedelta(days=day - 1) for day in rule.look_days]
