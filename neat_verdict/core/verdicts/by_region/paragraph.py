"""What was fixed at the start of a test by region, in sentences."""

from __future__ import annotations

from neat_verdict.core.regions import RegionTest
from neat_verdict.core.text.format import format_percent, listed, plural
from neat_verdict.core.verdicts.by_region.base import RegionNames, format_return


def region_rule_in_words(test: RegionTest, names: RegionNames) -> str:
    """The rule as one paragraph."""
    cool = f", and {plural(test.cool_down_days, 'day')} more are for late effects" if test.cool_down_days else ""
    level, outcome = format_percent(test.confidence), names.of(names.outcome)
    parts = [
        f"In one of each of {plural(len(test.pairs), 'pair')} of regions nothing is spent for "
        f"{plural(test.test_days, 'day')} from {test.start:%-d %B %Y} on{cool}; then it is read once, against the "
        f"{plural(test.base_days, 'day')} before.",
        f"The spending pays if the {level} interval of the {outcome} that each {names.currency} brings lies above "
        f"{format_return(test.break_even)}, and does not if it lies below.",
    ]
    if test.same_within:
        parts.append(f"Within {format_percent(test.same_within)} of that it makes no difference worth while.")
    if test.less_is_better:
        parts.append(f"Less is wanted of {listed([names.of(one) for one in sorted(test.less_is_better)])}.")
    parts.append(
        f"More than {format_percent(test.leak_limit)} of the usual spend in withheld regions makes it unsound."
    )
    return " ".join(parts)
