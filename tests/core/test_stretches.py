"""A fixed split that was changed on the way, and a variant that was stopped: what is compared with what, and what is said."""

import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats
from statsmodels.stats.contingency_tables import StratifiedTable

from neat_verdict.core.checks import InputError
from neat_verdict.core.designs import DESIGNS
from neat_verdict.core.methods import METHODS, AlwaysValid, Fixed, GroupSequential
from neat_verdict.core.periods import Pair, Period, compare_pairs, compare_stratified
from neat_verdict.core.rule import DecisionRule
from neat_verdict.core.soundness import check_overlap, check_overlap_by_stretch
from neat_verdict.core.statistics import Mean, Rate, compare_arms, dunnett_critical_value, two_sided_critical_value
from neat_verdict.core.stretches import (
    SplitChange,
    Stretch,
    pairs_of,
    shares_changed,
    stopped_in,
    stretch_on,
    stretches_of,
)
from neat_verdict.core.text.names import Names
from neat_verdict.core.verdicts import (
    SecondaryMetric,
    rank_arms,
    read_experiment,
    read_secondary,
    what_would_change,
    write_sentences,
)
from neat_verdict.core.verdicts.ranking import chance_ahead

PARALLEL = DESIGNS["parallel"]
THIRDS = (1 / 3, 1 / 3, 1 / 3)
RULE = DecisionRule(0.95, 0.05, method=Fixed(), least_conversions=10)
NAMES = Names("bookings", "visitors", ("Now", "Photos", "Video"))


def days(first, count, rates, units, shares, number, segment=""):
    """Periods of a day each with these rates and units a day."""
    return [
        Period(
            tuple(Rate(round(rate * n), n) for rate, n in zip(rates, units, strict=True)),
            shares, day, segment, number, fixed=True,
        )
        for day in range(first, first + count)
    ]  # fmt: skip


def totals(periods):
    return [
        Rate(sum(one.arms[at].conversions for one in periods), sum(one.arms[at].units for one in periods))
        for at in range(len(periods[0].arms))
    ]


def read(periods, rule=RULE, **others):
    count = len(periods[0].arms)
    arms = totals(periods)
    return read_experiment(arms, (1.0,) * count, rule, days=len(periods), periods=periods, ended=True, **others)


# Half and half at a level of 10 %, then 9 to 1 at 20 %: no difference, but the crude figures have one.
CHANGED = [
    *days(1, 10, (0.1, 0.1), (1000, 1000), (0.5, 0.5), 1),
    *days(11, 10, (0.2, 0.2), (1800, 200), (0.9, 0.1), 2),
]  # fmt: skip
# C is stopped on day 11, on which it still got some units; B is better.
STOPPED = [
    *days(1, 10, (0.10, 0.12, 0.05), (1000, 1000, 1000), THIRDS, 1),
    *days(11, 1, (0.10, 0.12, 0.05), (1400, 1400, 200), (0.5, 0.5, 0.0), 2),
    *days(12, 9, (0.10, 0.12, 0.0), (1500, 1500, 0), (0.5, 0.5, 0.0), 2),
]  # fmt: skip


# Which shares hold when


@pytest.mark.parametrize(
    ("changes", "expected"),
    [
        ([], [(1, (0.5, 0.25, 0.25))]),
        ([SplitChange(5, (1, 1, 2))], [(1, (0.5, 0.25, 0.25)), (5, (0.25, 0.25, 0.5))]),
        ([SplitChange(5, stopped=2)], [(1, (0.5, 0.25, 0.25)), (5, (2 / 3, 1 / 3, 0.0))]),
        # Stopped is stopped, under other weights too, and whichever was noted first.
        ([SplitChange(9, (1, 1, 2)), SplitChange(5, stopped=2)],
         [(1, (0.5, 0.25, 0.25)), (5, (2 / 3, 1 / 3, 0.0)), (9, (0.5, 0.5, 0.0))]),
        ([SplitChange(5, (1, 1, 2)), SplitChange(5, stopped=1)], [(1, (0.5, 0.25, 0.25)), (5, (1 / 3, 0.0, 2 / 3))]),
        # What changes nothing begins no stretch; what is so from the first day is no change.
        ([SplitChange(5, (4, 2, 2))], [(1, (0.5, 0.25, 0.25))]),
        ([SplitChange(1, (1, 1, 2))], [(1, (0.25, 0.25, 0.5))]),
    ],
)  # fmt: skip
def test_shares_hold_from_the_day_of_their_change_on(changes, expected):
    found = stretches_of((2, 1, 1), changes, 1)
    assert [one.first for one in found] == [first for first, _ in expected]
    for one, (_, shares) in zip(found, expected, strict=True):
        assert one.shares == pytest.approx(shares)
    for day in range(12):
        number, one = stretch_on(found, day)
        assert one is found[number - 1]
        assert one.first <= max(day, 1)
        assert all(later.first > day for later in found[number:])


@pytest.mark.parametrize(
    ("make", "field"),
    [
        (lambda: SplitChange(5), "weights"),
        (lambda: SplitChange(5, (1, 1), stopped=1), "weights"),
        (lambda: SplitChange(5, (1, 0)), "weights"),
        (lambda: SplitChange(5, stopped=0), "stopped"),
        (lambda: stretches_of((1, 1), [SplitChange(5, (1, 1, 1))]), "weights"),
        (lambda: stretches_of((1, 0), []), "weights"),
        (lambda: stretches_of((1, 1), [SplitChange(5, stopped=1)]), "stopped"),
        (lambda: stretches_of((1, 1), [SplitChange(5, (1, 2))], 6), "day"),
    ],
)
def test_what_is_no_change_is_refused_by_its_field(make, field):
    with pytest.raises(InputError) as refused:
        make()
    assert refused.value.field == field


# What is compared


def test_a_level_that_moves_while_the_split_changes_makes_no_difference():
    made = read(CHANGED)
    assert made.comparisons[0].difference.estimate == pytest.approx(0, abs=1e-12)
    a, b = totals(CHANGED)
    assert b.estimate < a.estimate - 0.02


@given(st.lists(st.tuples(st.integers(40, 200), st.integers(40, 200)), min_size=2, max_size=4))
def test_with_one_ratio_throughout_stretches_are_one(counted):
    """What became of a third arm is nothing to the two."""
    shares = [(0.4, 0.4, 0.2), (0.45, 0.45, 0.1), (0.5, 0.5, 0.0), (0.2, 0.2, 0.6)]
    periods = [
        Period((Rate(x0, 1000), Rate(x1, 1010), Rate(3, 50)), shares[at], at, number=at + 1, fixed=True)
        for at, (x0, x1) in enumerate(counted)
    ]
    (pair,) = pairs_of(periods, 1)
    assert (pair.variant, pair.reference) == tuple(totals(periods)[at] for at in (1, 0))
    assert compare_pairs([pair], 1.96) == compare_arms(*(totals(periods)[at] for at in (1, 0)), 1.96)


def test_periods_whose_shares_follow_the_evidence_stay_apart():
    periods = [replace(period, fixed=False) for period in CHANGED]
    assert len(pairs_of(periods, 1)) == len(periods)
    assert not shares_changed(periods)
    assert stopped_in([replace(period, fixed=False) for period in STOPPED]) == ()


def test_a_stopped_variant_is_held_against_the_control_of_its_own_time():
    (pair,) = pairs_of(PARALLEL.strata(STOPPED), 2)
    assert (pair.variant, pair.reference) == (Rate(500, 10_000), Rate(1000, 10_000))
    (other,) = pairs_of(PARALLEL.strata(STOPPED), 1)
    assert other.reference.units == 10_000 + 1400 + 9 * 1500


def test_combined_rates_of_two_stretches_agree_with_a_reference_library():
    """Ratios by Mantel and Haenszel weigh n₁n₀/(n₁ + n₀); with units a stretch in proportion both weights are the same."""
    strata = PARALLEL.strata(
        [*days(1, 5, (0.1, 0.12), (900, 100), (0.9, 0.1), 1), *days(6, 5, (0.2, 0.22), (100, 900), (0.1, 0.9), 2)]
    )
    pairs = pairs_of(strata, 1)
    table = StratifiedTable([
        [[arm.conversions, arm.units - arm.conversions] for arm in (pair.variant, pair.reference)] for pair in pairs
    ])  # fmt: skip
    made = compare_stratified(pairs, 1.96)
    assert made.lift.estimate + 1 == pytest.approx(table.riskratio_pooled)


def test_segments_are_compared_within_each_stretch():
    periods = [
        *days(1, 5, (0.1, 0.1), (500, 500), (0.5, 0.5), 1, "new"),
        *days(1, 5, (0.4, 0.4), (500, 500), (0.5, 0.5), 1, "returning"),
        *days(6, 5, (0.2, 0.2), (900, 100), (0.9, 0.1), 2, "new"),
        *days(6, 5, (0.5, 0.5), (900, 100), (0.9, 0.1), 2, "returning"),
    ]
    strata = PARALLEL.strata(periods)
    assert [(one.number, one.segment) for one in strata] == [(n, s) for n in (1, 2) for s in ("new", "returning")]
    assert read(periods).comparisons[0].difference.estimate == pytest.approx(0, abs=1e-12)


# What is said


def test_a_stopped_variant_is_never_named_though_it_lies_ahead():
    swapped = [replace(one, arms=(one.arms[0], one.arms[2], one.arms[1]), shares=tuple(one.shares[at] for at in (0, 2, 1)))
               for one in STOPPED]  # fmt: skip
    better = [
        replace(one, arms=(one.arms[0], Rate(one.arms[1].units // 5, one.arms[1].units), one.arms[2]))
        for one in swapped
    ]
    made = read(better)
    assert made.stopped == (1,)
    assert made.comparisons[0].lift.low > 0.5 > made.comparisons[1].lift.high
    assert (made.verdict.name, made.verdict.variant, made.verdict.runner_up) == ("winner", 2, None)
    assert "Video" in write_sentences(made, RULE, NAMES).headline
    assert [one.position for one in rank_arms(made, RULE)] == [2, 0]
    assert what_would_change(made, RULE, NAMES)


def test_nothing_is_waited_for_of_a_variant_that_was_stopped():
    rule = replace(RULE, planned_units=(20_000, 20_000, 20_000), least_conversions=600)
    made = read(STOPPED, rule)
    assert all(line.state == "met" for line in made.conditions if line.subject == "minimum")
    # Both still open have 24,900 units where 20,000 are planned.
    assert made.progress == pytest.approx(24_900 / 20_000)
    whole = [replace(one, shares=THIRDS) for one in STOPPED]
    assert read(whole, rule).progress == pytest.approx(10_200 / 20_000)


def test_where_the_split_was_changed_information_is_what_the_variance_of_the_sum_grows_by():
    """Looks hang together by √(I₁/I₂): simulated with weights that no outcome has a part in."""
    rule = replace(RULE, method=GroupSequential(), planned_units=(30_000, 30_000))
    assert read(CHANGED, rule).progress == pytest.approx(40_000 / 60_000)
    assert read(CHANGED[:10], rule).progress == pytest.approx(20_000 / 60_000)
    # Read once, a split that says less takes longer: weights √(N·n₁n₀/(n₁ + n₀)), (Σw)²/ΣN of the 15,000 planned.
    w = math.sqrt(20_000 * 5000), math.sqrt(20_000 * 1800)
    once = replace(rule, method=Fixed())
    assert read(CHANGED, once).progress == pytest.approx(sum(w) ** 2 / 40_000 / 15_000)
    assert read(CHANGED[:10], once).progress == pytest.approx(20_000 / 60_000)
    draw = np.random.default_rng(5)
    looks = []
    for _ in range(4000):
        first, second = (
            Period(
                tuple(Mean(n, x, n + x * x / n) for n, x in zip(units, sums, strict=True)),
                shares,
                at,
                number=at,
                fixed=True,
            )
            for at, units, shares, sums in (
                (1, (1000, 1000), (0.5, 0.5), draw.normal(0, math.sqrt(1000), 2)),
                (2, (1800, 200), (0.9, 0.1), draw.normal(0, 1, 2) * np.sqrt((1800, 200))),
            )
        )
        looks.append([compare_pairs(pairs_of(made, 1), 1.96).statistic for made in ([first], [first, second])])
    assert np.corrcoef(np.array(looks).T)[0, 1] == pytest.approx(math.sqrt(1 / 2), abs=0.03)


@pytest.mark.parametrize("method", [Fixed(), GroupSequential(), AlwaysValid()], ids=lambda method: method.name)
def test_the_level_is_shared_by_as_many_as_were_planned(method):
    looks = {"looks": None}
    rule = replace(RULE, method=method)
    if method.has_looks:
        from neat_verdict.core.verdicts import Looks

        looks = {"looks": Looks((1.0,), True)}
        rule = replace(rule, planned_units=(20_000, 20_000, 20_000))
    stopped, whole = read(STOPPED, rule, **looks), read([replace(one, shares=THIRDS) for one in STOPPED], rule, **looks)
    assert len(stopped.comparisons) == 2
    one = stopped.comparisons[0]
    assert one.adjusted_pvalue >= one.pvalue
    if method.name == "fixed":
        # Bonferroni: of how the comparisons hang together nothing is assumed.
        assert one.critical_value == pytest.approx(two_sided_critical_value(0.975))
        assert one.critical_value > dunnett_critical_value(0.95, 24_900, [24_900, 10_200])
        assert one.adjusted_pvalue == pytest.approx(min(1, 2 * one.pvalue))
    else:
        assert one.critical_value == pytest.approx(whole.comparisons[0].critical_value, rel=0.1)


@pytest.mark.parametrize("arms", [(Rate(0, 0), Rate(0, 0)), (Mean(1, 3.0, 9.0), Mean(0, 0.0, 0.0))])
def test_of_what_was_stopped_too_soon_nothing_is_known_and_the_others_are_read_on(arms):
    kind = type(arms[0])
    full = Rate(2000, 20_000) if kind is Rate else Mean(20_000, 40_000.0, 120_000.0)
    better = Rate(2600, 20_000) if kind is Rate else Mean(20_000, 48_000.0, 160_000.0)
    little = arms[0]
    periods = [
        # On its first day, so that there is no whole day of it.
        Period((full, better, little), (0.5, 0.5, 0.0), 1, fixed=True),
        Period((full, better, arms[1]), (0.5, 0.5, 0.0), 2, fixed=True),
    ]
    made = read_experiment(
        [full + full, better + better, little + arms[1]], (1, 1, 1), RULE, periods=periods, days=2, ended=True
    )
    assert (made.comparisons[1].lift.low, made.comparisons[1].lift.high) == (-math.inf, math.inf)
    assert (made.verdict.name, made.verdict.variant) == ("winner", 1)
    assert not made.scale.by_difference
    second = SecondaryMetric("clicks", "secondary", tuple(made.arms), periods=tuple(PARALLEL.strata(periods)))
    (evidence,) = read_secondary([second], RULE)
    assert [math.isfinite(one.difference.high) for one in evidence.comparisons] == [True, False]
    assert [line.lost for line in evidence.readings()] == [False, False]


def test_guardrails_of_a_stopped_variant_hold_nobody_up():
    from neat_verdict.core.rule import Guardrail
    from neat_verdict.core.verdicts import MetricReading

    rule = replace(RULE, guardrails=(Guardrail("refunds", 0.05),))
    others = [
        MetricReading("refunds", "guardrail", 1, -0.01, 0.02, 0.05),
        MetricReading("refunds", "guardrail", 2, -0.5, -0.2, 0.05),
    ]
    made = read(STOPPED, rule, others=others)
    assert (made.verdict.name, made.verdict.variant) == ("winner", 1)


def test_control_is_kept_against_those_that_are_left():
    worse = [replace(one, arms=(one.arms[1], one.arms[0], one.arms[2])) for one in STOPPED]
    made = read(worse)
    words = write_sentences(made, RULE, NAMES)
    assert made.verdict.name == "keep_control"
    assert "Photos" in words.headline
    assert "none of" not in words.headline


def test_chances_allow_for_the_stretches():
    made = read([
        *days(1, 10, (0.1, 0.11), (1000, 1000), (0.5, 0.5), 1),
        *days(11, 10, (0.2, 0.22), (1800, 200), (0.9, 0.1), 2),
    ])  # fmt: skip
    compared = made.comparisons[0]
    assert chance_ahead(made, RULE, 1) == pytest.approx(
        1 - compared.pvalue / 2 if compared.statistic > 0 else compared.pvalue / 2, abs=1e-6
    )
    first, second = rank_arms(made, RULE)
    assert (first.position, second.position) == (1, 0)
    assert first.chance == pytest.approx(chance_ahead(made, RULE, 1), abs=0.002)


@given(st.lists(st.tuples(st.integers(0, 12), st.integers(0, 12)), min_size=2, max_size=2), st.integers(12, 40))
def test_interval_p_and_verdict_agree_however_little_came(counted, times):
    """Ten units a day at 9 to 1 after as many at 1 to 1, from nobody who converts to all."""
    (a0, b0), (a1, b1) = counted
    periods = [
        Period((Rate(a0 * times, 12 * times), Rate(b0 * times, 12 * times)), (0.5, 0.5), 1, number=1, fixed=True),
        Period(
            (Rate(a1 * times * 3 // 4, 9 * times), Rate(b1 * times // 12, times)), (0.9, 0.1), 2, number=2, fixed=True
        ),
    ]
    made = read(periods, replace(RULE, least_conversions=0))
    (one,) = made.comparisons
    assert (one.difference.side != 0) == (one.pvalue < 0.05)
    assert (one.lift.side > 0) <= (one.difference.side > 0)
    if made.verdict.name == "winner":
        assert one.lift.side > 0
        assert one.adjusted_pvalue < 0.05


# Soundness


def test_the_split_is_held_against_the_shares_of_each_stretch():
    made = read(CHANGED)
    assert made.split.as_planned
    assert made.split.planned_shares == pytest.approx((0.7, 0.3))
    # Against the shares of the start the same units would be refused; and units that stayed half and half are.
    stayed = [replace(one, arms=(Rate(100, 1000), Rate(100, 1000))) for one in CHANGED]
    assert not read(stayed).split.as_planned
    assert read(stayed).verdict.name == "unsound"


def test_units_of_a_variant_on_the_day_it_was_stopped_are_no_fault_of_the_split():
    assert read(STOPPED).split.as_planned
    assert read(STOPPED).split.units == (24_900, 24_900, 10_000)


def test_variants_must_run_side_by_side_within_each_stretch():
    assert read(CHANGED).overlap.same_time
    # Within the second stretch B's units all come on its first half of days.
    rng = np.random.default_rng(1)
    apart = [
        replace(one, arms=(one.arms[0], Rate(40, 400) if one.day <= 15 else Rate(0, 0))) if one.number == 2 else one
        for one in CHANGED
    ]
    overlap = read(apart).overlap
    assert not overlap.same_time
    assert overlap.days_apart == (15, 16, 17, 18, 19)
    assert {one.variant for one in overlap.absences} == {1}
    drifting = [
        replace(one, arms=(Rate(10, int(1000 + 400 * rng.random())), one.arms[1])) if one.number == 1 else one
        for one in CHANGED
    ]
    assert read(drifting).overlap.drift_pvalue < 0.001


def test_each_stretch_is_tested_at_its_part_of_the_alarm():
    table = [[500, 500], [560, 440], [505, 495], [470, 530]]
    alone = check_overlap(table).drift_pvalue
    columns = [0, 1]
    both = check_overlap_by_stretch([(columns, table), (columns, table)])
    assert both.drift_pvalue == pytest.approx(2 * alone)


def test_a_variant_that_was_stopped_is_not_missed():
    overlap = read(STOPPED).overlap
    assert overlap.same_time
    assert not overlap.absences


# Lift as data came in


def test_the_series_ends_where_the_reading_is():
    for periods in (CHANGED, STOPPED):
        made = read(periods)
        by_day = [one.arms for one in periods]
        for line, one in zip(made.series(RULE, by_day, periods), made.comparisons, strict=True):
            assert line.estimate[-1] == pytest.approx(one.lift.estimate)
            assert (line.low[-1], line.high[-1]) == (pytest.approx(one.lift.low), pytest.approx(one.lift.high))


def test_a_pair_weighs_by_all_units_of_its_time():
    pair = pairs_of(PARALLEL.strata(STOPPED), 2)[0]
    assert pair == Pair(Rate(500, 10_000), Rate(1000, 10_000), "", 30_000, day=10)


def test_every_method_reads_on_after_a_stop():
    for method in METHODS.values():
        made = read_experiment(
            totals(STOPPED), (1, 1, 1), replace(RULE, method=method(), planned_units=(20_000,) * 3), days=20, periods=STOPPED,
            looks=None,
        )  # fmt: skip
        assert made.stopped == (2,)
        assert Stretch(1, THIRDS).shares == THIRDS


# A challenger that joins

# C joins on day 11, when every level has doubled; it is no better than its own control, B is by a fifth.
JOINED = [
    *[replace(one, awaited=(2,)) for one in days(1, 10, (0.10, 0.12, 0.0), (1500, 1500, 0), (0.5, 0.5, 0.0), 1)],
    *days(11, 10, (0.20, 0.24, 0.20), (1000, 1000, 1000), THIRDS, 2),
]
ONCE = replace(RULE, planned_units=(10_000, 10_000, 10_000))


def test_a_variant_that_joins_has_its_share_from_its_day_on():
    joins = SplitChange(5, (1, 1, 2), joined=2)
    before, after = stretches_of((2, 2, 4), [joins], 1)
    assert (before.shares, before.awaited) == ((0.5, 0.5, 0.0), (2,))
    assert (after.first, after.shares, after.awaited) == (5, (0.25, 0.25, 0.5), ())
    # Other weights before its day leave it where it is; one that is stopped before is awaited no more.
    first, second, third = stretches_of((2, 2, 4), [SplitChange(3, (3, 1, 9)), joins], 1)
    assert (second.shares, second.awaited) == ((0.75, 0.25, 0.0), (2,))
    assert (first.shares, third.shares) == (before.shares, after.shares)
    stopped = stretches_of((2, 2, 4), [joins, SplitChange(3, stopped=2)], 1)
    assert [(one.first, one.awaited) for one in stopped] == [(1, (2,)), (3, ())]


@pytest.mark.parametrize(
    ("make", "field"),
    [
        (lambda: SplitChange(5, (1, 1), joined=0), "joined"),
        (lambda: SplitChange(5, joined=2), "weights"),
        (lambda: SplitChange(5, stopped=1, joined=2), "joined"),
        # Somebody must be there to compare until it comes.
        (lambda: stretches_of((1, 1), [SplitChange(5, (1, 1), joined=1), SplitChange(3, (1, 2))]), "stopped"),
    ],
)
def test_what_is_no_joining_is_refused(make, field):
    with pytest.raises(InputError) as refused:
        make()
    assert refused.value.field == field


def test_a_variant_that_joined_is_compared_with_the_control_of_its_own_time():
    found = read(JOINED, ONCE)
    b, c = found.comparisons
    # Crudely C would be far ahead of a control that had half of its time at half the level.
    crude = totals(JOINED)
    assert crude[2].estimate / crude[0].estimate > 1.4
    assert c.lift.estimate == pytest.approx(0, abs=1e-12)
    assert b.lift.estimate == pytest.approx(0.2)
    own = compare_arms(Rate(2000, 10_000), Rate(2000, 10_000), c.critical_value)
    assert (c.difference.low, c.difference.high) == pytest.approx((own.difference.low, own.difference.high))
    assert (found.verdict.name, found.verdict.variant) == ("winner", 1)
    assert stopped_in(JOINED) == ()
    assert found.split.pvalue == pytest.approx(1)
    # Three comparisons would have shared the level of two: each is read at its share (Bonferroni).
    assert b.critical_value == pytest.approx(two_sided_critical_value(0.975))


@pytest.mark.parametrize(
    "since",
    [[], [replace(JOINED[10], arms=(Rate(1, 5), Rate(1, 5), Rate(0, 5)))]],
    ids=["before its day", "on its first day"],
)
def test_a_reading_waits_for_who_joins_and_shows_the_others_meanwhile(since):
    kept = [*JOINED[:10], *since]
    waiting = read_experiment(totals(kept), (1.0,) * 3, ONCE, days=len(kept), periods=kept)
    assert waiting.verdict.name == "keep_collecting"
    assert waiting.reached.fraction < 0.01
    assert "sample" in [line.key for line in waiting.conditions if line.state == "not_met"]
    b, c = waiting.comparisons
    assert b.lift.estimate == pytest.approx(0.2, rel=0.01)
    assert not c.known or c.difference.low < 0 < c.difference.high
    (other,) = read_secondary([SecondaryMetric("fares", "secondary", tuple(totals(kept)), periods=kept)], ONCE)
    assert other.comparisons[0].lift.estimate == pytest.approx(0.2, rel=0.01)


def test_what_is_not_known_of_who_joins_changes_nothing_of_how_the_others_are_read():
    """Of amounts a lift without limits would have all variants judged by the difference."""
    level = [Mean(1500, 15_000.0, 160_000.0), Mean(1500, 18_000.0, 230_000.0), Mean(0, 0.0, 0.0)]
    periods = [replace(one, arms=tuple(level)) for one in JOINED[:10]]
    arms = [Mean(10 * one.units, 10 * one.total, 10 * one.total_of_squares) for one in level]
    rule = replace(ONCE, planned_level=10.0)
    found = read_experiment(arms, (1.0,) * 3, rule, days=10, periods=periods)
    assert [one.known for one in found.comparisons] == [True, False]
    assert not found.scale.by_difference
    assert found.spoken_of == 1
    assert any(line.label.startswith("Interval of B") for line in found.conditions)
    (other,) = read_secondary([SecondaryMetric("fares", "secondary", tuple(arms), periods=periods, level=10.0)], rule)
    assert not other.scale.by_difference


def test_units_of_one_who_has_not_joined_are_no_part_of_the_split():
    early = [replace(one, arms=(Rate(150, 1600), one.arms[1], Rate(1, 40))) for one in JOINED[:10]]
    expected = stats.chisquare([16_000, 15_000])  # SciPy
    found = PARALLEL.check_split(early, (1.0,) * 3)
    assert (found.statistic, found.pvalue) == pytest.approx((expected.statistic, expected.pvalue), rel=1e-9)
