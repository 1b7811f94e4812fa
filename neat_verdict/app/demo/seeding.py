"""Makes the demo workspace through the same actions that people use, on days laid back from today."""

from __future__ import annotations

from datetime import date, datetime, time, timedelta
from zoneinfo import ZoneInfo

import numpy as np

from neat_verdict.app import clock
from neat_verdict.app.collect import actions as collect
from neat_verdict.app.demo.workspace import METRICS, NAME, STORIES, TIME_ZONE, Story
from neat_verdict.app.experiments import actions
from neat_verdict.app.experiments.models import Experiment, Workspace
from neat_verdict.app.experiments.queries import daily_counts, decision_rule, find
from neat_verdict.app.metrics.actions import create_metric
from neat_verdict.app.people.api import DEMO_ACCOUNTS
from neat_verdict.app.people.models import User
from neat_verdict.app.planning.actions import forecast
from neat_verdict.app.readings.actions import decide
from neat_verdict.app.readings.queries import evidence

_SEED = 20_000
_RHYTHM = (1.08, 0.98, 0.94, 0.96, 1.06, 1.04, 0.94)
_FULL_NAMES = {"mona": ("Mona", "Orrell"), "silas": ("Silas", "Tarn"), "ada": ("Ada", "Fenwick")}


def seed(today: date) -> int:
    """Fill an empty workspace; returns the number of experiments made. Does nothing when there are any."""
    if Experiment.objects.exists():
        return 0
    Workspace.objects.get_or_create(defaults={"name": NAME, "time_zone": TIME_ZONE})
    people = {account.username: _account(account.username, account.password, account.role) for account in DEMO_ACCOUNTS}
    with clock.at(_moment(today - timedelta(days=200), 9)):
        for name, definition, description in METRICS:
            create_metric(people["mona"], name, definition, description)
    for story in STORIES:
        _tell(story, people, today)
    return len(STORIES)


def _account(username: str, password: str, role: str) -> User:
    first, last = _FULL_NAMES[username]
    found, _ = User.objects.get_or_create(
        username=username,
        defaults={
            "role": role,
            "first_name": first,
            "last_name": last,
            "is_staff": role == "admin",
            "is_superuser": role == "admin",
        },
    )
    found.set_password(password)
    found.save()
    return found


def _moment(day: date, hour: int) -> datetime:
    return datetime.combine(day, time(hour), tzinfo=ZoneInfo(TIME_ZONE))


def _tell(story: Story, people: dict[str, User], today: date) -> None:
    by = people["mona"]
    variants = [
        {"name": name, "changes": [change] if change else [], "weight": 1.0}
        for name, change in zip(story.variants, story.changes, strict=True)
    ]
    changes = {
        "area": story.area,
        "metrics": [{"name": story.metric, "role": "primary"}, *story.others],
        "variants": variants,
        **story.fields,
    }
    draft_day = today - timedelta(days=story.days_in + story.decided_ago + 60 if story.decision else story.days_in + 4)
    with clock.at(_moment(draft_day, 10)):
        experiment = actions.create_experiment(by, story.name, changes)
        for who, lift, low, high in story.forecasts:
            forecast(people[who], experiment, lift=lift, low=low, high=high, note="")
    if not story.rates:
        return
    run = decision_rule(find(experiment.key)).planned_days if story.decision else story.days_in
    last = today - timedelta(days=story.decided_ago + 1)
    first = last - timedelta(days=run - 1)
    with clock.at(_moment(first, 6)):
        actions.start(by, experiment.key, first)
    with clock.at(_moment(last + timedelta(days=1), 8)):
        _bring_in(story, by, find(experiment.key), first, run)
        if story.decision:
            actions.end(by, experiment.key)
            suggested = evidence(find(experiment.key)).reading.suggested
            choice = suggested if story.decision == "rule" else story.decision
            decide(by, find(experiment.key), choice, story.reason, story.next_step)


def _bring_in(story: Story, by: User, experiment: Experiment, first: date, days: int) -> None:
    _store(by, experiment, counts_file(story, experiment, first, days), "")
    for metric, fares in story.fares.items():
        _store(by, experiment, fares_file(story, experiment, fares), metric)


def _store(by: User, experiment: Experiment, content: bytes, metric: str) -> None:
    seen = list(collect.preview(by, experiment, content, {}, metric=metric))[-1]
    assert isinstance(seen, collect.Preview)
    assert not seen.wrong
    name = f"{metric or experiment.key}.csv"
    collect.store(by, experiment, content, {}, digest=seen.digest, leave_out_wrong=False, name=name, metric=metric)


def fares_file(story: Story, experiment: Experiment, fares: tuple[float, ...]) -> bytes:
    """A CSV of daily sums of what the same visitors paid: one in twenty pays, ``fares`` are means of those, by variant."""
    draw = np.random.default_rng(_SEED + 500 + story.seed)
    counts = daily_counts([experiment])[experiment.pk].primary
    lines = ["day,variant,units,total,squares"]
    for day, units in zip(counts.days, counts.units.tolist(), strict=True):
        for letter, seen, fare in zip("ABCDEFGHIJ", units, fares, strict=False):
            paid = np.minimum(draw.gamma(2.5, fare / 2.5, draw.binomial(seen, 0.05)), 500)
            lines.append(f"{day.isoformat()},{letter},{seen},{paid.sum():.2f},{(paid**2).sum():.2f}")
    return "\n".join(lines).encode()


def counts_file(story: Story, experiment: Experiment, first: date, days: int) -> bytes:
    """A CSV of daily counts drawn from the story's true rates, from its own seed."""
    draw = np.random.default_rng(_SEED + story.seed)
    lines = ["day,variant,visitors,conversions"]
    arms = len(story.rates)
    per_day = (experiment.audience_per_day or 0) * experiment.participation * 1.03
    for offset in range(days):
        day = first + timedelta(days=offset)
        visitors = draw.multinomial(draw.poisson(per_day * _RHYTHM[day.weekday()]), [1 / arms] * arms)
        visitors[-1] = draw.binomial(visitors[-1], 1 - story.lost)
        for position, rate in enumerate(story.rates):
            converted = draw.binomial(visitors[position], rate * (2 - _RHYTHM[day.weekday()]))
            lines.append(f"{day.isoformat()},{'ABCDEFGHIJ'[position]},{visitors[position]},{converted}")
    return "\n".join(lines).encode()
