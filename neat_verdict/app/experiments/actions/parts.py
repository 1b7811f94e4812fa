"""Bringing an experiment's variants and metrics to a wanted list. Called inside the transaction of an action."""

from __future__ import annotations

import json
import math
from difflib import get_close_matches
from typing import Any

from django.core.files.base import ContentFile

from neat_verdict.app.experiments.addresses import check_addresses
from neat_verdict.app.experiments.models import GUARDING, Experiment, ExperimentMetric, Picture, Tally, Variant
from neat_verdict.app.experiments.page_changes import checked_changes
from neat_verdict.app.experiments.queries import breakdowns, factors
from neat_verdict.app.http.problems import Conflict
from neat_verdict.app.metrics import actions as library
from neat_verdict.app.metrics.models import Metric
from neat_verdict.app.metrics.queries import by_name
from neat_verdict.app.people.models import User
from neat_verdict.core.checks import InputError
from neat_verdict.core.factors import combinations_of, counts_of
from neat_verdict.core.metrics import definition_of, kind_named
from neat_verdict.core.planning import Arms
from neat_verdict.core.text.format import listed
from neat_verdict.core.variants import MAX_VARIANTS

_VARIANT_FIELDS = ("name", "changes", "parameters", "link", "address", "page_changes", "weight")
_USE_FIELDS = ("role", "margin", "baseline", "standard_deviation", "before_days", "strata", "direction")
Told = list[dict[str, Any]]


def edit_variants(experiment: Experiment, wanted: list[dict[str, Any]]) -> Told:
    """Bring the variants to the wanted list (control first); tells the change for the ledger.

    Lines carry the id of the variant they are, in their order, and new ones follow; without any id they are taken by
    position. After the start their number and weights are locked.
    """
    present = list(experiment.variants.all())
    lines = [_variant_line(index, line) for index, line in enumerate(wanted)]
    Arms([line["weight"] for line in lines])
    if experiment.rule_locked_at is not None and [v.weight for v in present] != [line["weight"] for line in lines]:
        raise Conflict("Locked since the start: the variants and their split", fields=["variants"])
    kept = _kept(present, wanted)
    before = [{field: getattr(v, field) for field in _VARIANT_FIELDS} for v in present]
    if [v.pk for v in present] == [v.pk for v in kept] and before == lines:
        return []
    gone = experiment.variants.exclude(pk__in=[variant.pk for variant in kept])
    if Tally.objects.filter(variant__in=gone).exists():
        raise Conflict(
            "An earlier round has data of a variant that would be taken away. Copy the experiment to begin without it",
            fields=["variants"],
        )
    gone.delete()
    for position, line in enumerate(lines):
        if position < len(kept):
            Variant.objects.filter(pk=kept[position].pk).update(position=position, **line)
            continue
        made = Variant.objects.create(experiment=experiment, position=position, **line)
        source = next((v for v in kept if v.pk == wanted[position].get("copy_of")), None)
        if source is not None:
            copy_pictures(source, made)
    return [{"field": "variants", "before": before, "after": lines}]


def add_variant(experiment: Experiment, line: dict[str, Any]) -> Variant:
    """One more variant, the last, after the start. Raises InputError where there are as many as there can be, for a line that is
    not accepted, and where a parameter is missing that another variant has."""
    present = list(experiment.variants.all())
    if len(present) >= MAX_VARIANTS:
        raise InputError("variant", len(present) + 1, f"must be at most {MAX_VARIANTS}")
    made = _variant_line(len(present), line)
    given = {parameter["name"] for parameter in made["parameters"]}
    missing = sorted({p["name"] for variant in present for p in variant.parameters} - given)
    if missing:
        raise InputError(
            "parameters", ", ".join(sorted(given)) or "none", f"must have {listed(missing)}, as the others do"
        )
    result = Variant.objects.create(experiment=experiment, position=len(present), **made)
    getattr(experiment, "_prefetched_objects_cache", {}).pop("variants", None)
    check_addresses(experiment)
    return result


def remove_variant(experiment: Experiment, variant: Variant) -> None:
    """The last variant, which was added after the start. Raises Conflict where it has counts."""
    if Tally.objects.filter(variant=variant).exists():
        raise Conflict(f"{variant.letter} has counts already; stop it instead")
    variant.delete()
    getattr(experiment, "_prefetched_objects_cache", {}).pop("variants", None)


def _kept(present: list[Variant], wanted: list[dict[str, Any]]) -> list[Variant]:
    ids = [line.get("id") for line in wanted]
    if not any(ids):
        return present[: len(wanted)]
    known = [variant_id for variant_id in ids if variant_id is not None]
    places = [next((v.position for v in present if v.pk == variant_id), -1) for variant_id in known]
    if -1 in places:
        raise InputError("variants", known[places.index(-1)], "is no variant of this experiment")
    if places != sorted(set(places)) or ids[: len(known)] != known:
        raise InputError("variants", "their order", "must stay as it is, new ones last")
    return [present[place] for place in places]


def _variant_line(index: int, line: dict[str, Any]) -> dict[str, Any]:
    name = line["name"].strip()
    if not name:
        raise InputError(f"variants.{index}.name", "empty", "must say what is shown")
    link = line.get("link", "").strip()
    if link and not link.startswith(("https://", "http://", "/")):
        raise InputError(f"variants.{index}.link", link, "must start with https://, http:// or /")
    parameters = line.get("parameters", [])
    seen: set[str] = set()
    for number, parameter in enumerate(parameters):
        _check_parameter(f"variants.{index}.parameters.{number}", parameter, seen)
    changes = [text.strip() for text in line.get("changes", []) if text.strip()]
    weight = line.get("weight", 1.0)
    address = line.get("address", "").strip()
    page_changes = checked_changes(f"variants.{index}.page_changes", line.get("page_changes", []))
    if address and index == 0:
        raise InputError("variants.0.address", address, "must be empty: control is the experiment’s own page")
    if page_changes and index == 0:
        raise InputError("variants.0.page_changes", len(page_changes), "must be none: control is the page as it is")
    if page_changes and address:
        raise InputError(f"variants.{index}.address", address, "must be empty where the page itself is changed")
    return {
        "name": name, "changes": changes, "parameters": parameters, "link": link, "address": address,
        "page_changes": page_changes, "weight": weight,
    }  # fmt: skip


def _check_parameter(path: str, parameter: dict[str, Any], seen: set[str]) -> None:
    name, kind, value = parameter["name"].strip(), parameter["kind"], parameter["value"]
    if not name or name in seen:
        raise InputError(f"{path}.name", name or "empty", "must be a name that no other parameter of this variant has")
    seen.add(name)
    if kind == "number":
        try:
            finite = math.isfinite(float(value))
        except ValueError:
            finite = False
        if not finite:
            raise InputError(f"{path}.value", value or "empty", "must be a number, such as 12.5")
    if kind == "true_false" and value not in ("true", "false"):
        raise InputError(f"{path}.value", value or "empty", "must be true or false")
    if kind == "json":
        try:
            # NaN, Infinity and what overflows are no JSON for the sites that read it.
            json.dumps(json.loads(value), allow_nan=False)
        except ValueError as problem:
            raise InputError(f"{path}.value", value or "empty", f"must be JSON: {problem}") from problem


def variants_of(experiment: Experiment) -> list[dict[str, Any]]:
    """A variant for every combination of the factors, named after its levels; what those that are there have stays with their
    places."""
    chosen = factors(experiment)
    present = list(experiment.variants.all())
    result = []
    for place, of in enumerate(combinations_of(counts_of(chosen))):
        levels = [(factor, factor.levels[level], level) for factor, level in zip(chosen, of, strict=True)]
        kept = present[place] if place < len(present) else None
        result.append({
            "name": ", ".join(level for _, level, _ in levels)[:80],
            "changes": [f"{factor.name}: {level}" for factor, level, changed in levels if changed],
            "parameters": kept.parameters if kept else [],
            "link": kept.link if kept else "",
            "address": kept.address if kept else "",
            "page_changes": kept.page_changes if kept else [],
            "weight": 1.0,
        })  # fmt: skip
    return result


def lines_of(experiment: Experiment) -> list[dict[str, Any]]:
    """The variants as `edit_variants` takes them, so that one of their fields can be changed."""
    return [
        {"id": variant.pk, **{field: getattr(variant, field) for field in _VARIANT_FIELDS}}
        for variant in experiment.variants.all()
    ]


def copy_pictures(source: Variant, target: Variant) -> None:
    """Give a variant copies of another's pictures, in files of their own."""
    for picture in source.pictures.all():
        copied = Picture(variant=target, caption=picture.caption, width=picture.width, height=picture.height)
        with picture.image.open("rb") as file:
            copied.image.save(str(picture.image.name).rsplit("/", 1)[-1], ContentFile(file.read()))


def edit_metrics(by: User, experiment: Experiment, wanted: list[dict[str, Any]]) -> Told:
    """Bring the metrics to the wanted list; a name that the library does not know is made there, unless the line says that it is
    not ``new``.

    Raises InputError for two metrics that decide, one named twice, one that is not known, or a guardrail without margin; Conflict
    after the start.
    """
    present = list(experiment.metrics.select_related("metric"))
    # What was added after the start is sent along unchanged.
    added = {use.metric.name.lower() for use in present if use.role == "exploratory"}
    present = [use for use in present if use.role != "exploratory"]
    wanted = [line for line in wanted if line["role"] != "exploratory" or line["name"].strip().lower() not in added]
    before = [{"name": use.metric.name, **{field: getattr(use, field) for field in _USE_FIELDS}} for use in present]
    lines = [_use_line(index, line) for index, line in enumerate(wanted)]
    if [{**line, "name": line["name"].lower()} for line in before] == [
        {**line, "name": line["name"].lower()} for line in lines
    ]:
        return []
    if experiment.rule_locked_at is not None:
        raise Conflict("Locked since the start: metrics. Copy the experiment to plan it again", fields=["metrics"])
    if sum(line["role"] == "primary" for line in lines) > 1:
        raise InputError("metrics", "two metrics", "cannot both decide; make one of them secondary")
    experiment.metrics.all().delete()
    used: set[int] = set()
    for position, line in enumerate(lines):
        name = line["name"]
        metric = by_name(name)
        if metric is None and not wanted[position].get("new", True):
            raise InputError(f"metrics.{position}.name", name, f"must be a metric of the library{_nearest(name)}")
        metric = metric or library.create_metric(by, name, library.plain_conversion(name))
        if metric.pk in used:
            raise InputError(f"metrics.{position}.name", name, "is in the list already")
        used.add(metric.pk)
        _check_strata(position, line, metric, experiment)
        _check_made_of(position, metric, lines, experiment)
        fields = {field: line[field] for field in _USE_FIELDS}
        ExperimentMetric.objects.create(experiment=experiment, metric=metric, position=position, **fields)
    # What was loaded with the experiment is out of date now.
    getattr(experiment, "_prefetched_objects_cache", {}).pop("metrics", None)
    return [{"field": "metrics", "before": before, "after": lines}]


def _nearest(name: str) -> str:
    """The metric whose name is nearest, after "must be a metric of the library"; "" where none is near."""
    known = {metric.lower(): metric for metric in Metric.objects.values_list("name", flat=True)}
    near = get_close_matches(name.lower(), known, n=1)
    return f"; the nearest is “{known[near[0]]}”" if near else ""


def _check_strata(position: int, line: dict[str, Any], metric: Metric, experiment: Experiment) -> None:
    """Raise InputError for a metric that is no rate, or a property that tallies are not kept by."""
    if not line["strata"]:
        return
    kept = [names[0] for names in breakdowns(experiment) if len(names) == 1]
    if not kind_named(metric.latest.definition["kind"]).is_rate:
        raise InputError(f"metrics.{position}.strata", line["strata"], "must be left out: only rates are stratified")
    if line["strata"] not in kept:
        rule = f"must be one of the properties kept at first exposure ({', '.join(kept) or 'none so far'})"
        raise InputError(f"metrics.{position}.strata", line["strata"], rule)


def _check_made_of(position: int, metric: Metric, lines: list[dict[str, Any]], experiment: Experiment) -> None:
    """Raise InputError for a metric made of totals without those, or where shares follow the evidence."""
    definition = definition_of(metric.latest.definition)
    if definition.rules.tally.stored:
        return
    if experiment.allocation is not None:
        rule = "must be left out: totals by day cannot be separated by the shares that units were assigned by"
        raise InputError(f"metrics.{position}.name", metric.name, rule)
    named = {line["name"].lower() for line in lines}
    for part in Metric.objects.filter(key__in=definition.made_of):
        if not {part.name.lower(), part.key} & named:
            rule = f"is made of the totals of “{part.name}”, which must be a metric of this experiment too"
            raise InputError(f"metrics.{position}.name", metric.name, rule)
    if not any(kind_named(_known_kind(line["name"])).tally.stored for line in lines):
        rule = "needs a metric beside it that units are counted for, such as a conversion"
        raise InputError(f"metrics.{position}.name", metric.name, rule)


def _known_kind(name: str) -> str:
    metric = by_name(name)
    return metric.latest.definition["kind"] if metric else "conversion"


def _use_line(index: int, line: dict[str, Any]) -> dict[str, Any]:
    result = {"name": line["name"].strip(), **{field: line.get(field) for field in _USE_FIELDS}}
    result["strata"] = (result["strata"] or "").strip()
    result["direction"] = result["direction"] or ""
    if not result["name"]:
        raise InputError(f"metrics.{index}.name", "empty", "must name a metric")
    if result["role"] == "exploratory":
        raise InputError(
            f"metrics.{index}.role", "exploratory", "is what a metric becomes that is added after the start"
        )
    if result["role"] in GUARDING and not (result["margin"] and 0 < result["margin"] <= 10):
        raise InputError(f"metrics.{index}.margin", result["margin"] or "empty", "must be above 0%, at most 1,000%")
    if result["role"] not in GUARDING:
        result["margin"] = None
    for field in ("baseline", "standard_deviation"):
        if result[field] is not None and not 0 < result[field] < 1e15:
            raise InputError(f"metrics.{index}.{field}", result[field], "must be above 0")
    return result


def pin_versions(experiment: Experiment) -> None:
    """From now on the metrics count as their latest version says, whatever comes after."""
    for use in experiment.metrics.select_related("metric"):
        use.version = use.metric.latest
        use.save(update_fields=["version"])
    getattr(experiment, "_prefetched_objects_cache", {}).pop("metrics", None)
