"""Makes the demo workspace through the same actions that people use, on days laid back from today."""

from __future__ import annotations

import json
import random
import tempfile
from collections.abc import Mapping, Sequence
from dataclasses import replace
from datetime import date, datetime, time, timedelta
from itertools import pairwise
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo

import numpy as np
import orjson
from django.conf import settings
from django.utils.text import slugify

from neat_verdict.app import clock
from neat_verdict.app.analysis.actions import decide
from neat_verdict.app.analysis.evidence import evidence
from neat_verdict.app.casebook.actions import add_place, plan_rollout, set_lesson, tick_place
from neat_verdict.app.collect import actions as collect
from neat_verdict.app.collect.batch import read_batch
from neat_verdict.app.collect.events import take_in
from neat_verdict.app.collect.file_actions import digest_of, store_units
from neat_verdict.app.collect.second_counts import preview_second_count, store_second_count
from neat_verdict.app.collect.spend import preview_spend, store_spend
from neat_verdict.app.demo.regions import REGION_STORIES, tell_of_regions
from neat_verdict.app.demo.workspace import CHANGES, METRICS, NAME, NEVER_COUNTED, SEGMENTS, STORIES, TIME_ZONE, Story
from neat_verdict.app.experiments import actions
from neat_verdict.app.experiments.models import Experiment, Workspace
from neat_verdict.app.experiments.queries import daily_counts, decision_rule, find
from neat_verdict.app.experiments.splits import shares_on
from neat_verdict.app.metrics.actions import create_metric
from neat_verdict.app.people.accounts import invite, make_service
from neat_verdict.app.people.api import DEMO_ACCOUNTS
from neat_verdict.app.people.keys import make_key, make_site_key
from neat_verdict.app.people.models import User
from neat_verdict.app.people.tokens import make_token
from neat_verdict.app.planning.actions import forecast
from neat_verdict.app.site.models import PageUse
from neat_verdict.app.site.page_use import OutlineIn, follows, keep_outline
from neat_verdict.app.sources.lakes import folder as lakes_folder
from neat_verdict.app.sources.running import count, make_run, set_schedule
from neat_verdict.app.standins.crowd import HOURS, Assigned, Truth, visits_of
from neat_verdict.app.standins.habits import HABITS, habit_of
from neat_verdict.app.standins.lake import Visits, write_lake
from neat_verdict.app.standins.models import SiteKey
from neat_verdict.app.standins.second_counter import second_count
from neat_verdict.app.traffic.models import Enrolment
from neat_verdict.app.traffic.reallocation import tend_epochs
from neat_verdict.app.traffic.schemas import RolloutIn
from neat_verdict.app.traffic.serving import served
from neat_verdict.app.traffic.sightings import Buffer
from neat_verdict.app.traffic.splitting import stop_variant
from neat_verdict.app.watch.actions import add_note
from neat_verdict.app.watch.mails import send_mails
from neat_verdict.app.watch.scheduler import tick
from neat_verdict.app.webhooks.actions import CHOSEN, make_webhook
from neat_verdict.core.variants import LETTERS

_SEED = 20_000
_VISITORS = 1500
# The site as it was, and how many days ago the next version was released.
_BEFORE_RELEASE, _RELEASED_AGO = "booking 41", 9
_BATCH = 10_000
_QUARTERS = (0, 6, 12, 18, 24)
_RHYTHM = (1.08, 0.98, 0.94, 0.96, 1.06, 1.04, 0.94)
_FULL_NAMES = {"mona": ("Mona", "Orrell"), "silas": ("Silas", "Tarn"), "ada": ("Ada", "Fenwick")}


def seed(today: date) -> int:
    """Fill an empty workspace; returns the number of experiments made. Does nothing when there are any."""
    if Experiment.objects.exists():
        return 0
    place = {"name": NAME, "time_zone": TIME_ZONE, "segments": SEGMENTS, "never_counted": NEVER_COUNTED}
    Workspace.objects.get_or_create(defaults=place)
    people = {account.username: _account(account.username, account.password, account.role) for account in DEMO_ACCOUNTS}
    with clock.at(_moment(today - timedelta(days=200), 9)):
        for name, definition, description in METRICS:
            create_metric(people["mona"], name, definition, description)
        _, secret = make_key(people["mona"], "Tidewick booking site")
        # Of the demo's own machine, whatever the port: the pages lie at one of its names, the script at the other.
        page = make_site_key(people["mona"], "Tidewick pages", ["http://127.0.0.1:*", "http://localhost:*"])
        SiteKey.objects.create(secret=secret, public=page.public)
        _others(people["ada"], today)
    for story in STORIES:
        _tell(story, people, today)
    _let_the_crowd_come(
        people["mona"], [story for story in STORIES if story.by_the_crowd and (story.days_in or story.given_ago)], today
    )
    for key in HABITS:
        _use_the_page(key)
    _note_changes(people["mona"], today)
    for story in STORIES:
        if story.lake:
            _count_lake(story, people["mona"], today)
    tell_of_regions(people, today, _moment)
    tick()
    while send_mails():
        pass
    return len(STORIES) + len(REGION_STORIES)


def _use_the_page(key: str) -> None:
    """What those who came did on the page, and its outlines, as the script took them."""
    experiment, given = find(key), served()[key]
    control = experiment.variants.all()[0].pk
    uses = []
    came = Enrolment.objects.filter(experiment=experiment, round=experiment.round, standing="")
    for unit, variant, segments in came.values_list("unit", "variant_id", "segments"):
        if follows(given, unit):
            habit = habit_of(key, unit, phone="device=phone" in segments, changed=variant != control)
            place = {"experiment": experiment, "round": experiment.round, "unit": unit, "variant_id": variant}
            uses.append(PageUse(**place, **habit))
    PageUse.objects.bulk_create(uses, batch_size=2_000)
    outlines = json.loads((Path(__file__).parent / "outlines.json").read_text())[key]
    for device, by_letter in outlines.items():
        for letter, outline in by_letter.items():
            names = ("key", "name", "x", "y", "width", "height")
            elements = [dict(zip(names, line, strict=True)) for line in outline["elements"]]
            keep_outline(
                experiment.owner,
                experiment,
                OutlineIn.model_validate({**outline, "variant": letter, "device": device, "elements": elements}),
            )


def _count_lake(story: Story, by: User, today: date) -> None:
    """Its own system assigned and kept what visitors did, for so many days; each night that is counted."""
    experiment, first = find(slugify(story.name)), today - timedelta(days=story.days_in)
    with clock.at(_moment(first, 0)):
        actions.start(by, experiment.key, first)
    folder = lakes_folder()
    folder.mkdir(parents=True, exist_ok=True)
    a_day = experiment.audience_per_day or 0
    write_lake(folder, story.lake, Visits(experiment.key, _moment(first, 0), story.days_in + 1, a_day, clock.now()))
    schedule = set_schedule(by, story.lake, "day", 4)
    count(make_run(schedule.by, story.lake, planned=True))


def _note_changes(by: User, today: date) -> None:
    experiment = find(slugify(STORIES[0].name))
    for days_ago, text in CHANGES:
        day = today - timedelta(days=days_ago)
        with clock.at(_moment(day, 11)):
            add_note(by, experiment, day, text, everywhere=True)


class _Inside:
    """The way to assignments and events without HTTP in between; the same actions as behind it."""

    def assign(self, unit: str, properties: Mapping[str, Any]) -> Assigned:
        """By experiment: variant, parameters, reason. A visitor who comes for the first time has nothing kept."""
        result = {}
        self.sightings.note(unit, properties)
        for key, experiment in self.running.items():
            given = (experiment.rollout or experiment.traffic).assign(unit, properties)
            variant = {"variant": LETTERS[given.position], "parameters": experiment.variants[given.position][2]}
            result[key] = {**variant, "reason": given.reason}
        return result

    def __init__(self, sightings: Buffer) -> None:
        self.sightings = sightings
        self.running = {key: one for key, one in served().items() if one.state == "running" or one.rollout}

    def collect(self, events: Sequence[Mapping[str, Any]]) -> None:
        """Hand events over."""
        for start in range(0, len(events), _BATCH):
            take_in(read_batch(orjson.dumps(events[start : start + _BATCH])))


def _let_the_crowd_come(by: User, stories: list[Story], today: date) -> None:
    """Day after day the crowd visits the booking site, from the first story's start to this moment.

    A day passes in quarters, before each of which the epochs are closed that are over.
    """
    draw = random.Random(_SEED)
    number, now, sightings = 0, clock.now(), Buffer(by_itself=False)
    for days_ago in range(max(story.days_in for story in stories), -1, -1):
        day = today - timedelta(days=days_ago)
        with clock.at(_moment(day, 0)):
            for story in stories:
                if story.days_in and story.days_in == days_ago:
                    actions.start(by, slugify(story.name))
                if story.ended_ago and story.ended_ago == days_ago:
                    actions.end(by, slugify(story.name))
                if story.decided_ago and story.lines and story.decided_ago == days_ago:
                    _roll_out(story, by, day)
                if story.given_ago and story.given_ago == days_ago:
                    _give_without_test(story, by, day)
        moments = _moments(draw, day, now)
        truth = Truth(version=_BEFORE_RELEASE) if days_ago > _RELEASED_AGO else Truth()
        for begins, ends in pairwise(_QUARTERS):
            start, end = _moment(day, 0) + timedelta(hours=begins), _moment(day, 0) + timedelta(hours=ends)
            if start > now:
                break
            with clock.at(start):
                for experiment in Experiment.objects.filter(state="running", allocation__isnull=False):
                    tend_epochs(experiment)
                door = _Inside(sightings)
            mine = [moment for moment in moments if start <= moment < end]
            numbers = iter(range(number, number + len(mine)))
            number += len(mine)
            with clock.at(min(end, now)):
                door.collect([event for visit in visits_of(door, draw, numbers, iter(mine), truth) for event in visit])
                sightings.flush()


def _give_without_test(story: Story, by: User, day: date) -> None:
    plan_rollout(by, slugify(story.name), steps=[(day, 1)], lines=story.lines, holdout=story.holdout, without_test=True)


def _roll_out(story: Story, by: User, day: date) -> None:
    """Decide, and give each line of the list what it gets, with some held out."""
    rollout = RolloutIn.model_validate(
        {"steps": [{"day": day, "share": 1}], "lines": list(story.lines), "holdout": story.holdout}
    )
    decide(by, find(slugify(story.name)), story.lines[-1]["letter"], story.reason, story.next_step, rollout)
    _hand_over(story, by, slugify(story.name), day)


def _moments(draw: random.Random, day: date, until: datetime) -> list[datetime]:
    """When visitors come on a day, in order, none after ``until``."""
    come = round(draw.gauss(1, 0.015) * _VISITORS * _RHYTHM[day.weekday()])
    hours = draw.choices(range(24), HOURS, k=come)
    result = [_moment(day, 0) + timedelta(hours=hour, seconds=draw.uniform(0, 3300)) for hour in hours]
    return sorted(moment for moment in result if moment < until - timedelta(minutes=10))


def _account(username: str, password: str, role: str) -> User:
    first, last = _FULL_NAMES[username]
    result, _ = User.objects.get_or_create(
        username=username,
        defaults={
            "role": role,
            "first_name": first,
            "last_name": last,
            "email": f"{username}@tidewick.example",
            "is_staff": role == "admin",
            "is_superuser": role == "admin",
        },
    )
    result.set_password(password)
    result.save()
    return result


def _others(admin: User, today: date) -> None:
    """A system that works by a token, somebody who has yet to choose a password, and a system that is sent what happens."""
    if settings.DEMO_ORIGIN:
        make_webhook(admin, "Tidewick chat", f"{settings.DEMO_ORIGIN}/receiver", CHOSEN)
    warehouse = make_service(admin, "warehouse", "analyst")
    make_token(admin, warehouse, "nightly export", ["read"], _moment(today + timedelta(days=90), 23))
    invite(admin, "ines", "ines@tidewick.example", "analyst", first_name="Ines", last_name="Marl")


def _moment(day: date, hour: int) -> datetime:
    return datetime.combine(day, time(hour), tzinfo=ZoneInfo(TIME_ZONE))


def _tell(story: Story, people: dict[str, User], today: date) -> None:
    by = people["mona"]
    variants = [
        {
            "name": name,
            "changes": [change] if change else [],
            "weight": 1.0,
            "parameters": [story.parameters[place]] if story.parameters else [],
            "address": story.addresses[place] if story.addresses else "",
            "page_changes": list(story.page_changes) if place == len(story.variants) - 1 else [],
        }
        for place, (name, change) in enumerate(zip(story.variants, story.changes, strict=False))
    ]
    changes = {
        "area": story.area,
        "metrics": [
            {"name": story.metric, "role": "primary", "before_days": 28 if story.before[0] else None},
            *story.others,
        ],
        "variants": variants,
        **({"data_from": "events"} if story.by_the_crowd else {}),
        **story.fields,
    }
    draft_day = today - timedelta(days=story.days_in + story.decided_ago + 60 if story.decision else story.days_in + 4)
    with clock.at(_moment(draft_day, 10)):
        experiment = actions.create_experiment(by, story.name, changes)
        for who, lift, low, high in story.forecasts:
            forecast(people[who], experiment, lift=lift, low=low, high=high, note="")
    if story.starts_next_monday:
        monday = today + timedelta(days=7 - today.weekday())
        actions.schedule(by, experiment.key, _moment(monday, 9))
    if story.rounds:
        _tell_rounds(story, by, experiment.key, today)
        return
    if not (story.rates or story.before[0]):
        return
    run = decision_rule(find(experiment.key)).planned_days if story.decision else story.days_in
    last = today - timedelta(days=story.decided_ago + 1)
    first = last - timedelta(days=run - 1)
    with clock.at(_moment(first, 6)):
        actions.start(by, experiment.key, first)
    if story.stopped:
        with clock.at(_moment(first + timedelta(days=story.stopped[0]), 11)):
            stop_variant(by, experiment.key, LETTERS[len(story.variants) - 1], "", story.stopped[1])
    with clock.at(_moment(last + timedelta(days=1), 8)):
        _bring_in(story, by, find(experiment.key), first, run)
        tick()
        if story.decision:
            actions.end(by, experiment.key)
            suggested = evidence(find(experiment.key)).reading.suggested
            choice = suggested if story.decision == "rule" else story.decision
            decide(by, find(experiment.key), choice, story.reason, story.next_step)
            _hand_over(story, by, experiment.key, last)


def _tell_rounds(story: Story, by: User, key: str, today: date) -> None:
    """The rounds of one plan, a few days apart; the last ended yesterday."""
    days = decision_rule(find(key)).days_a_round
    for number, level in enumerate(story.rounds):
        last = today - timedelta(days=1 + (len(story.rounds) - 1 - number) * (days + 4))
        first = last - timedelta(days=days - 1)
        with clock.at(_moment(first, 6)):
            if number:
                actions.new_round(by, key)
            actions.start(by, key, first)
        own = replace(story, rates=tuple(rate * level for rate in story.rates), seed=story.seed + number)
        with clock.at(_moment(last + timedelta(days=1), 8)):
            _bring_in(own, by, find(key), first, days)
            actions.end(by, key)
            tick()


def _hand_over(story: Story, by: User, key: str, day: date) -> None:
    """What was learnt, who changes what by hand, and the steps of the rollout."""
    if story.learnt or story.why:
        set_lesson(by, find(key), learnt=story.learnt, why=story.why)
    for text, who, done in story.places:
        place = add_place(by, find(key), text, who)
        if done:
            tick_place(by, find(key), place.pk, done=True)
    if story.rollout:
        plan_rollout(by, key, steps=[(day + timedelta(days=after), share) for after, share in story.rollout])


def _bring_in(story: Story, by: User, experiment: Experiment, first: date, days: int) -> None:
    if story.before[0]:
        _store_units(by, experiment, customers_file(story, experiment, first, days))
        return
    _store(by, experiment, counts_file(story, experiment, first, days), "")
    for metric, fares in story.fares.items():
        _store(by, experiment, fares_file(story, experiment, fares), metric)
    if story.spend:
        content = spend_file(story, experiment)
        digest = preview_spend(by, experiment, content).digest
        store_spend(by, experiment, content, digest=digest, name="advertising-desk.csv")
    if story.second_count:
        content = second_count(experiment, _SEED + story.seed).encode()
        digest = preview_second_count(by, experiment, content, story.second_count).digest
        store_second_count(by, experiment, content, story.second_count, digest=digest, name="visitor-statistics.csv")


def _store_units(by: User, experiment: Experiment, content: str) -> None:
    with tempfile.NamedTemporaryFile("w", suffix=".csv") as file:
        file.write(content)
        file.flush()
        path = Path(file.name)
        store_units(by, experiment, path, digest=digest_of(path), leave_out_wrong=False, name="customers.csv")


def customers_file(story: Story, experiment: Experiment, first: date, days: int) -> str:
    """A CSV with a row a customer: what they paid within the week, and in the four weeks before."""
    draw = np.random.default_rng(_SEED + story.seed)
    text, gain = story.before
    lines = ["unit,variant,day,fare_per_visitor,fare_per_visitor_before"]
    for offset in range(days):
        day = first + timedelta(days=offset)
        for number in range(int(draw.poisson((experiment.audience_per_day or 0) * _RHYTHM[day.weekday()]))):
            arm = int(draw.integers(2))
            before = draw.gamma(2.0, 15.5)
            paid = (text * before + (1 - text) * draw.gamma(2.0, 15.5)) * (gain if arm else 1.0)
            lines.append(f"c{offset}-{number},{'AB'[arm]},{day.isoformat()},{paid:.2f},{before:.2f}")
    return "\n".join(lines)


def spend_file(story: Story, experiment: Experiment) -> bytes:
    """A CSV of what the advertising desk billed and showed, by day and variant."""
    draw = np.random.default_rng(_SEED + 900 + story.seed)
    counts = daily_counts([experiment])[experiment.pk].primary
    lines = ["day,variant,cost,impressions"]
    for day, units in zip(counts.days, counts.units.tolist(), strict=True):
        for letter, seen, (cost, impressions) in zip(LETTERS, units, story.spend, strict=False):
            lines.append(
                f"{day.isoformat()},{letter},{seen * cost * draw.normal(1, 0.02):.2f},{round(seen * impressions)}"
            )
    return "\n".join(lines).encode()


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
    lines = ["day,variant,units,total,squares,cubes"]
    for day, units in zip(counts.days, counts.units.tolist(), strict=True):
        for letter, seen, fare in zip(LETTERS, units, fares, strict=False):
            paid = np.minimum(draw.gamma(2.5, fare / 2.5, draw.binomial(seen, 0.05)), 500)
            sums = ",".join(f"{(paid**power).sum():.2f}" for power in (1, 2, 3))
            lines.append(f"{day.isoformat()},{letter},{seen},{sums}")
    return "\n".join(lines).encode()


def counts_file(story: Story, experiment: Experiment, first: date, days: int) -> bytes:
    """A CSV of daily counts drawn from the story's true rates, from its own seed."""
    draw = np.random.default_rng(_SEED + story.seed)
    lines = ["day,variant,visitors,conversions"]
    per_day = (experiment.audience_per_day or 0) * experiment.participation * 1.03
    for offset in range(days):
        day = first + timedelta(days=offset)
        shares = shares_on(experiment, day)
        visitors = draw.multinomial(
            draw.poisson(per_day * _RHYTHM[day.weekday()]), [share / sum(shares) for share in shares]
        )
        visitors[-1] = draw.binomial(visitors[-1], 1 - story.lost)
        for position, rate in enumerate(story.rates):
            converted = draw.binomial(visitors[position], rate * (2 - _RHYTHM[day.weekday()]))
            lines.append(f"{day.isoformat()},{LETTERS[position]},{visitors[position]},{converted}")
    return "\n".join(lines).encode()
