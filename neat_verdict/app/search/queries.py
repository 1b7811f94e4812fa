"""Finding what holds all the words that were typed.

Texts are read as they are stored, so there is no index that could be behind them; how long a thousand experiments take is in
`bench/`. Words within words are found, which an index of words would miss.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import NamedTuple

from django.db.models import Count

from neat_verdict.app.experiments.models import Experiment
from neat_verdict.app.metrics.models import Metric
from neat_verdict.app.people.models import User
from neat_verdict.app.search.schemas import FoundExperiment, FoundMetric, FoundPerson, SearchOut, Where
from neat_verdict.core.text.folding import folded, holds, words_of

EXPERIMENTS_SHOWN, OTHERS_SHOWN = 8, 5
AROUND = 40  # characters of the text that are shown before the first word that was found
EXCERPT = 120
# Which texts of an experiment are searched, the ones that say most about it first, by the name of their place.
_TEXTS: dict[str, Where] = {
    "name": "name",
    "area": "area",
    "change": "change",
    "because": "hypothesis",
    "audience": "audience",
    "lesson__learnt": "lesson",
    "lesson__why": "lesson",
    "decision_reason": "decision",
}


class _Match(NamedTuple):
    """How well an experiment fits: in its name before elsewhere, at the beginning of words before within, then the latest."""

    outside_name: bool
    within_words: bool
    newest_first: int
    found: FoundExperiment


def search(typed: str) -> SearchOut:
    """The best that hold all words of what was typed; nothing for no words."""
    words = words_of(typed)
    if not words:
        return SearchOut(experiments=[], further=0, metrics=[], people=[])
    matches = sorted(_experiments(words))
    return SearchOut(
        experiments=[match.found for match in matches[:EXPERIMENTS_SHOWN]],
        further=max(len(matches) - EXPERIMENTS_SHOWN, 0),
        metrics=_metrics(words),
        people=_people(words),
    )


def _experiments(words: Sequence[str]) -> Iterable[_Match]:
    lines = Experiment.objects.values_list("pk", "key", "state", *_TEXTS)
    for number, key, state, *texts in lines.iterator():
        held = dict(zip(_TEXTS, (text or "" for text in texts), strict=True))
        name = folded(f"{held['name']} {key}")
        in_name = all(word in name for word in words)
        if in_name:
            place, excerpt = "name", ""
        else:
            plain = {field: folded(text) for field, text in held.items()}
            together = " ".join((key, *plain.values()))
            if not all(word in together for word in words):
                continue
            place, excerpt = _where(words, held, plain)
        begun = all(any(part.startswith(word) for part in name.split()) for word in words)
        found = FoundExperiment(
            key=key, name=held["name"], area=held["area"], state=state, where=_TEXTS[place], excerpt=excerpt
        )
        yield _Match(not in_name, not begun, -number, found)


def _where(words: Sequence[str], held: dict[str, str], plain: dict[str, str]) -> tuple[str, str]:
    """The place that holds most of the words, and the text around the first of those there."""
    place = max(_TEXTS, key=lambda field: sum(word in plain[field] for word in words))
    return place, "" if place == "name" else _around(held[place], plain[place], words)


def _around(text: str, plain: str, words: Sequence[str]) -> str:
    first = min(at for word in words if (at := plain.find(word)) >= 0)
    # Folding may have made the text shorter or longer; then it is shown from its beginning.
    begin = max(first - AROUND, 0) if len(plain) == len(text) else 0
    if begin:
        begin = text.find(" ", begin, first) + 1 or begin
    part = text[begin : begin + EXCERPT].strip()
    return f"{'…' if begin else ''}{part}{'…' if begin + EXCERPT < len(text) else ''}"


def _metrics(words: Sequence[str]) -> list[FoundMetric]:
    counted = Metric.objects.annotate(experiments=Count("uses__experiment", distinct=True))
    lines = counted.values_list("key", "name", "description", "experiments")
    fitting = [
        FoundMetric(key=key, name=name, experiments=number)
        for key, name, description, number in lines
        if holds(f"{name} {key} {description}", words)
    ]
    return fitting[:OTHERS_SHOWN]


def _people(words: Sequence[str]) -> list[FoundPerson]:
    owners = User.objects.annotate(number=Count("experiments")).filter(number__gt=0).order_by("pk")
    fitting = [
        FoundPerson(username=one.username, display_name=one.display_name, experiments=one.number)
        for one in owners
        if holds(f"{one.display_name} {one.username}", words)
    ]
    return fitting[:OTHERS_SHOWN]
