"""Records of the first format: the API's shape of a reading as it was then. Read, never written."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import Any

from neat_verdict.core.methods import METHODS, method_from
from neat_verdict.core.rule import method_name_of_format_1
from neat_verdict.core.variants import LETTERS
from neat_verdict.core.verdicts import DecisionRule

_NOTHING = {"estimate": "nan", "low": "nan", "high": "nan"}


def upgraded(old: Mapping[str, Any], rule: Mapping[str, Any] | None) -> dict[str, Any]:
    """A record of the first format as one of the present."""
    comparisons = [_comparison(one) for one in old["comparisons"]]
    variant = old["variant"]
    overlap = old.get("overlap") or {}
    return {
        "format": 3,
        "rule": dict(rule) if rule else _rule(old).record(),
        "rule_in_words": old["rule_in_words"],
        "metric": {
            "key": "", "name": old["metric"], "tallying": old.get("kind", "rate"), "unit": old.get("unit", "percent"),
            "currency": old.get("currency", ""), "good_direction": old["good_direction"],
        },
        "units": old["unit_name"],
        "variants": [arm["name"] for arm in old["arms"]],
        "arms": [
            {
                "units": arm["units"], "total": arm["total"], "level": _interval(arm["rate"]),
                "planned_share": arm["planned_share"], "seen_share": _number(arm["seen_share"]),
            }
            for arm in old["arms"]
        ],
        "comparisons": comparisons,
        "conditions": old["conditions"],
        "verdict": {
            "name": old["verdict"],
            "variant": None if variant is None else LETTERS.index(variant),
        },
        "sentences": {
            "headline": old["headline"], "figure": old["figure"], "short": old["short"], "detail": old["detail"],
            "warnings": old["mind"],
        },
        "soundness": {
            "split_pvalue": old["split"]["pvalue"], "as_planned": old["split"]["as_planned"],
            "same_time": overlap.get("same_time"), "apart_share": overlap.get("apart_share", 0.0),
            "days_apart": overlap.get("days_apart", []), "drift_pvalue": overlap.get("drift_pvalue", 1.0),
        },
        "progress": old["progress"],
        "days": old["days"],
        "would_change": old.get("would_change", []),
        "ranking": [
            {
                "variant": LETTERS.index(one["letter"]), "chance": one["chance"], "behind": _interval(one["behind"]),
                "separable": one["separable"],
            }
            for one in old.get("ranking", [])
        ],
        "secondary": [_secondary(side) for side in old.get("sides", [])],
        "summary": _summary(old.get("followed")),
        "read_on": old.get("read_on"),
        "next_look": old.get("next_look"),
        "adjusted_by_days": old.get("adjusted_by_days"),
        "variance_removed": old.get("variance_removed"),
        "units_per_day": _units_per_day(old["comparisons"]),
    }  # fmt: skip


def _rule(old: Mapping[str, Any]) -> DecisionRule:
    """As much of the rule as the reading says, for one that was stored without."""
    name = method_name_of_format_1(old.get("method", next(iter(METHODS))))
    return DecisionRule(
        old["confidence"],
        old["worthwhile_lift"],
        old["good_direction"],
        method=method_from({"name": name, "sides": "one" if old.get("one_sided") else "two"}),
        planned_days=old["planned_days"],
    )


def _number(value: float | None) -> float | str:
    return "nan" if value is None else value


def _interval(interval: Mapping[str, Any] | None) -> dict[str, Any]:
    if interval is None:
        return dict(_NOTHING)
    low = "-inf" if interval.get("low_open") else _number(interval["low"])
    high = "inf" if interval.get("high_open") else _number(interval["high"])
    return {"estimate": _number(interval["estimate"]), "low": low, "high": high}


def _comparison(one: Mapping[str, Any]) -> dict[str, Any]:
    lift = one["lift"]
    critical_value = one.get("critical_value") or 1.959963984540054
    posterior = None
    if one.get("superiority") is not None:
        low, high = _interval(lift)["low"], _interval(lift)["high"]
        posterior = {
            "superiority": one["superiority"], "expected_loss": one["expected_loss"], "expected_loss_of_control": "nan",
            "low": low, "high": high,
        }  # fmt: skip
    return {
        "variant": LETTERS.index(one["letter"]),
        "critical_value": critical_value,
        "difference": _interval(one.get("difference")),
        "lift": _interval(lift),
        "statistic": _number(one.get("statistic")),
        "pvalue": one["pvalue"],
        "adjusted_pvalue": one.get("adjusted_pvalue") if one.get("adjusted_pvalue") is not None else one["pvalue"],
        "exact_pvalue": one.get("exact_pvalue"),
        "posterior": posterior,
        "effect": _effect(lift, critical_value),
        "per_level": _per_level(one),
    }


def _effect(lift: Mapping[str, Any], critical_value: float) -> tuple[float, float] | None:
    """The log ratio with its variance, got back from the interval: the first format held no other trace of it."""
    ends = (lift["estimate"], lift["low"], lift["high"])
    if any(end is None or end <= -1 for end in ends):
        return None
    width = math.log1p(lift["high"]) - math.log1p(lift["low"])
    return (math.log1p(lift["estimate"]), (width / 2 / critical_value) ** 2) if width > 0 else None


def _units_per_day(comparisons: Sequence[Mapping[str, Any]]) -> float | None:
    """What the monthly effects were projected with; `_per_level` is in it, so that their product stays what was shown."""
    return 1.0 if any(one.get("impact_a_month") for one in comparisons) else None


def _per_level(one: Mapping[str, Any]) -> float:
    """Effect of a month over difference and days, so that the effect is shown as it was."""
    effect, difference = one.get("impact_a_month"), one.get("difference")
    if not effect or not difference or not effect.get("estimate") or not difference.get("estimate"):
        return 1.0
    return float(effect["estimate"] / difference["estimate"] / 30)


def _secondary(side: Mapping[str, Any]) -> dict[str, Any]:
    return {
        "metric": {
            "key": side["key"], "name": side["name"], "tallying": side["kind"], "unit": side["unit"],
            "currency": side["currency"], "good_direction": side["good_direction"],
        },
        "role": side["role"],
        "margin": side["margin"],
        "arms": [
            {"units": arm["units"], "total": "nan", "level": _interval(arm["level"])} for arm in side["arms"]
        ],
        "comparisons": [_comparison(one) for one in side["comparisons"]],
        "kept": [one["kept"] for one in side["comparisons"]],
        "lost": [one["lost"] for one in side["comparisons"]],
    }  # fmt: skip


def _summary(old: Mapping[str, Any] | None) -> dict[str, Any] | None:
    if old is None:
        return None
    return {
        "chances": old["chances"], "remaining": "inf" if old["remaining"] is None else old["remaining"],
        "leader": LETTERS.index(old["leader"]), "spared": _interval(old["spared"]), "gained": _interval(old["gained"]),
        "pooled": [(_number(one["level"]), _interval(one["lift"])) for one in old["naive"]],
        "remarks": old["remarks"], "sentence": old["sentence"],
    }  # fmt: skip
