"""The rounds of an experiment side by side and together: of one plan, of a round after an unfinished plan, or as found."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date

from neat_verdict.app.analysis.analysis import Analysis, analyse
from neat_verdict.app.analysis.figures import interval, tone_of
from neat_verdict.app.analysis.schemas import RoundOfOut, RoundsOut, TogetherOut
from neat_verdict.app.experiments.models import Experiment, ExperimentMetric
from neat_verdict.app.experiments.page_changes import changes_of
from neat_verdict.app.experiments.queries import rounds_read
from neat_verdict.app.experiments.rounds import address, before
from neat_verdict.core.checks import InputError
from neat_verdict.core.methods import Reached
from neat_verdict.core.periods import Pair, compare_pairs
from neat_verdict.core.rounds import Continued, RoundsTogether, continued, read_rounds
from neat_verdict.core.statistics import Comparison
from neat_verdict.core.text.format import format_pvalue
from neat_verdict.core.variants import LETTERS
from neat_verdict.core.verdicts import minimum_met

DIFFERENT = 0.05  # p below which rounds are said to differ


@dataclass(frozen=True, slots=True)
class _Round:
    """A round, the days of it that are read, and the analysis that they lie in; ``key`` opens it, "" is the one that is shown."""

    key: str
    number: int
    days: tuple[date, ...]
    analysis: Analysis

    @property
    def first(self) -> date:
        """The first day, also where counts are of several at once."""
        return self.analysis.all_counts.primary.begins(self.days[0])


def rounds(analysis: Analysis) -> RoundsOut | None:
    """None where there is one round only, or nothing may be read."""
    if not analysis.readable:
        return None
    planned = len(rounds_read(analysis.experiment)) > 1
    parts = _of_plan(analysis) if planned else _as_found(analysis)
    if len(parts) < 2:
        return None
    refused = "" if planned else _refused([part.analysis.experiment for part in parts])
    if refused:
        return RoundsOut(standing="exploratory", planned=1, sentence="", refused=refused, together=[])
    after = None if planned or len(parts) > 2 else _continued(parts[0].analysis, analysis)
    lines = [
        _line(parts, analysis, use, position)
        for use in analysis.experiment.metrics.all()
        for position in range(1, len(analysis.reading.arms))
    ]
    return RoundsOut(
        standing="planned" if planned else "exploratory" if after is None else "continued",
        planned=analysis.rule.rounds,
        sentence=_sentence(analysis, after, planned=planned),
        refused="",
        together=[line for line in lines if line is not None],
    )


def _of_plan(analysis: Analysis) -> list[_Round]:
    """The rounds of one plan, all of them in one analysis."""
    experiment, counts = analysis.experiment, analysis.counts.primary
    key = experiment.round_of or experiment.key
    result = []
    for place, number in enumerate(rounds_read(experiment), start=1):
        days = tuple(day for day in counts.days if counts.round_of(day) == place)
        if days:
            result.append(_Round("" if number == experiment.round else address(key, number), number, days, analysis))
    return result


def _as_found(analysis: Analysis) -> list[_Round]:
    """The closed rounds with all their data, and the present one as far as it may be read."""
    result = []
    for closed in before(analysis.experiment):
        then = analyse(closed)
        if then.reading.verdict.name != "unsound" and then.all_counts.primary.days:
            whole = replace(then, counts=then.all_counts, periods=then.all_periods)
            result.append(_Round(closed.key, closed.round, whole.counts.primary.days, whole))
    present = analysis.counts.primary.days
    return [*result, _Round("", analysis.experiment.round, present, analysis)] if present else result


def _refused(parts: Sequence[Experiment]) -> str:
    """Why rounds are not read together; "" where they are."""
    last = parts[-1]
    shown = [[(changes_of(one), one.parameters) for one in part.variants.all()] for part in parts]
    counted = [part.primary and (part.primary.metric_id, part.primary.definition) for part in parts]
    for part, was, what in zip(parts, shown, counted, strict=True):
        if what != counted[-1]:
            return f"Not read together: round {part.round} was decided by another metric, or by another version of it."
        if was != shown[-1]:
            return f"Not read together: the variants of round {part.round} were not those of round {last.round}."
    return ""


def _line(parts: Sequence[_Round], analysis: Analysis, use: ExperimentMetric, position: int) -> TogetherOut | None:
    pairs = [_pairs(part, use, position) for part in parts]
    if any(not one for one in pairs):
        return None
    sign = 1 if use.definition["good_direction"] == "up" else -1
    made = read_rounds(pairs, _critical_value(analysis, use, position))
    return TogetherOut(
        metric=use.metric.key,
        metric_name=use.metric.name,
        letter=LETTERS[position],
        rounds=[
            RoundOfOut(
                key=part.key,
                number=part.number,
                first=part.first,
                last=part.days[-1],
                units=[int(sum(pair.reference.units for pair in own)), int(sum(pair.variant.units for pair in own))],
                lift=interval(compared.lift) if compared else None,
            )
            for part, own, compared in zip(parts, pairs, made.own, strict=True)
        ],
        lift=interval(made.together.lift) if made.together else None,
        tone=tone_of(made.together.lift if made.together else None, sign),
        homogeneity_pvalue=made.homogeneity.pvalue if made.homogeneity else None,
        sentence=_alike(made),
    )


def _critical_value(analysis: Analysis, use: ExperimentMetric, position: int) -> float:
    """That of the reading, so that the line for all rounds is what the tables above have; without one that of a single pair."""
    made: Sequence[Comparison | None] = (
        analysis.reading.comparisons
        if use.role == "primary"
        else next((one.comparisons for one in analysis.secondary if one.metric.name == use.metric.name), ())
    )
    compared = made[position - 1] if len(made) >= position else None
    if compared is not None:
        return compared.critical_value
    return analysis.rule.method.pair_critical_value(analysis.rule.confidence, analysis.reading.reached)


def _pairs(part: _Round, use: ExperimentMetric, position: int) -> list[Pair]:
    """A variant and control of one round; nothing of a metric that was not there, or has no data."""
    try:
        mine = part.analysis.use(use.metric.key)
    except InputError:
        return []
    if mine.definition != use.definition or not part.analysis.counts_of(mine).days:
        return []
    return part.analysis.pairs(mine, position, part.first, part.days[-1])


def _alike(made: RoundsTogether) -> str:
    if made.homogeneity is None:
        return "Too little was counted to compare the rounds."
    p = format_pvalue(made.homogeneity.pvalue)
    if made.homogeneity.pvalue < DIFFERENT:
        return f"The rounds differ by more than chance explains (p {p}): one lift does not describe them all."
    return f"The rounds agree as far as can be seen (p {p})."


def _continued(first: Analysis, analysis: Analysis) -> tuple[Continued, str] | None:
    """What the present round may claim where the plan before it was not finished: it reads once, and ended before its time had
    come. None where it was, or where the present round is not to be read yet."""
    rule, data = first.rule, first.all_counts.primary
    # Of winners only: what a plan about a margin leaves to the round after it is not known here.
    if not rule.question.about_zero or not rule.method.reads_once or minimum_met(data.arms(), data.span, rule):
        return None
    if not analysis.reading.verdict.kind.settled or analysis.shares_vary or first.shares_vary:
        return None
    primary, position = analysis.use(), analysis.reading.spoken_of
    seen = data.units.sum(axis=0).tolist()
    information = rule.information(seen)
    if not 0 < information < 1:
        return None
    c = rule.method.threshold(rule.confidence, seen, Reached()).critical_value
    whole = replace(first, counts=first.all_counts, periods=first.all_periods)
    then, now = (compare_pairs(one.pairs(one.use(primary.metric.key), position), c) for one in (whole, analysis))
    if then is None or now is None:
        return None
    sign = analysis.rule.sign
    return continued(then.statistic * sign, information, c, now.statistic * sign), LETTERS[position]


def _sentence(analysis: Analysis, after: tuple[Continued, str] | None, *, planned: bool) -> str:
    if planned:
        return (
            f"Up to {analysis.rule.rounds} rounds were planned as one: the verdict above is that of all of them together, each "
            "compared within itself, and its level holds over all."
        )
    if after is not None:
        return after[0].words(after[1])
    return (
        "Nobody planned beforehand to read these rounds together. The figures of all of them are exploratory: no verdict rests "
        "on them, and a level of confidence does not hold over rounds that were begun because of what the one before had shown."
    )
