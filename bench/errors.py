"""How often what is said is wrong: simulations of error rates and coverages, each with its Monte Carlo error; no test."""

from __future__ import annotations

import math
import sys
from collections.abc import Callable, Iterator
from itertools import product

import numpy as np

from neat_verdict.core.soundness import check_overlap

Line = tuple[str, int, int]  # a world, alarms, runs
SEED = 20261127


def share_with_error(alarms: int, runs: int) -> str:
    """ "0.25 ± 0.25 %": the share and its standard error, that of one alarm where there is none."""
    share = alarms / runs
    error = math.sqrt(max(share, 1 / runs) * (1 - share) / runs)
    return f"{100 * share:.2f} ± {100 * error:.2f} %"


def overlap(runs: int = 400) -> Iterator[Line]:
    """Fair splits called unsound: wanted at most 1 % at every traffic, split and length."""
    draw = np.random.default_rng(SEED)
    splits = [(0.5, 0.5), (0.8, 0.2), (0.9, 0.1), (0.99, 0.01), (0.4, 0.4, 0.2), (0.25,) * 4]
    for a_day, shares, days, random in product(
        (1, 2, 5, 10, 12, 25, 100, 1000, 100_000, 1_000_000), splits, (14, 28, 77, 91), (True, False)
    ):
        alarms = 0
        for _ in range(runs):
            came = draw.poisson(a_day, days) if random else np.full(days, a_day)
            alarms += not check_overlap([draw.multinomial(units, shares) for units in came]).same_time
        split = "/".join(f"{100 * share:g}" for share in shares)
        yield f"{a_day:,} a day {'at random' if random else 'each day'}, {split}, {days} days", alarms, runs


SIMULATIONS: dict[str, Callable[[], Iterator[Line]]] = {"overlap": overlap}


def main(names: list[str]) -> int:
    """Print the table of each simulation named, or of all."""
    unknown = [name for name in names if name not in SIMULATIONS]
    if unknown:
        print(f"{unknown[0]} must be one of {', '.join(SIMULATIONS)}", file=sys.stderr)
        return 2
    for name in names or SIMULATIONS:
        print(f"\n{SIMULATIONS[name].__doc__}")
        for world, alarms, runs in SIMULATIONS[name]():
            print(f"  {world:60} {share_with_error(alarms, runs)}", flush=True)
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
