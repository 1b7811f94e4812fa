"""How the figures of a test by region are made."""

from __future__ import annotations

import math
from typing import Literal

import numpy as np
from scipy import special

from neat_verdict.core.checks import InputError
from neat_verdict.core.derivations.parts import interval_steps
from neat_verdict.core.regions import OutcomeEffect
from neat_verdict.core.text.statements import Derivation, Step, steps

RegionFigure = Literal["region_return", "region_lift", "region_pvalue"]


def region_derivation(figure: RegionFigure, one: OutcomeEffect, where: str) -> Derivation:
    """How the return, the lift or p of an outcome is made, ``where`` spending was changed in words. Raises InputError for a
    return where nothing was changed."""
    name = one.outcome.replace("_", " ") + (f", {one.group}" if one.group else "")
    if figure == "region_return":
        return _return(one, name)
    return _lift(one, name, where) if figure == "region_lift" else _pvalue(one, name)


def _return(one: OutcomeEffect, name: str) -> Derivation:
    made, found = one.effect.by_pair, one.effect.incremental
    if found is None:
        raise InputError("figure", "region_return", "is not there: as much was spent in both of the pairs")
    pairs = len(made.differences)
    covariance = pairs * np.cov(made.differences, made.spend, ddof=1)
    t = float(special.stdtrit(pairs - 1, (1 + one.confidence) / 2))
    return Derivation(
        f"Incremental return, {name}",
        "Of each pair d is the growth of the treated region less that of its partner, times the mean of their bases, and s the "
        "same of spend. The return is what the sums come to; its interval holds all ρ at which Σ(d − ρ·s) is not clear of 0.",
        "Σd/Σs; bounds ρ of (Σd − ρΣs)² = t²(V − 2ρC + ρ²U)",
        "Vaver & Koehler (2011); Kerman, Wang & Vaver (2017); Fieller (1954)",
        (
            Step("pairs", str(pairs)),
            *steps(
                [
                    ("Σd", float(made.differences.sum())),
                    ("Σs", float(made.spend.sum())),
                    ("V, variance of Σd", float(covariance[0, 0])),
                    ("U, variance of Σs", float(covariance[1, 1])),
                    ("C, covariance of the two", float(covariance[0, 1])),
                    ("t, Student’s, pairs − 1 degrees of freedom", t),
                ]
            ),
        ),
        interval_steps(found),
    )


def _lift(one: OutcomeEffect, name: str, where: str) -> Derivation:
    made, lift = one.effect.by_pair, one.effect.lift
    draws = len(lift.lifts)
    return Derivation(
        f"Lift {where}, {name}",
        "w is the growth of a treated region and c that of its partner, each times the mean of their bases. In each draw J of "
        "the same pairs some are turned; the lifts that are not rejected lie between two of the ratios Σ_J w/Σ_J c, as many from "
        "either end as the confidence leaves.",
        "Σw/Σc − 1; bounds the k-th of the ratios Σ_J w/Σ_J c from either end, less 1",
        "Fisher (1935), section 21; Hartigan (1969); Rosenbaum (2002), chapter 2",
        (
            Step("pairs", str(len(made.differences))),
            *steps([("Σw", float(made.treated.sum())), ("Σc", float(made.control.sum()))]),
            Step("draws", f"{draws:,}"),
            Step("k", str(math.floor((1 - one.confidence) / 2 * draws + 1e-9))),
        ),
        interval_steps(lift.interval),
    )


def _pvalue(one: OutcomeEffect, name: str) -> Derivation:
    made, lift = one.effect.by_pair, one.effect.lift
    draws = len(lift.lifts)
    difference = abs(float(made.treated.sum() - made.control.sum()))
    return Derivation(
        f"p of no effect, {name}",
        "Without any effect the two of a pair would have changed places in the other draw. p is the part of the draws, the one "
        "that was made among them, whose difference is as large as the one found."
        + ("" if lift.pvalue == one.pvalue else " It is adjusted by Holm’s steps for the other outcomes or groups."),
        "draws with |Σ_J w − Σ_J c| ≥ |Σw − Σc| by all draws",
        "Fisher (1935), section 21; Rosenbaum (2002), chapter 2",
        (
            *steps([("|Σw − Σc|", difference)]),
            Step("draws" if lift.exact else "draws, a sample with their mirror images", f"{draws:,}"),
            Step("draws as far", f"{round(lift.pvalue * draws):,}"),
        ),
        steps([("p", lift.pvalue), *([("p, adjusted", one.pvalue)] if lift.pvalue != one.pvalue else [])]),
    )
