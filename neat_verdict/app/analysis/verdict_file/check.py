"""Works a verdict out again from its counts: SciPy, and nothing of the application that gave it.

    python check.py [folder]      Python 3.10 or newer, with SciPy; Windows, macOS, Linux

Reads rule.csv, variants.csv, metrics.csv, counts.csv and looks.csv, and compares what follows from them with figures.csv. Ends
with 1 where a figure that it covers differs by more than a millionth of itself. README.txt says what each figure is, and whose
methods these are.
"""

import csv
import math
import sys
from datetime import date
from pathlib import Path

import numpy as np
from scipy import integrate, optimize, special, stats

TOLERANCE = 1e-6  # of a figure itself
NEVER = 38.0  # a critical value that nothing reaches


# What is in the file


def table(folder, name):
    with open(Path(folder) / name, newline="", encoding="utf-8") as file:
        return list(csv.DictReader(file))


def number(text):
    return float(text) if text else math.nan


class Metric:
    """A metric as it was planned, and the sums of each variant over all days that were read."""

    def __init__(self, row, counts, variants):
        self.key, self.name, self.role, self.kind = row["metric"], row["name"], row["role"], row["kind"]
        self.sign = 1 if row["good_direction"] == "up" else -1
        self.margin = number(row["margin"]) if row["margin"] else 0.0
        self.level = number(row["planned_level"])
        self.rows = [line for line in counts if line["metric"] == self.key]
        self.arms = [self.summed(letter) for letter in variants]
        if self.kind == "adjusted":
            self.arms = adjusted(self.arms)
        self.arms = [Arm(sums, self.kind) for sums in self.arms]

    def summed(self, letter):
        mine = [line for line in self.rows if line["variant"] == letter]
        names = [
            name
            for name in (self.rows[0] if self.rows else {})
            if name not in ("metric", "first_day", "day", "variant")
        ]
        return {name: math.fsum(number(line[name]) for line in mine) for name in names}


class Arm:
    """``m`` is the level and ``v`` its variance, ``n`` the units; ``s2`` and ``s3`` are sums of squared and cubed deviations."""

    def __init__(self, sums, kind):
        self.n, self.rate = sums.get("units", 0.0), kind == "rate"
        self.m = self.v = self.s2 = self.s3 = math.nan
        n = self.n
        if kind == "rate":
            self.total = self.x = sums.get("conversions", 0.0)
            self.m = self.x / n if n else math.nan
        elif kind in ("mean", "adjusted"):
            self.total = y = sums.get("total", 0.0)
            if n:
                self.m = y / n
                self.s2 = max(sums["squares"] - y * self.m, 0.0)
                self.s3 = kept(n, self.s2, [sums["cubes"], -3 * self.m * sums["squares"], 2 * self.m**2 * y])
            if n > 1:
                self.v = self.s2 / (n - 1) / n
        elif kind == "ratio":
            self.total, b = sums.get("numerator", 0.0), sums.get("denominator", 0.0)
            if b:
                r = self.m = self.total / b
                self.s2 = max(
                    sums["numerator_squares"] - 2 * r * sums["cross"] + r**2 * sums["denominator_squares"], 0.0
                )
                terms = [sums["numerator_cubes"], -3 * r * sums["squares_cross"], 3 * r**2 * sums["cross_squares"]]
                self.s3 = kept(n, self.s2, [*terms, -(r**3) * sums["denominator_cubes"]])
                if n > 1:
                    self.v = self.s2 * n / (n - 1) / b**2
        else:
            self.total = math.nan

    @property
    def comparable(self):
        return self.n > 0 if self.rate else math.isfinite(self.v)


def kept(n, squares, terms):
    """The sum of the terms; not a number where so much of it cancels that its digits are lost."""
    total = math.fsum(terms)
    lost = squares > 0 and 1e-15 * math.fsum(map(abs, terms)) > 0.01 * n * (squares / n) ** 1.5
    return math.nan if lost else total


def adjusted(arms):
    """y - b(x - c), x what a unit came to before, b the slope within the variants and c the mean of x (Lin 2013)."""
    some = [one for one in arms if one["units"] > 0]
    if not some:
        return arms

    def within(product, first, second):
        return math.fsum(one[product] - one[first] * one[second] / one["units"] for one in some)

    xx, yy = within("before_squares", "before", "before"), within("squares", "total", "total")
    xy = within("cross", "total", "before")
    none = xx <= 1e-12 * max(math.fsum(one["before_squares"] for one in some), 1e-300) or yy <= 0
    b = 0.0 if none else xy / xx
    c = math.fsum(one["before"] for one in some) / math.fsum(one["units"] for one in some)
    result = []
    for one in arms:
        n, y, x, y2, x2, both = (
            one[name] for name in ("units", "total", "before", "squares", "before_squares", "cross")
        )
        total = y - b * (x - c * n)
        squares = y2 - 2 * b * (both - c * y) + b**2 * (x2 - 2 * c * x + c**2 * n)
        third = (
            one["cubes"] - 3 * b * one["squares_cross"] + 3 * b**2 * one["cross_squares"] - b**3 * one["before_cubes"]
        )
        k = b * c
        cubes = third + 3 * k * (y2 - 2 * b * both + b**2 * x2) + 3 * k**2 * (y - b * x) + n * k**3
        result.append({"units": n, "total": total, "squares": max(squares, total**2 / n if n else 0.0), "cubes": cubes})
    return result


# Two rates: the score test, and the intervals that invert it, by root-finding


def score_z(one, other):
    converted, whole = one.x + other.x, one.n + other.n
    spread = math.sqrt(converted / whole * ((whole - converted) / whole) * (1 / one.n + 1 / other.n))
    return (one.m - other.m) / spread if spread else 0.0


def likeliest(one, other, rates, turn):
    """Both rates, each with its complement, where the likelihood is largest: ``rates`` gives them along a logit, and ``turn`` how
    fast the first changes where the other changes by 1."""

    def slope(logit):
        (q, not_q), (p, not_p) = rates(logit)
        return turn * (one.x / q - (one.n - one.x) / not_q) + other.x / p - (other.n - other.x) / not_p

    if slope(-60) <= 0:
        return rates(-math.inf)
    if slope(60) >= 0:
        return rates(math.inf)
    return rates(optimize.brentq(slope, -60, 60, xtol=1e-14, rtol=8.9e-16))


def z_of_difference(one, other, delta):
    """Of "the rates differ by delta", both at their likeliest values under it (Mee 1984)."""
    width = 1 - abs(delta)
    if width <= 0:
        return 0.0
    first, second = max(delta, 0.0), max(-delta, 0.0)

    def rates(logit):
        """Sums of what is not negative, so that no digits are lost."""
        up, down = width * float(special.expit(logit)), width * float(special.expit(-logit))
        return (first + up, second + down), (second + up, first + down)

    (q, not_q), (p, not_p) = likeliest(one, other, rates, 1.0)
    spread = math.sqrt(q * not_q / one.n + p * not_p / other.n)
    gap = one.m - other.m - delta
    return gap / spread if spread > 0 else math.copysign(NEVER, gap) if gap else 0.0


def z_of_ratio(one, other, theta):
    """Of "the first rate is theta times the other", both at their likeliest values under it (Koopman 1984)."""

    def rates(logit):
        up, down = float(special.expit(logit)), float(special.expit(-logit))
        if theta <= 1:
            return (theta * up, 1 - theta + theta * down), (up, down)
        return (up, down), (up / theta, (theta - 1 + down) / theta)

    (q, not_q), (p, not_p) = likeliest(one, other, rates, theta)
    spread = math.sqrt(q * not_q / one.n + theta**2 * p * not_p / other.n)
    return (one.m - theta * other.m) / spread if spread > 0 else 0.0


def interval_of_rates(one, other, c):
    """Bounds of the difference and of the lift."""

    gap = one.m - other.m

    def difference(level, end):
        def excess(delta):
            return z_of_difference(one, other, delta) - level

        return end if excess(gap) * excess(end) > 0 else optimize.brentq(excess, gap, end, xtol=1e-16, rtol=8.9e-16)

    bounds = difference(c, -1 + 1e-12), difference(-c, 1 - 1e-12)

    def ratio(level):
        def excess(log):
            return z_of_ratio(one, other, math.exp(log)) - level

        low, high = -1.0, 1.0
        while excess(low) < 0 and low > -600:
            low *= 2
        while excess(high) > 0 and high < 600:
            high *= 2
        return math.exp(optimize.brentq(excess, low, high, xtol=1e-14, rtol=8.9e-16))

    low = ratio(c) if one.x else 0.0
    high = ratio(-c) if other.x else math.inf
    return bounds, (low - 1, high - 1)


def wilson(arm, c):
    x, n = arm.x, arm.n
    root = c * math.sqrt(x * (n - x) / n + c * c / 4)
    return (x + c * c / 2 - root) / (n + c * c), (x + c * c / 2 + root) / (n + c * c)


# Two means or ratios: Welch's test with the skewness taken out, and Fieller's interval


def skewness(one, other):
    """Of the difference's statistic: the shape is pooled, and even arms cancel it (Johnson 1978, Hall 1992). None: not known."""
    if one.rate or math.isnan(one.s3) or math.isnan(other.s3) or one.s2 + other.s2 <= 0:
        return None
    n, s2, s3 = one.n + other.n, one.s2 + other.s2, one.s3 + other.s3
    of_values = s3 / n / (s2 / n) ** 1.5
    return of_values * (1 / one.n**2 - 1 / other.n**2) / (1 / one.n + 1 / other.n) ** 1.5


def without(t, a):
    return t + a * t**2 / 3 + a**2 * t**3 / 27 + a / 6


def skewed(z, a):
    """The t of which `without` makes z."""
    if not math.isfinite(z):
        return z
    if abs(a) < 1e-6:
        return z - a * (1 + 2 * z**2) / 6
    inner = 1 + a * (z - a / 6)
    return 3 / a * (math.copysign(abs(inner) ** (1 / 3), inner) - 1)


def freedom(one, other):
    below = one.v**2 / (one.n - 1) + other.v**2 / (other.n - 1)
    return max((one.v + other.v) ** 2 / below, 1.0) if below > 0 else math.inf


def welch_z(one, other):
    """The normal value with the tail of Welch's t."""
    error = math.sqrt(one.v + other.v)
    if error == 0:
        return 0.0
    t = without((one.m - other.m) / error, skewness(one, other) or 0.0)
    tail = stats.t.sf(abs(t), freedom(one, other))
    return math.copysign(-special.ndtri(tail) if tail > 1e-300 else abs(t), t)


def interval_of_means(one, other, c):
    error = math.sqrt(one.v + other.v)
    if error == 0:
        return (-math.inf, math.inf), (-math.inf, math.inf)
    a, f = skewness(one, other) or 0.0, freedom(one, other)
    t = float(stats.t.isf(special.ndtr(-c), f)) if math.isfinite(f) else c
    below, above = skewed(t, a), -skewed(-t, a)
    gap = one.m - other.m
    difference = gap - below * error, gap + above * error
    far = max(below**2, above**2)
    if not (math.isfinite(far) and other.m > 0 and other.m**2 - far * other.v > 0):
        return difference, (-math.inf, math.inf)
    bounds = []
    for side, c_side in ((-1, below), (1, above)):
        within = one.v * other.m**2 + other.v * one.m**2 - c_side**2 * one.v * other.v
        root = c_side * math.sqrt(max(within, 0.0))
        bounds.append((one.m * other.m + side * root) / (other.m**2 - c_side**2 * other.v) - 1)
    return difference, tuple(bounds)


# By what threshold


def normal(level):
    """Two-sided critical value."""
    return -special.ndtri(level / 2)


def dunnett_p(z, control, units, sides):
    """The chance that any of the comparisons lies as far out, if none differs (Dunnett 1955)."""
    c = abs(z) if sides == "two" else z
    if len(units) == 1:
        return float(special.ndtr(-c)) * (2 if sides == "two" else 1)
    loadings = [math.sqrt(n / (n + control)) for n in units]

    def any_beyond(u):
        inside = 0.0
        for load in loadings:
            rest = math.sqrt(1 - load * load)
            outside = special.ndtr((load * u - c) / rest)
            if sides == "two":
                outside += special.ndtr((-load * u - c) / rest)
            inside += math.log1p(-min(outside, 1 - 1e-16))
        return -math.expm1(inside) * math.exp(-u * u / 2) / math.sqrt(2 * math.pi)

    turns = sorted({-9.0, 0.0, 9.0, *(side * min(c / load, 8.9) for load in loadings for side in (-1, 1))})
    parts = [integrate.quad(any_beyond, a, b, epsabs=0, epsrel=1e-11, limit=400)[0] for a, b in zip(turns, turns[1:])]
    return min(math.fsum(parts), 1.0)


def spent(t, level, spending):
    """Of a two-sided level, when the share t of the planned data is in (Lan & DeMets 1983)."""
    t = min(t, 1.0)
    if spending == "obrien_fleming":
        return 4 * special.ndtr(special.ndtri(level / 4) / math.sqrt(t))
    return level * math.log1p((math.e - 1) * t)


NODES, WEIGHTS = special.roots_legendre(24)


def boundary(information, level, spending, final):
    """Critical values of the looks: each spends its part among the runs that have not crossed before, followed look by look
    (Armitage, McPherson & Rowe 1969)."""
    before, t, points, mass, values = 0.0, 0.0, np.zeros(1), np.ones(1), []
    for place, now in enumerate(information):
        total = level if final and place == len(information) - 1 else spent(now, level, spending)
        step, part = math.sqrt(now - t), total - before

        def crossed(c):
            edge = c * math.sqrt(now)
            return float((special.ndtr((points - edge) / step) + special.ndtr((-edge - points) / step)) @ mass)

        c = NEVER
        if part > 1e-300:
            c = optimize.brentq(lambda c: math.log(max(crossed(c), 1e-320)) - math.log(part), 0.0, NEVER, xtol=1e-13)
        values.append(c)
        edge = min(c, 8.5) * math.sqrt(now)
        panels = max(2, math.ceil(edge / (2 * step)))
        half = edge / panels
        centres = -edge + half * (2 * np.arange(panels) + 1)
        coming = (centres[:, None] + half * NODES).ravel()
        density = np.exp(-(((coming[:, None] - points) / step) ** 2) / 2) @ mass / (step * math.sqrt(2 * math.pi))
        mass, points = np.tile(half * WEIGHTS, panels) * density, coming
        before, t = total, now
    return values


class Threshold:
    """By what critical value variants are compared with control, and what p a statistic has among all of them."""

    def __init__(self, rule, units, sides):
        self.sides, self.units, level = sides, units, 1 - number(rule["confidence"])
        self.looks, self.spending = rule["information"], rule["spending"]
        self.final, self.shared = rule["looks_last"] == "yes", len(units) - 1
        if rule["method"] == "fixed":
            one = normal(2 * level if sides == "one" else level)
            most = normal((2 if sides == "one" else 1) * level / self.shared)
            self.value = one
            if self.shared > 1:
                self.value = optimize.brentq(lambda c: self.p(c) - level, one - 1e-9, most + 1e-9, xtol=1e-12)
        else:
            each = level / self.shared
            self.value = boundary(
                self.looks, min(2 * each, 1 - 1e-9) if sides == "one" else each, self.spending, self.final
            )[-1]

    def p(self, z):
        if not self.looks:
            return dunnett_p(z, self.units[0], self.units[1:], self.sides)
        if self.sides == "one" and z <= 0:
            return 1.0
        each = self.smallest_level(abs(z)) / (2 if self.sides == "one" else 1)
        return min(self.shared * each, 1.0)

    def smallest_level(self, size):
        """The smallest level of all looks together whose boundary at the latest is reached."""

        def excess(log):
            return boundary(self.looks, math.exp(log), self.spending, self.final)[-1] - size

        low, high = math.log(1e-12), math.log(1 - 1e-9)
        if excess(high) > 0:
            return 1.0
        return 1e-12 if excess(low) < 0 else math.exp(optimize.brentq(excess, low, high, xtol=1e-9))


def family(pvalues, level, correction):
    """Adjusted p, and the level of each interval: Holm (1979), or Benjamini & Hochberg (1995)."""
    order = sorted(range(len(pvalues)), key=lambda at: pvalues[at])
    count, adjusted_p, levels = len(pvalues), [0.0] * len(pvalues), [0.0] * len(pvalues)
    if correction == "holm":
        largest = 0.0
        for rank, at in enumerate(order):
            largest = adjusted_p[at] = max(largest, min(pvalues[at] * (count - rank), 1.0))
        stands = sum(p <= level for p in adjusted_p)
        for rank, at in enumerate(order):
            levels[at] = level / (count - min(rank, stands, count - 1))
        return adjusted_p, levels
    smallest = 1.0
    for rank in range(count, 0, -1):
        at = order[rank - 1]
        smallest = adjusted_p[at] = min(smallest, pvalues[at] * count / rank)
    found = max(sum(p <= level for p in adjusted_p), 1)
    return adjusted_p, [found * level / max(count, 1)] * count


# A variant against control


def statistic(one, other):
    return score_z(one, other) if one.rate else welch_z(one, other)


def uneven(one, other):
    """Skewness of a statistic of two rates if nothing differed: of one side of a test alone nothing cancels it."""
    p = (one.x + other.x) / (one.n + other.n)
    if not 0 < p < 1:
        return 0.0
    part = (1 / one.n**2 - 1 / other.n**2) / (1 / one.n + 1 / other.n) ** 1.5
    return min(max(part * (1 - 2 * p) / math.sqrt(p * (1 - p)), -1.0), 1.0)


class Comparison:
    def __init__(self, one, other, critical_value, p_adjusted=math.nan):
        self.c, self.adjusted = critical_value, p_adjusted
        self.z = statistic(one, other)
        self.p = 2 * float(special.ndtr(-abs(self.z)))
        self.difference_at = one.m - other.m
        self.lift_at = one.m / other.m - 1 if other.m > 0 else math.nan
        self.difference, self.lift = (interval_of_rates if one.rate else interval_of_means)(one, other, critical_value)
        a = skewness(one, other)
        self.trusted = a is None or abs(a) <= 0.4
        self.undefined = not one.rate and not math.isfinite(self.lift[0])
        self.margin = math.nan


def compared_by_rule(metric, rule, threshold):
    """Each variant against control, as the rule has it."""
    sign, one_sided = metric.sign, rule["sides"] == "one" and rule["question"] != "equivalence"
    result = []
    for variant in metric.arms[1:]:
        control, c = metric.arms[0], threshold.value
        a = sign * uneven(variant, control) if one_sided and variant.rate else 0.0
        if a:
            c = skewed(c - a / 4, -a / 2)
        made = Comparison(variant, control, max(c, 1e-6) if one_sided else c)
        z = made.z * sign
        if one_sided:
            z = without(z, -a / 2) + a / 4
            made.p = float(special.ndtr(-z))
        made.adjusted = threshold.p(z)
        if rule["question"] != "superiority":
            made.margin = against_margin(variant, control, rule, threshold, sign, a)
        result.append(made)
    return result


def against_margin(variant, control, rule, threshold, sign, a):
    """p of "the effect lies beyond the margin": of both sides, where both are asked for, the one that says less."""
    margin = number(rule["worthwhile_lift"])
    borders = (-margin, margin) if rule["question"] == "equivalence" else (-margin,)
    inward = min((-border / margin) * sign * z_at(variant, control, sign * border) for border in borders)
    size = without(inward, -a / 2) + a / 4
    return 1.0 if rule["sides"] == "two" and size <= 0 else threshold.p(size)


def z_at(variant, control, lift):
    if variant.rate:
        return min(max(z_of_ratio(variant, control, 1 + lift), -20.0), 20.0)
    seen = variant.m / control.m - 1 if control.m > 0 else math.nan
    if math.isnan(seen) or seen == lift:
        return 0.0
    above = seen > lift

    def room(c):
        low, high = interval_of_means(variant, control, c)[1]
        return max(low - lift if above else lift - high, -1.0)

    if room(20.0) > 0:
        size = 20.0
    elif room(1e-9) < 0:
        size = 0.0
    else:
        size = optimize.brentq(room, 1e-9, 20.0, xtol=1e-11)
    return size if above else -size


# Whether the data agree with the plan


def split_p(units, weights):
    """Chi-square of the units against the planned shares; exact and binomial where fewer than 10 are expected."""
    total, whole = sum(units), sum(weights)
    if not total:
        return 1.0
    shares = [weight / whole for weight in weights]
    if min(shares) * total >= 10:
        return float(
            stats.chi2.sf(sum((n - total * s) ** 2 / (total * s) for n, s in zip(units, shares)), len(units) - 1)
        )
    tails = [min(stats.binom.cdf(n, total, s), stats.binom.sf(n - 1, total, s)) for n, s in zip(units, shares)]
    return min(2 * (1 if len(units) == 2 else len(units)) * float(min(tails)), 1.0)


def same_time(days):
    """Chi-square of homogeneity over days (joined until each cell expects 5), and the longest stretch of days without a variant;
    returns the p of the first, and whether neither says that the variants ran apart."""
    total = sum(map(sum, days))
    if not total:
        return 1.0, True
    columns = list(zip(*days))
    shares = [sum(column) / total for column in columns]
    joined, waiting = [], None
    if all(shares):
        for day in days:
            waiting = list(day) if waiting is None else [a + b for a, b in zip(waiting, day)]
            if min(sum(waiting) * share for share in shares) >= 5:
                joined.append(waiting)
                waiting = None
        if waiting is not None and joined:
            joined[-1] = [a + b for a, b in zip(joined[-1], waiting)]
    p = 1.0
    if len(joined) > 1:
        cells = [(seen, sum(row) * share) for row in joined for seen, share in zip(row, shares)]
        p = float(stats.chi2.sf(sum((seen - e) ** 2 / e for seen, e in cells), (len(joined) - 1) * (len(shares) - 1)))
    with_units = sum(1 for day in days if sum(day))
    present = sum(1 for column in columns if sum(column))
    for column in columns:
        mine = sum(column)
        for drawn in stretches(column, days) if mine else []:
            chance = 0.0
            if drawn <= total - mine:
                parts = ((total - mine + 1, 1), (total - mine - drawn + 1, -1), (total + 1, -1), (total - drawn + 1, 1))
                chance = math.exp(math.fsum(side * special.gammaln(part) for part, side in parts))
            if min(chance * with_units * present, 1.0) < 0.001:
                return p, False
    return p, not p < 0.001


def stretches(column, days):
    """Units of all variants in each longest stretch of days on which one variant has none."""
    result, drawn = [], 0
    for own, day in zip(column, days):
        if own:
            result.append(drawn)
            drawn = 0
        else:
            drawn += sum(day)
    return [one for one in (*result, drawn) if one]


# The verdict


class Reading:
    """The metric that decides, the others, and the rule."""

    def __init__(self, folder):
        self.rule = {row["name"]: row["value"] for row in table(folder, "rule.csv")}
        self.variants = table(folder, "variants.csv")
        self.letters = [row["variant"] for row in self.variants]
        counts, self.looks = table(folder, "counts.csv"), table(folder, "looks.csv")
        metrics = [Metric(row, counts, self.letters) for row in table(folder, "metrics.csv")]
        self.primary = next(one for one in metrics if one.role == "primary")
        self.others = [one for one in metrics if one.role != "primary"]
        self.whole = self.rule["covered"] == "whole"
        planned = [number(text) for text in self.rule["planned_units"].split()]
        self.units = [arm.n for arm in self.primary.arms]
        self.progress = min(n / plan for n, plan in zip(self.units, planned)) if planned else None
        self.rule["information"] = self.information(planned)
        self.comparisons, self.of_others = [], {}
        self.figures = {}

    def information(self, planned):
        numbers = sorted({int(row["look"]) for row in self.looks})
        units = {(int(row["look"]), row["variant"]): number(row["units"]) for row in self.looks}
        if not planned:
            return []
        return [min(units[look, letter] / plan for letter, plan in zip(self.letters, planned)) for look in numbers]

    def note(self, metric, letter, figure, value):
        self.figures[metric, letter, figure] = value

    def read(self):
        for metric in (self.primary, *self.others):
            for letter, arm in zip(self.letters, metric.arms):
                self.note(metric.key, letter, "units", arm.n)
                self.note(metric.key, letter, "level", arm.m)
        if self.rule["covered"] == "units":
            return
        rule, primary, level = self.rule, self.primary, 1 - number(self.rule["confidence"])
        self.note(
            "", "", "split_p", split_p([int(n) for n in self.units], [number(row["weight"]) for row in self.variants])
        )
        self.by_day()
        for letter, arm in zip(self.letters, primary.arms):
            low, high = wilson(arm, normal(level)) if arm.rate and arm.n else (math.nan, math.nan)
            if not arm.rate and math.isfinite(arm.v):
                reach = float(stats.t.isf(level / 2, arm.n - 1)) * math.sqrt(arm.v)
                low, high = arm.m - reach, arm.m + reach
            self.note(primary.key, letter, "level_low", low)
            self.note(primary.key, letter, "level_high", high)
        enough = all(arm.comparable for arm in primary.arms) and (
            rule["method"] != "group_sequential" or rule["information"]
        )
        if enough and not self.whole:  # only what does not hang on how often the rule reads
            for letter, variant in zip(self.letters[1:], primary.arms[1:]):
                made = Comparison(variant, primary.arms[0], 1.0)
                for figure, value in (
                    ("lift", made.lift_at),
                    ("difference", made.difference_at),
                    ("z", made.z),
                    ("p", made.p),
                ):
                    self.note(primary.key, letter, figure, value)
        if self.whole:
            if enough:
                self.comparisons = compared_by_rule(primary, rule, Threshold(rule, self.units, rule["sides"]))
            self.note_looks(level)
            self.judged_on_difference = any(one.undefined for one in self.comparisons)
            self.note_comparisons(primary, self.comparisons)
            self.read_others(level)
            verdict, variant = self.verdict()
            self.note("", "", "verdict", verdict)
            self.note("", "", "variant", variant)

    def by_day(self):
        days = sorted({row["day"] for row in self.primary.rows})
        seen = {(row["day"], row["variant"]): int(float(row["units"])) for row in self.primary.rows}
        begins = [row["first_day"] or row["day"] for row in self.primary.rows]
        self.days = 0
        if days:
            self.days = (date.fromisoformat(days[-1]) - date.fromisoformat(min(begins))).days + 1
        self.apart = False
        if all(first == row["day"] for first, row in zip(begins, self.primary.rows)):
            p, together = same_time([[seen.get((day, letter), 0) for letter in self.letters] for day in days])
            self.note("", "", "drift_p", p)
            self.apart = not together

    def note_looks(self, level):
        if self.rule["method"] == "group_sequential" and self.rule["information"]:
            each = level / (len(self.letters) - 1)
            each = min(2 * each, 1 - 1e-9) if self.rule["sides"] == "one" else each
            values = boundary(self.rule["information"], each, self.rule["spending"], self.rule["looks_last"] == "yes")
            for look, (t, c) in enumerate(zip(self.rule["information"], values), start=1):
                self.note("", str(look), "information", t)
                self.note("", str(look), "boundary", c)

    def note_comparisons(self, metric, comparisons):
        for letter, one in zip(self.letters[1:], comparisons):
            figures = {
                "lift": one.lift_at,
                "lift_low": one.lift[0],
                "lift_high": one.lift[1],
                "difference": one.difference_at,
                "difference_low": one.difference[0],
                "difference_high": one.difference[1],
                "z": one.z,
                "p": one.p,
                "p_adjusted": one.adjusted,
                "critical_value": one.c,
            }
            if metric is self.primary and not math.isnan(one.margin) and not self.judged_on_difference:
                figures["p_margin"] = one.margin
            for figure, value in figures.items():
                self.note(metric.key, letter, figure, value)

    def read_others(self, level):
        """Guardrails and goals by the standard of the rule; secondary metrics as one family over all their variants."""
        for role in ("secondary", "exploratory"):
            mine = [one for one in self.others if one.role == role and all(arm.comparable for arm in one.arms)]
            places = [(metric, variant) for metric in mine for variant in metric.arms[1:]]
            pvalues = [2 * float(special.ndtr(-abs(statistic(variant, metric.arms[0])))) for metric, variant in places]
            for (metric, variant), p, own in zip(places, *family(pvalues, level, self.rule["family"])):
                self.of_others.setdefault(metric.key, []).append(Comparison(variant, metric.arms[0], normal(own), p))
        if self.rule["guardrails_covered"] == "yes":
            for metric in self.others:
                if metric.role in ("guardrail", "goal") and all(arm.comparable for arm in metric.arms):
                    threshold = Threshold(self.rule, [arm.n for arm in metric.arms], "two")
                    made = [Comparison(variant, metric.arms[0], threshold.value) for variant in metric.arms[1:]]
                    for one in made:
                        one.adjusted = threshold.p(one.z)
                    self.of_others[metric.key] = made
        for metric in self.others:
            self.note_comparisons(metric, self.of_others.get(metric.key, []))

    def minimum_met(self):
        rule, arms = self.rule, self.primary.arms
        met = self.days >= int(rule["minimum_days"])
        longest = number(rule["longest_days"])
        if rule["method"] == "fixed" and self.progress is not None:
            met = met and (self.progress >= 1 or self.days + int(rule["warm_up_days"]) >= longest)
        elif rule["method"] == "group_sequential":
            met = met and bool(rule["information"])
        if arms[0].rate:
            for arm in arms[1:]:
                both, whole = arm.x + arms[0].x, arm.n + arms[0].n
                expected = min(arm.n, arms[0].n) * min(both, whole - both) / whole if whole else 0.0
                met = met and expected >= int(rule["least_conversions"])
        return met and all(one.trusted for one in self.comparisons)

    def effect(self, metric, comparisons):
        """(low, high) of each variant, turned so that positive is good, and whether it can be held against a margin: of the lift,
        or where that is undefined of the difference as a part of the planned level."""
        undefined = any(one.undefined for one in comparisons)
        unit = metric.level if math.isfinite(metric.level) else 1.0
        result = []
        for one in comparisons:
            low, high = (bound / unit for bound in one.difference) if undefined else one.lift
            result.append((low, high) if metric.sign > 0 else (-high, -low))
        return result, not undefined or math.isfinite(metric.level)

    def against(self, at):
        """Whether another metric is harmed by the variant, and whether each guardrail and goal is kept."""
        harmed, kept_all = False, True
        for metric in self.others:
            guarding = metric.role in ("guardrail", "goal")
            made = self.of_others.get(metric.key, [])
            low, high = -math.inf, math.inf
            if made:
                effects, sized = self.effect(metric, made)
                if made[at].trusted and (sized or not guarding):
                    low, high = effects[at]
            if metric.role != "exploratory":
                harmed = harmed or high < -metric.margin
            if guarding:
                kept_all = kept_all and low > -metric.margin
        return harmed, kept_all

    def verdict(self):
        rule, size = self.rule, number(self.rule["worthwhile_lift"])
        sound = not self.figures["", "", "split_p"] < 0.001 and not self.apart
        readable = sound and bool(self.comparisons) and self.minimum_met()
        effects, sized = self.effect(self.primary, self.comparisons)
        gains = [one.difference_at * self.primary.sign for one in self.comparisons]
        clear = [low > 0 for low, _ in effects]
        beaten = [high < 0 for _, high in effects]
        inside = [sized and -size < low and high < size for low, high in effects]
        if rule["question"] == "superiority":
            shown = [c and not i for c, i in zip(clear, inside)]
            refuted = [b or (sized and high < size) for b, (_, high) in zip(beaten, effects)]
        elif rule["question"] == "noninferiority":
            shown = [sized and low > -size for low, _ in effects]
            refuted = [sized and high < -size for _, high in effects]
        else:
            shown = inside
            refuted = [sized and (high < -size or low > size) for low, high in effects]
        wins = [readable and one for one in shown]
        against = [self.against(at) for at in range(len(wins))]
        unharmed = [win and not harmed for win, (harmed, _) in zip(wins, against)]
        clean = [one and kept_one for one, (_, kept_one) in zip(unharmed, against)]
        last = rule["method"] == "fixed" or rule["looks_last"] == "yes"
        closed = rule["ended"] == "yes" or (readable and last)

        def best(among):
            places = [at for at, one in enumerate(among) if one]
            return self.letters[1 + max(places, key=lambda at: gains[at])] if places else ""

        every = [True] * len(wins)
        ahead = best(unharmed) if any(unharmed) else best(every)
        no_win = readable and bool(wins) and not any(wins)
        clear_and_clean = [a and b for a, b in zip(clean, clear)]
        if not sound:
            return "unsound", ""
        if any(clear_and_clean) and rule["question"] != "equivalence":
            return "winner", best(clear_and_clean)
        if any(clean):
            return ("not_worse" if rule["question"] == "noninferiority" else "the_same"), best(clean)
        if any(wins) and (not any(unharmed) or closed):
            return "trade_off", best(unharmed) if any(unharmed) else best(wins)
        if rule["question"] == "superiority" and no_win and all(inside) and not all(beaten):
            return "no_worthwhile_difference", best(every)
        if no_win and all(refuted):
            return (
                ("not_the_same", best(every))
                if rule["question"] == "equivalence"
                else ("keep_control", self.letters[0])
            )
        return ("unresolved", best(every)) if closed else ("keep_collecting", ahead)


# What was said, and what follows


def slack(figure):
    """What a figure may differ by beyond its millionth: bounds of a lift or difference are what is left of rates near one
    another, and a statistic of 0 is one in rounding; a p has its digits however small it is."""
    if figure.startswith(("lift", "difference")):
        return 1e-10
    return 0.0 if figure.endswith("p") or figure.startswith("p_") else 1e-12


def same(figure, given, found):
    if isinstance(found, str):
        return given == found
    value = number(given)
    if math.isnan(value) or math.isnan(found):
        return math.isnan(value) and math.isnan(found)
    if math.isinf(value) or math.isinf(found):
        return value == found
    return abs(value - found) <= TOLERANCE * max(abs(value), abs(found)) + slack(figure)


def main(folder):
    reading = Reading(folder)
    reading.read()
    wrong = checked = 0
    left_out = {}
    for row in table(folder, "figures.csv"):
        place = row["metric"], row["variant"], row["figure"]
        if row["not_covered"]:
            left_out.setdefault(row["not_covered"], []).append(row["figure"])
            continue
        found = reading.figures.get(place, "not found")
        good = same(row["figure"], row["value"], found)
        checked, wrong = checked + 1, wrong + (not good)
        shown = found if isinstance(found, str) else f"{found:.10g}"
        print(
            f"{'ok   ' if good else 'WRONG'}  {' '.join(filter(None, place)):<44} given {row['value']:<24} found {shown}"
        )
    for reason, figures in left_out.items():
        print(f"not covered: {', '.join(sorted(set(figures)))}: {reason}")
    without_verdict = any("verdict" in figures for figures in left_out.values())
    print(f"{checked - wrong} of {checked} figures agree" + ("; the verdict is not covered" if without_verdict else ""))
    return 1 if wrong or not checked else 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1] if len(sys.argv) > 1 else Path(__file__).parent))
