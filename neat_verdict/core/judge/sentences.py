"""The verdict in words. The screens and reports write none of their own."""

from __future__ import annotations

import math
from dataclasses import dataclass

from neat_verdict.core.estimate import Comparison, Rate
from neat_verdict.core.judge.reading import Reading
from neat_verdict.core.judge.rule import DecisionRule
from neat_verdict.core.judge.wording import Names, between, plain, share, signed
from neat_verdict.core.traffic import LETTERS


@dataclass(frozen=True, slots=True)
class Sentences:
    """``headline`` is the standing, ``short`` fits one line of the docket, ``detail`` explains, ``mind`` are cautions.

    ``figure`` is the part of the headline that carries the colour of the verdict; empty where none does.
    """

    headline: str
    figure: str
    short: str
    detail: str
    mind: tuple[str, ...]


def write_sentences(reading: Reading, rule: DecisionRule, names: Names) -> Sentences:
    """Put the verdict of a reading into words."""
    writer = {
        "winner": _winner,
        "keep_control": _keep_control,
        "no_worthwhile_difference": _no_worthwhile_difference,
        "trade_off": _trade_off,
        "keep_collecting": _keep_collecting,
        "unresolved": _unresolved,
        "unsound": _unsound,
    }[reading.verdict.kind]
    headline, figure, short, detail = writer(reading, rule, names)
    return Sentences(headline, figure, short, detail, _cautions(reading, rule))


_Parts = tuple[str, str, str, str]


def _chosen(reading: Reading) -> tuple[int, Comparison]:
    position = reading.verdict.variant or 1
    return position, reading.comparisons[position - 1]


_TOGETHER = {
    ("fixed", False): "",
    ("fixed", True): " for all variants together",
    ("looks", True): " for all looks together",
    ("looks", False): " for all looks together",
    ("anytime", True): ", however often it is read,",
    ("anytime", False): ", however often it is read,",
}


def _interval(reading: Reading, position: int, rule: DecisionRule) -> str:
    comparison = reading.comparisons[position - 1]
    lift = comparison.lift
    whose = f"the lift of {LETTERS[position]}" if len(reading.comparisons) > 1 else "the lift"
    if comparison.posterior is not None:
        odds, loss = share(comparison.posterior.superiority), share(comparison.posterior.expected_loss, 2)
        return (
            f"With a probability of {share(rule.confidence, 0)} {whose} is {between(lift.low, lift.high)}; it is better with a "
            f"probability of {odds}, and choosing it loses {loss} on average."
        )
    together = _TOGETHER[rule.method.kind, comparison.adjusted_pvalue != comparison.pvalue]
    return f"At {share(rule.confidence, 0)} confidence{together} {whose} is {between(lift.low, lift.high)}."


def _winner(reading: Reading, rule: DecisionRule, names: Names) -> _Parts:
    position, best = _chosen(reading)
    more = "more" if rule.sign > 0 else "fewer"
    figure = signed(best.lift.estimate)
    # A control without conversions leaves no relative figure; the difference in points still stands.
    size = f": {figure}" if math.isfinite(best.lift.estimate) else ""
    bound = best.lift.low if rule.sign > 0 else best.lift.high
    least = f"no less than {signed(bound)}" if rule.sign > 0 else f"a fall of no less than {signed(-bound).lstrip('+')}"
    floor = f", and {least}" if size else ""
    headline = f"{names.variant(position)} brings {more} {names.metric} than {names.variant(0)}{size}{floor}."
    detail = _interval(reading, position, rule)
    runner_up = reading.verdict.runner_up
    if runner_up is not None:
        apart = "told apart from" if reading.verdict.separable else "not told apart from"
        detail += f" It is {apart} the runner-up, {names.variant(runner_up)}."
    short = f"{LETTERS[position]} ahead. {figure}, every" if size else f"{LETTERS[position]} ahead, every"
    return headline, figure if size else "", f"{short} condition met", detail


def _keep_control(reading: Reading, rule: DecisionRule, names: Names) -> _Parts:
    several = len(reading.comparisons) > 1
    if several:
        headline = f"Keep {names.variant(0)}: none of the {len(reading.comparisons)} other variants is worth having."
        closest = max(
            range(1, len(reading.comparisons) + 1),
            key=lambda position: reading.comparisons[position - 1].lift.estimate * rule.sign,
        )
        return headline, "", f"None ahead. Keep {LETTERS[0]}", f"The closest: {_interval(reading, closest, rule)}"
    comparison = reading.comparisons[0]
    figure = signed(comparison.lift.estimate)
    behind = comparison.lift.high < 0 if rule.sign > 0 else comparison.lift.low > 0
    if behind:
        fewer = "fewer" if rule.sign > 0 else "more"
        headline = f"Keep {names.variant(0)}: {names.variant(1)} brings {fewer} {names.metric}, {figure}."
        return headline, figure, f"{LETTERS[1]} behind, {figure}. Keep {LETTERS[0]}", _interval(reading, 1, rule)
    headline = (
        f"Keep {names.variant(0)}: {names.variant(1)} does not reach the {plain(rule.worthwhile_lift)} worth acting on."
    )
    return headline, "", f"{LETTERS[1]} not worth it. Keep {LETTERS[0]}", _interval(reading, 1, rule)


def _no_worthwhile_difference(reading: Reading, rule: DecisionRule, names: Names) -> _Parts:
    lows, highs = zip(*((c.lift.low, c.lift.high) for c in reading.comparisons), strict=True)
    spread = between(min(lows), max(highs))
    subject = f"{names.variant(0)} and {names.variant(1)}" if len(names.variants) == 2 else "The variants"
    headline = f"{subject} do not differ in {names.metric} by as much as {plain(rule.worthwhile_lift)}."
    small = f"Every interval lies inside ±{plain(rule.worthwhile_lift)}, too small to act on: the lift is {spread}."
    return headline, "", f"No worthwhile difference: {spread}", small


def _trade_off(reading: Reading, rule: DecisionRule, names: Names) -> _Parts:
    position, best = _chosen(reading)
    lost = " and ".join(reading.verdict.lost)
    figure = signed(best.lift.estimate)
    if not lost:
        open_ones = " and ".join(reading.verdict.unproven)
        headline = (
            f"{names.variant(position)} wins on {names.metric}, {figure}, but {open_ones} has not been shown to keep within "
            "its margin: a person must choose."
        )
        return (
            headline,
            figure,
            f"{LETTERS[position]} wins {names.metric}, {open_ones} open",
            _interval(reading, position, rule),
        )
    headline = f"{names.variant(position)} wins on {names.metric}, {figure}, but harms {lost}: a person must choose."
    return (
        headline,
        figure,
        f"{LETTERS[position]} wins {names.metric}, harms {lost}",
        _interval(reading, position, rule),
    )


def _keep_collecting(reading: Reading, rule: DecisionRule, names: Names) -> _Parts:
    if not any(arm.units for arm in reading.arms):
        return "No data yet.", "", "No data yet", "Bring in a file of daily counts, or type them."
    empty = " and ".join(LETTERS[position] for position, arm in enumerate(reading.arms) if not arm.units)
    if empty:
        return f"No data yet for {empty}.", "", f"No data yet for {empty}", "A lift needs units in every variant."
    missing = [line for line in reading.conditions if line.subject == "minimum" and line.state != "met"]
    if not missing and not reading.comparisons:
        short = "Too little to compare yet"
        return f"{short}.", "", short, "A mean needs 2 units or more in every variant."
    if not missing:
        return _not_yet(reading, rule, names)
    told = "; ".join(f"{line.label[0].lower()}{line.label[1:]} (now {line.seen})" for line in missing)
    part = reading.progress
    if [(line.key, line.state) for line in missing] == [("value", "unknown")]:
        short, headline = "Too little to compare yet", "Too little to compare yet."
    elif [line.key for line in missing] == ["value"]:
        short = f"More may still be gained: up to {missing[0].seen}"
        headline = f"Another variant may still be better than the leader by up to {missing[0].seen}."
    elif part is not None and part < 1:
        short, headline = f"Too early to say: {share(part, 0)} of the planned data", "Too early to say."
    elif any(line.key == "days" for line in missing):
        short = headline = "The sample is in; the planned days are not over"
        headline += "."
    else:
        short, headline = "Too few conversions to say", "Too few conversions to say."
    return headline, "", short, f"The rule reads when all of this holds: {told}."


def _not_yet(reading: Reading, rule: DecisionRule, names: Names) -> _Parts:
    """Read, and nothing may be concluded so far; the rule reads again."""
    position = reading.verdict.variant or 1
    best = reading.comparisons[position - 1]
    again = "at the next look" if rule.method.kind == "looks" else "as more data come in"
    detail = f"{_interval(reading, position, rule)} The rule reads again {again}."
    if reading.verdict.unproven:
        open_ones = " and ".join(reading.verdict.unproven)
        headline = f"{names.variant(position)} is ahead, but {open_ones} has not been shown to keep within its margin."
        return headline, "", f"Ahead; {open_ones} still open", detail
    spread = between(best.lift.low, best.lift.high)
    if reading.followed is not None:
        leader = names.variant(reading.followed.gain.leader)
        told = f"{leader} leads, and no other is likely to be better by {plain(rule.worthwhile_lift)} or more"
        missing_yet = (
            "" if reading.followed.gain.leader == 0 else f"; that it beats {names.variant(0)} is not shown yet"
        )
        return (
            f"{told}{missing_yet}.",
            "",
            f"{LETTERS[reading.followed.gain.leader]} leads, little left to gain",
            detail,
        )
    return "Read, and nothing may be concluded yet.", "", f"Not settled yet: {spread}", detail


def _unresolved(reading: Reading, rule: DecisionRule, names: Names) -> _Parts:
    missing = [line for line in reading.conditions if line.subject == "minimum" and line.state != "met"]
    if missing or not reading.comparisons:
        told = "; ".join(f"{line.label} (got to {line.seen})" for line in missing) or "enough units to compare"
        headline = "Ended before the rule's minimum was met; it cannot be called."
        return headline, "", "Unresolved: ended before its minimum", f"Missing: {told}."
    position, best = _chosen(reading)
    whose = f" of {LETTERS[position]}" if len(reading.comparisons) > 1 else ""
    headline = (
        f"Not settled: the lift{whose} in {names.metric} may be anything {between(best.lift.low, best.lift.high)}."
    )
    wide = f"The interval holds both zero and lifts worth acting on ({plain(rule.worthwhile_lift)} or more)."
    return headline, "", f"Unresolved: {between(best.lift.low, best.lift.high)}", wide


def _unsound(reading: Reading, rule: DecisionRule, names: Names) -> _Parts:
    split, overlap = reading.split, reading.overlap
    if not split.as_planned:
        arm = split.worst
        seen, planned = share(split.seen_shares[arm]), plain(split.planned_shares[arm])
        short = f"Unsound: {seen} of {names.units} landed in {LETTERS[arm]}, {planned} planned"
        headline = f"No lift may be read: {seen} of {names.units} landed in {LETTERS[arm]}, {planned} planned."
        detail = (
            f"Chance alone gives such a split less than once in 1,000 times (p {_small(split.pvalue)}). "
            f"Find where {names.units} are lost or counted twice: a redirect, a filter, a late assignment."
        )
        return headline, "", short, detail
    if overlap is not None and overlap.days_apart:
        days = len(overlap.days_apart)
        headline = f"No lift may be read: on {days} {'day' if days == 1 else 'days'} not all variants were seen."
        short = f"Unsound: variants ran at different times ({days} days apart)"
        detail = (
            f"{share(overlap.apart_share, 0)} of the {names.units} came on days when some variant had none. Different days have "
            "different visitors: such a comparison is one of weeks, not of variants. Run all variants at once."
        )
        return headline, "", short, detail
    if rule.adaptive:
        headline = "No lift may be read: the variants' shares were not those set for the epochs."
        detail = (
            f"Within an epoch {names.units} fall to the variants by its shares, give or take chance. Find who assigns by older "
            "shares, or keeps an answer longer than the epoch, then start again."
        )
        return headline, "", "Unsound: shares other than those of the epochs", detail
    headline = "No lift may be read: the variants' shares shifted from day to day."
    detail = (
        "A fixed split has the same shares every day, give or take chance. Shifted shares compare days as much as variants. "
        "Find what changed the split, then start again."
    )
    return headline, "", "Unsound: the shares shifted from day to day", detail


def _small(pvalue: float) -> str:
    return f"= {pvalue:.1e}" if pvalue >= 1e-12 else "< 1e-12"


def _cautions(reading: Reading, rule: DecisionRule) -> tuple[str, ...]:
    if reading.verdict.kind == "unsound":
        return ()
    lines = []
    if any(comparison.smallest_expected_count < 5 for comparison in reading.comparisons):
        lines.append(
            "Fewer than 5 conversions would be expected in one variant: the interval is rough, and an exact p stands beside it."
        )
    if any(math.isinf(comparison.lift.high) for comparison in reading.comparisons):
        none = isinstance(reading.arms[0], Rate) and not reading.arms[0].conversions
        why = "Control has no conversions yet" if none else "Control’s level is not clear of zero yet"
        lines.append(f"{why}, so the lift has no upper limit; read the difference in points.")
    if reading.overlap is not None and reading.overlap.days_apart:
        days = len(reading.overlap.days_apart)
        lines.append(
            f"On {days} {'day' if days == 1 else 'days'} some variant was not seen; too little to matter here."
        )
    if reading.verdict.kind == "keep_collecting" and reading.comparisons and rule.method.kind != "anytime":
        lines.append("Reading the lift before the end and stopping at a good number finds winners that are none.")
    return tuple(lines)
