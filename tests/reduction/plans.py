"""A metric of every kind and condition, and plans that have them all."""

from neat_verdict.reduction.plan import plan_of
from tests.reduction.worlds import HOUR, KEY, START

PAID = {"event": "booking_paid"}
CONDITIONS = [
    {"attribute": "device", "operator": "is", "values": ["Phone"]},
    {"attribute": "device", "operator": "is_not", "values": ["phone"]},
    {"attribute": "source", "operator": "contains", "values": ["ad", "sea"]},
    {"attribute": "source", "operator": "starts_with", "values": ["sea"]},
    {"attribute": "source", "operator": "is_set"},
    {"attribute": "seats", "operator": "greater", "values": ["1"], "kind": "number"},
    {"attribute": "price", "operator": "between", "values": ["-1", "50.5"], "kind": "number"},
    {"attribute": "fare", "operator": "less", "values": ["20"], "kind": "number"},
    {"attribute": "member", "operator": "is", "values": ["true"], "kind": "true_false"},
    {"attribute": "version", "operator": "greater", "values": ["4.2"], "kind": "version"},
    {"attribute": "version", "operator": "is", "values": ["4.12.0"], "kind": "version"},
    {"attribute": "booked_for", "operator": "between", "values": ["2026-03-31", "2026-05-01"], "kind": "date"},
    {"attribute": "absent", "operator": "is_not", "values": ["x"]},
]
MEASURES = [
    {"kind": "amount", "events": PAID, "amount_of": "fare"},
    {"kind": "amount", "events": PAID, "amount_of": "price", "cap": 60.5},
    {"kind": "amount", "events": PAID, "amount_of": "price", "first_only": True},
    {"kind": "count", "events": {"event": "page_view", "or_events": ["search"]}},
    {"kind": "count", "events": {"event": "page_view"}, "cap": 2},
    {
        "kind": "count",
        "events": {"event": "search", "groups": [{"kind": "any", "conditions": CONDITIONS[:3]}]},
        "cap": 1.5,
    },
]
CONVERTED = {"kind": "conversion", "events": PAID}
STEPS = [{"event": "search"}, {"event": "page_view", "or_events": ["search"]}, PAID]


def metric(key, definition, before_days=None):
    return {"key": key, "definition": {"unit": "number", **definition}, "before_days": before_days}


METRICS = [
    metric("converted", {"kind": "conversion", "measure": CONVERTED, "unit": "percent"}),
    metric("soon", {"kind": "conversion", "measure": CONVERTED, "unit": "percent", "window_hours": 24}),
    *(metric(f"measure-{n}", {"kind": one["kind"], "measure": one}) for n, one in enumerate(MEASURES)),
    metric("adjusted", {"kind": "amount", "measure": MEASURES[1]}, before_days=7),
    metric("adjusted-count", {"kind": "count", "measure": MEASURES[3], "window_hours": 36}, before_days=2),
    metric("ratio", {"kind": "ratio", "measure": MEASURES[1], "denominator": MEASURES[4]}),
    metric("ratio-of-amounts", {"kind": "ratio", "measure": MEASURES[0], "denominator": MEASURES[1]}),
    metric("funnel", {"kind": "funnel", "steps": STEPS, "unit": "percent"}),
    metric("funnel-in-time", {"kind": "funnel", "steps": STEPS, "unit": "percent", "within_hours": 9, "window_hours": 72}),
    metric("median", {"kind": "median", "measure": MEASURES[0], "unit": "number"}),
    metric("p90", {"kind": "p90", "measure": MEASURES[1], "unit": "number"}),
    *(metric(f"condition-{n}", {"kind": "count", "measure": {"kind": "count", "events": {**PAID, "conditions": [one]}}})
      for n, one in enumerate(CONDITIONS)),
]  # fmt: skip
NOBODY = {"units": [], "groups": [], "more_than": None}


def plan(**changes):
    return plan_of(
        {"experiment": KEY, "round": 1, "zone": "Europe/Berlin", "started": START, "ended": None, "letters": ["A", "B", "C"],
         "metrics": METRICS, "segments": [["device"], ["device", "source"], ["seats"], ["absent"]],
         "kept_values": [], "forgotten": [], "never_counted": NOBODY,
         **changes}
    )  # fmt: skip


# By which the same events are counted; the second in a zone whose offset is no whole hour and changes on the way.
PLANS = {
    "every kind": {},
    "ended": {"ended": START + 9 * 24 * HOUR, "zone": "America/St_Johns"},
    "few values stay": {
        "kept_values": [
            {"names": ["device"], "segments": ["device=phone"]},
            {
                "names": ["device", "source"],
                "segments": ["device=phone & source=search", "device=(not known) & source=ad"],
            },
        ],
        "letters": ["A", "B"],
    },
    "some never counted": {
        "never_counted": {
            "units": ["u1", "u2"],
            "groups": [{"kind": "all", "conditions": [CONDITIONS[5]]}],
            "more_than": 100,
        },
        "forgotten": ["u3", "u4", "u5"],
        "segments": [],
    },
}
