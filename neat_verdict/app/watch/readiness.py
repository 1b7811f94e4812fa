"""What must be true before an experiment starts, held against what has been seen."""

from __future__ import annotations

from dataclasses import dataclass

from neat_verdict.app.collect.events import milliseconds
from neat_verdict.app.collect.models import Sighting
from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.experiments.queries import missing_for_rule, planned_rule
from neat_verdict.app.people.queries import keys_in_use
from neat_verdict.app.site.installed import findings
from neat_verdict.core.checks import InputError
from neat_verdict.core.metrics import definition_of
from neat_verdict.core.text.format import format_share, listed, plural

SEEN_WITHIN = 14 * 24 * 3_600_000


@dataclass(frozen=True, slots=True)
class Point:
    """One thing that must be true: whether it is, what was seen, and how to put it right on which sheet.

    Without a ``needed`` one there is no decision rule, so nothing starts; the others can be overridden with a reason.
    """

    label: str
    met: bool
    seen: str
    fix: str
    sheet: str
    needed: bool = False


def readiness(experiment: Experiment) -> list[Point]:
    """All points, in the order of the sheets."""
    points = [_hypothesis(experiment), _rule(experiment), *_reach(experiment), _shares(experiment)]
    if experiment.data_from == "events":
        points += [*_parameters(experiment), _key(), *_variants(experiment), *_events(experiment)]
        points += _on_page(experiment)
    return points


def _on_page(experiment: Experiment) -> list[Point]:
    """Whether the pages between which visitors are sent, or which change, have the script."""
    if not any(variant.address or variant.page_changes for variant in experiment.variants.all()):
        return []
    return [Point(one.label, one.met, one.seen, one.fix, "brief") for one in findings(experiment)]


def unmet(experiment: Experiment) -> list[str]:
    """Labels of the points that are not met and can be overridden."""
    return [point.label for point in readiness(experiment) if not point.met and not point.needed]


def _hypothesis(experiment: Experiment) -> Point:
    """Whether it says what changes, and why. Whom it is for may be everybody; without a metric there is no rule either."""
    parts = {"what changes": experiment.change, "because": experiment.because}
    missing = [name for name, text in parts.items() if not text.strip()]
    seen = f"missing: {', '.join(missing)}" if missing else "whole"
    return Point("The hypothesis is whole", not missing, seen, "Complete the sentence on Brief", "brief")


def _rule(experiment: Experiment) -> Point:
    label, fix = "The decision rule can be locked", "Give what is missing on Brief and Sizing"
    sheet = "sizing" if experiment.metric else "brief"
    try:
        missing = missing_for_rule(experiment)
        planned_rule(experiment)
    except InputError as problem:
        return Point(label, False, str(problem), fix, "sizing", needed=True)
    seen = f"missing: {', '.join(missing)}" if missing else "complete"
    return Point(label, not missing, seen, fix, sheet, needed=True)


def _reach(experiment: Experiment) -> list[Point]:
    try:
        rule = planned_rule(experiment)
    except InputError:
        return []
    if rule.reachable_power is None:
        return []
    seen = f"{format_share(rule.reachable_power, 0)} of the time in {plural(rule.planned_days, 'day')}"
    fix = f"Look for a larger {rule.question.looked_for}, more traffic or a nearer metric, or allow a longer run"
    return [Point(f"The longest run can show the {rule.question.size_name.lower()}", False, seen, fix, "sizing")]


def _shares(experiment: Experiment) -> Point:
    weights = [variant.weight for variant in experiment.variants.all()]
    total = sum(weights)
    seen = ", ".join(f"{weight / total:.1%}" for weight in weights) if total else "none"
    return Point("The shares add up to 100%", total > 0, seen, "Give each variant its share", "traffic")


def _parameters(experiment: Experiment) -> list[Point]:
    """Whether each variant has the parameters that others have, and no other running experiment sets the same."""
    sent = {variant.letter: {line["name"] for line in variant.parameters} for variant in experiment.variants.all()}
    names = sorted(set().union(*sent.values()))
    if not names:
        return []
    lacking = [
        f"{letter} lacks {listed([name for name in names if name not in has])}"
        for letter, has in sent.items()
        if not has.issuperset(names)
    ]
    fix = "Give every variant each of them, control its present value: what the site does without one is not tested"
    points = [
        Point("Every variant has the same parameters", not lacking, "; ".join(lacking) or listed(names), fix, "brief")
    ]
    clashes = _set_elsewhere(experiment, set(names))
    seen = "; ".join(f"{name} is set by “{other}”" for name, other in clashes)
    away = "Name them otherwise, or put both experiments into one exclusion group, so that nobody is in both"
    return [*points, Point("No other running experiment sets them", not clashes, seen or "none", away, "traffic")]


def _set_elsewhere(experiment: Experiment, names: set[str]) -> list[tuple[str, str]]:
    """(parameter, name of an experiment) of those that are running and may have the same units."""
    others = Experiment.objects.filter(state__in=["running", "paused"], data_from="events").exclude(pk=experiment.pk)
    if experiment.exclusion_group:
        others = others.exclude(exclusion_group=experiment.exclusion_group)
    return sorted(
        {
            (line["name"], other.name)
            for other in others.prefetch_related("variants")
            for variant in other.variants.all()
            for line in variant.parameters
            if line["name"] in names
        }
    )


def _key() -> Point:
    keys = keys_in_use()
    return Point(
        "A system has a key",
        keys > 0,
        f"{keys} in use",
        "Make a key for the site, and give it to the engineer",
        "traffic",
    )


def _variants(experiment: Experiment) -> list[Point]:
    since = milliseconds() - SEEN_WITHIN
    names = {f"{experiment.key}/{variant.letter}": variant for variant in experiment.variants.all()}
    seen = dict(Sighting.objects.filter(kind="variant", name__in=names).values_list("name", "last_at"))
    return [
        Point(
            f"Variant {variant.letter} has been shown to somebody",
            seen.get(name, 0) >= since,
            "an exposure came in" if seen.get(name, 0) >= since else "no exposure within two weeks",
            f"Force {variant.letter} for yourself, look at it, and see the exposure on Watch",
            "traffic",
        )
        for name, variant in names.items()
    ]


def _events(experiment: Experiment) -> list[Point]:
    since = milliseconds() - SEEN_WITHIN
    wanted: dict[str, list[str]] = {}
    for use in experiment.metrics.all():
        for name in definition_of(use.definition).event_names:
            wanted.setdefault(name, []).append(use.metric.name)
    seen = dict(Sighting.objects.filter(kind="event", name__in=wanted).values_list("name", "last_at"))
    return [
        Point(
            f"{name} comes in",
            seen.get(name, 0) >= since,
            "seen" if seen.get(name, 0) >= since else f"not within two weeks; {', '.join(metrics)} counts it",
            f"Do it once on the site; if it does not show on Watch, send “{name}” from there",
            "watch",
        )
        for name, metrics in wanted.items()
    ]
