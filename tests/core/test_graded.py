"""Graded tests by region: less and more than usual at the same time, the response to it, and what the rule says of both
levels."""

import math
from collections import Counter
from dataclasses import replace
from datetime import date, timedelta
from functools import cache

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as some
from scipy import optimize

from neat_verdict.core.checks import InputError
from neat_verdict.core.regions import (
    Observed,
    RegionPair,
    RegionTest,
    TriedLevel,
    Windows,
    arm_confidence,
    base_days_of,
    designs_for,
    draw,
    draw_graded,
    graded,
    groups_of,
    match_regions,
    placebo_tests,
    read_region_test,
    response_of,
    spending_calendar,
    usual_spend,
)
from neat_verdict.core.regions.calendar import edited
from neat_verdict.core.regions.response import FORMS
from neat_verdict.core.statistics import Interval
from neat_verdict.core.verdicts.by_region import REGION_VERDICTS, RegionNames, graded_rule_in_words, judge_graded
from neat_verdict.core.verdicts.by_region.graded import GradedKind
from tests.core.region_worlds import brought, change_spend, region_world

LEVELS = graded(0.5, 1.5)
PAST, TEST_DAYS, COOL = 400, 28, 7
DAYS = TEST_DAYS + COOL
BASE = base_days_of(DAYS)
NAMES = RegionNames("Brochures", "sales", "EUR")

# Levels


@pytest.mark.parametrize(
    ("lower", "higher", "field"),
    [(0.0, 1.5, "lower"), (-0.1, 1.5, "lower"), (0.95, 1.5, "lower"), (0.5, 1.05, "higher"), (0.5, 5.1, "higher")],
)
def test_levels_lie_on_either_side_of_the_usual_and_not_too_near(lower, higher, field):
    with pytest.raises(InputError) as refused:
        graded(lower, higher)
    assert refused.value.field == field
    assert str(refused.value).startswith(f"{field} ({(lower if field == 'lower' else higher) * 100:g}%) must be ")


def test_both_levels_together_have_the_confidence_that_was_asked_for():
    """Bonferroni (1936): each is read at half of what may go wrong."""
    assert arm_confidence(0.95, 2) == pytest.approx(0.975)
    assert arm_confidence(0.95, 1) == pytest.approx(0.95)


# The draw

PAIRS = tuple(RegionPair(f"a{place:02d}", f"b{place:02d}", place / 10) for place in range(14))
SIZES = {name: 1.6**place for place, pair in enumerate(PAIRS) for name in (pair.first, pair.second)}


def test_half_of_the_pairs_go_each_way_and_like_sizes_go_apart():
    """Of two pairs of like size one goes down and one up, so that both halves are about as large."""
    for seed in range(50):
        halves = draw_graded(PAIRS, seed, SIZES)
        assert {len(half) for half in halves.values()} == {len(PAIRS) // 2}
        assert sorted(map(str, halves["lower"] + halves["higher"])) == sorted(map(str, draw(PAIRS, seed)))
        places = sorted(int(pair.treated[1:]) // 2 for pair in halves["lower"])
        assert places == list(range(len(PAIRS) // 2))


def test_each_pair_is_as_likely_to_go_down_as_up_whichever_of_it_is_treated():
    lowered = Counter(
        (one.treated < one.control, one.treated[1:])
        for seed in range(2000)
        for one in draw_graded(PAIRS, seed, SIZES)["lower"]
    )
    shares = np.array([lowered[side, f"{place:02d}"] for place in range(len(PAIRS)) for side in (True, False)]) / 2000
    assert np.abs(shares - 0.25).max() < 4.5 * math.sqrt(0.25 * 0.75 / 2000)


def test_a_graded_draw_hangs_on_seed_and_names_and_not_on_order():
    assert {arm: set(half) for arm, half in draw_graded(PAIRS, 7, SIZES).items()} == {
        arm: set(half) for arm, half in draw_graded(PAIRS[::-1], 7, SIZES).items()
    }
    assert draw_graded(PAIRS, 7, SIZES) != draw_graded(PAIRS, 8, SIZES)


def test_an_odd_number_of_pairs_cannot_be_halved():
    with pytest.raises(InputError, match="even"):
        draw_graded(PAIRS[:-1], 7, SIZES)


# The calendar

PANEL_START = date(2026, 11, 30)
USUAL = np.array([[100.0] * 7, [130.0] * 7, [210.0] * 7, [300.0] * 7])


@given(
    some.floats(0.05, 0.9), some.floats(1.1, 3.0), some.sampled_from(["no", "other", "after"]),
    some.lists(some.floats(10, 500), min_size=28, max_size=28), some.integers(0, 10**7),
)  # fmt: skip
def test_a_graded_calendar_keeps_to_its_levels_and_to_the_budget_to_the_cent(lower, higher, again, usual, budget):
    levels = graded(lower, higher)
    given_to = {
        "test_days": 14, "cool_down_days": 7, "again": again, "budget": budget, "levels": levels,
    }  # fmt: skip
    weights = np.reshape(usual, (4, 7))
    added = (higher - 1) * weights[1].sum() - (1 - lower) * weights[0].sum()
    if again == "other" and added * 14 > 0.99 * weights[3].sum() * 21:
        return  # refused: below
    made = spending_calendar(weights, PANEL_START, **given_to)
    assert made.groups == groups_of(levels) == ("lower", "higher", "control", "other")
    test = made.days[:14]
    for place, level in enumerate(levels.values()):
        assert all(abs(one.planned[place] - level * one.usual[place]) <= 0.5 for one in test)
    assert all(one.planned[2] == one.usual[2] for one in made.days if one.phase != "after")
    assert min(min(one.planned) for one in made.days) >= 0
    saved = sum(one.usual[place] - one.planned[place] for one in test for place in (0, 1))
    assert made.difference == (-saved if again == "no" else 0)


def test_what_is_added_cannot_be_saved_where_less_is_spent():
    tiny = USUAL * np.array([[1], [1], [1], [0.01]])
    with pytest.raises(InputError) as refused:
        spending_calendar(tiny, PANEL_START, test_days=14, cool_down_days=7, again="other", levels=graded(0.9, 3.0))
    assert refused.value.field == "again"


def test_a_calendar_takes_amounts_of_its_own_groups_only():
    made = spending_calendar(USUAL, PANEL_START, test_days=14, cool_down_days=7, again="no", levels=LEVELS)
    assert edited(made, {(PANEL_START, "higher"): 100}).days[0].planned[1] == 100
    with pytest.raises(InputError, match="must be one of lower, higher, control, other"):
        edited(made, {(PANEL_START, "withheld"): 100})


# Sizing


@cache
def past():
    return region_world(5, 80, PAST + DAYS, spent=0.1).up_to(PAST)


@cache
def paired():
    return match_regions(past(), "sales").pairs


def test_designs_of_graded_tests_have_even_pairs_and_a_level_has_half_of_them():
    given_to = {"break_even": 1.0, "weeks": (4,)}
    whole = designs_for(past(), "sales", paired(), **given_to)
    halves = designs_for(past(), "sales", paired(), levels=LEVELS, **given_to)
    assert all(one.pairs % 2 == 0 for one in halves)
    assert min(one.pairs for one in halves) >= 14  # seven for each level at 97.5 %, of which p can fall to 0.025
    most, all_of_them = halves[0], next(one for one in whole if one.pairs // 2 == halves[0].pairs // 2)
    # Half of the pairs see √2 of the lift, at 97.5 % for 95, and the money that is changed is half of the usual.
    reach = (2.2414 + 0.8416) / (1.9600 + 0.8416)
    log = math.log1p(-all_of_them.smallest_lift) * math.sqrt(2) * reach
    assert most.smallest_lift == pytest.approx(-math.expm1(log), rel=0.01)
    assert most.smallest_return == pytest.approx(2 * most.smallest_lift * most.outcome / (4 * most.spend), rel=1e-6)
    assert most.spend == pytest.approx(all_of_them.spend / 4, rel=0.05)
    assert most.cost == pytest.approx(most.spend)


def test_too_few_pairs_for_two_levels_are_refused_with_how_many_it_takes():
    with pytest.raises(InputError, match="must be 14 or more, 7 for each level"):
        designs_for(past(), "sales", paired()[:13], break_even=1.0, levels=LEVELS)
    with pytest.raises(InputError, match="must be 14 or more, 7 for each level"):
        next(placebo_tests(past(), "sales", paired()[:13], test_days=28, base_days=BASE, levels=LEVELS))


def test_a_placebo_test_of_a_graded_design_tries_one_level_at_its_own_confidence():
    given_to = {"test_days": DAYS, "base_days": BASE, "draws": 10}
    *_, half = placebo_tests(past(), "sales", paired(), levels=LEVELS, **given_to)
    *_, whole = placebo_tests(past(), "sales", paired(), **given_to)
    assert half.false_alarms.share <= 0.025 + 3 * half.false_alarms.error
    assert half.smallest > 1.2 * whole.smallest
    assert half.held.share > whole.held.share + 0.01  # 97.5 for 95 %


# Reading


@cache
def drawn():
    panel = past()
    sizes = dict(zip(panel.regions, panel.outcomes["sales"].sum(axis=1), strict=True))
    return draw_graded(paired()[: len(paired()) // 2 * 2], 3, sizes)


def rule(arm, **changes):
    return RegionTest(**{
        "outcome": "sales", "pairs": drawn()[arm], "start": past().last + timedelta(days=1), "test_days": TEST_DAYS,
        "cool_down_days": COOL, "base_days": BASE, "break_even": 1.5, "confidence": 0.975, "arm": arm, "level": LEVELS[arm],
        **changes,
    })  # fmt: skip


def cells():
    made = {arm: [pair.treated for pair in half] for arm, half in drawn().items()}
    made["control"] = [pair.control for half in drawn().values() for pair in half]
    taken = {name for names in made.values() for name in names}
    return {**made, "other": [name for name in past().regions if name not in taken]}


def read(incremental=5.0, spent=LEVELS, rise=1.0, days=DAYS, **changes):
    """Both levels read; ``spent`` is what truly was at each, ``rise`` what all spending rose by with the season."""
    windows = Windows(PAST - BASE, PAST, PAST + TEST_DAYS)
    arms = [(level, drawn()[arm]) for arm, level in spent.items()]
    after = change_spend(region_world(5, 80, PAST + DAYS, spent=0.1), arms, windows, incremental)
    spend = after.spend.copy()
    spend[:, PAST:] *= rise
    after = replace(after, spend=spend).up_to(PAST + days)
    usual = usual_spend(past(), cells())
    calendar = spending_calendar(
        usual, past().last + timedelta(days=1), test_days=TEST_DAYS, cool_down_days=COOL, again="no", levels=LEVELS
    )
    observed = Observed(after, np.zeros(after.spend.shape, dtype=bool))
    return [
        read_region_test(rule(arm, **changes), observed, calendar, {}, [], cells=cells()) for arm in LEVELS
    ]  # fmt: skip


def test_each_level_is_held_against_its_own_partners():
    lower, higher = read()
    assert lower.primary.effect.lift.interval.high < 0 < higher.primary.effect.lift.interval.low
    for one in (lower, higher):
        back, true = one.primary.effect.incremental, 5.0 * brought(one.test.level) / (one.test.level - 1)
        assert back.low <= true <= back.high
        assert one.primary.confidence == 0.975
    assert lower.primary.effect.incremental.estimate > higher.primary.effect.incremental.estimate


def test_spend_is_followed_in_all_groups_of_the_calendar():
    lower, higher = read()
    assert [one.group for one in lower.watch.spend] == ["lower", "higher", "control", "other"]
    for one, two in zip(lower.watch.spend, higher.watch.spend, strict=True):
        assert np.array_equal(one.spent, two.spent)
        assert abs(one.difference) < 0.05


@pytest.mark.parametrize(
    ("spent", "leak"),
    [(0.5, 0.0), (0.55, 0.1), (0.45, 0.1), (0.75, 0.5), (1.0, 1.0)],
)
@pytest.mark.parametrize("rise", [1.0, 1.3])
def test_a_leak_is_the_part_of_the_change_that_went_another_way_whatever_the_season(spent, leak, rise):
    lower, _ = read(spent={"lower": spent, "higher": 1.5}, rise=rise)
    assert lower.watch.share == pytest.approx(spent, abs=0.01)
    assert lower.watch.leak == pytest.approx(leak, abs=0.02)
    assert bool(lower.watch.leaks) == (leak >= 0.5)


def test_a_level_is_not_what_is_spent_anyway():
    with pytest.raises(InputError, match="must not be what is spent anyway"):
        rule("lower", level=1.0)


# The response


def at_level(share, lift, half):
    return TriedLevel(share, Interval(lift, lift - half, lift + half))


def test_a_straight_line_is_followed_to_nothing_by_every_form():
    seen = response_of(at_level(0.5, -0.05, 1e-5), at_level(1.5, 0.05, 1e-5))
    assert seen.rising
    assert seen.flattening
    assert seen.at_most == pytest.approx(-0.1, abs=1e-4)
    for curve in seen.curves:
        assert curve.nothing.estimate == pytest.approx(-0.1, abs=1e-4)


@pytest.mark.parametrize(
    ("name", "form"),
    [
        ("power of the spend", lambda share: share**0.5 - 1),
        ("approach to a ceiling", lambda share: brought(share) * 2 / 6.389),
    ],
)
def test_a_form_finds_its_own_curve_again(name, form):
    """Of x^½ - 1 times a part of 0.2, and of a ceiling approached by e^(-2x); both worked out by hand from their formulas."""
    part = 0.2
    levels = [at_level(share, part * form(share) / -form(0.0), 1e-4) for share in (0.5, 1.5)]
    found = {curve.name: curve for curve in response_of(*levels).curves}[name]
    assert found.nothing.estimate == pytest.approx(-part, abs=0.01)


@given(
    some.sampled_from(sorted(FORMS)), some.integers(0, 3999), some.floats(0, 0.9), some.floats(0.1, 0.9), some.floats(1.1, 4),
    some.tuples(some.floats(0.001, 0.2), some.floats(0.001, 0.2), some.floats(0.001, 0.2), some.floats(0.001, 0.2)),
)  # fmt: skip
def test_what_no_spending_would_do_is_held_whenever_both_levels_are(name, shape, part, lower, higher, off):
    """Whatever the curve of a form, whatever intervals hold its two levels: the interval of its end holds the end."""
    form, shapes = FORMS[name]
    at = [part * float(form(np.asarray(share), shapes[shape])) for share in (lower, higher)]
    levels = [
        TriedLevel(share, Interval(lift + (over - under) / 2, lift - under, lift + over))
        for share, lift, under, over in zip((lower, higher), at, off[::2], off[1::2], strict=True)
    ]
    seen = response_of(*levels)
    assert seen.rising
    assert seen.flattening
    curve = next(one for one in seen.curves if one.name == name)
    assert curve.nothing is not None
    assert curve.nothing.low - 1e-9 <= -part <= curve.nothing.high + 1e-9
    assert -part <= seen.at_most + 1e-9


@given(some.floats(-0.5, 0.5), some.floats(-0.5, 0.5))
def test_levels_are_put_in_rising_order_by_isotonic_regression(lower, higher):
    """Against SciPy's, in which the usual has a weight that leaves it at 0."""
    seen = response_of(at_level(0.5, lower, 0.1), at_level(1.5, higher, 0.1))
    fitted = optimize.isotonic_regression([lower, 0.0, higher], weights=[1.0, 1e12, 1.0]).x
    assert seen.isotonic == pytest.approx(tuple(fitted), abs=1e-9)


@pytest.mark.parametrize(
    ("lower", "higher", "rising", "flattening"),
    [
        ((-0.05, 0.02), (0.03, 0.02), True, True),
        ((0.05, 0.02), (0.03, 0.02), False, False),  # less spend, more of it
        ((-0.05, 0.02), (-0.03, 0.02), False, True),  # more spend, less of it
        ((-0.01, 0.005), (0.05, 0.01), True, False),  # the step up brings more a unit
        ((0.01, 0.02), (-0.01, 0.02), True, True),  # by chance
    ],
)
def test_nothing_is_said_beyond_levels_that_contradict_the_curve(lower, higher, rising, flattening):
    seen = response_of(at_level(0.5, *lower), at_level(1.5, *higher))
    assert (seen.rising, seen.flattening) == (rising, flattening)
    assert bool(seen.curves) == (seen.at_most is not None) == (rising and flattening)


@pytest.mark.parametrize(
    ("lower", "higher", "at_most"),
    [
        ((-0.05, 0.02), (0.03, 0.02), -0.06),  # the line through the step down, at its lower end
        ((-0.02, 0.03), (0.05, 0.01), -0.08),  # the step up is the steeper one that is certain
        ((-0.01, 0.02), (0.01, 0.02), 0.0),  # nothing is certain
    ],
)
def test_flattening_alone_says_what_is_lost_at_least(lower, higher, at_most):
    seen = response_of(at_level(0.5, *lower), at_level(1.5, *higher))
    assert seen.at_most == pytest.approx(at_most)
    assert max(curve.nothing.high for curve in seen.curves) <= 0  # spending never takes anything away


def test_a_form_that_no_curve_fits_says_nothing():
    """A line so straight that no ceiling is approached within these intervals, from a usual near it."""
    seen = response_of(at_level(0.5, -0.6, 0.001), at_level(1.5, 0.6, 0.001))
    assert all(curve.nothing is None for curve in seen.curves)  # it would be less than nothing without spending


@pytest.mark.parametrize(("lower", "higher"), [(1.0, 1.5), (0.5, 1.0), (1.2, 1.5), (0.0, 1.5)])
def test_levels_must_be_on_either_side(lower, higher):
    with pytest.raises(InputError):
        response_of(at_level(lower, -0.1, 0.01), at_level(higher, 0.1, 0.01))


# The verdict


def with_return(reading, low, high, **test):
    """A reading whose incremental return has these bounds."""
    effect = replace(reading.primary.effect, incremental=Interval((low + high) / 2, low, high))
    return replace(reading, primary=replace(reading.primary, effect=effect), test=replace(reading.test, **test))


def judged(lower, higher, same_within=0.0, **given_to):
    one, two = (
        with_return(reading, *bounds, same_within=same_within)
        for reading, bounds in zip(read(), (lower, higher), strict=True)
    )
    return judge_graded(one, two, NAMES, one.test.last + timedelta(days=1), **given_to)


PAYS, OPEN, DOES_NOT = (1.6, 3.0), (0.5, 2.5), (0.2, 1.4)


@pytest.mark.parametrize(
    ("lower", "higher", "kind", "suggested"),
    [
        (PAYS, PAYS, "more_pays", "C"),
        (OPEN, PAYS, "more_pays", "C"),
        (PAYS, OPEN, "planned_pays", "A"),
        (PAYS, DOES_NOT, "planned_pays", "A"),
        (DOES_NOT, DOES_NOT, "less_is_enough", "B"),
        (DOES_NOT, OPEN, "less_is_enough", "B"),
        (OPEN, DOES_NOT, "more_does_not_pay", "A"),
        (OPEN, OPEN, "graded_unresolved", "none"),
        (DOES_NOT, PAYS, "graded_unresolved", "none"),  # each unit would bring more than the one before it
    ],
)
def test_the_verdict_is_on_both_steps_together(lower, higher, kind, suggested):
    found = judged(lower, higher)
    assert (found.kind.name, found.kind.suggested) == (kind, suggested)
    assert found.parts.headline.startswith("Brochures: each EUR from ")
    assert found.parts.figure in found.parts.headline
    states = {line.key: line.state for line in found.conditions if line.subject == "effect"}
    assert states == {
        "effect-lower": "not_met" if lower == OPEN else "met", "effect-higher": "not_met" if higher == OPEN else "met",
    }  # fmt: skip


def test_what_a_verdict_hangs_on_turns_it():
    """A break-even just beyond a named bound makes another verdict."""
    assert judged(PAYS, OPEN).sensitivity[0].startswith("Were 1.60 or more")
    assert judged((1.49, 3.0), OPEN).kind.name == "graded_unresolved"
    assert judged(DOES_NOT, OPEN).sensitivity[0].startswith("Were 1.40 or less")
    assert judged((0.2, 1.51), OPEN).kind.name == "graded_unresolved"
    assert "contradict" not in judged(OPEN, OPEN).parts.headline


@pytest.mark.parametrize(("pvalue", "said"), [(0.025, False), (0.026, True)])
@pytest.mark.parametrize(("lower", "higher", "deciding"), [(PAYS, OPEN, 0), (OPEN, PAYS, 1)])
def test_where_the_draws_do_not_show_what_the_return_does_it_is_said(lower, higher, deciding, pvalue, said):
    arms = [with_return(reading, *bounds) for reading, bounds in zip(read(), (lower, higher), strict=True)]
    decides = arms[deciding]
    arms[deciding] = replace(decides, primary=replace(decides.primary, pvalue=pvalue))
    lines = judge_graded(*arms, NAMES, arms[0].test.last).sensitivity
    assert any("Other draws alone do not show an effect" in line for line in lines) == said


def test_steps_that_pay_for_themselves_make_no_difference():
    assert judged((1.45, 1.55), (1.42, 1.58), same_within=0.1).kind.name == "graded_same"
    assert judged((1.45, 1.55), (1.3, 1.58), same_within=0.1).kind.name == "graded_unresolved"


def test_a_step_that_makes_another_outcome_worse_pays_at_a_price():
    """Of returns less is wanted, and with more spend there are more of them; with less spend fewer."""
    lower, higher = read(less_is_better=frozenset({"returns"}))
    other = replace(higher.primary, outcome="returns")  # rose where more was spent
    one, two = with_return(lower, *OPEN), with_return(replace(higher, others=(other,)), *PAYS)
    found = judge_graded(one, two, NAMES, one.test.last)
    assert found.kind.name == "graded_price"
    assert "makes returns worse" in found.parts.headline
    fewer = replace(lower.primary, outcome="returns")  # fell where less was spent: the spending brings them
    one, two = with_return(replace(lower, others=(fewer,)), *PAYS), with_return(higher, *OPEN)
    assert judge_graded(one, two, NAMES, one.test.last).kind.name == "graded_price"
    wanted = replace(two, test=replace(two.test, less_is_better=frozenset()))
    one = replace(one, test=replace(one.test, less_is_better=frozenset()))
    assert judge_graded(one, wanted, NAMES, one.test.last).kind.name == "planned_pays"


def test_a_level_that_was_not_kept_to_makes_it_unsound_at_once():
    lower, higher = read(spent={"lower": 0.5, "higher": 1.2}, days=10)
    found = judge_graded(lower, higher, NAMES, lower.last)
    assert found.kind.name == "graded_unsound"
    assert "where 150% was to be spent" in found.parts.headline


def test_it_is_read_once_at_its_end():
    lower, higher = read(days=10)
    assert judge_graded(lower, higher, NAMES, lower.last).kind.name == "graded_keep_on"
    early = judge_graded(lower, higher, NAMES, lower.last, ended_early=True)
    assert (early.kind.name, early.kind.suggested) == ("graded_unresolved", "none")
    assert "whatever it shows" in early.parts.headline


def test_every_graded_verdict_has_words_of_its_own():
    kinds = [kind for kind in REGION_VERDICTS.values() if isinstance(kind, GradedKind)]
    assert len({kind.title for kind in kinds}) == len({kind.order for kind in kinds}) == len(kinds) == 9


def test_the_rule_says_both_levels_and_what_holds_together():
    words = graded_rule_in_words(rule("lower"), rule("higher"), NAMES, 0.95)
    for part in ("50% of the usual", "others 150%", "97.5% interval", "together with 95% confidence"):
        assert part in words
