"""What becomes of candidates' correlations with the outcome within cases that have several rows each.

A hive weighed every week is compared with itself: what differs between hives is centred away.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from .. import thresholds as T
from ..columns.outcome import ClassOutcome, Outcome
from ..columns.table import CategoryColumn, Column, NumericColumn
from ..estimate import Estimate
from ..finding import Finding, marked
from ..kept import Remade
from ..magnitude import in_unit
from ..stats.correlation import Certainty, certainty, estimate_of, pearson_coefficient
from ..stats.sampling import Sampling
from .correlations import centred_in, held_by
from .rule import ENDS, TURNS, Demands, Relation, becomes

Floats = NDArray[np.float64]

ASKED = Demands(T.WITHIN_TURNED, T.WITHIN_LEAST, T.WITHIN_LEFT, T.ONLY_P, T.ONLY_P)
MOST_SAID = 3


@dataclass(frozen=True)
class OfCases:
    """A candidate that correlates otherwise with the outcome within cases than over all rows."""

    code: str
    name: str
    crude: Estimate
    within: Estimate
    rows: int
    cases: int


@dataclass(frozen=True)
class CaseSearch(Remade):
    """The search of candidates for what goes otherwise within cases, made when it is asked for.

    Parameters
    ----------
    columns, outcome
        Of all rows.
    sampling, unit
        The units that are cases, and the column that says so.
    declared
        Whether a person said so: else tables count rows, and no interval that counts units stands beside theirs.
    """

    columns: list[Column]
    outcome: Outcome
    sampling: Sampling
    unit: str
    declared: bool

    @cached_property
    def found(self) -> list[OfCases]:
        """Whatever does, what turns round first."""
        made = [m for c in self.columns if (m := within_cases(c, self.outcome, self.sampling)) is not None]
        return sorted(made, key=lambda m: (m.code != TURNS, -abs(m.crude.estimate - m.within.estimate)))

    @property
    def findings(self) -> list[Finding]:
        """What there is to say of the first few."""
        return [self._said(m) for m in self.found[:MOST_SAID]]

    def of(self, name: str) -> list[Finding]:
        """What there is to say of one candidate."""
        return [self._said(m) for m in self.found if m.name == name]

    def _said(self, m: OfCases) -> Finding:
        outcome, unit = self.outcome, marked(self.unit)
        what = marked(outcome.name) + (f" = {outcome.event!r}" if isinstance(outcome, ClassOutcome) else "")
        crude, within = (
            f"{e.estimate:+.2f}" + (f" ({e.low:+.2f} to {e.high:+.2f})" if self.declared else "")
            for e in (m.crude, m.within)
        )
        overall, inside = ([*e] if self.declared else [e.estimate] for e in (m.crude, m.within))
        return Finding(
            m.code,
            "caution" if m.code == TURNS else "note",
            (m.name, self.unit, outcome.name),
            f"{marked(m.name)} and {what} correlate at {crude} over all rows, and at {within} when each "
            f"{unit} is compared with itself: {ENDS[m.code].removesuffix(' within them')}.",
            f"Two questions: which {unit} has more, and when. For the second take distances from the mean of each.",
            {"overall": overall, "within": inside, "rows": m.rows, "cases": m.cases},
        )


def within_cases(c: Column, outcome: Outcome, sampling: Sampling) -> OfCases | None:
    """Return what becomes of one correlation when cases are compared with themselves; nothing where nothing does.

    Both are Pearson's, of values and of their distances from the mean of each case (the within estimator); both are
    as sure as units say. A candidate of which cases hold nearly all has nothing to tell within them.
    """
    x, y = _numbers(c), outcome.is_event.astype(np.float64) if isinstance(outcome, ClassOutcome) else None
    if x is None or sampling.units is None:
        return None
    use = outcome.known & ~np.isnan(x)
    use &= np.bincount(sampling.units[use], minlength=sampling.cases)[sampling.units] > 1
    some = sampling.take(use)
    if some.cases < T.LEAST_UNITS_IN_TIME or use.sum() < T.ROWS_IN_TIME:
        return None
    x, y = (in_unit(v[use])[0] for v in (x, outcome.values if y is None else y))  # type: ignore[union-attr]
    assert some.units is not None
    inner = [centred_in(v, some.units, some.cases) for v in (x, y)]
    if any(held_by(v, left) > 1 - T.VARIES_WITHIN for v, left in zip((x, y), inner, strict=True)):
        return None
    crude, within = _correlated(x, y, some), _correlated(inner[0], inner[1], some)
    if crude is None or within is None:
        return None
    (r, a), (left, b) = crude, within
    change = (np.arctanh(r) - np.arctanh(left)) / np.hypot(a.se, b.se)
    over_all, inside = Relation(r, a.p < T.CASES_P), Relation(left, b.p < T.CASES_P)
    code = becomes(over_all, inside, some.tail(float(change)), ASKED)
    return None if code is None else OfCases(code, c.name, estimate_of(r, a), estimate_of(left, b), len(x), some.cases)


def _numbers(c: Column) -> Floats | None:
    """Return a number, or two levels as 0 and 1."""
    if isinstance(c, CategoryColumn):
        codes = c.codes.astype(np.float64)
        return np.where(c.missing, np.nan, codes) if c.kind == "binary" and len(c.levels) == 2 else None
    return c.values if isinstance(c, NumericColumn) else None


def _correlated(x: Floats, y: Floats, sampling: Sampling) -> tuple[float, Certainty] | None:
    r = pearson_coefficient(x, y)
    if np.isnan(r) or abs(r) > 1 - 1e-9:
        return None
    sure = certainty(r, x, y, sampling, "pearson")
    return None if np.isnan(sure.p) or not sure.se > 0 else (r, sure)
