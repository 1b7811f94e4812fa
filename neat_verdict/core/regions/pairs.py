"""Similar regions, two by two: matched so that the sum of their distances is the smallest there is."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass

import numpy as np
import rustworkx as rx

from neat_verdict.core.checks import InputError, check_positive
from neat_verdict.core.numeric import FloatArray
from neat_verdict.core.regions.panel import WEEK, Panel, weekly

_UNITS = 10**9
MIN_PAIRS = 6  # with five the smallest two-sided p is 2/2⁵ = 0.0625
MAX_DISTANCE = 3.0  # times the median distance of pairs; farther ones are no partners. The house's limit, no source
MIN_BASE = 56  # days that a test is held against, at least
MIN_WEEKS = 16  # of history, below which nothing is said of what is chance
FEATURES = ("level", "trend", "weekly pattern", "course of the year")


@dataclass(frozen=True, slots=True)
class RegionPair:
    """Two regions, by name in alphabetical order, and how far apart they are (`distances`)."""

    first: str
    second: str
    distance: float


@dataclass(frozen=True, slots=True)
class Balance:
    """How far regions lie apart in a ``feature``, on average, in its standard deviations over all regions: two of any, and the
    two of a pair."""

    feature: str
    any_two: float
    paired: float


@dataclass(frozen=True, slots=True)
class Matching:
    """Pairs from the closest on, the regions without a good partner, and the balance."""

    pairs: tuple[RegionPair, ...]
    without: tuple[str, ...]
    balance: tuple[Balance, ...]


def features_of(values: FloatArray) -> list[FloatArray]:
    """What regions are matched by, one array of regions x columns each, in the order of `FEATURES`.

    The logarithm of the daily mean; the slope of the logarithm of weekly sums; the logarithm of each weekday's share; the
    logarithm of each four weeks' sum beyond level and slope. Each is scaled so that its columns together vary by 1 over the
    regions.
    """
    weeks = np.log1p(weekly(values))
    time = np.arange(weeks.shape[1]) - (weeks.shape[1] - 1) / 2
    slope = (weeks * time).sum(axis=1, keepdims=True) / max(float((time**2).sum()), 1.0)
    kept = values.shape[1] // WEEK * WEEK
    by_weekday = values[:, values.shape[1] - kept :].reshape(len(values), -1, WEEK).sum(axis=1)
    pattern = np.log((by_weekday + 1) / (by_weekday + 1).sum(axis=1, keepdims=True))
    beyond = weeks - weeks.mean(axis=1, keepdims=True) - slope * time
    months = beyond.shape[1] // 4
    course = beyond[:, beyond.shape[1] - 4 * months :].reshape(len(values), months, 4).mean(axis=2)
    columns = (np.log(values.mean(axis=1, keepdims=True) + 1e-9), slope, pattern, course)
    return [_scaled(column) for column in columns]


def _scaled(columns: FloatArray) -> FloatArray:
    if columns.shape[1] == 0:
        return columns
    apart = columns - columns.mean(axis=0)
    spread = float(np.sqrt((apart**2).sum(axis=1).mean()))
    return np.asarray(apart / spread if spread > 1e-12 else np.zeros_like(apart))


def reliabilities(values: FloatArray) -> list[float]:
    """How far each of `FEATURES` is the regions' own, and not chance: its correlation between odd and even weeks, 0 to 1.

    1 where there is too little to say. A feature in which regions hardly differ is all noise, and scaled like the others it would
    pair regions by chance.
    """
    weeks = values.shape[1] // WEEK
    by_week = values[:, values.shape[1] - weeks * WEEK :].reshape(len(values), weeks, WEEK)
    if weeks < MIN_WEEKS:
        return [1.0] * len(FEATURES)
    even = weeks // 2 * 2
    halves = (by_week[:, part:even:2].reshape(len(values), -1) for part in (0, 1))
    result = []
    for first, second in zip(*map(features_of, halves), strict=True):
        spread = float(np.sqrt((first**2).sum() * (second**2).sum()))
        result.append(max(float((first * second).sum()) / spread, 0.0) if spread else 0.0)
    return result


def distances(features: Sequence[FloatArray]) -> FloatArray:
    """Root of the sum of squared differences, regions x regions."""
    whole = np.concatenate(list(features), axis=1)
    squares = (whole**2).sum(axis=1)
    return np.asarray(np.sqrt(np.maximum(squares[:, None] + squares - 2 * whole @ whole.T, 0)))


def match_regions(
    panel: Panel,
    outcome: str,
    *,
    without: Collection[str] = (),
    must: Collection[str] = (),
    max_distance: float = MAX_DISTANCE,
) -> Matching:
    """Pair similar regions.

    Parameters
    ----------
    panel : Panel
    outcome : str
        What they are matched by.
    without, must : regions
        Those kept out, and those that stay in however far their partner is.
    max_distance : float
        Times the median distance of the pairs, above 0, beyond which a region has no good partner.

    Returns
    -------
    Matching
        As many pairs as there can be with the smallest sum of distances (minimum-weight maximum matching); those too far apart
        are given up again. A region without any outcome for eight weeks, in which it has no growth, has no partner either.

    Raises
    ------
    InputError
        For a region it does not know, one that is kept out and must stay, or fewer than two regions.

    References
    ----------
    Greevy, Lu, Silber & Rosenbaum (2004), Biostatistics 5, 263-275 (optimal non-bipartite matching before randomisation).
    """
    check_positive("max_distance", max_distance)
    panel.rows([*without, *must])
    if both := sorted(set(without) & set(must)):
        raise InputError("must", both[0], "must not be kept out at the same time")
    silent = silent_regions(panel, outcome)
    names = [name for name in panel.regions if name not in set(without) and name not in silent]
    if len(names) < 2:
        raise InputError("regions", len(names), "must be two at least to make a pair")
    values = panel.only(names).outcome(outcome)
    features = features_of(values)
    apart = weighted_distances(values, features)
    chosen = _matched(apart)
    usual = float(np.median([apart[i, j] for i, j in chosen])) if chosen else 0.0
    pairs = sorted(
        (
            RegionPair(min(names[i], names[j]), max(names[i], names[j]), float(apart[i, j]))
            for i, j in chosen
            if apart[i, j] <= max_distance * usual or {names[i], names[j]} & set(must)
        ),
        key=lambda pair: (pair.distance, pair.first),
    )
    taken = {name for pair in pairs for name in (pair.first, pair.second)}
    rest = tuple(name for name in panel.regions if name not in taken and name not in set(without))
    return Matching(tuple(pairs), rest, balance_of(names, features, pairs))


def pairs_from(panel: Panel, outcome: str, listed: Sequence[tuple[str, str]]) -> Matching:
    """Pairs as somebody listed them. Raises InputError for a region it does not know, or one in two pairs."""
    names = [name for pair in listed for name in pair]
    places = dict(zip(names, panel.rows(names), strict=True))
    for name in names:
        if names.count(name) > 1:
            raise InputError("pairs", name, "must be in one pair only")
    values = panel.outcome(outcome)
    features = features_of(values)
    apart = weighted_distances(values, features)
    pairs = tuple(RegionPair(min(pair), max(pair), float(apart[places[pair[0]], places[pair[1]]])) for pair in listed)
    without = tuple(name for name in panel.regions if name not in set(names))
    return Matching(pairs, without, balance_of(panel.regions, features, pairs))


def balance_of(
    names: Sequence[str], features: Sequence[FloatArray], pairs: Sequence[RegionPair]
) -> tuple[Balance, ...]:
    """Distance within the pairs, and that of any two regions, feature by feature."""
    places = {name: place for place, name in enumerate(names)}
    first = [places[pair.first] for pair in pairs]
    second = [places[pair.second] for pair in pairs]
    upper = np.triu_indices(len(names), 1)
    made = []
    for name, feature in zip(FEATURES, features, strict=True):
        apart = distances([feature])
        paired = float(apart[first, second].mean()) if pairs else 0.0
        made.append(Balance(name, float(apart[upper].mean()), paired))
    return tuple(made)


def weighted_distances(values: FloatArray, features: Sequence[FloatArray]) -> FloatArray:
    """Each feature counts by how far it is no chance."""
    return distances([part * feature for part, feature in zip(reliabilities(values), features, strict=True)])


def silent_regions(panel: Panel, outcome: str) -> set[str]:
    """Regions without any outcome over some stretch as long as the shortest base."""
    values = panel.outcome(outcome)
    if panel.days < MIN_BASE:
        return set()
    sums = np.lib.stride_tricks.sliding_window_view(values, MIN_BASE, axis=1).sum(axis=2).min(axis=1)
    return {name for name, least in zip(panel.regions, sums, strict=True) if least <= 0}


def _matched(apart: FloatArray) -> list[tuple[int, int]]:
    """Every region may have any partner: the complete graph, in whole units of a billionth of the largest distance."""
    count, largest = len(apart), float(apart.max()) or 1.0
    near = np.rint((1 - apart / largest) * _UNITS).astype(np.int64)
    graph: rx.PyGraph[None, int] = rx.PyGraph(multigraph=False)
    graph.add_nodes_from([None] * count)
    graph.add_edges_from([(i, j, int(near[i, j])) for i in range(count) for j in range(i + 1, count)])
    chosen = rx.max_weight_matching(graph, max_cardinality=True, weight_fn=int)
    return sorted((min(pair), max(pair)) for pair in chosen)
