"""How often 95 % intervals hold the truth, and tests at 5 % reject where nothing is there, whatever one case is.

    python benchmarks/coverage.py [draws] [words of the names to run]

Over designs: rows that are cases; rows that come in units, even and uneven in size, of which the candidate is a
property of the unit or differs from row to row. Wanted: intervals 93 to 97 %, tests 3 to 7 %; what lies surely outside
is starred.
"""

from __future__ import annotations

import sys
import warnings
from collections import defaultdict
from collections.abc import Callable, Iterator
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import special

from envelt.core.estimate import Estimate
from envelt.core.stats.correlation import pearson, spearman
from envelt.core.stats.crossing import Crossing
from envelt.core.stats.group_pairs import all_pairs
from envelt.core.stats.groups import GroupedRows
from envelt.core.stats.mantel_haenszel import stratified_rates
from envelt.core.stats.rates import event_rates
from envelt.core.stats.sampling import Sampling
from envelt.core.stats.straight import not_straight
from envelt.core.stats.trend import smooth_trend
from envelt.core.stats.within_groups import stratified_means, stratified_slope

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
Seen = Iterator[tuple[str, bool | float]]
"""A name that ends in the kind, "holds" or "rejects", and whether it did; NaN where nothing was given."""
SHARED = 0.4  # of the variance of what units share


@dataclass(frozen=True)
class Design:
    """Rows of one draw: of units with so many rows each, uneven or not; without units with so many rows."""

    name: str
    cases: int
    size: int = 1
    uneven: bool = False
    of_unit: bool = False

    def draw(self, r: np.random.Generator) -> Draw:
        """Draw the units of the rows."""
        if self.size == 1:
            return Draw(self, r, Sampling.of_rows(self.cases), np.arange(self.cases))
        n = np.full(self.cases, self.size)
        if self.uneven:
            n = np.maximum(1, np.round(self.size * r.gamma(1.5, 1 / 1.5, self.cases))).astype(int)
        units = np.repeat(np.arange(self.cases), n)
        return Draw(self, r, Sampling.of_units(units), units)


@dataclass(frozen=True)
class Draw:
    """One draw: what candidates and outcomes of its rows are made from."""

    design: Design
    r: np.random.Generator
    sampling: Sampling
    units: Ints

    def number(self) -> Floats:
        """A standard normal number, of which units share two fifths."""
        n = len(self.units)
        if self.design.size == 1:
            return self.r.normal(size=n)
        shared = self.r.normal(size=self.design.cases)[self.units]
        return np.sqrt(SHARED) * shared + np.sqrt(1 - SHARED) * self.r.normal(size=n)

    def candidate(self) -> Floats:
        """A standard normal number of the unit, or of the row."""
        if self.design.of_unit:
            return self.r.normal(size=self.design.cases)[self.units]
        return self.r.normal(size=len(self.units))

    def levels(self, k: int) -> Ints:
        """The k levels, uneven, of a candidate."""
        share = np.arange(1, k + 1) / np.arange(1, k + 1).sum()
        edges = special.ndtri(np.cumsum(share)[:-1])
        return np.searchsorted(edges, self.candidate()).astype(np.int64)

    def event(self, rate: float | Floats) -> NDArray[np.bool_]:
        """An event of a rate (of each row)."""
        return np.asarray(self.number() < special.ndtri(rate))


DESIGNS = (
    Design("40 rows", 40), Design("200 rows", 200), Design("1,000 rows", 1000),
    Design("20 units x 15, of unit", 20, 15, False, True), Design("20 units x 15", 20, 15),
    Design("60 units x 30, of unit", 60, 30, False, True), Design("60 units x 30", 60, 30),
    Design("60 uneven units, of unit", 60, 12, True, True), Design("60 uneven units", 60, 12, True),
    Design("200 units x 3, of unit", 200, 3, False, True), Design("200 units x 3", 200, 3),
)  # fmt: skip


def holds(e: Estimate, truth: float) -> float:
    """Say whether an interval holds the truth."""
    return float("nan") if np.isnan(e.low) else float(e.low <= truth <= e.high)


def rejects(p: float) -> float:
    """Say whether a test at 5 % rejects."""
    return float("nan") if np.isnan(p) else float(p < 0.05)


def two_groups(d: Draw) -> Seen:
    """Compare two groups that do not differ, and two that do by half a deviation."""
    side, y = d.levels(2), d.number()
    none = GroupedRows(y, side, ("0", "1"), d.sampling)
    for name, t in none.tests.items():
        yield f"{name} rejects", rejects(t.p)
    seen = GroupedRows(y + 0.5 * side, side, ("0", "1"), d.sampling)
    low, high = seen.summary.mean_interval
    yield "mean holds", holds(Estimate(0.5, low[1], high[1]), 0.5)
    yield "mean_difference holds", holds(seen.effects["mean_difference"], 0.5)
    yield "hedges_g holds", holds(seen.effects["hedges_g"], 0.5)
    yield "superiority holds", holds(seen.effects["superiority"], float(special.ndtr(0.5 / np.sqrt(2))))


def many_groups(d: Draw) -> Seen:
    """Compare four and twelve groups."""
    for k in (4, 12):
        groups, y = d.levels(k), d.number()
        labels = tuple(map(str, range(k)))
        for name, t in GroupedRows(y, groups, labels, d.sampling).tests.items():
            yield f"{name} of {k} rejects", rejects(t.p)
    groups, shift = d.levels(4), np.array([0.0, 0.3, 0.6, 0.2])
    share = np.arange(1, 5) / 10
    between = float(share @ (shift - share @ shift) ** 2)
    rows = GroupedRows(d.number() + shift[groups], groups, ("a", "b", "c", "d"), d.sampling)
    seen = GroupedRows(rows.values, rows.codes, rows.labels, d.sampling)
    yield "omega_squared holds", holds(seen.effects["omega_squared"], between / (between + 1))
    strong = GroupedRows(d.number() + 3 * shift[groups], groups, ("a", "b", "c", "d"), d.sampling)
    yield "omega_squared of much holds", holds(strong.effects["omega_squared"], 9 * between / (9 * between + 1))
    pairs = all_pairs(rows)
    for a, b, low, high in zip(pairs.first, pairs.second, pairs.low, pairs.high, strict=True):
        if (a, b) == (1, 2):
            yield "pair of groups holds", holds(Estimate(0.3, low, high), 0.3)


def rates(d: Draw) -> Seen:
    """Rates of an event in three groups, and contrasts of two."""
    for rate in (0.5, 0.1):
        groups = d.levels(3)
        seen = event_rates(groups, d.event(rate), 3, d.sampling)
        e = Estimate(seen.rate[1], seen.low[1], seen.high[1])
        yield f"rate of {rate} holds", holds(e, rate)
        side = d.levels(2)
        p = np.where(side == 1, rate, 0.6 * rate)
        hit = d.event(p).astype(np.int64)
        table = Crossing.of(side, hit, (2, 2), d.sampling)
        made = table.two_by_two()
        first, second = 0.6 * rate, rate
        odds = second / (1 - second) / (first / (1 - first))
        yield f"risk_difference of {rate} holds", holds(made["risk_difference"], second - first)
        yield f"risk_ratio of {rate} holds", holds(made["risk_ratio"], second / first)
        yield f"odds_ratio of {rate} holds", holds(made["odds_ratio"], odds)


def tables(d: Draw) -> Seen:
    """Tables of levels that have nothing to do with each other."""
    for rows, columns in ((2, 2), (3, 4), (12, 2)):
        a = d.levels(rows)
        share = np.arange(1, columns) / columns
        b = np.searchsorted(special.ndtri(share), d.number()).astype(np.int64)
        table = Crossing.of(a, b, (rows, columns), d.sampling)
        yield f"chi_square of {rows} x {columns} rejects", rejects(table.chi_square().p)
        if columns > 2:
            yield "trend rejects", rejects(table.trend().p)
            yield "gamma holds", holds(table.gamma(), 0.0)
            yield "cramers_v holds", holds(table.cramers_v(), 0.0)
    a, keeps = d.levels(3), d.number() < special.ndtri(0.7)
    b = np.where(keeps, a, d.r.integers(0, 3, len(a))).astype(np.int64)
    share = np.arange(1, 4) / 6
    both = 0.3 * np.outer(share, np.full(3, 1 / 3)) + 0.7 * np.diag(share)
    phi2 = float(np.sum(both**2 / np.outer(both.sum(axis=1), both.sum(axis=0)))) - 1
    yield "cramers_v of much holds", holds(Crossing.of(a, b, (3, 3), d.sampling).cramers_v(), float(np.sqrt(phi2 / 2)))


def correlations(d: Draw) -> Seen:
    """Correlations of 0 and 0.4, and a straight line."""
    x, y = d.candidate(), d.number()
    for name, of in (("pearson", pearson), ("spearman", spearman)):
        e, t = of(x, y, d.sampling)
        yield f"{name} rejects", rejects(t.p)
        yield f"{name} of 0 holds", holds(e, 0.0)
    z = 0.4 * x + np.sqrt(1 - 0.16) * y
    yield "pearson of 0.4 holds", holds(pearson(x, z, d.sampling)[0], 0.4)
    yield "spearman of 0.4 holds", holds(spearman(x, z, d.sampling)[0], 6 / np.pi * float(np.arcsin(0.2)))
    yield "not_straight rejects", rejects(not_straight(x, z, d.sampling).p)
    trend = smooth_trend(x, z, d.sampling)
    if trend is not None:
        at = int(np.argmin(np.abs(trend.at)))
        yield "trend band holds", holds(Estimate(0, trend.low[at], trend.high[at]), 0.4 * float(trend.at[at]))


def within(d: Draw) -> Seen:
    """Effects pooled within groups that shift both sides; groups of about 3, 10 and 40 rows."""
    n = len(d.units)
    for rows in (3, 10, 40):
        k = max(n // rows, 2)
        group = d.r.integers(0, k, n)
        shift = d.r.normal(size=k)[group]
        x = d.candidate() + shift
        s = stratified_slope(x, 0.5 * x + shift + d.number(), group, d.sampling)
        yield f"slope within {rows} holds", holds(s.pooled, 0.5)
        yield f"slope agreement within {rows} rejects", rejects(s.agreement.p)
        side = (d.candidate() + 0.5 * shift > 0).astype(np.int64)
        s = stratified_means(0.5 * side + shift + d.number(), side, group, d.sampling)
        yield f"means within {rows} holds", holds(s.pooled, 0.5)
        yield f"means agreement within {rows} rejects", rejects(s.agreement.p)
        base = special.expit(0.5 * shift - 1)
        p = np.where(side == 1, special.expit(special.logit(base) + 0.7), base)
        cells = np.bincount((group * 2 + side) * 2 + (hit := d.event(p)), minlength=4 * k).reshape(k, 2, 2)
        made = stratified_rates(cells, (group * 2 + side) * 2 + hit, d.sampling)["odds_ratio"]
        yield f"odds within {rows} holds", holds(made.pooled, float(np.exp(0.7)))
        yield f"odds agreement within {rows} rejects", rejects(made.agreement.p)
        p = np.where(side == 1, 0.45, 0.3)
        cells = np.bincount((group * 2 + side) * 2 + (hit := d.event(p)), minlength=4 * k).reshape(k, 2, 2)
        made = stratified_rates(cells, (group * 2 + side) * 2 + hit, d.sampling)["risk_difference"]
        yield f"risk difference within {rows} holds", holds(made.pooled, 0.15)
        yield f"risk agreement within {rows} rejects", rejects(made.agreement.p)


CASES: tuple[Callable[[Draw], Seen], ...] = (two_groups, many_groups, rates, tables, correlations, within)


def measured(job: tuple[int, int, int, int]) -> dict[str, list[float]]:
    """Return what some draws of one case in one design gave."""
    case, design, start, draws = job
    out = defaultdict(list)
    for seed in range(start, start + draws):
        d = DESIGNS[design].draw(np.random.default_rng([seed, case, design]))
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            for name, value in CASES[case](d):
                out[name].append(float(value))
    return out


def main() -> None:
    """Print a table: a line a quantity, a column a design."""
    draws = int(sys.argv[1]) if len(sys.argv) > 1 else 1000
    words = sys.argv[2:]
    which = [i for i, c in enumerate(CASES) if not words or c.__name__ in words]
    if not which:
        raise SystemExit(f"No such case. There is: {', '.join(c.__name__ for c in CASES)}.")
    jobs = [(c, d, s, 50) for c in which for d in range(len(DESIGNS)) for s in range(0, draws, 50)]
    seen: dict[str, dict[int, list[float]]] = defaultdict(lambda: defaultdict(list))
    with ProcessPoolExecutor() as pool:
        for job, made in zip(jobs, pool.map(measured, jobs, chunksize=4), strict=True):
            for name, values in made.items():
                seen[name][job[1]] += values
    for i, d in enumerate(DESIGNS):
        print(f"{chr(65 + i)}  {d.name}")
    print(f"{'':34s}" + "".join(f"{chr(65 + i):>8s}" for i in range(len(DESIGNS))))
    for name, of in seen.items():
        print(f"{name:34s}" + "".join(f"{written(name, of[i]):>8s}" for i in range(len(DESIGNS))))


def written(name: str, values: list[float]) -> str:
    """Return a share in per cent, starred where it is surely outside what is wanted."""
    known = np.array(values)[~np.isnan(values)]
    if len(known) < len(values) / 4:
        return "–"
    share, error = known.mean(), 2 * np.sqrt(0.05 * 0.95 / len(known))
    low, high = (0.93, 0.97) if name.endswith("holds") else (0.03, 0.07)
    return f"{share:.1%}" + ("*" if share < low - error or share > high + error else "")


if __name__ == "__main__":
    main()
