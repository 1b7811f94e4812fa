"""Invented visitors of the booking site, whose true effects are known: they come, are assigned, and do things.

Nothing here knows how evidence is read; it stands for the outside world.
"""

from __future__ import annotations

import json
import random
import time
import urllib.request
import uuid
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any, Protocol

from neat_verdict.app.standins.habits import HABITS, habit_of

# Parameters of variants → experiment's key and variant, as assigned.
Assigned = Mapping[str, Mapping[str, Any]]

DEVICES = (("phone", 0.58), ("computer", 0.30), ("tablet", 0.12))
SOURCES = (("search", 0.50), ("direct", 0.20), ("newsletter", 0.15), ("partner", 0.15))
LANGUAGES = (("en", 0.60), ("fr", 0.20), ("ga", 0.10), ("de", 0.10))
STAFF, SIGNED_IN, BEFORE = 0.004, 0.03, 0.35  # shares of the visitors
REWORDED = "plainer-words-before-payment"  # the experiment whose page is changed by us
# Visitors by the hour of the day; more in the evening.
HOURS = (1, 1, 1, 1, 1, 2, 4, 6, 8, 8, 8, 8, 9, 8, 8, 8, 9, 10, 12, 13, 12, 9, 5, 2)


@dataclass(frozen=True, slots=True)
class Truth:
    """What is really so: rates of those who see a page, and what a variant's parameter does to them."""

    version: str = "booking 42"  # of the site
    paid: float = 0.12
    calendar_on_phones: float = 0.16
    cabin: float = 0.10
    cabin_offered_at_seat: float = 0.07
    pet: float = 0.08
    pet_lost_on_phones: float = 0.14
    island: float = 0.24
    # What each headline beside the island's photo does to that.
    headlines: Mapping[str, float] = field(default_factory=lambda: {"distance": 0.02, "night": 0.07, "price": -0.03})
    breakfast: float = 0.12
    # By device: what each picture of the breakfast does to it; as it is on a tablet.
    breakfast_pictures: Mapping[str, Mapping[str, float]] = field(
        default_factory=lambda: {
            "phone": {"coffee": 0.3, "table": -0.1},
            "computer": {"coffee": -0.1, "table": 0.3},
        }
    )
    suggestion: float = 0.2
    # What each suggestion on the home page does to that, by device and whether a visitor was here before.
    suggestions: Mapping[str, Mapping[tuple[str, str], float]] = field(
        default_factory=lambda: {
            "walk": {
                ("phone", "new"): 0.34, ("phone", "returning"): 0.05,
                ("computer", "new"): 0.08, ("computer", "returning"): -0.15,
            },
            "bicycle": {
                ("phone", "new"): -0.1, ("phone", "returning"): 0.3,
                ("computer", "new"): -0.05, ("computer", "returning"): 0.36,
            },
        }
    )  # fmt: skip
    # What the sailings on the home page do to looking one up, by device; alike where it is not named.
    timetable: float = 0.18
    timetables: Mapping[str, Mapping[str, float]] = field(
        default_factory=lambda: {"today": {"phone": 0.12, "": 0.3}, "next": {"phone": 0.34, "": 0.16}}
    )
    # Of those who live on an island, and what their greeting does to it.
    resident_fare: float = 0.21
    resident_fare_greeted: float = 0.17
    # An island chosen where one begins, what a page of islands does to it, and who is lost on the way to that.
    island_chosen: float = 0.31
    island_chosen_on_islands: float = 0.11
    lost: Mapping[str, float] = field(default_factory=lambda: {"phone": 0.055, "": 0.012})
    # Who goes on from the extras, by what the page says there.
    extras_passed: float = 0.44
    styles_missing: float = 0.004
    extras_reworded: float = 0.075
    search: float = 0.22
    mean_fare: float = 88.0


@dataclass(frozen=True, slots=True)
class Visitor:
    """Somebody who comes, as the site knows them."""

    unit: str
    properties: Mapping[str, Any]
    account: str = ""  # who signs in has two devices, each a visitor of its own


class Door(Protocol):
    """How the site reaches whoever assigns and collects."""

    def assign(self, unit: str, properties: Mapping[str, Any]) -> Assigned:
        """By experiment: variant, parameters, reason."""

    def collect(self, events: Sequence[Mapping[str, Any]]) -> None:
        """Hand events over."""


class PageDoor(Door, Protocol):
    """How its pages reach us too."""

    def use(self, unit: str, uses: Sequence[Mapping[str, Any]]) -> None:
        """Hand over what a unit did on pages, as their script does."""


def somebody(draw: random.Random, number: int) -> Visitor:
    """The visitor of a number."""

    def one_of(choices: Sequence[tuple[str, float]]) -> str:
        return draw.choices([name for name, _ in choices], [weight for _, weight in choices])[0]

    properties = {
        "device": one_of(DEVICES), "source": one_of(SOURCES), "language": one_of(LANGUAGES), "resident": draw.random() < 0.25,
    }  # fmt: skip
    unit = f"tw-{number:07d}"
    # By dice of their own, so that all else stays as it is.
    came_before = random.Random(f"{unit}/before").random() < BEFORE
    properties["visitor"] = "returning" if came_before else "new"
    if random.Random(f"{unit}/staff").random() < STAFF:
        properties["staff"] = True
    pair = f"account-{number // 2:06d}"
    signs_in = random.Random(pair).random() < SIGNED_IN
    return Visitor(unit, properties, pair if signs_in else "")


class Visit:
    """One visitor's way through the site, as events."""

    def __init__(
        self,
        visitor: Visitor,
        at: datetime,
        assigned: Assigned,
        draw: random.Random,
        truth: Truth,
        *,
        pause: float = 30,
    ) -> None:
        self.visitor, self.at, self.assigned, self.draw, self.truth = visitor, at, assigned, draw, truth
        self.pause = pause  # seconds between what one does
        self.events: list[dict[str, Any]] = []

    def _tell(self, name: str, draw: random.Random | None = None, **more: Any) -> None:
        # The id is the site's own.
        moment = datetime.fromtimestamp(self.at.timestamp() + self.pause * len(self.events), self.at.tzinfo)
        sent_id = str(uuid.UUID(int=(draw or self.draw).getrandbits(128)))
        self.events.append(
            {
                "id": sent_id,
                "unit": self.visitor.unit,
                "event": name,
                "at": moment.isoformat(timespec="milliseconds"),
                **more,
            }
        )

    def _sees(self, parameter: str, default: Any, dice: random.Random | None = None) -> Any:
        """What the page shows here; seeing it is the exposure."""
        for key, given in self.assigned.items():
            if parameter not in given["parameters"]:
                continue
            if given["reason"] in ("assigned", "forced"):
                shown = {
                    "experiment": key, "variant": given["variant"], "reason": given["reason"], "base_version": self.truth.version,
                }  # fmt: skip
                self._tell("exposure", dice, **shown, **self.visitor.properties)
            return given["parameters"][parameter]
        return default

    def _does(self, chance: float) -> bool:
        return self.draw.random() < chance

    def walk(self) -> list[dict[str, Any]]:
        """All that happens."""
        truth, phone = self.truth, self.visitor.properties["device"] == "phone"
        self._looks_up()
        if self._does(truth.search):
            self._tell("search")
        calendar = self._sees("sailings_begin_with", "list") == "calendar"
        paid = truth.paid * (1 + truth.calendar_on_phones * (calendar and phone))
        if self._does(0.9):
            at_seat = bool(self._sees("offer_cabin_at_seat", False))
            if self._does(truth.cabin * (1 + truth.cabin_offered_at_seat * at_seat)):
                self._tell("cabin_added")
        if self._does(0.7):
            lost = phone and self._does(truth.pet_lost_on_phones)
            wording = next(
                (
                    g["parameters"].get("pet_wording")
                    for g in self.assigned.values()
                    if "pet_wording" in g["parameters"]
                ),
                "",
            )
            if not (lost and "dog" in str(wording)):  # a redirect that never arrives
                self._sees("pet_wording", "")
                if self._does(truth.pet):
                    self._tell("pet_added")
        pays = self._does(paid)
        self._comes_near(pays)
        if pays:
            passengers = 1 + min(int(self.draw.expovariate(0.9)), 8)
            fare = round(self.draw.gammavariate(2.5, truth.mean_fare / 2.5), 2)
            self._tell("booking_paid", amount=fare, passengers=passengers, legs=1 + self._does(0.6))
        self._looks_around()
        self._is_suggested_something()
        self._is_at_home()
        self._begins()
        self._passes_extras()
        if self.visitor.account:
            self._tell("same_person", random.Random(f"{self.visitor.unit}/account"), **{"with": self.visitor.account})
        return self.events

    def _looks_up(self) -> None:
        """The timetable on the home page, before anything else; by the visitor's own dice."""
        truth, device = self.truth, self.visitor.properties["device"]
        dice = random.Random(f"{self.visitor.unit}/timetable")
        effects = truth.timetables.get(str(self._sees("home_timetable", "link", dice)), {})
        if dice.random() < truth.timetable * (1 + effects.get(device, effects.get("", 0.0))):
            self._tell("timetable_used", dice)

    def _looks_around(self) -> None:
        """The island's photo on the home page, and the breakfast; by the visitor's own dice, so that all else stays as it is."""
        truth, device = self.truth, self.visitor.properties["device"]
        dice = random.Random(f"{self.visitor.unit}/around")
        headline = str(self._sees("island_headline", "", dice))
        if dice.random() < truth.island * (1 + truth.headlines.get(headline, 0.0)):
            self._tell("island_opened", dice)
        picture = str(self._sees("breakfast_picture", "", dice))
        if dice.random() < truth.breakfast * (1 + truth.breakfast_pictures.get(device, {}).get(picture, 0.0)):
            self._tell("breakfast_added", dice)

    def _is_suggested_something(self) -> None:
        """What others do on the islands, on the home page; by the visitor's own dice."""
        truth, properties = self.truth, self.visitor.properties
        dice = random.Random(f"{self.visitor.unit}/suggestion")
        effects = truth.suggestions.get(str(self._sees("home_suggestion", "none", dice)), {})
        if dice.random() < truth.suggestion * (1 + effects.get((properties["device"], properties["visitor"]), 0.0)):
            self._tell("suggestion_opened", dice)

    def _is_at_home(self) -> None:
        """The residents' fare, of those who live on an island; by the visitor's own dice."""
        dice = random.Random(f"{self.visitor.unit}/home")
        greeted = self._sees("greeting", "plain", dice) == "home"
        gained = self.truth.resident_fare_greeted * greeted
        if self.visitor.properties["resident"] and dice.random() < self.truth.resident_fare * (1 + gained):
            self._tell("resident_fare_opened", dice)

    def _begins(self) -> None:
        """Where one begins: at home, or sent on to a page of islands, which some do not reach; by the visitor's own dice."""
        dice, truth = random.Random(f"{self.visitor.unit}/start"), self.truth
        islands = self._sees("start_page", "home", dice) == "islands"
        device = str(self.visitor.properties["device"])
        lost = dice.random() < truth.lost.get(device, truth.lost[""]) * islands
        for key, given in self.assigned.items():
            if "start_page" in given["parameters"] and given["reason"] == "assigned" and not lost:
                self._tell("page_reached", dice, experiment=key, variant=given["variant"])
        gained = truth.island_chosen_on_islands * islands
        if dice.random() < truth.island_chosen * (1 + gained) and not lost:
            self._tell("island_chosen", dice)

    def _passes_extras(self) -> None:
        """From the extras to the payment, where a page is changed without the site knowing of it; by the visitor's own dice."""
        dice, truth = random.Random(f"{self.visitor.unit}/extras"), self.truth
        given = self.assigned.get(REWORDED)
        if given is None or dice.random() > 0.6:
            return
        # A browser of old has no list of styles: one change cannot be made there.
        is_old = random.Random(f"{self.visitor.unit}/browser").random() < truth.styles_missing
        browser = "Lantern 98" if is_old else "Beacon 12"
        if given["reason"] == "assigned":
            shown = {"experiment": REWORDED, "variant": given["variant"], "reason": given["reason"], "browser": browser}
            self._tell("exposure", dice, base_version=truth.version, **shown, **self.visitor.properties)
        gained = truth.extras_reworded * (given["variant"] == "B")
        if dice.random() < truth.extras_passed * (1 + gained):
            self._tell("extras_passed", dice)
        if given["variant"] == "B" and is_old:
            said = {"experiment": REWORDED, "variant": "B", "browser": browser}
            self._tell("page_change_failed", dice, change=3, problem="failed", **said)

    def _comes_near(self, pays: bool) -> None:
        """The steps before the payment: who pays has done them, of the others some; by the visitor's own dice."""
        dice = random.Random(self.visitor.unit)
        opens = pays or dice.random() < 0.55
        if opens:
            wait = random.Random(f"{self.visitor.unit}/wait").lognormvariate(6.4, 0.6)
            self._tell("sailing_opened", dice, wait_ms=round(wait))
        if pays or (opens and dice.random() < 0.2):
            self._tell("payment_started", dice)


class HttpDoor:
    """Over HTTP, with a server's key and the public one of its pages, as any site would."""

    def __init__(self, address: str, secret: str, public: str) -> None:
        self.address, self.secret, self.public = address.rstrip("/"), secret, public

    def _ask(self, path: str, body: Mapping[str, Any]) -> Any:
        headers = {"Authorization": f"Bearer {self.secret}", "Content-Type": "application/json"}
        return self._send(f"api/v1/{path}", body, headers)

    def _send(self, path: str, body: Mapping[str, Any], headers: Mapping[str, str]) -> Any:
        request = urllib.request.Request(f"{self.address}/{path}", json.dumps(body).encode(), dict(headers))
        with urllib.request.urlopen(request, timeout=20) as answer:
            return json.load(answer)

    def assign(self, unit: str, properties: Mapping[str, Any]) -> Assigned:
        """By experiment: variant, parameters, reason."""
        assigned: Assigned = self._ask("assign", {"unit": unit, "properties": dict(properties)})["assignments"]
        return assigned

    def collect(self, events: Sequence[Mapping[str, Any]]) -> None:
        """Hand events over."""
        self._ask("collect", {"events": list(events)})

    def use(self, unit: str, uses: Sequence[Mapping[str, Any]]) -> None:
        """Hand over what a unit did on pages."""
        body = {"key": self.public, "unit": unit, "uses": list(uses)}
        self._send("site/v1/use", body, {"Origin": self.address})


def visits_of(
    door: Door, draw: random.Random, numbers: Iterator[int], moments: Iterator[datetime], truth: Truth
) -> Iterator[list[dict[str, Any]]]:
    """What each visitor does, one after another."""
    for number, moment in zip(numbers, moments, strict=False):
        visitor = somebody(draw, number)
        yield Visit(visitor, moment, door.assign(visitor.unit, visitor.properties), draw, truth).walk()


def uses_of(visitor: Visitor, events: Sequence[Mapping[str, Any]]) -> list[dict[str, Any]]:
    """What a visitor did on the pages of experiments, of a visit with these events."""
    phone = visitor.properties["device"] == "phone"
    return [
        {
            "experiment": event["experiment"], "variant": event["variant"],
            **habit_of(event["experiment"], visitor.unit, phone=phone, changed=event["variant"] != "A"),
        }
        for event in events
        if event["event"] == "exposure" and event["experiment"] in HABITS
    ]  # fmt: skip


def come_live(
    door: PageDoor,
    pace: float,
    now: Callable[[], datetime],
    stopped: Callable[[float], bool],
    *,
    truth: Truth,
    visitors: int = 0,
) -> int:
    """Visitors come at ``pace`` a second until ``stopped`` (which waits) or so many have come; returns how many."""
    draw = random.Random(now().timestamp())
    first = int(time.time() * 1000) % 10**9 + 10**9
    come = 0
    while True:
        visitor = somebody(draw, first + come)
        assigned = door.assign(visitor.unit, visitor.properties)
        # Told at once, and so hurried: whoever comes is assigned and exposed in the same epoch.
        events = Visit(visitor, now(), assigned, draw, truth, pause=0.5).walk()
        door.collect(events)
        if uses := uses_of(visitor, events):
            door.use(visitor.unit, uses)
        come += 1
        if come == visitors or stopped(draw.expovariate(pace)):
            return come
