"""Who set out for a variant's page and did not arrive: held against an exact test from elsewhere, and by simulation."""

import numpy as np
import pytest
from scipy.stats import fisher_exact

from neat_verdict.core.checks import InputError
from neat_verdict.core.soundness import (
    FailedChange,
    Observed,
    Part,
    Passage,
    check_passages,
    find_issues,
    where_most,
)

WAYS = ("/", "/b", "/c")


def passages(*counts):
    return [Passage("ABC"[place], WAYS[place], *both) for place, both in enumerate(counts)]


@pytest.mark.parametrize(
    ("control", "variant"),
    [
        ((500, 500), (500, 480)),
        ((4000, 3980), (4100, 3900)),
        ((90, 90), (30, 0)),
        ((100_000, 99_000), (100_000, 95_000)),
    ],
)
def test_the_chance_of_a_loss_is_that_of_fishers_exact_test(control, variant):
    """Reference: scipy.stats.fisher_exact, one-sided."""
    (loss,) = check_passages(passages(control, variant))
    lost = [[variant[0] - variant[1], variant[1]], [control[0] - control[1], control[1]]]
    assert loss.pvalue == pytest.approx(fisher_exact(lost, alternative="greater").pvalue, rel=1e-6)
    assert loss.passage.letter == "B"


@pytest.mark.parametrize(
    ("counts", "reported"),
    [
        (((1000, 1000), (1000, 1000)), ""),
        (((1000, 950), (1000, 940)), ""),  # alike
        (((10, 10), (10, 8)), ""),  # too few to say
        (((200_000, 200_000), (200_000, 199_000)), ""),  # half a percent: beyond chance, and not worth a word
        (((1000, 700), (1000, 990)), ""),  # control loses, as who leaves before the page is drawn
        (((1000, 999), (1000, 940)), "B"),
        (((1000, 999), (1000, 940), (1000, 0)), "BC"),
        (((0, 0), (0, 0)), ""),
        ((), ""),
    ],
)
def test_a_variant_is_reported_that_loses_more_than_control_and_than_chance(counts, reported):
    assert "".join(loss.passage.letter for loss in check_passages(passages(*counts))) == reported


def test_more_cannot_arrive_than_set_out():
    with pytest.raises(InputError, match=r"reached \(11\) must be 0 to 10"):
        Passage("B", "/b", 10, 11)


def test_the_issue_says_how_many_where_and_what_to_do():
    seen = Observed("AB", (1, 1), (1000, 1000), passages=passages((1000, 998), (1000, 940)))
    (issue,) = find_issues(seen)
    assert (issue.kind, issue.subject, issue.tone) == ("lost", "B", "warning")
    assert issue.sentence == "60 of 1,000 visitors that were sent to /b did not arrive there (6.0%; in control 0.2%)"
    assert "without the script" in issue.advice


# Where


PARTS = [Part("device=phone", 400, 55), Part("device=computer", 600, 5), Part("source=search", 500, 31)]


def test_where_most_are_affected_is_found_by_fishers_exact_test():
    """Reference: scipy.stats.fisher_exact, one-sided, of a part against the rest."""
    assert where_most(PARTS, 1000, 60) == PARTS[0]
    plain = {
        part.name: fisher_exact(
            [[part.affected, part.units - part.affected],
             [60 - part.affected, 1000 - part.units - 60 + part.affected]], alternative="greater"
        ).pvalue
        for part in PARTS
    }  # fmt: skip
    assert min(plain, key=plain.get) == "device=phone"
    assert where_most(PARTS[1:], 1000, 60) is None  # search has no more than chance: p 0.41
    assert plain["source=search"] > 0.1


@pytest.mark.parametrize(
    ("parts", "units", "affected"),
    [
        ([], 1000, 60),
        ([Part("device=phone", 1000, 60)], 1000, 60),  # all of them: nothing to hold it against
        ([Part("device=phone", 12, 3)], 30, 4),  # too few to say
        ([Part("device=phone", 0, 0)], 30, 4),
        ([Part(f"language={n}", 50, 3 + (n == 7) * 5) for n in range(20)], 1000, 65),  # the most of twenty
    ],
)
def test_nothing_stands_out_where_chance_would_do(parts, units, affected):
    assert where_most(parts, units, affected) is None


@pytest.mark.parametrize("affected", [-1, 13])
def test_more_cannot_be_affected_than_are_there(affected):
    with pytest.raises(InputError) as refused:
        Part("device=phone", 12, affected)
    assert refused.value.field == "affected"


def test_the_issues_say_where_most_are_lost_and_for_whom_a_change_fails():
    lost = [Passage("A", "/", 1000, 998), Passage("B", "/b", 1000, 940, parts=PARTS)]
    failed = FailedChange("B", "Link “Islands” is hidden", 1000, 60, PARTS)
    issues = {
        one.kind: one.sentence
        for one in find_issues(Observed("AB", (1, 1), (1000, 1000), passages=lost, page_changes=[failed]))
    }
    assert issues["lost"].endswith("(6.0%; in control 0.2%), most where device is phone (13.8% of 400)")
    assert issues["unmade"].endswith("Link “Islands” is hidden, most where device is phone (13.8% of 400)")
    even = FailedChange("B", "x", 1000, 60, PARTS[1:])
    (issue,) = find_issues(Observed("AB", (1, 1), (1000, 1000), page_changes=[even]))
    assert issue.sentence.endswith("a change could not be made: x")


def test_where_all_are_affected_alike_a_part_stands_out_at_most_once_in_a_thousand_times():
    """5,000 variants of 2,000 units in eight overlapping parts, 3 % affected; the level is 0.1 % among all parts."""
    draw = np.random.default_rng(15)
    runs, units = 5_000, 2_000
    parts = draw.random((8, units)) < np.linspace(0.05, 0.6, 8)[:, None]
    false = 0
    for _ in range(runs):
        hit = draw.random(units) < 0.03
        counted = [Part(str(n), int(one.sum()), int((one & hit).sum())) for n, one in enumerate(parts)]
        false += where_most(counted, units, int(hit.sum())) is not None
    assert false / runs <= 0.001 + 3 * np.sqrt(0.001 / runs)


def test_pages_that_lose_alike_are_reported_at_most_once_in_a_thousand_times():
    """20,000 experiments of two variants that lose 3 %; the level is 0.1 %, the exact test below it."""
    draw = np.random.default_rng(14)
    runs = 20_000
    arrived = draw.binomial(600, 0.97, (runs, 3))
    false = sum(bool(check_passages(passages(*((600, int(n)) for n in row)))) for row in arrived)
    assert false / runs < 0.001 + 3 * (0.001 / runs) ** 0.5
