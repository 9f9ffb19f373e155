"""All candidates against the outcome at a glance: one number each, on scales that can be read together."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from .. import thresholds as T
from ..columns.grouping import Grouping
from ..columns.outcome import ClassOutcome, NumericOutcome, Outcome, Said
from ..columns.table import CategoryColumn, Column
from ..estimate import UNDEFINED, UNDEFINED_TEST, Estimate, Significance
from ..finding import Finding, by_weight, failed_finding, marked
from ..kept import Remade
from ..parallel import Progress, Slowly, in_threads
from ..relations.profile import LeadingLevel, leading_levels
from ..shapes.quantiles import Rows, rate_edges, rows_of_groups
from ..shapes.ranks import ranks_of, ranks_of_ordinals
from ..stats.correlation import spearman_of_ranks
from ..stats.crossing import Crossing
from ..stats.group_summary import GroupSummary
from ..stats.groups import GroupedRows
from ..stats.multiplicity import q_values
from ..stats.rates import rate_bins
from ..stats.sampling import Sampling
from ..stats.shrinkage import shrunken_levels
from ..tallies.crossed import Contingency
from ..within.cases import CaseSearch
from ..within.search import TurnSearch
from ..words import listed
from .by_class import rates_along, shape_of_rates
from .by_number import shape_of_means
from .none_there import none_at
from .ratios import ratio_findings
from .size import size_findings

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

BINS = 10
MOST_LEVELS = 1_000
MOST_CURVES = 3
"""Curves that are named, those a line misses most."""


@dataclass(frozen=True)
class Glimpse:
    """One candidate.

    Parameters
    ----------
    measure
        What ``estimate`` is: "hedges_g" of the classes (the event against the rest of more than two), "spearman" with
        a numeric outcome, "spread" of the levels' rates or means; "failed" where it could not be looked at.
    estimate, low, high
        With its 95 % interval. A spread runs from ``low``, the lowest shrunken rate (mean) of a level, to ``high``,
        the highest; the estimate is the distance.
    lowest, highest
        The levels at the ends of a spread.
    association
        On one scale for all: bias-corrected Cramér's V over levels or bins of a number, or with a numeric outcome
        the correlation ratio, the root of omega squared.
    groups
        The candidate described in each class, where it is a number and the outcome has classes.
    """

    name: str
    kind: str
    n: int
    missing: int
    measure: str
    estimate: float
    low: float
    high: float
    lowest: str
    highest: str
    association: float
    p: float
    q: float
    groups: GroupSummary | None = None
    findings: tuple[Finding, ...] = ()


@dataclass(frozen=True)
class Glance:
    """All candidates, strongest association first, the few worth opening first, and what the numbers would hide."""

    outcome: Said
    rows: tuple[Glimpse, ...]
    overall: float
    first: tuple[str, ...]
    findings: tuple[Finding, ...] = ()


@dataclass(frozen=True)
class GlanceAnswers(Remade):
    """All candidates against the outcome, when they are asked for.

    Fields as in `glance`, and the searches for what turns round within other columns and within cases.
    """

    candidates: list[Column]
    outcome: Outcome
    sampling: Sampling
    turns: TurnSearch
    cases: CaseSearch | None
    slowly: Slowly

    @cached_property
    def glance(self) -> Glance:
        """The candidates, strongest association first."""
        with self.slowly("Against") as report:
            return glance(self.candidates, self.outcome, self.sampling, report)

    @cached_property
    def levels(self) -> dict[str, tuple[LeadingLevel, ...]]:
        """The leading levels of each category in the classes of the outcome, where it has some."""
        outcome = self.outcome
        if not isinstance(outcome, ClassOutcome):
            return {}
        by = Grouping.of((outcome.name,), outcome.levels, outcome.codes)
        named = [c for c in self.candidates if isinstance(c, CategoryColumn) and c.kind not in ("identifier", "text")]
        return {c.name: made for c in named if (made := leading_levels(c, by, self.sampling))}

    @cached_property
    def findings(self) -> tuple[Finding, ...]:
        """What turns round, and what the numbers would hide."""
        inner = [] if self.cases is None else self.cases.findings
        ratios = ratio_findings(self.candidates, self.outcome, self.sampling)
        sizes = size_findings(self.candidates, self.outcome, self.sampling)
        return by_weight([*self.turns.findings, *inner, *self.glance.findings, *ratios, *sizes])


def glance(
    candidates: list[Column],
    outcome: Outcome,
    sampling: Sampling,
    progress: Progress | None = None,
) -> Glance:
    """Look at every candidate once.

    Parameters
    ----------
    candidates
        Columns of the same rows as the outcome.
    sampling
        Of these rows.
    progress
        Told how many candidates are done, of how many, and the next one's name.
    """
    known = outcome.known
    within = sampling.take(known)
    rows = rows_of_groups(outcome.codes[known], len(outcome.levels)) if isinstance(outcome, ClassOutcome) else None
    ordinals = None
    if isinstance(outcome, NumericOutcome):
        ordinals = np.unique(outcome.values[known], return_inverse=True)[1].astype(np.int64)

    def look(column: Column) -> Glimpse:
        try:
            return _glimpse(column, outcome, known, within, rows, ordinals)
        except Exception as error:  # noqa: BLE001 - one candidate must not take the others along
            there = int((~column.missing[known]).sum())
            nothing = _nothing(column, there, int(known.sum()) - there, "failed")
            return replace(nothing, findings=(failed_finding(column.name, f"{type(error).__name__}: {error}"),))

    seen = in_threads(look, candidates, len(known), progress, lambda c: c.name)
    q = q_values(np.array([g.p for g in seen]))
    seen = [replace(g, q=float(v)) for g, v in zip(seen, q, strict=True)]
    seen.sort(key=lambda g: (-np.nan_to_num(g.association, nan=-1.0), g.name))
    first = tuple(g.name for g in seen if g.q < T.Q_CARRIES and g.association > 0.05)[:3]
    if isinstance(outcome, ClassOutcome):
        overall = float(outcome.is_event[known].mean())
    else:
        overall = float(outcome.values[known].mean())
    return Glance(outcome.said, tuple(seen), overall, first, _few_curves([f for g in seen for f in g.findings]))


def _few_curves(found: list[Finding]) -> tuple[Finding, ...]:
    """Return what was found of candidates, of curves those that a line misses most, of stretches the surest."""
    curves = sorted((f for f in found if f.code == "curved-relation"), key=lambda f: -f.evidence["gain"])
    none = sorted((f for f in found if f.code == "step-to-none"), key=lambda f: -f.evidence["expected"])
    if len(none) > T.NONE_TOLD_APART:
        none = [_naming(none, "Such an end have also")]
    loud, soft = ([f for f in curves if (f.weight != "note") == is_loud] for is_loud in (True, False))
    if len(loud) > 1:  # columns that say the same bend alike
        loud = [_naming(loud, "So it does along")]
    curves = [*loud, *soft][:MOST_CURVES]
    return (*(f for f in found if f.code not in ("curved-relation", "step-to-none")), *none, *curves)


def _naming(found: list[Finding], also: str) -> Finding:
    """Return the first of what was found under one code of several candidates, naming the others."""
    first, *others = found
    names = [f.columns[0] for f in others]
    return Finding(
        first.code,
        first.weight,
        (*first.columns, *names),
        f"{first.marked_statement} {also} {listed([marked(n) for n in names])}.",
        first.advice,
        first.evidence | {"others": {f.columns[0]: f.evidence for f in others}},
    )


def _glimpse(
    column: Column,
    outcome: Outcome,
    known: NDArray[np.bool_],
    sampling: Sampling,
    rows: Rows | None,
    ordinals: Ints | None,
) -> Glimpse:
    values = column.numbers
    if _names_rows(column):
        return _nothing(column, int((~column.missing[known]).sum()), int(column.missing[known].sum()))
    if isinstance(outcome, ClassOutcome):
        if values is not None:
            return _number_classes(column, _known(values, known), outcome, known, sampling, rows)
        assert isinstance(column, CategoryColumn)
        return _levels_classes(column, outcome, known, sampling)
    if values is not None:
        assert ordinals is not None
        return _number_number(column, _known(values, known), outcome, known, sampling, ordinals)
    assert isinstance(column, CategoryColumn)
    return _levels_number(column, outcome, known, sampling)


def _known(values: Floats, known: NDArray[np.bool_]) -> Floats:
    return values if known.all() else values[known]


def _names_rows(column: Column) -> bool:
    """Say whether a column tells rows apart rather than describes them: text, or under five rows a level."""
    if column.kind in ("text", "identifier", "constant"):
        return True
    return isinstance(column, CategoryColumn) and len(column) < T.ROWS_PER_STEP * max(column.distinct, 1)


def _number_classes(
    column: Column,
    values: Floats,
    outcome: ClassOutcome,
    known: NDArray[np.bool_],
    sampling: Sampling,
    rows: Rows | None,
) -> Glimpse:
    codes = outcome.codes if known.all() else outcome.codes[known]
    groups = GroupedRows(values, codes, outcome.levels, sampling, rows)
    counts = _tenths(groups)
    test, v = UNDEFINED_TEST, 0.0
    if len(counts) > 1:
        table = Crossing.of(_cells(values, sampling), codes, (counts.shape[0], counts.shape[1]), sampling, counts)
        test, v = table.chi_square(), table.cramers_v().estimate
    effect = _standardized(groups, values, outcome, known, sampling)
    rank_test = groups.tests["mann_whitney" if len(outcome.levels) == 2 else "kruskal_wallis"]
    n = int(groups.summary.moments.n.sum())
    found: tuple[Finding, ...] = ()
    if test.p < T.BEND_P:  # the standardized difference may hide a bend
        event = codes == outcome.event_code
        along = rates_along(values, event, sampling)
        found = tuple(shape_of_rates(column.name, outcome.said, groups, event, along))
    return Glimpse(
        column.name, column.kind, n, len(codes) - n, "hedges_g", *effect, "", "", float(np.nan_to_num(v)),
        _both(rank_test, test), np.nan, groups.summary.without_values(), found,
    )  # fmt: skip


def _cells(values: Floats, sampling: Sampling) -> NDArray[np.integer]:
    """Return the bin of each row, which only units ask for: over rows counts say all."""
    return rate_bins(values).codes if sampling.clustered else np.zeros(0, np.int32)


def _standardized(
    groups: GroupedRows, values: Floats, outcome: ClassOutcome, known: NDArray[np.bool_], sampling: Sampling
) -> Estimate:
    if len(outcome.levels) == 2:
        return groups.effects["hedges_g"]
    event = outcome.is_event[known].astype(np.int64)
    return GroupedRows(values, event, ("rest", outcome.event), sampling).effects["hedges_g"]


def _tenths(groups: GroupedRows) -> Ints:
    """Count each class in tenths of all rows, shape (bins, classes)."""
    edges = np.zeros(0)
    if len(groups.labels) == 2:
        edges = groups.ranked.quantiles(np.arange(1, BINS) / BINS)
        edges = np.unique(edges[~np.isnan(edges)])
    if len(edges) < BINS - 1:  # more classes, or values that repeat enough to stand alone
        edges = rate_edges(list(groups.ordered), BINS, T.BY_VALUE, T.FEW_ROWS)
    places = [np.concatenate(([0], np.searchsorted(g, edges, "left"), [len(g)])) for g in groups.ordered]
    counts = np.diff(np.array(places), axis=1).T
    return np.asarray(counts[counts.sum(axis=1) > 0], np.int64)


def _both(first: Significance, second: Significance) -> float:
    """Return one p for two looks at a candidate: a trend, and any difference between its parts."""
    seen = [t.p for t in (first, second) if t.p == t.p]
    return min(1.0, 2 * min(seen)) if seen else float("nan")


def _levels_classes(
    column: CategoryColumn, outcome: ClassOutcome, known: NDArray[np.bool_], sampling: Sampling
) -> Glimpse:
    codes, classes = column.codes[known], outcome.codes[known]
    tally = Contingency(len(column.levels), len(outcome.levels))
    tally.add(codes, classes)
    counts, missing = tally.finish()
    if np.count_nonzero(counts.sum(axis=1)) < 2:
        return _nothing(column, int(counts.sum()), missing)
    table = Crossing.of(codes, classes, (counts.shape[0], counts.shape[1]), sampling, counts)
    test, v = table.chi_square(), table.cramers_v()
    n, events = counts.sum(axis=1), counts[:, outcome.event_code]
    rate = np.divide(events, n, out=np.full(len(n), np.nan), where=n > 0)
    base = events.sum() / max(n.sum(), 1)
    spread = _spread(column, n, rate, float(base), float(np.sqrt(base * (1 - base))), table.design_effect)
    return Glimpse(
        column.name,
        column.kind,
        int(n.sum()),
        missing,
        "spread",
        *spread,
        float(np.nan_to_num(v.estimate)),
        test.p,
        np.nan,
        findings=tuple(none_at(column.name, outcome.said, column.levels, table)),
    )


def _nothing(column: Column, n: int, missing: int, measure: str = "none") -> Glimpse:
    return Glimpse(column.name, column.kind, n, missing, measure, *UNDEFINED, "", "", np.nan, np.nan, np.nan)


def _spread(
    column: CategoryColumn, n: Ints, mean: Floats, base: float, sd: float, effect: float
) -> tuple[float, float, float, str, str]:
    """Return the distance between the lowest and highest shrunken level, both, and their names."""
    shrunken = shrunken_levels(n, mean, base, sd, effect)
    there = np.flatnonzero(n)
    lowest, highest = there[np.argmin(shrunken[there])], there[np.argmax(shrunken[there])]
    low, high = float(shrunken[lowest]), float(shrunken[highest])
    if low == high:
        return 0.0, low, high, "", ""
    return high - low, low, high, column.levels[lowest], column.levels[highest]


def _number_number(
    column: Column,
    values: Floats,
    outcome: NumericOutcome,
    known: NDArray[np.bool_],
    sampling: Sampling,
    ordinals: Ints,
) -> Glimpse:
    """Correlate two numbers; ``ordinals`` are the places of the outcome among its different values, found once."""
    y = outcome.values[known]
    both = ~np.isnan(values)
    x_ranks, y_ranks = ranks_of(values[both]), ranks_of_ordinals(ordinals[both])
    effect, test = spearman_of_ranks(x_ranks, y_ranks, sampling.take(both))
    bins = rate_bins(values)
    groups = GroupedRows(y, bins.codes, tuple(str(i) for i in range(len(bins.ends))), sampling)
    over = groups.tests.get("kruskal_wallis", groups.tests.get("mann_whitney", UNDEFINED_TEST))
    n = int(both.sum())
    tests = {**groups.tests, "spearman": test}
    found = shape_of_means(
        column.name, outcome.said, values[both], y[both], (groups.summary, bins.ends), tests, sampling.take(both)
    )
    return Glimpse(
        column.name, column.kind, n, len(y) - n, "spearman", *effect, "", "", _ratio(groups), _both(test, over),
        np.nan, findings=found,
    )  # fmt: skip


def _ratio(groups: GroupedRows) -> float:
    """Return the correlation ratio, the root of omega squared (0 below it)."""
    return float(np.sqrt(max(0.0, np.nan_to_num(groups.effects["omega_squared"].estimate))))


def _levels_number(
    column: CategoryColumn, outcome: NumericOutcome, known: NDArray[np.bool_], sampling: Sampling
) -> Glimpse:
    codes, y = column.codes[known], outcome.values[known]
    groups = GroupedRows(y, codes, column.levels, sampling)
    m = groups.summary.moments
    n = int(m.n.sum())
    if np.count_nonzero(m.n) < 2:
        return _nothing(column, n, len(y) - n)
    test = groups.tests.get("kruskal_wallis", groups.tests.get("mann_whitney", UNDEFINED_TEST))
    base = float(y[codes >= 0].mean())
    spread = _spread(column, m.n, m.mean, base, m.within_sd, groups.design_effect)
    return Glimpse(column.name, column.kind, n, len(y) - n, "spread", *spread, _ratio(groups), test.p, np.nan)
