"""What all variants stand on – the page, the configuration – and whether it changed on the way, in all of them or in some only.

Units bring the version of it that they saw at their first exposure. Which variant a unit got has nothing to do with when it came,
so that on every day the versions must be spread alike over the variants; where they are not, one variant changed by more than was
planned.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta

import numpy as np
from scipy import special

from neat_verdict.core.checks import check_table
from neat_verdict.core.numeric import FloatArray
from neat_verdict.core.soundness.split import SPLIT_ALARM

# The house's limits, no source: when a version is a day's, how late another variant may follow, and how few units say nothing.
_MOST, _FOLLOWS_WITHIN, _LEAST_A_DAY, _LEAST = 2 / 3, timedelta(days=3), 5, 20

# Units by day, by version, by variant (control first).
Versions = Mapping[date, Mapping[str, Sequence[int]]]


@dataclass(frozen=True, slots=True)
class BaseChange:
    """From ``day`` on most units saw another version, in these variants (positions); ``everywhere`` where those are all."""

    day: date
    before: str
    after: str
    variants: tuple[int, ...]
    everywhere: bool


@dataclass(frozen=True, slots=True)
class VersionCheck:
    """How a version is spread over the variants on the days on which there were others: its share of the units of each."""

    version: str
    shares: tuple[float, ...]
    statistic: float
    pvalue: float
    alarm: bool


def base_changes(seen: Versions) -> tuple[BaseChange, ...]:
    """When another version became a day's own, two thirds of the units of a variant and five at least, in order.

    What becomes so in several variants within three days is one change. Raises InputError for what is no table of units.
    """
    arms = _arms(seen)
    flips = sorted((day, before, after, at) for at in range(arms) for day, before, after in _flips(seen, at))
    result: list[BaseChange] = []
    with_units = {
        at for at in range(arms) if any(units[at] for versions in seen.values() for units in versions.values())
    }
    for day, before, after, at in flips:
        earlier = next(
            (
                place
                for place, one in enumerate(result)
                if one.after == after and day - one.day <= _FOLLOWS_WITHIN and at not in one.variants
            ),
            None,
        )
        variants = (at,) if earlier is None else tuple(sorted({*result[earlier].variants, at}))
        everywhere = with_units <= set(variants)
        if earlier is None:
            result.append(BaseChange(day, before, after, variants, everywhere))
        else:
            one = result[earlier]
            result[earlier] = BaseChange(one.day, one.before, one.after, variants, everywhere)
    return tuple(result)


def check_versions(seen: Versions) -> tuple[VersionCheck, ...]:
    """Whether each version is spread over the variants as the others of the same days are, the most telling first.

    The generalised Mantel–Haenszel test with days as strata (Mantel 1963; Landis, Heyman & Koch 1978; Agresti, *Categorical Data
    Analysis*, 8.4.3): with x_d the units of the version by variant, all but one, n_d their sum, N_d all units of the day and p_d
    the variants' parts of them, Σ(x_d - n_d p_d) has the covariance Σ n_d (N_d - n_d) / (N_d - 1) (diag(p_d) - p_d p_dᵀ) where
    chance alone decides. No plan of the split is needed, so that it may change. A version with fewer than 20 units, or with fewer
    than 20 others on its days, is passed over; the alarm of the split (p < 0.001) is shared among the versions (Bonferroni).
    Raises InputError for what is no table of units.
    """
    _arms(seen)
    names = sorted({version for versions in seen.values() for version in versions})
    found = [(name, made) for name in names if (made := _spread(seen, name)) is not None]
    level = SPLIT_ALARM / max(len(found), 1)
    result = [VersionCheck(name, shares, stat, p, p < level) for name, (shares, stat, p) in found]
    return tuple(sorted(result, key=lambda one: one.pvalue))


def _spread(seen: Versions, version: str) -> tuple[tuple[float, ...], float, float] | None:
    rows = [(versions.get(version), _total(versions)) for versions in seen.values()]
    mixed = [(own, total) for own, total in rows if own is not None and 0 < sum(own) < total.sum()]
    if not mixed:
        return None
    own = np.asarray([units for units, _ in mixed], dtype=np.float64)
    all_units = np.asarray([total for _, total in mixed], dtype=np.float64)
    shown = all_units.sum(axis=0) > 0
    own, all_units = own[:, shown], all_units[:, shown]
    n, total = own.sum(axis=1), all_units.sum(axis=1)
    if n.sum() < _LEAST or (total - n).sum() < _LEAST or shown.sum() < 2:
        return None
    part = all_units / total[:, None]
    apart = (own - n[:, None] * part).sum(axis=0)[1:]
    scale = n * (total - n) / np.maximum(total - 1, 1)
    covariance = np.einsum("d,dij->ij", scale, _multinomial(part))[1:, 1:]
    statistic = float(apart @ np.linalg.pinv(covariance) @ apart)
    shares = np.full(len(shown), np.nan)
    shares[shown] = own.sum(axis=0) / all_units.sum(axis=0)
    return tuple(shares.tolist()), statistic, float(special.chdtrc(len(apart), statistic))


def _multinomial(part: FloatArray) -> FloatArray:
    """diag(p) - p pᵀ of each row."""
    made: FloatArray = part[:, :, None] * np.eye(part.shape[1]) - part[:, :, None] * part[:, None, :]
    return made


def _flips(seen: Versions, variant: int) -> list[tuple[date, str, str]]:
    """When another version became a variant's own: (day, before, after)."""
    result, now = [], ""
    for day in sorted(seen):
        units = {version: counts[variant] for version, counts in seen[day].items()}
        version, most = max(units.items(), key=lambda line: line[1], default=("", 0))
        if most < _LEAST_A_DAY or most < _MOST * sum(units.values()):
            continue
        if now and version != now:
            result.append((day, now, version))
        now = version
    return result


def _total(versions: Mapping[str, Sequence[int]]) -> FloatArray:
    made: FloatArray = np.sum(list(versions.values()), axis=0, dtype=np.float64)
    return made


def _arms(seen: Versions) -> int:
    """How many variants there are. Raises InputError for rows of different lengths, or what is no number of units."""
    return int(check_table("seen", [units for versions in seen.values() for units in versions.values()]).shape[-1])
