"""The test is on its way, or its last days are still to come in."""

from __future__ import annotations

from neat_verdict.core.text.format import plural
from neat_verdict.core.verdicts.by_region.base import RegionFacts, RegionNames, RegionVerdictKind
from neat_verdict.core.verdicts.kinds.base import Parts


class KeepOn(RegionVerdictKind[RegionFacts]):
    name, title, tone, mark, order = "keep_on", "Keep on", "open", "○", 9
    meaning = "It is read once, at the end that was planned; until then it goes on as it is."
    suggested = ""
    settled = False

    def holds(self, facts: RegionFacts) -> bool:
        return not facts.finished and not facts.ended_early

    def words(self, facts: RegionFacts, names: RegionNames) -> Parts:
        reading, test = facts.reading, facts.reading.test
        read_on = f"{test.last:%-d %B %Y}"
        doing = "Withheld" if test.arm == "withheld" else "Changed"
        if reading.days == 0:
            begins = f"{test.start:%-d %B}"
            if facts.today < test.start:
                return Parts(
                    f"Begins on {begins}.",
                    f"Begins on {begins}",
                    f"{doing} for {plural(test.test_days, 'day')}; read with the data up to {read_on}.",
                )
            return Parts(
                "Its first days are to come in.",
                f"By region, since {begins}; no data yet",
                f"{doing} since {begins}. Bring the days in on Watch; it is read with those up to {read_on}.",
            )
        if facts.today > test.last:
            rest = test.days - reading.days
            return Parts(
                f"Its last {plural(rest, 'day')} {'is' if rest == 1 else 'are'} to come in.",
                f"Data of {plural(rest, 'day')} to come",
                f"The data end on {reading.last:%-d %B}; bring in those up to {read_on} on Watch.",
            )
        phase = f"Day {reading.days} of {test.days}"
        late = f"{plural(test.cool_down_days, 'day')} at the end are for late effects. " if test.cool_down_days else ""
        return Parts(
            f"{phase}. Read on {read_on}.",
            phase,
            f"{late}What is shown until then moves with every day, and decides nothing: it is read once.",
        )
