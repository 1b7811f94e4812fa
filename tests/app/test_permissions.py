"""Who may do what: one table over every operation that the API describes. An operation without a line here fails."""

import io
import json
import tempfile
from datetime import date, timedelta
from pathlib import Path

import pytest
from django.core.cache import cache
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import transaction
from django.test import Client
from PIL import Image

from neat_verdict.app.analysis.actions import decide, save_segment_set, take_due_looks
from neat_verdict.app.casebook.actions import add_place, plan_rollout
from neat_verdict.app.collect import actions as collect
from neat_verdict.app.collect.file_actions import digest_of
from neat_verdict.app.collect.second_counts import preview_second_count, store_second_count
from neat_verdict.app.collect.spend import preview_spend
from neat_verdict.app.config.api import api
from neat_verdict.app.experiments import actions
from neat_verdict.app.experiments.models import Picture
from neat_verdict.app.experiments.queries import find
from neat_verdict.app.metrics.actions import create_metric
from neat_verdict.app.metrics.sample import SAMPLE
from neat_verdict.app.people.keys import make_key
from neat_verdict.app.people.models import SCOPES, User
from neat_verdict.app.planning import actions as planning
from neat_verdict.app.planning import background
from neat_verdict.app.planning.models import AATest, Rehearsal
from neat_verdict.app.privacy.actions import forget_person
from neat_verdict.app.regions import actions as regions
from neat_verdict.app.regions.models import PlaceboRun
from neat_verdict.app.regions.running import hand_over
from neat_verdict.app.reports.actions import share
from neat_verdict.app.reports.presenting import link_out
from neat_verdict.app.traffic.actions import keep_audience
from neat_verdict.app.traffic.splitting import change_split
from neat_verdict.app.watch.actions import add_metric, add_note
from neat_verdict.app.webhooks.actions import make_webhook
from tests.app.conftest import PLAN, START, TODAY, bring_in, daily, did, exposed
from tests.app.test_aa_tests import past_units_of
from tests.app.test_looks import start_with
from tests.app.test_reallocation import made as make_adaptive
from tests.app.test_regions import LAST, past_of_regions, planned_by_region
from tests.app.test_running_regions import bring_days, drawn_by_region, rows_of_test, running_by_region

pytestmark = pytest.mark.django_db
WHO = ("nobody", "machine key", "stakeholder", "analyst", "admin")
UNITS = b"unit,variant,day,paid bookings\nv1,A,2026-03-02,1\nv2,B,2026-03-02,0\n"
SPEND = b"day,variant,cost\n2026-03-02,A,5\n"
SECOND = SPEND.replace(b"cost", b"units")
DAYS_OF_REGIONS = f"region,day,sales\nTown A,{LAST + timedelta(days=1)},5\n".encode()
COUNTS = daily(2, {"A": (10, 1), "B": (10, 1)})


def png():
    out = io.BytesIO()
    Image.new("RGB", (8, 8)).save(out, "PNG")
    return out.getvalue()


def upload(content, name="file.csv"):
    return {"file": SimpleUploadedFile(name, content)}


class World:
    """What the operations are asked about, made when it is asked for. All of it by one analyst, or by nobody in particular."""

    def __init__(self, by):
        self.by = by

    @property
    def draft(self):
        return actions.create_experiment(self.by, "Fare calendar", dict(PLAN))

    @property
    def other_analyst(self):
        return User.objects.create_user("ines", first_name="Ines", last_name="Brook", role="analyst")

    @property
    def forgotten(self):
        return forget_person(self.by, "v1").pk

    @property
    def pointable(self):
        """A draft whose page can be changed."""
        return actions.create_experiment(
            self.by, "Fare calendar", {**PLAN, "page": "https://www.tidewick.example/fares"}
        )

    @property
    def waiting(self):
        """Running; its data still to come in files."""
        found = self.draft
        actions.start(self.by, found.key, START)
        return find(found.key)

    @property
    def three(self):
        variants = [{"name": name} for name in ("List first", "Calendar first", "No calendar")]
        found = actions.create_experiment(self.by, "Fare calendar", {**PLAN, "variants": variants})
        actions.start(self.by, found.key, START)
        return find(found.key)

    @property
    def won(self):
        found = self.waiting
        bring_in(self.by, found, daily(28, {"A": (2000, 100), "B": (2000, 120)}))
        return find(found.key)

    @property
    def ended(self):
        found = self.won
        actions.end(self.by, found.key)
        return find(found.key)

    @property
    def decided(self):
        found = self.won
        decide(self.by, found, "B", "", "")
        return find(found.key)

    @property
    def looked(self):
        found = start_with(
            self.by, method="group_sequential", method_settings={"look_days": [14, 21, 42]}, audience_per_day=2000
        )
        bring_in(self.by, found, daily(28, {"A": (1000, 50), "B": (1000, 54)}))
        return find(found.key)

    @property
    def adaptive(self):
        found = make_adaptive(self.by)
        actions.start(self.by, found.key)
        return find(found.key)

    @property
    def shown(self):
        """A draft with a picture."""
        found = self.draft
        variant = found.variants.first()
        actions.add_picture(self.by, found, variant.pk, SimpleUploadedFile("a.png", png()), "")
        return find(found.key)

    def shared(self):
        found = self.shown
        actions.start(self.by, found.key, START)
        link = link_out(share(self.by, find(found.key), 30))
        return found, link.path.removeprefix("/shared/")

    @property
    def counted(self):
        """A metric whose past units are known."""
        return past_units_of(self.by)

    def split(self, metric):
        fields = {"splits": 100, "seed": 1, "shares": [1, 1], "confidence": 0.95, "heard_at": TODAY, "by": self.by}
        return AATest.objects.create(metric=metric, **fields)

    @property
    def served(self):
        """Running, fed by events, with a metric in the library that it does not have."""
        create_metric(self.by, "help opened", did("help_opened"), "")
        found = actions.create_experiment(self.by, "Fare calendar", {**PLAN, "data_from": "events"})
        actions.start(self.by, found.key, START)
        return find(found.key)

    def watched(self):
        found = self.served
        add_metric(self.by, found.key, "help opened")
        return found

    @property
    def by_region(self):
        return regions.create_by_region(self.by, "Poster towns")

    @property
    def region_planned(self):
        return planned_by_region(self.by)

    @property
    def region_drawn(self):
        found = self.region_planned
        regions.draw_cells(self.by, found, 7)
        return found

    @property
    def region_calendar(self):
        found = self.region_drawn
        kept = {"start": DAY, "budget": None, "again": "after", "edits": [], "reason": ""}
        regions.set_calendar(self.by, found, found.region_plan.version, kept)
        return found

    @property
    def region_ready(self):
        return drawn_by_region(self.by)

    @property
    def region_running(self):
        return running_by_region(self.by)

    @property
    def region_done(self):
        found = running_by_region(self.by, start=TODAY.date())
        bring_days(self.by, found, rows_of_test(found, 1))
        return found

    @property
    def region_handed_over(self):
        found = self.region_running
        hand_over(self.by, found)
        return found

    def tried(self):
        found = self.region_planned
        fields = {"draws": 1, "seed": 0, "asked": "x", "heard_at": TODAY, "by": self.by}
        return found, PlaceboRun.objects.create(plan=found.region_plan, **fields).pk

    def rehearsed(self):
        found = self.draft
        fields = {"runs": 100, "seed": 1, "asked": "x", "heard_at": TODAY, "by": self.by}
        return found, Rehearsal.objects.create(experiment=found, **fields)


DAY = (TODAY + timedelta(days=3)).date().isoformat()
GROUPS = [{"kind": "all", "conditions": [{"attribute": "device", "operator": "is", "values": ["phone"]}]}]
METRIC = {"name": "seats", "description": "", "definition": did("seat_chosen")}
RANGE = f"?first={START.isoformat()}&last={(START + timedelta(days=6)).isoformat()}"


def of(state, **body):
    """A call about an experiment of the world."""
    return lambda w: ({"key": getattr(w, state).key}, body)


def plain(**body):
    return lambda w: ({}, body)


def account(**body):
    """A call about the account of the analyst."""
    return lambda w: ({"username": w.by.username}, body)


def hook():
    return make_webhook(User.objects.get(username="ada"), "Chat", "https://www.example.com/hook", ["decision.made"])


def numbered(make, **body):
    """A call about something with a number."""
    return lambda w: ({"number": make(w)}, body)


def about(make, name, **body):
    """A call about a part of an experiment: ``make`` gives (experiment, number of the part)."""

    def call(w):
        experiment, number = make(w)
        return {"key": experiment.key, name: number}, body

    return call


def picture_of(w):
    found = w.shown
    return found, Picture.objects.get(variant__experiment=found).pk


def place_of(w):
    found = w.decided
    return found, add_place(w.by, found, "The mail").pk


def look_of(w):
    found = w.looked
    take_due_looks(found)
    return found, 1


def calendar_of_regions(w):
    found = w.region_drawn
    version = found.region_plan.version
    return {"key": found.key}, {"version": version, "start": DAY, "again": "after"}


def shared_picture(w):
    found, token = w.shared()
    return {"token": token, "picture": Picture.objects.get(variant__experiment=found).pk}, {}


def for_engineer(w):
    link = link_out(share(w.by, w.draft, 30, kind="engineer"))
    return {"token": link.path.removeprefix("/for-engineers/")}, {}


def with_rollout(w):
    found = w.decided
    plan_rollout(w.by, found.key, steps=[(TODAY.date(), 1.0)])
    return {"key": found.key}, {"reason": "x"}


def stored_units(w):
    found = w.waiting
    return {"key": found.key}, {**upload(UNITS, "units.csv"), "digest": digest_of_content(UNITS)}


def digest_of_content(content):
    with tempfile.NamedTemporaryFile() as file:
        file.write(content)
        file.flush()
        return digest_of(Path(file.name))


def stored_spend(w):
    found = w.waiting
    return {"key": found.key}, {**upload(SPEND), "digest": preview_spend(w.by, found, SPEND).digest}


def second_file():
    return {**upload(SECOND), "source": "analytics"}


def stored_second_count(w):
    found = w.waiting
    digest = preview_second_count(w.by, found, SECOND, "analytics").digest
    return {"key": found.key}, {**second_file(), "digest": digest}


def removed_second_count(w):
    found = w.waiting
    digest = preview_second_count(w.by, found, SECOND, "analytics").digest
    store_second_count(w.by, found, SECOND, "analytics", digest=digest, name="second.csv")
    return {"key": found.key, "source": "analytics"}, {}


def changed_split(w):
    found = w.waiting
    change_split(w.by, found.key, [3, 1], date.fromisoformat(DAY), "x")
    return {"key": found.key, "number": 1}, {}


def stored_counts(w):
    found = w.waiting
    *_, seen = collect.preview(w.by, found, COUNTS, {})
    return {"key": found.key}, {**upload(COUNTS), "digest": seen.digest}


def forecast_made(w):
    """One forecast of each who may have one, to be withdrawn."""
    found = w.draft
    for person in User.objects.filter(role__in=["analyst", "admin"]):
        planning.forecast(person, found, lift=0.1, low=0, high=0.2, note="")
    return {"key": found.key}, {}


READ, WRITE, ADMIN, ASK, MACHINE, OPEN = "read", "write", "admin", "ask", "machine", "open"
# Of each operation who may call it, the status of an allowed call, and how the call is made.
TABLE = {
    "assign": (MACHINE, 200, lambda w: ({}, {"unit": "v1"})),
    "collect": (MACHINE, 200, lambda w: ({}, {"events": [exposed("v1", "A", experiment=w.waiting.key)]})),
    "get_running": (MACHINE, 200, plain()),
    "preview_forget": (WRITE, 200, plain(unit="v1")),
    "forget_person": (WRITE, 201, plain(unit="v1")),
    "list_forgotten": (WRITE, 200, plain()),
    "download_forgotten": (WRITE, 200, plain()),
    "note_erased": (WRITE, 200, lambda w: ({"number": w.forgotten}, {})),
    "list_lakes": (WRITE, 200, plain()),
    # What is allowed is refused for a reason of its own: there is no such lake, which nobody else hears.
    "schedule_lake": (WRITE, 422, lambda w: ({"name": "nowhere"}, {"every": "day", "hour": 4})),
    "count_lake": (WRITE, 422, lambda w: ({"name": "nowhere"}, {})),
    "get_retention": (WRITE, 200, plain()),
    "choose_retention": (WRITE, 200, plain(days_of_events=90, days_of_ids=None)),
    "list_reductions": (MACHINE, 200, plain()),
    "get_reduction_plan": (MACHINE, 200, of("won")),
    "take_reduced_day": (MACHINE, 422, of("won")),  # without a signature
    "end_reduction": (MACHINE, 409, of("won", plan="0", engine="x", until=0, days=[], changed=0, seconds=0)),  # another plan
    "get_session": (OPEN, 200, plain()),
    "get_vocabulary": (OPEN, 200, plain()),
    "sign_in": (OPEN, 422, plain(username="nobody", password="wrong")),
    "download_local_assignment": (OPEN, 200, plain()),
    "get_shared_report": (OPEN, 200, lambda w: ({"token": w.shared()[1]}, {})),
    "get_shared_picture": (OPEN, 200, shared_picture),
    "get_for_engineer": (OPEN, 200, for_engineer),
    # What every account may read or work out.
    "list_audiences": (READ, 200, plain()),
    "list_ready_audiences": (READ, 200, plain()),
    "get_casebook": (READ, 200, plain()),
    "get_docket": (READ, 200, plain()),
    "docket_looked": (READ, 204, plain(at="2026-04-20T00:00:00Z")),
    "search": (READ, 200, plain()),
    "list_owners": (READ, 200, plain()),
    "hand_over": (WRITE, 200, lambda w: ({"key": w.draft.key}, {"owner": w.other_analyst.username})),
    "list_exclusion_groups": (READ, 200, plain()),
    "get_experiment": (READ, 200, of("draft")),
    "get_allocation": (READ, 200, of("adaptive")),
    "get_split": (READ, 200, of("waiting")),
    "get_allocation_rehearsal": (READ, 200, of("adaptive")),
    "get_cohorts": (READ, 200, of("won")),
    "get_second_counts_table": (READ, 200, lambda w: ({"key": w.won.key, "form": "csv"}, {})),
    "list_experiments": (READ, 200, plain()),
    "get_verdict_file": (READ, 200, lambda w: ({"key": w.won.key}, {})),
    "get_counts_table": (READ, 200, lambda w: ({"key": w.won.key, "form": "csv"}, {})),
    "get_epochs_file": (READ, 200, of("adaptive")),
    "get_epoch_record": (READ, 404, lambda w: ({"key": w.draft.key, "number": 1}, {})),
    "get_evidence": (READ, 200, of("won")),
    "get_evidence_json": (READ, 200, of("won")),
    "get_evidence_table": (READ, 200, lambda w: ({"key": w.won.key, "form": "csv"}, {})),
    "list_forecasts": (READ, 200, of("draft")),
    "get_rollout_table": (READ, 200, lambda w: ({"key": w.decided.key, "form": "csv"}, {})),
    "get_handover": (READ, 200, of("decided")),
    "list_imports": (READ, 200, of("won")),
    "get_ledger": (READ, 200, of("won")),
    "get_live": (READ, 200, of("won")),
    "list_notes": (READ, 200, of("won")),
    "list_past": (READ, 200, of("draft")),
    "get_levels": (READ, 200, plain()),
    "get_report_picture": (READ, 200, lambda w: ({"key": w.won.key, "kind": "svg"}, {})),
    "get_readiness": (READ, 200, of("draft")),
    "get_rehearsal": (READ, 200, of("draft")),
    "get_report": (READ, 200, of("won")),
    "list_report_links": (READ, 200, of("won")),
    "get_report_html": (READ, 200, of("won")),
    "get_report_slides": (READ, 200, of("won")),
    "get_segment_evidence": (READ, 200, of("won")),
    "get_snippets": (READ, 200, of("draft")),
    "get_on_page": (READ, 200, of("draft")),
    "get_selected_range": (READ, 200, lambda w: ({"key": w.won.key, "?": RANGE}, {})),
    "get_derivation": (READ, 200, lambda w: ({"key": w.won.key, "?": "?figure=lift&variant=B"}, {})),
    "list_keys": (READ, 200, plain()),
    "list_metrics": (READ, 200, plain()),
    "sample_events": (READ, 200, plain()),
    "get_metric": (READ, 200, lambda w: ({"key": create_metric(w.by, "seats", did("seat_chosen"), "").key}, {})),
    "list_notices": (READ, 200, plain()),
    "list_seen_events": (READ, 200, plain()),
    "get_picture": (READ, 200, lambda w: ({"picture": picture_of(w)[1]}, {})),
    "get_segments": (READ, 200, plain()),
    "download_running": (READ, 200, plain()),
    "check_visitor": (ASK, 200, of("draft", unit="v1")),
    "preview_metric": (ASK, 200, plain(definition=did("booking_paid"), events=SAMPLE)),
    "size_audience": (ASK, 200, plain(groups=GROUPS)),
    "size_plan": (ASK, 200, plain(baseline=0.05, worthwhile_lift=0.1, audience_per_day=1000)),
    "judge_counts": (ASK, 200, plain(arms=[{"units": "100", "conversions": "5"}] * 2)),
    "read_past_data": (ASK, 200, lambda w: ({}, upload(b"day,units,conversions\n2026-01-01,1000,50\n"))),
    "read_notices": (ASK, 200, plain()),
    "sign_out": (ASK, 200, plain()),
    # What changes something: analysts and admins.
    "keep_audience": (WRITE, 201, plain(name="Phones", groups=GROUPS)),
    "change_audience": (
        WRITE, 200, numbered(lambda w: keep_audience(w.by, "Phones", "", GROUPS).pk, name="Tablets", groups=GROUPS)
    ),
    "remove_audience": (WRITE, 204, numbered(lambda w: keep_audience(w.by, "Phones", "", GROUPS).pk)),
    "take_in_event_file": (WRITE, 200, lambda w: ({}, upload(json.dumps(exposed("v1", "A")).encode(), "e.ndjson"))),
    "create_experiment": (WRITE, 201, plain(name="x")),
    "edit_experiment": (WRITE, 200, of("draft", version=2, changes={"area": "x"})),
    "start_allocation_rehearsal": (WRITE, 202, of("adaptive", lifts=[0.1, 0.0])),
    "copy_experiment": (WRITE, 201, of("draft")),
    "decide": (WRITE, 200, of("won", choice="B")),
    "set_end": (WRITE, 200, of("won", ends_at=f"{DAY}T12:00:00Z")),
    "follow_up": (WRITE, 201, of("decided")),
    "withdraw_forecast": (WRITE, 200, forecast_made),
    "forecast": (WRITE, 200, of("draft", lift=0.1, low=0, high=0.2)),
    "store_import": (WRITE, 201, stored_counts),
    "preview_import": (WRITE, 200, lambda w: ({"key": w.waiting.key}, upload(COUNTS))),
    "set_lesson": (WRITE, 200, of("decided", learnt="x")),
    "take_looks": (WRITE, 200, of("looked")),
    "set_look_aside": (WRITE, 200, about(look_of, "number", reason="wrong data")),
    "move_experiment": (WRITE, 200, lambda w: ({"key": w.won.key, "move": "pause"}, {})),
    "add_metric": (WRITE, 201, lambda w: ({"key": w.served.key}, {"name": "help opened"})),
    "remove_metric": (WRITE, 200, lambda w: ({"key": w.watched().key, "metric": "help-opened"}, {})),
    "add_note": (WRITE, 201, of("won", day=START.isoformat(), text="A campaign")),
    "remove_note": (
        WRITE, 204,
        about(lambda w: ((e := w.won), add_note(w.by, e, START, "A campaign", everywhere=False).pk), "number"),
    ),
    "preview_spend": (WRITE, 200, lambda w: ({"key": w.waiting.key}, upload(SPEND))),
    "preview_second_count": (WRITE, 200, lambda w: ({"key": w.waiting.key}, second_file())),
    "store_second_count": (WRITE, 201, stored_second_count),
    "remove_second_count": (WRITE, 204, removed_second_count),
    "store_spend": (WRITE, 201, stored_spend),
    "remove_picture": (WRITE, 200, about(picture_of, "picture")),
    "get_page_use": (READ, 200, of("draft")),
    "keep_outline": (
        WRITE, 204, of("draft", variant="B", device="phone", width=390, height=900, elements=[])
    ),
    "point_at_page": (WRITE, 201, of("pointable", variant="B")),
    "add_place": (WRITE, 200, of("decided", text="The mail")),
    "remove_place": (WRITE, 200, about(place_of, "place")),
    "tick_place": (WRITE, 200, about(place_of, "place", done=True)),
    "start_rehearsal": (WRITE, 202, of("draft", runs=100)),
    "get_aa_test": (READ, 200, lambda w: ({"key": w.counted.key}, {})),
    "start_aa_test": (WRITE, 202, lambda w: ({"key": w.counted.key}, {"splits": 100})),
    "cancel_aa_test": (WRITE, 200, lambda w: ({"key": (m := w.counted).key, "number": w.split(m).pk}, {})),
    "cancel_rehearsal": (WRITE, 200, about(lambda w: ((r := w.rehearsed())[0], r[1].pk), "number")),
    "share_report": (WRITE, 201, of("won", days=3)),
    "withdraw_report_link": (WRITE, 200, about(lambda w: ((e := w.won), share(w.by, e, 3).pk), "link")),
    "plan_rollout": (WRITE, 200, of("decided", steps=[{"day": DAY, "share": 1}])),
    "stop_rollout": (WRITE, 200, with_rollout),
    "release_rollout": (WRITE, 200, with_rollout),
    "start_experiment": (WRITE, 200, of("draft", reason="x")),
    "set_shares_by_hand": (WRITE, 200, of("adaptive", shares=[0.4, 0.3, 0.3], reason="x")),
    "change_split": (WRITE, 200, of("waiting", weights=[3, 1], from_day=DAY, reason="x")),
    "stop_variant": (WRITE, 200, lambda w: ({"key": w.three.key}, {"variant": "C", "reason": "x"})),
    "add_challenger": (
        WRITE, 200, of("waiting", weights=[1, 1, 1], from_day=DAY, reason="x", variant={"name": "A third"})
    ),
    "withdraw_split_change": (WRITE, 200, changed_split),
    "reallocate": (WRITE, 200, lambda w: ({"key": w.adaptive.key, "way": "freeze"}, {"reason": "x"})),
    "store_units": (WRITE, 201, stored_units),
    "preview_units": (WRITE, 200, lambda w: ({"key": w.waiting.key}, upload(UNITS, "units.csv"))),
    "add_picture": (
        WRITE, 201, lambda w: ({"key": (e := w.draft).key, "variant": e.variants.first().pk}, upload(png(), "a.png")),
    ),
    "withdraw_decision": (WRITE, 200, of("decided", reason="x")),
    "make_key": (WRITE, 201, plain(name="site")),
    "make_site_key": (WRITE, 201, plain(name="site", origins=["https://www.tidewick.example"])),
    "withdraw_key": (WRITE, 200, numbered(lambda w: make_key(w.by, "site")[0].pk)),
    "create_metric": (WRITE, 201, plain(**METRIC)),
    "edit_metric": (
        WRITE, 200,
        lambda w: ({"key": create_metric(w.by, "seats", did("seat_chosen"), "").key}, {**METRIC, "version": 1}),
    ),
    "delete_metric": (WRITE, 204, lambda w: ({"key": create_metric(w.by, "seats", did("seat_chosen"), "").key}, {})),
    "save_segment_set": (WRITE, 201, plain(name="Small", by="device", values=["device=phone"])),
    "remove_segment_set": (WRITE, 204, numbered(lambda w: save_segment_set(w.by, "Small", "device", ["a=b"]).pk)),
    "choose_breakdowns": (WRITE, 200, of("served", segments=[["device", "source"]])),
    "choose_segments": (WRITE, 200, plain(segments=[["device"]])),
    "create_region_test": (WRITE, 201, plain(name="Poster towns")),
    "get_region_plan": (READ, 200, of("region_drawn")),
    "edit_region_plan": (WRITE, 200, of("by_region", version=1, changes={"tested": "Posters"})),
    "bring_region_past": (WRITE, 201, lambda w: ({"key": w.by_region.key}, upload(past_of_regions(), "past.csv"))),
    "get_placebo": (READ, 200, of("region_planned")),
    "start_placebo": (WRITE, 202, of("region_planned", draws=1)),
    "cancel_placebo": (WRITE, 200, about(lambda w: w.tried(), "number")),
    "draw_cells": (WRITE, 201, of("region_planned", seed=7)),
    "get_spending_calendar": (READ, 200, of("region_calendar")),
    "set_spending_calendar": (WRITE, 200, calendar_of_regions),
    "download_spending_calendar": (READ, 200, lambda w: ({"key": w.region_calendar.key, "form": "ics"}, {})),
    "start_region_test": (WRITE, 200, of("region_ready")),
    "bring_region_days": (WRITE, 201, lambda w: ({"key": w.region_running.key}, upload(DAYS_OF_REGIONS, "days.csv"))),
    "hand_over_to_desk": (WRITE, 200, of("region_running")),
    "fetch_desk_spend": (WRITE, 200, of("region_handed_over")),
    "get_region_cases": (READ, 200, plain()),
    "get_region_derivation": (READ, 200, lambda w: ({"key": w.region_done.key, "?": "?figure=region_return"}, {})),
    "copy_region_test": (WRITE, 201, of("region_running")),
    "get_region_reading": (READ, 200, of("region_running")),
    "decide_region_test": (WRITE, 200, of("region_running", choice="A", reason="x")),
    "undo_draw": (WRITE, 200, of("region_drawn", reason="x")),
    "download_region_list": (READ, 200, lambda w: ({"key": w.region_drawn.key, "name": "withheld"}, {})),
    "get_never_counted": (READ, 200, plain()),
    "choose_never_counted": (WRITE, 200, plain(units=["monitor-1"], groups=[])),
    "ask_for_password_link": (OPEN, 202, plain(name="mona")),
    "get_password_link": (OPEN, 410, lambda _: ({"place": "x", "token": "y"}, {})),
    "choose_password": (OPEN, 410, plain(place="x", token="y", password="nine-cabins-and-a-ferry")),
    "get_me": (READ, 200, plain()),
    "choose_preferences": (READ, 200, plain(theme="dark")),
    "edit_me": (READ, 200, plain(first_name="Mo")),
    "change_password": (READ, 200, plain(current="tidewick", password="nine-cabins-and-a-ferry")),
    "begin_second_factor": (READ, 200, plain(password="tidewick")),
    "confirm_second_factor": (READ, 409, plain(code="123456")),
    "renew_recovery_codes": (READ, 409, plain(password="tidewick")),
    "remove_second_factor": (READ, 409, plain(password="tidewick")),
    "make_calendar": (READ, 200, plain()),
    "remove_calendar": (READ, 200, plain()),
    "get_calendar": (OPEN, 404, lambda _: ({"secret": "nobodys"}, {})),
    "end_other_sessions": (READ, 200, plain()),
    "end_session": (READ, 404, lambda _: ({"number": 0}, {})),
    "make_token": (READ, 201, plain(name="x", scopes=["read"], expires_at="2026-04-20T00:00:00")),
    "withdraw_token": (READ, 404, lambda _: ({"number": 0}, {})),
    "list_accounts": (ADMIN, 200, plain()),
    "make_account": (ADMIN, 201, plain(username="ines", email="ines@tidewick.example", role="analyst")),
    "get_account": (ADMIN, 200, account()),
    "edit_account": (ADMIN, 200, account(role="stakeholder")),
    "send_password_link": (ADMIN, 200, account()),
    "deactivate_account": (ADMIN, 200, account(hand_over_to=None)),
    "reactivate_account": (ADMIN, 409, account()),
    "reset_second_factor": (ADMIN, 409, account()),
    "end_sessions_of_account": (ADMIN, 200, account()),
    "make_service_token": (ADMIN, 422, account(name="x", scopes=["read"], expires_at="2026-04-20T00:00:00")),
    "withdraw_token_of_account": (ADMIN, 404, lambda w: ({"username": w.by.username, "number": 0}, {})),
    "get_account_log": (ADMIN, 200, plain()),
    "get_workspace": (READ, 200, plain()),
    "list_webhooks": (ADMIN, 200, plain()),
    "make_webhook": (ADMIN, 201, plain(name="Chat", url="https://www.example.com/hook", kinds=["decision.made"])),
    "edit_webhook": (ADMIN, 200, lambda _: ({"number": hook().pk}, {"paused": True})),
    "remove_webhook": (ADMIN, 204, lambda _: ({"number": hook().pk}, {})),
    "try_webhook": (ADMIN, 200, lambda _: ({"number": hook().pk}, {})),
    "list_deliveries": (ADMIN, 200, lambda _: ({"number": hook().pk}, {})),
    "send_again": (ADMIN, 404, lambda _: ({"number": hook().pk, "delivery": 0}, {})),
    "get_installation": (ADMIN, 200, plain()),
    "get_measures": (MACHINE, 200, plain()),
    "edit_workspace": (ADMIN, 200, plain(name="Tidewick")),
}  # fmt: skip
OPERATIONS = {
    operation["operationId"]: (path, method)
    for path, methods in api.get_openapi_schema()["paths"].items()
    for method, operation in methods.items()
}


def expected(who, allowed):
    return {
        OPEN: (allowed,) * 5,
        MACHINE: (401, allowed, 401, 401, 401),
        READ: (401, 401, allowed, allowed, allowed),
        ASK: (401, 401, allowed, allowed, allowed),
        WRITE: (401, 401, 403, allowed, allowed),
        ADMIN: (401, 401, 403, 403, allowed),
    }[who]


@pytest.fixture
def callers(analyst, stakeholder):
    """A client of each who asks."""
    secret = make_key(analyst, "booking site", scopes=list(SCOPES))[1]
    admin = User.objects.create_user("ada", password="tidewick", role="admin")
    found = {"nobody": Client(), "machine key": Client(headers={"Authorization": f"Bearer {secret}"})}
    for name, user in (("stakeholder", stakeholder), ("analyst", analyst), ("admin", admin)):
        found[name] = Client()
        found[name].force_login(user)
    return found


def status_of(client, method, path, given, body):
    query = given.pop("?", "")
    for name, value in given.items():
        path = path.replace(f"{{{name}}}", str(value))
    if any(isinstance(value, SimpleUploadedFile) for value in body.values()):
        answer = getattr(client, method)(path, body)
    elif method == "get":
        answer = client.get(path + query)
    else:
        answer = getattr(client, method)(path, data=json.dumps(body), content_type="application/json")
    if answer.streaming:
        list(answer.streaming_content)
    return answer.status_code


@pytest.mark.parametrize("operation", sorted(OPERATIONS))
def test_who_may_do_it(operation, analyst, metrics, callers, monkeypatch):
    monkeypatch.setattr(background, "_in_background", lambda *_work: None)  # its thread would outlive the test
    path, method = OPERATIONS[operation]
    who, allowed, call = TABLE[operation]
    seen = []
    for client in callers.values():
        # Each asks about a world of their own, so that what one did does not decide what another may do.
        with transaction.atomic():
            cache.clear()  # of links that were asked for
            given, body = call(World(analyst))
            seen.append(status_of(client, method, path, dict(given), body))
            transaction.set_rollback(True)
    assert dict(zip(WHO, seen, strict=True)) == dict(zip(WHO, expected(who, allowed), strict=True))


def test_the_table_holds_no_operation_that_is_gone():
    assert set(TABLE) == set(OPERATIONS)
