"""Which variant a unit gets now, and the list with which others can compute it themselves."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from typing import Any

from django.db import connection

from neat_verdict.app import clock
from neat_verdict.app.experiments.addresses import page_of
from neat_verdict.app.traffic.enrolments import enrolments_of, ids_by_unit
from neat_verdict.app.traffic.serving import Served, served
from neat_verdict.core.checks import InputError
from neat_verdict.core.limits import MAX_PROPERTIES, MAX_PROPERTY_NAME, MAX_TEXT_LENGTH
from neat_verdict.core.traffic import RolloutTraffic, Traffic, point
from neat_verdict.core.variants import LETTERS


def within_limits(properties: Mapping[str, object]) -> tuple[dict[str, object], list[str]]:
    """The properties that are taken, and why others are not, in words: a site gets its variants whatever it sends."""
    kept: dict[str, object] = {}
    problems = []
    for name, value in properties.items():
        if len(name) > MAX_PROPERTY_NAME:
            problems.append(f"the property {name[:40]}… has a name of more than {MAX_PROPERTY_NAME} characters")
        elif isinstance(value, str) and len(value) > MAX_TEXT_LENGTH:
            problems.append(f"the property {name} has more than {MAX_TEXT_LENGTH:,} characters")
        elif len(kept) == MAX_PROPERTIES:
            problems.append(f"more than {MAX_PROPERTIES} properties")
            break
        else:
            kept[name] = value
    return kept, [f"left out: {problem}" for problem in problems]


NOT_KNOWN = "there is no experiment with this key that takes events"


@dataclass(frozen=True, slots=True)
class Answer:
    """What a site needs of one experiment."""

    variant: str
    parameters: Mapping[str, object]
    reason: str
    because: str = ""
    problem: str | None = None

    @property
    def counts(self) -> bool:
        """Whether showing it is an exposure."""
        return self.reason in ("assigned", "forced")


def assign(unit: str, properties: Mapping[str, object], keys: Sequence[str] | None = None) -> dict[str, Answer]:
    """The unit's variants, by experiment; of all that are served where ``keys`` is None.

    A unit that cannot be one, or a key that is not known, gets control with the problem; nothing is ever raised.
    """
    experiments = served()
    kept = _kept(unit, experiments)
    if keys is None:
        keys = [key for key, experiment in experiments.items() if _concerns(experiment, unit, kept)]
    return {key: _answer(experiments.get(key), unit, properties, kept) for key in keys}


@dataclass(frozen=True, slots=True)
class GivenParameter:
    """What a parameter is for a unit; where showing it is an exposure, the experiment, the variant and the reason with it."""

    value: object
    shown: tuple[str, str, str] | None = None


def parameters_for(unit: str, properties: Mapping[str, object]) -> dict[str, GivenParameter]:
    """The parameters of a unit by name. Where several experiments set one, that which the unit takes part in has its way."""
    return parameters_in(assign(unit, properties))


def parameters_in(answers: Mapping[str, Answer]) -> dict[str, GivenParameter]:
    """As `parameters_for`, of what has been assigned."""
    result: dict[str, GivenParameter] = {}
    for experiment, answer in answers.items():
        shown = (experiment, answer.variant, answer.reason) if answer.counts else None
        for name, value in answer.parameters.items():
            if name not in result or (shown and result[name].shown is None):
                result[name] = GivenParameter(value, shown)
    return result


@dataclass(frozen=True, slots=True)
class Passage:
    """What an experiment does to the page a unit is on: ``to`` is where the unit is sent, "" where it stays, with the ``changes``
    of its variant; ``here`` that the page is the one which all come to, so that the unit takes part from here on."""

    experiment: str
    variant: str
    reason: str
    here: bool
    to: str
    counts: bool
    between: bool  # a variant of the experiment is a page of its own, so that arriving is reported
    changes: Sequence[Mapping[str, Any]] = ()


def passages_in(answers: Mapping[str, Answer], page: str) -> list[Passage]:
    """Of what has been assigned to a unit, what concerns the page it is on (`experiments.addresses.same_page`), in the same order
    for all units: the script sends a unit on by the first that does."""
    result = []
    for key, experiment in served().items():
        answer = answers.get(key)
        if answer is None or not experiment.page:
            continue
        position = LETTERS.index(answer.variant)
        own, here = experiment.addresses[position], page == experiment.page
        changes = experiment.page_changes[position]
        if (here and (own or changes or answer.counts)) or (own and page == page_of(own)):
            to = own if here else ""
            result.append(
                Passage(key, answer.variant, answer.reason, here, to, answer.counts, any(experiment.addresses), changes)
            )
    return result


def pages_between() -> set[str]:
    """The pages that may change, or from which a unit may be sent to another, as things are."""
    return {one.page for one in served().values() if one.page and (one.serving or one.traffic.forced)}


def _concerns(experiment: Served, unit: str, kept: Mapping[tuple[int, int], int]) -> bool:
    """Whether this experiment is in the answer to a unit that names none: one that only holds others is not."""
    traffic = experiment.traffic
    held = traffic.holding and (experiment.id, experiment.round) in kept
    return traffic.running or held or unit in traffic.forced


def _kept(unit: str, experiments: Mapping[str, Served]) -> dict[tuple[int, int], int]:
    """The variants that the unit has been exposed to, by (experiment, round); where a person is the unit, by any of its ids the
    one that was first."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT experiment_id, round, variant_id FROM traffic_enrolment WHERE unit = %s", [unit])
        own = {(row[0], row[1]): row[2] for row in cursor.fetchall()}
    together = {experiment.id for experiment in experiments.values() if experiment.identity == "person"}
    if not together or len(ids := ids_by_unit([unit])[unit]) == 1:
        return own
    others = {
        (other.experiment_id, other.round): other.variant_id
        for other in enrolments_of(ids)
        if other.experiment_id in together and not other.standing
    }
    return others | own


def _answer(
    experiment: Served | None, unit: str, properties: Mapping[str, object], kept: Mapping[tuple[int, int], int]
) -> Answer:
    if experiment is None:
        return Answer("A", {}, "not_running", problem=NOT_KNOWN)
    position = _position_in(experiment, experiment.round, kept)
    try:
        if experiment.rollout is not None:
            in_test = _position_in(experiment, experiment.test_round, kept)
            now = position if experiment.measured else None
            result = experiment.rollout.assign(unit, properties, in_test=in_test, kept=now)
        else:
            if experiment.state == "decided" and position != experiment.decided:
                position = None
            result = experiment.traffic.assign(unit, properties, position)
    except InputError as problem:
        return Answer("A", experiment.variants[0][2], "not_running", problem=str(problem))
    return Answer(LETTERS[result.position], experiment.variants[result.position][2], result.reason, result.because)


def _position_in(experiment: Served, number: int, kept: Mapping[tuple[int, int], int]) -> int | None:
    """The position that a unit was first exposed to in a round."""
    before = kept.get((experiment.id, number))
    if before is None:
        return None
    return next(place for place, variant in enumerate(experiment.variants) if variant[0] == before)


def running_list() -> dict[str, Any]:
    """All running experiments and rollouts as others need them to assign by themselves, with vectors to hold theirs against."""
    running = [experiment for experiment in served().values() if experiment.serving]
    return {
        "format": 1,
        "made_at": clock.now().isoformat(),
        "experiments": [listed(experiment) for experiment in running],
        "test_vectors": known_answers(),
    }


def _has_list(experiment: Served) -> bool:
    """Whether a rollout has several lines, or a holdout, which the terms of an experiment cannot say."""
    return experiment.rollout is not None and (len(experiment.rollout.lines) > 1 or experiment.rollout.holdout > 0)


def _traffic(experiment: Served) -> Traffic:
    """As the list has it; of a rollout its only line. Of one with a list of its own nobody, for copies of the algorithm that do
    not know of such lists: they show control."""
    rollout = experiment.rollout
    if rollout is None:
        return experiment.traffic
    if _has_list(experiment):
        return Traffic(rollout.salt, (1.0,) * len(experiment.variants), 0.0, running=False)
    (line,) = rollout.lines
    weights = tuple(float(position == line.position) for position in range(len(experiment.variants)))
    return Traffic(rollout.salt, weights, rollout.share, audience=line.audience, running=rollout.share > 0)


def listed(experiment: Served) -> dict[str, Any]:
    """One experiment of the list."""
    traffic, rollout = _traffic(experiment), experiment.rollout
    given = {line.position for line in rollout.lines} if rollout else {experiment.decided}
    several = len(traffic.allocated_by) > 1
    by = "" if several else "".join(traffic.allocated_by)
    allocated = {} if several else {name.split("=", 1)[1]: list(weights) for name, weights in traffic.allocated.items()}
    return {
        "key": experiment.key,
        "salt": traffic.salt,
        "unit": experiment.unit,
        # Who only keeps what it has comes with what it was given; nobody new takes part.
        "participation": traffic.participation if traffic.running and not several else 0.0,
        "audience": [asdict(group) for group in traffic.audience.groups],
        "exclusion": asdict(traffic.slice) if traffic.slice else None,
        "forced": {unit: LETTERS[position] for unit, position in traffic.forced.items()},
        # Shares that follow the evidence change with every epoch: whoever assigns from the list keeps what a unit was given, and
        # hands it to the next assignment.
        "allocated_by": by,
        "allocated": allocated,
        # Of several properties: the combinations with weights of their own, and the part of the units whose weights are even.
        # Copies of the algorithm that do not know them show control, by the participation above.
        "combinations": _combinations(traffic) if several else None,
        # Variants that were stopped and whose units get control's: hand what a unit was given over, and it is no new assignment.
        "given_up": [LETTERS[position] for position in sorted(traffic.given_up)],
        # The names of the release before, for copies of the algorithm that sites still run; gone with the next.
        "steered_by": by,
        "steered": allocated,
        # Of a rollout with several lines or a holdout: the first line that admits a unit decides, in place of all of the above.
        "rollout": _rollout_list(rollout, measured=experiment.measured) if rollout and _has_list(experiment) else None,
        "variants": [
            {"letter": LETTERS[position], "name": name, "weight": weight, "parameters": dict(parameters)}
            for position, ((_, name, parameters), weight) in enumerate(
                zip(experiment.variants, traffic.weights, strict=True)
            )
            # Nobody keeps what was given up: what was not chosen at a decision, or was stopped for those who had it too.
            if (given == {None} or position in (0, *given)) and position not in traffic.given_up
        ],
    }


def _combinations(traffic: Traffic) -> dict[str, Any]:
    return {
        "by": list(traffic.allocated_by),
        "uniform": traffic.uniform,
        "participation": traffic.participation if traffic.running else 0.0,
        "weights": {name: list(weights) for name, weights in traffic.allocated.items()},
    }


def _rollout_list(rollout: RolloutTraffic, *, measured: bool) -> dict[str, Any]:
    return {
        "salt": rollout.salt,
        "share": rollout.share,
        "holdout": rollout.holdout,
        # Only then does a unit keep what it was given; otherwise the lines decide each time.
        "measured": measured,
        "lines": [
            {
                "name": line.name,
                "variant": LETTERS[line.position],
                "audience": [asdict(one) for one in line.audience.groups],
            }
            for line in rollout.lines
        ],
    }


def known_answers() -> list[dict[str, Any]]:
    """Points and variants that an implementation must give."""
    texts = ["", "visitor-1", "calendar:1/visitor-1", "übers Meer/✓", "x" * 33]
    split = {"salt": "calendar:1", "participation": 0.5, "weights": [2, 3, 1]}
    traffic = Traffic("calendar:1", (2, 3, 1), 0.5)
    units = [f"visitor-{number}" for number in range(1, 9)]
    drawn = [(unit, traffic.assign(unit, {})) for unit in units]
    return [
        *({"seed": seed, "text": text, "point": point(seed, text)} for seed in (1, 2, 3) for text in texts),
        *({**split, "unit": unit, "variant": LETTERS[d.position], "reason": d.reason} for unit, d in drawn),
    ]
