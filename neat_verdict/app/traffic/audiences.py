"""Audiences to choose from, ready-made and kept, with how many of last month's units each would have let in."""

from __future__ import annotations

from datetime import date
from typing import Any

from neat_verdict.app.experiments.audience import audience_of
from neat_verdict.app.experiments.schemas import ConditionGroupIO
from neat_verdict.app.metrics.schemas import ConditionIO
from neat_verdict.app.traffic.models import SavedAudience
from neat_verdict.app.traffic.schemas import AudienceOut, AudienceSizeOut, EstimatedUnits, ReadyAudienceOut
from neat_verdict.app.traffic.sightings import DAYS, last_month
from neat_verdict.core.matching import OPERATOR_WORDS
from neat_verdict.core.text.format import format_count, format_share, listed
from neat_verdict.core.traffic import READY_MADE, Audience, Count, Sample

_NOBODY = (
    f"No assignment was asked for in the last {DAYS} days, so that nobody can be counted. Sites that assign from the list of "
    "running experiments by themselves are not seen here."
)


def kept_audiences() -> list[AudienceOut]:
    """All that are kept, by name."""
    month = last_month()
    return [described(one, month) for one in SavedAudience.objects.select_related("made_by")]


def described(audience: SavedAudience, month: tuple[Sample, date] | None) -> AudienceOut:
    """One of them."""
    rules = audience_of(audience.groups)
    return AudienceOut(
        id=audience.pk,
        name=audience.name,
        description=audience.description,
        groups=audience.groups,
        words=rules.words(),
        made_by=audience.made_by.display_name,
        size=_size(rules, month),
    )


def ready_made() -> list[ReadyAudienceOut]:
    """Those that ship with the application, in their order."""
    month, result = last_month(), []
    for one in READY_MADE:
        condition = ConditionIO(attribute=one.attribute, operator=one.operator, values=list(one.values), kind=one.kind)
        group = ConditionGroupIO(kind="all", conditions=[condition])
        rules = None if one.to_fill_in else audience_of([group.model_dump()])
        result.append(
            ReadyAudienceOut(
                name=one.name,
                description=one.description,
                groups=[group],
                words=rules.words() if rules else f"{one.attribute} {OPERATOR_WORDS[one.operator]} …",
                to_fill_in=one.to_fill_in,
                size=_size(rules, month) if rules else None,
            )
        )
    return result


def size_of(groups: list[dict[str, Any]]) -> AudienceSizeOut:
    """How many of last month's units rules would have let in. Raises InputError for rules that cannot be."""
    return _size(audience_of(groups, "groups"), last_month())


def _size(audience: Audience, month: tuple[Sample, date] | None) -> AudienceSizeOut:
    if month is None:
        return AudienceSizeOut(units=None, admitted=None, share=None, never_sent=[], sentence=_NOBODY)
    sample, first = month
    units, admitted, never = sample.units(), sample.admitted(audience), sample.never_sent(audience)
    share = admitted.kept / units.kept if units.kept else None
    return AudienceSizeOut(
        units=_shown(units),
        admitted=_shown(admitted),
        share=share,
        never_sent=list(never),
        sentence=f"{_sentence(units, admitted, share, first)}{_missing(never)}",
    )


def _shown(count: Count) -> EstimatedUnits:
    return EstimatedUnits(estimate=count.estimate, low=count.low, high=count.high)


def _sentence(units: Count, admitted: Count, share: float | None, first: date) -> str:
    came = f"{_about(units)} units that came since {first:%-d %B}"
    if admitted.kept == 0 or share is None:
        return f"None of {came} would have been let in."
    bounds = (
        "" if admitted.low == admitted.high else f" ({format_count(admitted.low)} to {format_count(admitted.high)})"
    )
    return f"Of {came}, {_about(admitted)}{bounds} would have been let in, {format_share(share)}."


def _about(count: Count) -> str:
    """The number where it is known, three figures of it where it is an estimate."""
    if count.low == count.high:
        return format_count(count.estimate)
    return f"about {format_count(float(f'{count.estimate:.3g}'))}"


def _missing(names: tuple[str, ...]) -> str:
    if not names:
        return ""
    return f" No unit came with {listed(names)}: the site has to send it when it asks for an assignment."
