"""What was fixed at the start of a test by region, in sentences."""

from __future__ import annotations

from neat_verdict.core.regions import RegionTest
from neat_verdict.core.text.format import format_percent, listed, plural
from neat_verdict.core.verdicts.by_region.base import RegionNames, format_return


def region_rule_in_words(test: RegionTest, names: RegionNames) -> str:
    """The rule as one paragraph."""
    parts = [
        f"In one of each of {plural(len(test.pairs), 'pair')} of regions nothing is spent {_when(test)}",
        f"The spending pays if the {format_percent(test.confidence)} interval of the {names.of(names.outcome)} that each "
        f"{names.currency} brings lies above {format_return(test.break_even)}, and does not if it lies below.",
        *_rest(test, names),
        f"More than {format_percent(test.leak_limit)} of the usual spend in withheld regions makes it unsound.",
    ]
    return " ".join(parts)


def graded_rule_in_words(lower: RegionTest, higher: RegionTest, names: RegionNames, confidence: float) -> str:
    """The rule of a graded test; ``confidence`` is that of both levels together."""
    less, more = format_percent(lower.level), format_percent(higher.level)
    parts = [
        f"In one of each of {plural(len(lower.pairs), 'pair')} of regions {less} of the usual is spent, and in one of each of "
        f"{len(higher.pairs)} others {more}, {_when(lower)}",
        f"The step from {less} up to the usual pays if the {format_percent(lower.confidence)} interval of the "
        f"{names.of(names.outcome)} that each {names.currency} of it brings lies above {format_return(lower.break_even)}, and "
        f"does not if it lies below; so does the step from the usual up to {more}. Both intervals hold together with "
        f"{format_percent(confidence)} confidence.",
        *_rest(lower, names),
        f"More than {format_percent(lower.leak_limit)} of a change that does not come about makes it unsound.",
    ]
    return " ".join(parts)


def _when(test: RegionTest) -> str:
    cool = f", and {plural(test.cool_down_days, 'day')} more are for late effects" if test.cool_down_days else ""
    return (
        f"for {plural(test.test_days, 'day')} from {test.start:%-d %B %Y} on{cool}; then it is read once, against the "
        f"{plural(test.base_days, 'day')} before."
    )


def _rest(test: RegionTest, names: RegionNames) -> list[str]:
    parts = []
    if test.same_within:
        parts.append(f"Within {format_percent(test.same_within)} of that it makes no difference worth while.")
    if test.less_is_better:
        parts.append(f"Less is wanted of {listed([names.of(one) for one in sorted(test.less_is_better)])}.")
    return parts
