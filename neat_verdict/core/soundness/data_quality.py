"""What is wrong with the data of a running experiment, in words, with what to do about it."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import date, timedelta
from typing import Literal

from neat_verdict.core.checks import check_positive, check_table
from neat_verdict.core.soundness.base import Versions, check_versions
from neat_verdict.core.soundness.overlap import ABSENCE_ALARM, longest_absences, stretches
from neat_verdict.core.soundness.passages import FailedChange, Part, Passage, check_passages
from neat_verdict.core.soundness.second_count import SecondCount, likely_causes, sentence_of
from neat_verdict.core.soundness.split import LEAST_EXPECTED, SPLIT_ALARM, SplitCheck, check_split
from neat_verdict.core.text.format import listed, plural

# Shares above which there is an issue. The house's limits, no source.
DUPLICATES_ALARM, LATE_ALARM, UNEXPOSED_ALARM, MIXED_ALARM, ACROSS_ALARM = 0.05, 0.05, 0.5, 0.001, 0.05
STALE_HOURS = 36  # of a count that is made each day, and may be half a day late. The house's limit, no source
_LEAST_EVENTS = 100
_LEAST_MIXED = 5
_NAMED = 5  # ids in a sentence
IssueKind = Literal[
    "split", "split_segment", "split_day", "gap", "mixed", "identity", "early", "duplicates", "late", "unexposed", "held",
    "second_count", "stopped", "base", "lost", "unmade", "busy", "stale", "ceiling",
]  # fmt: skip


@dataclass(frozen=True, slots=True)
class DataQualityIssue:
    """Something wrong with the data. ``subject`` distinguishes issues of one kind; an unsound one forbids reading lifts."""

    kind: IssueKind
    sentence: str
    advice: str
    tone: Literal["unsound", "warning"] = "warning"
    subject: str = ""


@dataclass(frozen=True, slots=True)
class Observed:
    """What has come in: units by variant (control first), by segment, by day; and the last day's events.

    ``events``, ``duplicates``, ``late``, ``held`` and ``unexposed`` count the last 24 hours; ``mixed`` are units seen in two
    variants, ``across`` those whose person saw another variant under another id (``together``: the ids of a person are one
    unit), ``early`` exposures timed before the start, in all, and ``busy`` units with more than ``busy_from`` events.
    ``hours_ago`` is when data were looked at last that are counted where they live, while the experiment runs,
    and ``many_values``, by property, how many values are shown apart of how many there were.
    ``second`` are what other systems counted, by their name. Where the split was changed on the way ``split`` is its check, and
    ``stretches`` are the days from which on each has been so, with the variants, by position, that got units in it; ``still``
    are the units of variants that were stopped, by letter, which came on the days after. ``versions`` are those of what all
    variants stand on, as units brought them, and ``passages`` who reached the pages of variants that are pages of their own,
    and ``page_changes`` for whom a change failed.
    """

    letters: Sequence[str]
    weights: Sequence[float]
    units: Sequence[int]
    segments: Mapping[str, Sequence[int]] = field(default_factory=dict)
    days: Mapping[date, Sequence[int]] = field(default_factory=dict)
    first: date | None = None
    last: date | None = None
    mixed: int = 0
    across: int = 0
    together: bool = False
    early: int = 0
    busy: Sequence[str] = ()
    busy_from: int = 0
    hours_ago: float | None = None
    many_values: Mapping[str, tuple[int, int]] = field(default_factory=dict)
    events: int = 0
    duplicates: int = 0
    late: int = 0
    held: int = 0
    unexposed: int = 0
    unit_name: str = "visitors"
    second: Mapping[str, Sequence[SecondCount]] = field(default_factory=dict)
    split: SplitCheck | None = None
    stretches: Sequence[tuple[date, Sequence[int]]] = ()
    still: Mapping[str, int] = field(default_factory=dict)
    versions: Versions = field(default_factory=dict)
    passages: Sequence[Passage] = ()
    page_changes: Sequence[FailedChange] = ()


@dataclass(frozen=True, slots=True)
class Stratum:
    """The split within a segment or a day. The alarm is shared among all strata looked at (Bonferroni)."""

    name: str
    units: tuple[int, ...]
    check: SplitCheck
    alarm: bool


def check_strata(
    units: Mapping[str, Sequence[int]],
    weights: Sequence[float],
    planned: Mapping[str, Sequence[float]] | None = None,
) -> tuple[Stratum, ...]:
    """The split within each stratum, the most telling first; ``planned`` has the weights of strata with some of their own, 0 of
    variants that got no units in it: those are left out."""
    for weight in weights:
        check_positive("weights", weight)
    level = SPLIT_ALARM / max(len(units), 1)
    result = []
    for name, counts in units.items():
        wanted = (planned or {}).get(name, weights)
        shown = [at for at, weight in enumerate(wanted) if weight]
        check = check_split([counts[at] for at in shown], [wanted[at] for at in shown])
        enough = sum(counts) * min(check.planned_shares) >= LEAST_EXPECTED
        result.append(Stratum(name, tuple(counts), check, enough and check.pvalue < level))
    return tuple(sorted(result, key=lambda stratum: stratum.check.pvalue))


@dataclass(frozen=True, slots=True)
class Gap:
    """Days, both included, on which nobody came (``variant`` None) or nobody to a variant, by position."""

    first: date
    last: date
    variant: int | None = None


def gaps(days: Mapping[date, Sequence[int]], first: date, last: date) -> tuple[Gap, ...]:
    """The stretches from ``first`` to ``last`` on which nobody came, or nobody to a variant, where chance leaves out so many once
    in 1,000 times at most: a few units a day leave empty days without anything being wrong.

    Nobody at all is held against arrivals at an even rate (Poisson), a variant against the units that came (hypergeometric, see
    `longest_absences`), both times the days on which a stretch could begin.
    """
    span = [first + timedelta(days=offset) for offset in range((last - first).days + 1)]
    width = max((len(units) for units in days.values()), default=0)
    table = check_table("days", [list(days.get(day, ())) or [0] * width for day in span])
    if not table.size or not table.sum():
        return ()
    rate = table.sum() / len(span)
    empty = [
        Gap(span[begin], span[end])
        for begin, end in stretches(table.sum(axis=1) == 0)
        if math.exp(-rate * (end - begin + 1)) * len(span) < ABSENCE_ALARM
    ]
    absent = [
        Gap(span[one.first], span[one.last], one.variant)
        for one in longest_absences(table)
        if one.pvalue < ABSENCE_ALARM
    ]
    return tuple(sorted([*empty, *absent], key=lambda gap: gap.first))


def find_issues(seen: Observed) -> tuple[DataQualityIssue, ...]:
    """All issues, the gravest first."""
    result = [
        *_split_issues(seen),
        *_gap_issues(seen),
        *_mixed_issues(seen),
        *_identity_issues(seen),
        *_early_issues(seen),
        *_busy_issues(seen),
        *_stale_issues(seen),
        *_ceiling_issues(seen),
        *_event_issues(seen),
        *_second_count_issues(seen),
        *_stopped_issues(seen),
        *_base_issues(seen),
        *_lost_issues(seen),
        *_unmade_issues(seen),
    ]
    return tuple(sorted(result, key=lambda issue: issue.tone != "unsound"))


def _split_issues(seen: Observed) -> list[DataQualityIssue]:
    if not sum(seen.units):
        return []
    overall = seen.split or check_split(list(seen.units), seen.weights)
    strata = check_strata(seen.segments, seen.weights)
    alarming = [stratum for stratum in strata if stratum.alarm]
    where = f" It comes from {alarming[0].name}: {_counts(seen, alarming[0].units)}." if alarming else ""
    if not overall.as_planned:
        planned = ", ".join(
            f"{letter} {share:.0%}" for letter, share in zip(seen.letters, overall.planned_shares, strict=True)
        )
        return [
            DataQualityIssue(
                "split",
                f"The split is not as planned: {_counts(seen, seen.units)} (planned {planned}; p = {overall.pvalue:.2g}).{where}",
                "Find where units are lost or counted twice (a redirect, a filter, a slow variant), put it right, and start a "
                "new round: what has come in cannot be read",
                "unsound",
            )
        ]
    return [
        DataQualityIssue(
            "split_segment",
            f"Among {stratum.name} the split is not as planned: {_counts(seen, stratum.units)} (p = {stratum.check.pvalue:.2g})",
            "Look at what these units see: one variant may not load, or may not count, for them",
            subject=stratum.name,
        )
        for stratum in alarming
    ]


def _counts(seen: Observed, units: Sequence[int]) -> str:
    return ", ".join(f"{count:,} in {letter}" for letter, count in zip(seen.letters, units, strict=True))


def _gap_issues(seen: Observed) -> list[DataQualityIssue]:
    if seen.first is None or seen.last is None:
        return []
    return [
        DataQualityIssue(
            "gap",
            f"{_stretch(gap)} {_whom(seen, gap)} {seen.unit_name}",
            "Ask whether the site or the sending of events stood still; note the change, and leave the days out if "
            "something was wrong",
            subject=f"{gap.first.isoformat()} {_whom(seen, gap)}",
        )
        for gap in _gaps(seen, seen.first, seen.last)
    ]


def _gaps(seen: Observed, first: date, last: date) -> list[Gap]:
    """Of each stretch of one split by itself, so that a variant is missed only where it was to be shown."""
    begins = [(max(begin, first), shown) for begin, shown in seen.stretches] or [(first, range(len(seen.letters)))]
    ends = [begin - timedelta(days=1) for begin, _ in begins[1:]] + [last]
    result = []
    for (begin, shown), end in zip(begins, ends, strict=True):
        days = {
            day: [units[at] for at in shown] for day, units in seen.days.items() if begin <= day <= end and len(units)
        }
        for gap in gaps(days, begin, min(end, last)) if begin <= min(end, last) else ():
            result.append(gap if gap.variant is None else replace(gap, variant=shown[gap.variant]))
    return result


def _whom(seen: Observed, gap: Gap) -> str:
    return "no variant had any" if gap.variant is None else f"{seen.letters[gap.variant]} had no"


def _stretch(gap: Gap) -> str:
    if gap.first == gap.last:
        return f"On {gap.first:%-d %B}"
    return f"From {gap.first:%-d %B} to {gap.last:%-d %B} ({plural((gap.last - gap.first).days + 1, 'day')})"


def _mixed_issues(seen: Observed) -> list[DataQualityIssue]:
    total = sum(seen.units)
    if seen.mixed < _LEAST_MIXED or seen.mixed <= MIXED_ALARM * total:
        return []
    return [
        DataQualityIssue(
            "mixed",
            f"{seen.mixed:,} of {total:,} {seen.unit_name} were seen in two variants ({seen.mixed / total:.1%})",
            "They count where they were first. Check that the same unit is sent from every page and device, and that nobody "
            "assigns a second time",
        )
    ]


def _identity_issues(seen: Observed) -> list[DataQualityIssue]:
    total = sum(seen.units)
    if seen.across < _LEAST_MIXED or seen.across <= ACROSS_ALARM * total:
        return []
    share = f"({seen.across / total:.1%})"
    diluted = "so a difference between variants shows smaller than it is, by about that share"
    if seen.together:
        sentence = f"{seen.across:,} of {total:,} {seen.unit_name} saw two variants, under several ids {share}"
        advice = f"They count where they were first, {diluted}. Where people sign in, ask for their variant by account"
    else:
        sentence = f"{seen.across:,} of {total:,} {seen.unit_name} saw another variant too, under another id {share}"
        advice = (
            f"What they did under one id counts for its variant only, {diluted}. Before the next start choose that all ids of a "
            "person are one unit (Traffic)"
        )
    return [DataQualityIssue("identity", sentence, advice)]


def _early_issues(seen: Observed) -> list[DataQualityIssue]:
    if not seen.early:
        return []
    return [
        DataQualityIssue(
            "early",
            f"{plural(seen.early, 'exposure')} came that {'is' if seen.early == 1 else 'are'} timed before the start",
            "They count nowhere. Put the sender's clock right, or begin a round on the day from which they shall count",
        )
    ]


def _busy_issues(seen: Observed) -> list[DataQualityIssue]:
    """Units that do more than people do."""
    if not seen.busy:
        return []
    one = len(seen.busy) == 1
    named = listed(list(seen.busy[:_NAMED])) + ("" if len(seen.busy) <= _NAMED else " …")
    who = (
        "Likely a robot, or an id that many share; it is" if one else "Likely robots, or ids that many share; they are"
    )
    return [
        DataQualityIssue(
            "busy",
            f"{plural(len(seen.busy), 'id')} {'has' if one else 'have'} more than {seen.busy_from:,} events: {named}",
            f"{who} counted once a minute. Leave such ids out of rounds to come: who is never counted (Traffic)",
        )
    ]


def _stale_issues(seen: Observed) -> list[DataQualityIssue]:
    """Counts from where the data live that have not come for more than a day and a half."""
    if seen.hours_ago is None or seen.hours_ago <= STALE_HOURS:
        return []
    return [
        DataQualityIssue(
            "stale",
            f"Data were looked at last {plural(int(seen.hours_ago // 24), 'day')} ago, where they live",
            "What came in since is in no figure. See whether the job that counts them still runs",
        )
    ]


def _ceiling_issues(seen: Observed) -> list[DataQualityIssue]:
    """Properties with more values than are tallied apart."""
    return [
        DataQualityIssue(
            "ceiling",
            f"{name} has more than {shown:,} values: of {found:,} the {shown:,} with the most units are shown apart, the others "
            "together as (other)",
            "Keep counts by a property with few values (Watch, segments), such as a country instead of a town",
            subject=name,
        )
        for name, (shown, found) in sorted(seen.many_values.items())
    ]


def _second_count_issues(seen: Observed) -> list[DataQualityIssue]:
    """Where another system's count disagrees beyond what was tolerated beforehand, or moves away from ours."""
    result = []
    for source, counts in seen.second.items():
        wrong = [one for one in counts if any(one.beyond) or one.drifts or one.apart]
        if wrong:
            sentence = f"{source} counts otherwise: {'; '.join(map(sentence_of, wrong))}"
            result.append(DataQualityIssue("second_count", sentence, ". ".join(likely_causes(counts)), subject=source))
    return result


def _stopped_issues(seen: Observed) -> list[DataQualityIssue]:
    return [
        DataQualityIssue(
            "stopped",
            f"{letter} was stopped, and {plural(units, 'unit')} still came to it on the days after",
            "They count in no comparison. Find who assigns by an older list, or keeps an answer longer than the day",
            subject=letter,
        )
        for letter, units in seen.still.items()
        if units
    ]


def _base_issues(seen: Observed) -> list[DataQualityIssue]:
    """Where what all stand on changed in some variants only. Of two versions one is named: the other is its counterpart."""
    alarming = [one for one in check_versions(seen.versions) if one.alarm][:1]
    return [
        DataQualityIssue(
            "base",
            f"The page is not the same in all variants: version {one.version} was seen by {_parts(seen, one.shares)} on the days "
            f"with several versions (p = {one.pvalue:.2g})",
            "Find out who released it to some variants only. From that day on the variants differ by more than was planned: "
            "put it right, and read the days before, or begin a new round",
            subject=one.version,
        )
        for one in alarming
    ]


def _lost_issues(seen: Observed) -> list[DataQualityIssue]:
    return [
        DataQualityIssue(
            "lost",
            f"{loss.passage.lost:,} of {loss.passage.assigned:,} {seen.unit_name} that were sent to {loss.passage.address} "
            f"did not arrive there ({loss.passage.lost_share:.1%}; in control {loss.control.lost_share:.1%})"
            f"{_most_of(loss.passage.worst)}",
            "They count in their variant, as everybody who was sent. Look at what stands between: a slow page, one without the "
            "script, a further redirect, an address that is not there",
            subject=loss.passage.letter,
        )
        for loss in check_passages(seen.passages)
    ]


def _unmade_issues(seen: Observed) -> list[DataQualityIssue]:
    return [
        DataQualityIssue(
            "unmade",
            f"For {one.failed:,} of {one.units:,} {seen.unit_name} in {one.letter} ({one.failed / one.units:.1%}) a change could "
            f"not be made: {one.words}{_most_of(one.worst)}",
            "They saw the page without it, and count in their variant. Look at the page with the preview: its element is gone, "
            "there more than once, or another on some devices",
            subject=f"{one.letter} {one.words}",
        )
        for one in seen.page_changes
        if one.alarm
    ]


def _most_of(part: Part | None) -> str:
    """Where a share is larger than elsewhere, as the end of a sentence."""
    if part is None:
        return ""
    return f", most where {part.name.replace('=', ' is ')} ({part.share:.1%} of {part.units:,})"


def _parts(seen: Observed, shares: Sequence[float]) -> str:
    parts = [f"{share:.0%} in {letter}" for letter, share in zip(seen.letters, shares, strict=True) if share == share]
    return ", ".join(parts)


def _event_issues(seen: Observed) -> list[DataQualityIssue]:
    sent = seen.events + seen.duplicates
    if sent < _LEAST_EVENTS:
        return []
    lines: list[tuple[IssueKind, int, float, str, str]] = [
        ("duplicates", seen.duplicates, DUPLICATES_ALARM, "had been sent before",
         "They count once. Something sends again what was accepted: look at its retries"),
        ("late", seen.late, LATE_ALARM, "came more than a day late",
         "They count on their own day. Look at what holds them back before a day is read"),
        ("unexposed", seen.unexposed, UNEXPOSED_ALARM, "are of units that were never exposed",
         "They count nowhere. Check that exposures carry the same unit as the events"),
        ("held", seen.held, 0.01, "claim to lie in the future",
         "They are held until then. Put the sender's clock right"),
    ]  # fmt: skip
    return [
        DataQualityIssue(kind, f"{count:,} of {sent:,} events of the last day {words} ({count / sent:.0%})", advice)
        for kind, count, limit, words, advice in lines
        if count > limit * sent
    ]
