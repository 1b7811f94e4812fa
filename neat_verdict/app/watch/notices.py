"""What somebody is to be notified of, from how an experiment stands."""

from __future__ import annotations

from typing import NamedTuple

from neat_verdict.app.analysis.summaries import Standing
from neat_verdict.app.watch.queries import observe
from neat_verdict.core.soundness import find_issues
from neat_verdict.core.text.format import plural
from neat_verdict.core.verdicts.by_region import REGION_VERDICTS

ISSUES_NOTIFIED = 10  # one by one, the gravest first; the rest in one notice. The house's limit, no source


class Occasion(NamedTuple):
    """What a notice is of; an experiment has one notice of each ``name``. ``sheet`` is where to look."""

    name: str
    tone: str
    sentence: str
    advice: str
    sheet: str


def occasions_of(found: Standing) -> list[Occasion]:
    """What is wrong with an experiment while it runs, and that it waits for a decision."""
    return _of_regions(found) if found.experiment.by_region else _of_issues(found)


def _of_issues(found: Standing) -> list[Occasion]:
    experiment, reading = found.experiment, found.record
    if experiment.state not in ("running", "paused") or reading is None:
        return []
    issues = find_issues(observe(experiment, found.counts))
    result = []
    for issue in issues[:ISSUES_NOTIFIED]:
        name, sentence = f"{experiment.round}:{issue.kind}:{issue.subject}", f"{experiment.name}: {issue.sentence}"
        result.append(Occasion(name, issue.tone, sentence, issue.advice, "watch"))
    if more := issues[ISSUES_NOTIFIED:]:
        sentence = f"{experiment.name}: {plural(len(more), 'more issue')} of its data stand on Watch"
        result.append(Occasion(f"{experiment.round}:more", more[0].tone, sentence, more[0].advice, "watch"))
    if reading.verdict.kind.readable:
        result.append(_ready(found, f"{experiment.round}:ready:{reading.verdict.name}", reading.sentences.short))
    return result


def _of_regions(found: Standing) -> list[Occasion]:
    shown, name = found.by_region, found.experiment.name
    if found.experiment.state not in ("running", "ended") or shown is None:
        return []
    kind, result = REGION_VERDICTS[shown.verdict], []
    if not kind.readable:
        result.append(Occasion("unsound", "unsound", f"{name}: {shown.headline}", shown.detail, "watch"))
    result += [
        Occasion(f"warning:{one}", "warning", f"{name}: {one}", "Look at Watch", "watch") for one in shown.warnings
    ]
    if kind.settled and kind.readable:
        result.append(_ready(found, f"ready:{shown.verdict}", shown.short))
    return result


def _ready(found: Standing, occasion: str, short: str) -> Occasion:
    advice = f"The decision rule says: {short}"
    return Occasion(occasion, "ready", f"{found.experiment.name} is ready for your call", advice, "verdict")
