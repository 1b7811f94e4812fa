"""The invented workspace: Tidewick Ferries and its experiments, described as data."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from django.conf import settings

NAME, TIME_ZONE = "Tidewick Ferries", "Europe/Dublin"
SEGMENTS = [["device"], ["source"], ["language"], ["resident"]]
NEVER_COUNTED = {
    "units": ["tw-monitor-1", "tw-monitor-2"],
    "groups": [
        {
            "kind": "all",
            "conditions": [{"attribute": "staff", "operator": "is", "values": ["true"], "kind": "true_false"}],
        }
    ],
}
# (days ago, what changed elsewhere)
CHANGES = ((21, "Newsletter to 40,000 readers"), (10, "Summer timetable published"), (4, "Booking site 7.2 released"))


@dataclass(frozen=True)
class Story:
    """One invented experiment. ``rates`` are true conversion rates, control first; ``days_in`` days of data so far.

    ``lost`` is the share of the last variant's visitors who never arrive (a redirect that drops them). ``decision`` is the
    choice recorded, "" for none; ``decided_ago`` in days. ``others`` are secondary metrics and guardrails, ``forecasts`` are
    (who, lift, low, high), ``fares`` true mean fares of those who pay, by metric key and variant.
    """

    name: str
    area: str
    metric: str
    variants: tuple[str, ...]
    changes: tuple[str, ...]
    fields: dict[str, Any]
    rates: tuple[float, ...] = ()
    days_in: int = 0
    lost: float = 0.0
    decision: str = ""
    decided_ago: int = 0
    reason: str = ""
    next_step: str = ""
    seed: int = 0
    others: tuple[dict[str, Any], ...] = ()
    forecasts: tuple[tuple[str, float, float, float], ...] = ()
    fares: dict[str, tuple[float, ...]] = field(default_factory=dict)
    # What the booking site reads in each variant; with it the crowd makes the data, otherwise files of ``rates`` do.
    parameters: tuple[dict[str, str], ...] = ()
    starts_next_monday: bool = False
    ended_ago: int = 0  # days; of those that the crowd makes
    # (cost of a visitor, impressions for each) by variant: what the advertising desk billed and showed.
    second_count: str = ""  # the system that counts it too
    spend: tuple[tuple[float, float], ...] = ()
    # (how far the past of a customer tells, gain of the last variant): a file of customers with what they paid before.
    before: tuple[float, float] = (0.0, 0.0)
    # How much the levels of each round of a plan differ from ``rates``; the last ended yesterday.
    rounds: tuple[float, ...] = ()
    stopped: tuple[int, str] | None = None  # after how many days, and why, the last variant got nobody any more
    learnt: str = ""
    why: str = ""
    places: tuple[tuple[str, str, bool], ...] = ()  # (what, who, done)
    rollout: tuple[tuple[int, float], ...] = ()  # (days after the decision, share)
    # Of those that the crowd makes and that were decided: who gets what from then on, and how many are held out.
    lines: tuple[dict[str, Any], ...] = ()
    holdout: float = 0.0
    without_parameters: bool = False  # the crowd makes the data all the same
    addresses: tuple[str, ...] = ()  # of variants that are pages of their own
    page_changes: tuple[dict[str, Any], ...] = ()  # what the last variant changes on the page without a developer
    given_ago: int = 0  # days since it is given so without a test
    lake: str = ""  # the name of the lake in which its own system keeps what visitors did

    @property
    def by_the_crowd(self) -> bool:
        """Whether the booking site serves it, and its visitors make the data."""
        return bool(self.parameters) or self.without_parameters


def _brief(change: str, because: str, audience: str = "all visitors", **fields: Any) -> dict[str, Any]:
    return {"change": change, "because": because, "audience": audience, **fields}


def _follow(**policy: Any) -> dict[str, Any]:
    """A policy by which traffic follows the evidence."""
    usual = {
        "kind": "proportional", "metric": "", "epoch_hours": 24, "even_epochs": 1, "even_units": 200, "floor": 0.05,
        "max_change": 0.25, "half_life": None, "properties": [], "uniform": 0.1,
    }  # fmt: skip
    return {**usual, **policy}


def _doing(change: str) -> str:
    """ "make it green" → "making it green"."""
    verb, rest = change.split(" ", 1)
    return f"{verb.removesuffix('e')}ing {rest}"


def _past(
    seed: int, name: str, area: str, metric: str, variants: tuple[str, str], change: str, because: str,
    rates: tuple[float, float], per_day: int, ago: int, *, lift: float, weeks: int = 2, next_step: str = "",
    decision: str | None = None, reason: str = "", forecasts: tuple[tuple[str, float, float, float], ...] = (),
    **after: Any,
) -> Story:  # fmt: skip
    return Story(
        name, area, metric, variants, ("", change),
        _brief(
            _doing(change), because, baseline=rates[0], worthwhile_lift=lift, audience_per_day=per_day, least_weeks=weeks),
        rates=rates, days_in=0, decision=decision or "rule", decided_ago=ago, seed=seed, next_step=next_step, reason=reason,
        forecasts=forecasts, **after,
    )  # fmt: skip


def _text(name: str, value: str) -> dict[str, str]:
    return {"name": name, "kind": "text", "value": value}


def _choice(name: str, value: str) -> dict[str, str]:
    return {"name": name, "kind": "true_false", "value": value}


def _event(event: str, **condition: Any) -> dict[str, Any]:
    return {"event": event, "conditions": [condition] if condition else []}


def _did(event: str, good: str = "up", **condition: Any) -> dict[str, Any]:
    measure = {"kind": "conversion", "events": _event(event, **condition), "amount_of": "", "cap": None}
    return {"kind": "conversion", "measure": measure, "good_direction": good, "unit": "percent"}


def _sum(of: str, event: str, cap: float | None = None) -> dict[str, Any]:
    return {"kind": "amount", "events": _event(event), "amount_of": of, "cap": cap}


def _times(event: str, **condition: Any) -> dict[str, Any]:
    return {"kind": "count", "events": _event(event, **condition), "amount_of": "", "cap": None}


# Name, what it counts, description.
METRICS: tuple[tuple[str, dict[str, Any], str], ...] = (
    ("paid bookings", _did("booking_paid"), "At least one paid booking"),
    ("cost per paid booking",
     {"kind": "totals", "totals": [{"of": "cost"}, {"of": "metric", "metric": "paid-bookings"}], "good_direction": "down",
      "unit": "money", "currency": "EUR"}, "What the advertising desk bills, for each booking that was paid"),
    ("paid bookings of those who began", _did("booking_paid"), "Among visitors who began to pay"),
    ("searches", _did("search"), "At least one search for a sailing"),
    ("sailings opened", _did("sailing_opened"), "Opened a sailing of the list"),
    ("cabin upgrades", _did("cabin_added"), ""),
    ("luxury cabins booked", _did("booking_paid", attribute="cabin", operator="is", values=["luxury"], kind="text"),
     "A paid booking with one of the two suites"),
    ("pet berths added", _did("pet_added"), ""),
    ("island pages opened", _did("island_opened"), "Followed the photo on the home page"),
    ("breakfasts added", _did("breakfast_added"), ""),
    ("suggestions opened", _did("suggestion_opened"), "Looked at what others do on the islands"),
    ("timetables used", _did("timetable_used"), "Looked up a sailing in the timetable of the home page"),
    ("extras passed", _did("extras_passed"), "Went on from the extras to the payment"),
    ("islands chosen", _did("island_chosen"), "Chose an island before a day"),
    ("residents' fares opened", _did("resident_fare_opened"), "Looked at the fare for those who live on an island"),
    ("group bookings", _did("booking_paid", attribute="passengers", operator="greater", values=["3"], kind="number"),
     "A paid booking for four or more"),
    ("return trips", _did("booking_paid", attribute="legs", operator="is", values=["2"], kind="number"), ""),
    ("sign-ups", _did("newsletter_joined"), "For the newsletter"),
    ("help opened", _did("help_opened", "down"), "Somebody is lost"),
    ("fare per visitor",
     {"kind": "amount", "measure": _sum("amount", "booking_paid", 500), "unit": "money", "currency": "EUR",
      "window_hours": 168},
     "All that a visitor pays within a week, capped so that one coach party does not decide"),
    ("fare per thousand cabin views",
     {"kind": "ratio", "measure": _sum("amount", "booking_paid"),
      "denominator": _times("page_view", attribute="section", operator="any_of", values=["cabins", "decks"], kind="text"),
      "unit": "per_thousand"}, ""),
    ("wait for a sailing",
     {"kind": "p90", "measure": _sum("wait_ms", "sailing_opened"), "unit": "milliseconds", "good_direction": "down"},
     "What nine in ten visitors who open a sailing wait for it at most"),
    ("from search to payment",
     {"kind": "funnel", "steps": [_event("search"), _event("sailing_opened"), _event("seat_chosen"), _event("booking_paid")],
      "window_hours": 72, "unit": "percent"}, "The whole way within three days"),
    ("from sailing to payment",
     {"kind": "funnel", "steps": [_event("sailing_opened"), _event("payment_started"), _event("booking_paid")],
      "unit": "percent"}, "Step by step from the sailing that was opened"),
)  # fmt: skip


# Where the booking site is, as `bin/demo` starts it: by its other name, which is another origin.
_SITE = f"{settings.DEMO_SITE or 'http://localhost:8765'}/tidewick/"

STORIES: tuple[Story, ...] = (
    Story(
        "Fare calendar before the sailing list", "Booking", "paid bookings",
        ("Sailing list first", "Calendar first"), ("", "Show the fare calendar above the list of sailings"),
        _brief("showing the fare calendar before the sailing list", "visitors choose the cheap day before the hour",
               baseline=0.125, worthwhile_lift=0.08, audience_per_day=1500, page=f"{_SITE}sailings"),
        days_in=28, forecasts=(("mona", 0.04, 0.0, 0.09), ("ada", 0.10, 0.03, 0.18)),
        others=({"name": "from sailing to payment", "role": "secondary"}, {"name": "wait for a sailing", "role": "secondary"}),
        parameters=(_text("sailings_begin_with", "list"), _text("sailings_begin_with", "calendar")),
    ),
    Story(
        "Weather banner on the home page", "Home", "searches",
        ("No banner", "Banner with the crossing's weather"), ("", "Put a weather banner above the search"),
        _brief("a banner with the crossing's weather", "a calm sea invites", baseline=0.22, worthwhile_lift=0.04,
               audience_per_day=5200, least_weeks=3),
        rates=(0.22, 0.2075), days_in=21, seed=12,
    ),
    Story(
        "One-page payment", "Payment", "paid bookings of those who began",
        ("Payment in three steps", "Payment on one page"), ("", "Join the three payment steps on one page"),
        _brief("joining the three payment steps on one page", "each step loses people", "visitors who begin to pay",
               baseline=0.61, worthwhile_lift=0.03, audience_per_day=2600, least_weeks=3),
        rates=(0.61, 0.611), days_in=21, seed=5,
    ),
    Story(
        "Pet berth wording", "Cabins", "pet berths added",
        ("Pet-friendly cabin", "A berth for your dog"), ("", "Say “A berth for your dog”"),
        _brief("saying “a berth for your dog”", "plain words sell", "visitors with a cabin", baseline=0.08,
               worthwhile_lift=0.10, audience_per_day=1050),
        days_in=16, parameters=(_text("pet_wording", "Pet-friendly cabin"), _text("pet_wording", "A berth for your dog")),
    ),
    Story(
        "Cabin upgrade at the seat step", "Cabins", "cabin upgrades",
        ("Upgrade after payment", "Upgrade while choosing a seat"), ("", "Offer the cabin while the seat is chosen"),
        _brief("offering the cabin while the seat is chosen", "the wish for comfort is strongest then", "foot passengers",
               baseline=0.10, worthwhile_lift=0.10, audience_per_day=1350,
               method="group_sequential", method_settings={"looks": 4}, page=f"{_SITE}seat"),
        days_in=17, others=({"name": "fare per visitor", "role": "secondary"},),
        parameters=(_choice("offer_cabin_at_seat", "false"), _choice("offer_cabin_at_seat", "true")),
    ),
    Story(
        "Island names on the route map", "Home", "sailings opened",
        ("Map with harbours", "Map with island names", "Map with island names and photos"),
        ("", "Write island names on the map", "Write island names on the map and show a photo each"),
        _brief("writing island names on the route map", "people dream of islands, not harbours", baseline=0.31,
               worthwhile_lift=0.03, audience_per_day=5800),
        rates=(0.31, 0.324, 0.286), days_in=12, seed=33, stopped=(7, "the photos keep people from the list of sailings"),
    ),
    Story(
        "Pictures in the list of sailings", "Booking", "sailings opened",
        ("Times and fares", "Times, fares and pictures"), ("", "Show a picture of the ship with each sailing"),
        _brief("showing a picture of the ship with each sailing", "who sees the ship knows what the fare is for", baseline=0.31,
               worthwhile_lift=0.05, audience_per_day=2200),
        days_in=12, lake="sailings",
        others=({"name": "paid bookings", "role": "secondary"}, {"name": "help opened", "role": "guardrail", "margin": 0.1}),
    ),
    Story(
        "Photo and price badge", "Cabins", "cabins opened",
        ("ferry, no badge", "island, no badge", "ferry, price badge", "island, price badge"),
        ("", "Show the island", "Show the price on a badge", "Show the island and the price"),
        _brief("showing the island and the price at once", "either alone may be enough, and together they may quarrel",
               baseline=0.12, worthwhile_lift=0.04, audience_per_day=6200,
               factors=[{"name": "photo", "levels": ["ferry", "island"]}, {"name": "badge", "levels": ["none", "price"]}]),
        rates=(0.12, 0.134, 0.1295, 0.1225), days_in=36, seed=61,
    ),
    Story(
        "Island photo headline", "Home", "island pages opened",
        ("Selkie Isle", "Selkie Isle, two hours away", "A night on an island", "Islands from 27 €"),
        ("", "Say how near it is", "Promise a night", "Name the price"),
        _brief("writing another headline over the photo of the island", "the photo is admired and not followed", baseline=0.24,
               worthwhile_lift=0.06, audience_per_day=1500, method="always_valid", least_weeks=1,
               allocation=_follow(epoch_hours=6, even_epochs=8, max_change=0.15)),
        days_in=12,
        parameters=(_text("island_headline", "name"), _text("island_headline", "distance"),
                    _text("island_headline", "night"), _text("island_headline", "price")),
    ),
    Story(
        "Picture of the breakfast", "Booking", "breakfasts added",
        ("No picture", "A cup of coffee", "A table for the family"), ("", "Show a cup of coffee", "Show a table for the family"),
        _brief("showing a picture beside the breakfast", "nobody orders what nobody sees", baseline=0.12, worthwhile_lift=0.08,
               audience_per_day=1500, method="always_valid", least_weeks=1,
               allocation=_follow(kind="top_two", even_epochs=3, properties=["device"], max_change=0.3)),
        days_in=25, ended_ago=4,
        parameters=(_text("breakfast_picture", "none"), _text("breakfast_picture", "coffee"),
                    _text("breakfast_picture", "table")),
    ),
    Story(
        "Suggestion on the home page", "Home", "suggestions opened",
        ("What others do", "A walk to the lighthouse", "A bicycle on board"),
        ("", "Suggest a walk to the lighthouse", "Suggest to take a bicycle along"),
        _brief("suggesting something to do", "who comes back wants something else than who is here for the first time",
               baseline=0.2, worthwhile_lift=0.05, audience_per_day=2200, method="always_valid", least_weeks=1,
               allocation=_follow(even_epochs=2, properties=["device", "visitor"], uniform=0.2, floor=0.01, max_change=0.4)),
        days_in=21,
        parameters=(_text("home_suggestion", "none"), _text("home_suggestion", "walk"), _text("home_suggestion", "bicycle")),
    ),
    Story(
        "Timetable on the home page", "Home", "timetables used",
        ("A link to it", "The sailings of today", "The next three sailings"),
        ("", "Show the sailings of today", "Show the next three sailings"),
        _brief("showing sailings on the home page", "most visitors come for a time of departure", baseline=0.18,
               worthwhile_lift=0.12, audience_per_day=1500, least_weeks=2, page=_SITE),
        days_in=26, others=({"name": "searches", "role": "secondary"},),
        parameters=(_text("home_timetable", "link"), _text("home_timetable", "today"), _text("home_timetable", "next")),
        decided_ago=11, reason="It is used more, and costs nothing", holdout=0.1,
        lines=(
            {"name": "Phones", "letter": "C", "rules": [{"kind": "all", "conditions": [
                {"attribute": "device", "operator": "is", "values": ["phone"], "kind": "text"}]}]},
            {"name": "Everybody else", "letter": "B", "rules": []},
        ),
        places=(("Timetable sheet in the harbours", "Ada", True), ("Start screen of the app", "Silas", False)),
    ),
    Story(
        "Greeting for islanders", "Home", "residents' fares opened",
        ("No greeting", "Going home?"), ("", "Greet those who live on an island, and ask whether they go home"),
        _brief("greeting islanders as islanders", "who is recognised looks for the fare that is theirs",
               "those who live on an island", baseline=0.21, worthwhile_lift=0.05, page=_SITE),
        parameters=(_text("greeting", "plain"), _text("greeting", "home")), given_ago=19, holdout=0.2,
        lines=({"name": "Islanders", "letter": "B", "rules": [{"kind": "all", "conditions": [
            {"attribute": "resident", "operator": "is", "values": ["true"], "kind": "true_false"}]}]},),
    ),
    Story(
        "Islands before dates", "Home", "islands chosen",
        ("Home page", "Page of islands"), ("", "Begin with a page of islands, at an address of its own"),
        _brief("sending visitors to a page of islands", "who comes without a plan chooses an island before a day", baseline=0.31,
               worthwhile_lift=0.08, audience_per_day=1500, least_weeks=2, page=_SITE),
        days_in=9, parameters=(_text("start_page", "home"), _text("start_page", "islands")),
        addresses=("", "/tidewick/islands"),
    ),
    Story(
        "Plainer words before payment", "Payment", "extras passed",
        ("Go to payment", "See the total and pay"), ("", ""),
        _brief("saying what comes before the payment", "who fears to be charged by the next click turns back", baseline=0.44,
               worthwhile_lift=0.06, audience_per_day=900, least_weeks=2, page=f"{_SITE}extras"),
        days_in=11, without_parameters=True, page_changes=(
            {"kind": "text", "find": {"selectors": ["#page > p:last-child > button"], "name": "Button “Go to payment”"},
             "text": "See the total and pay"},
            {"kind": "insert", "find": {"selectors": ["#page > h1"], "name": "Heading “Anything else?”"}, "place": "after",
             "html": "<p>Nothing is charged before the last step.</p>"},
            {"kind": "style", "find": {"selectors": ["#page > p:last-child > button"], "name": "Button “Go to payment”"},
             "styles": {"background-color": "#1f5f5b", "color": "#ffffff"}},
        ),
    ),
    Story(
        "Return leg suggested first", "Booking", "return trips",
        ("Outward leg first", "Return leg suggested first"), ("", "Suggest the return leg before the outward one"),
        _brief("suggesting the return leg first", "who knows when to come back decides sooner", baseline=0.12,
               worthwhile_lift=0.05, audience_per_day=3000),
        parameters=(_choice("suggest_return", "false"), _choice("suggest_return", "true")), starts_next_monday=True,
    ),
    Story(
        "Group fare reminder", "Groups", "group bookings",
        ("No reminder", "Reminder of the group fare"), ("", "Remind groups of four or more of the group fare"),
        _brief("reminding groups of four or more of the group fare", "few know that it exists", "groups of four or more",
               baseline=0.042, worthwhile_lift=0.10, audience_per_day=2900,
               method="group_sequential", method_settings={"looks": 4},
               ramp=[{"days": 2, "participation": 0.2}]),
        others=(
            {"name": "help opened", "role": "guardrail", "margin": 0.05, "baseline": 0.11},
            {"name": "fare per visitor", "role": "secondary"},
        ),
        forecasts=(("ada", 0.14, 0.02, 0.25),),
    ),
    Story(
        "Luxury cabins page", "Cabins", "luxury cabins booked",
        ("In the list of cabins", "A page of its own"), ("", "Give the two luxury cabins a page of their own"),
        _brief("giving the luxury cabins a page of their own", "nobody books a suite from a line in a list", baseline=0.003,
               worthwhile_lift=0.2, audience_per_day=6000, method="group_sequential", longest_run_weeks=4, rounds_planned=2),
        rates=(0.003, 0.0036), rounds=(1.0, 1.3), seed=75,
    ),
    Story(
        "Cabin and breakfast in one offer", "Payment", "paid bookings",
        ("Breakfast as an extra", "Cabin with breakfast"), ("", "Offer cabin and breakfast as one, a little cheaper"),
        _brief("offering cabin and breakfast as one", "one choice less", baseline=0.061, worthwhile_lift=0.05,
               audience_per_day=6200, least_weeks=3),
        rates=(0.061, 0.0676), days_in=35, seed=41, others=({"name": "fare per visitor", "role": "secondary"},),
        fares={"fare-per-visitor": (74.0, 55.0)},
    ),
    Story(
        "Advert with the ferry or the island", "Advertising", "paid bookings",
        ("The ferry at sea", "The island's beach"), ("", "Show the beach instead of the ferry"),
        _brief("showing the beach instead of the ferry", "people buy where they arrive", "visitors from adverts",
               baseline=0.03, worthwhile_lift=0.08, audience_per_day=4800, least_weeks=3),
        rates=(0.03, 0.0341), days_in=35, seed=47, spend=((0.31, 22.0), (0.39, 21.0)),
        second_count="visitor statistics",
        others=({"name": "cost per paid booking", "role": "goal", "margin": 0.1, "baseline": 10.5,
                 "standard_deviation": 60.0},),
    ),
    Story(
        "Ports without suggestions", "Home", "searches",
        ("Suggestions while typing", "A plain list of ports"), ("", "Replace the paid address service by our own list of ports"),
        _brief("replacing the paid address service by a plain list of ports", "forty ports fit on a page and cost nothing",
               baseline=0.21, question="noninferiority", worthwhile_lift=0.04, audience_per_day=5800),
        rates=(0.212, 0.2128), days_in=21, seed=71,
    ),
    Story(
        "Names for the cabins", "Cabins", "cabin upgrades",
        ("Numbers", "Names of islands", "Names of birds"), ("", "Call cabins after islands", "Call cabins after birds"),
        _brief("giving cabins a name", "nobody remembers a number", baseline=0.10, worthwhile_lift=0.08,
               audience_per_day=3300),
        rates=(0.10, 0.1145, 0.1135), days_in=28, seed=52,
    ),
    Story(
        "Seat choice without a fee", "Booking", "fare per visitor",
        ("A fee for the seat", "Seats are free"), ("", "Let visitors choose their seat without a fee"),
        _brief("letting visitors choose their seat without a fee", "who has a seat stays", "customers with an account",
               baseline=31.0, standard_deviation=22.0, worthwhile_lift=0.04, audience_per_day=700, method="group_sequential",
               method_settings={"look_days": [7, 14, 21]}, least_weeks=1),
        days_in=23, seed=58, before=(0.4, 1.037),
    ),
    _past(101, "Seat map before fare choice", "Booking", "paid bookings", ("Fare first", "Seat map first"),
          "show the seat map before the fares", "a seat in mind makes the fare fair", (0.050, 0.0545), 6000, 9, lift=0.06,
          next_step="Seat map first for everybody from the first of next month.",
          forecasts=(("mona", 0.06, 0.0, 0.12), ("ada", 0.02, -0.03, 0.06)),
          learnt="Who has picked a seat stays to pay for it. The fare page may come late.",
          why="People who turned back did so at the fare table; with a seat in mind fewer compare.",
          places=(("Booking page in the app", "Ada Fenwick", True), ("Screens at the harbour counters", "Silas Tarn", False),
                  ("Screenshots in the help pages", "Mona Orrell", False)),
          rollout=((1, 0.25), (4, 0.5), (8, 1.0))),
    _past(102, "Timetable as a list of buttons", "Booking", "sailings opened", ("Table", "Buttons"),
          "turn the timetable into buttons", "thumbs miss small rows", (0.30, 0.318), 5600, 16, lift=0.03,
          next_step="Buttons on phones and computers alike.", forecasts=(("mona", 0.03, 0.0, 0.08), ("ada", 0.05, 0.01, 0.1)),
          learnt="Rows that look like buttons are pressed like buttons; the gain is on phones.",
          places=(("Timetable leaflet, the picture of the page", "Silas Tarn", True),)),
    _past(103, "Shorter passenger form", "Payment", "paid bookings of those who began", ("Nine fields", "Six fields"),
          "ask six fields instead of nine", "each field costs", (0.60, 0.627), 1500, 24, lift=0.03,
          next_step="Six fields; the other three are asked at check-in.", forecasts=(("ada", 0.06, 0.02, 0.12),),
          learnt="Three fields fewer bring four more of a hundred through the payment."),
    _past(104, "Countdown to departure", "Booking", "paid bookings", ("No countdown", "Countdown"),
          "count down to the departure", "haste sells", (0.051, 0.0465), 6000, 31, lift=0.06,
          next_step="No countdowns anywhere.", forecasts=(("mona", 0.05, -0.02, 0.1), ("ada", 0.08, 0.02, 0.15)),
          learnt="Haste makes people leave. All of us had expected the opposite.",
          why="The countdown drew the eye away from the sailing list; help was opened more often."),
    _past(105, "Live chat bubble", "Help", "paid bookings", ("Help page", "Chat bubble"),
          "show a chat bubble", "questions stop bookings", (0.051, 0.0475), 6000, 38, lift=0.06,
          next_step="Help stays a page.", forecasts=(("mona", 0.02, -0.03, 0.06),),
          learnt="A chat that answers late is worse than none."),
    _past(106, "Full-screen island video", "Home", "searches", ("Photo", "Video"),
          "play a full-screen video", "the sea moves people", (0.21, 0.197), 5200, 45, lift=0.04,
          next_step="The photo stays; videos go to the island pages."),
    _past(107, "Rounded prices", "Booking", "paid bookings", ("Exact prices", "Rounded prices"),
          "round prices to whole amounts", "round figures are easier", (0.050, 0.0501), 6000, 53, lift=0.06, weeks=4,
          next_step="Exact prices stay."),
    _past(108, "Green or blue search button", "Home", "searches", ("Blue", "Green"),
          "make the search button green", "someone asked", (0.215, 0.2155), 5200, 61, lift=0.03, weeks=3,
          next_step="Blue stays; no more button colours."),
    _past(109, "Return leg on the same screen", "Booking", "return trips", ("Two screens", "One screen"),
          "show both legs on one screen", "the way back is forgotten", (0.12, 0.1215), 4800, 70, lift=0.05, weeks=3,
          next_step="Two screens stay."),
    _past(110, "Newsletter at the end of booking", "Newsletter", "sign-ups", ("On the home page", "After payment"),
          "ask after payment", "a happy customer says yes", (0.018, 0.0205), 5200, 78, lift=0.12,
          next_step="After payment, in all four languages."),
)  # fmt: skip
