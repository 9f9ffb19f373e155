"""Columns that are written down with the outcome or after it: told by where they are, are zero, or stop."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ... import thresholds as T
from ...columns.labels import number_label
from ...columns.names import glued_id, hints
from ...columns.outcome import ClassOutcome, NumericOutcome, Outcome
from ...columns.table import CategoryColumn, Column, NumericColumn, Table
from ...columns.times import is_time
from ...finding import Finding, marked, of_many
from ...shapes.ranks import ranks_of
from ...stats.correlation import pearson_coefficient
from ...stats.sampling import Sampling
from ...words import plural
from .later_by_name import later_by_name
from .prefix import first_part

Mask = NDArray[np.bool_]


def later_findings(table: Table, outcome: Outcome | None, sampling: Sampling) -> list[Finding]:
    """Find columns that tell whether the outcome came, because they were written down with it or after it.

    Each rule is about the rows, not about how strong a column is: a value that is there only where the outcome came, a
    zero that says it did not, rows at the end of what was measured that all lack it, cases numbered in its order. Of
    spans and what ended them the names are all there is, and the finding says so.
    """
    if outcome is None:
        return []
    found = []
    told = _came(outcome)
    sides = None if told is None else _Sides(*told, sampling.take(outcome.known))
    for c in table:
        if c.name == outcome.name or c.kind == "constant":
            continue
        of = [] if sides is None else _of_rows(c, outcome, sides)
        found += of or _numbered(c, outcome) or first_part(c, outcome)
    found = found if len(found) <= T.MOST_GAPS_APART else [_joined(found, outcome.name)]
    return [*found, *later_by_name(table, outcome, sampling)]


def _joined(found: list[Finding], outcome: str) -> Finding:
    names = [f.columns[0] for f in found]
    return of_many(
        found,
        f"{plural(len(names), 'column')} seem to be written down only with {marked(outcome)}: "
        f"{', '.join(map(marked, names[:6]))}{', …' if len(names) > 6 else ''}. The first: {found[0].marked_statement}",
        also=(outcome,),
    )


def _came(outcome: Outcome) -> tuple[Mask, str] | None:
    """Return in which known rows the outcome came, and how to say so; nothing where it has no such sides."""
    known = outcome.known
    if isinstance(outcome, ClassOutcome):
        name = marked(outcome.name)
        return (outcome.is_event[known], f"{name} is {outcome.event!r}") if len(outcome.levels) == 2 else None
    y = outcome.values[known]
    return (y > 0, f"{marked(outcome.name)} is above 0") if len(y) and y.min() == 0 and (y > 0).any() else None


@dataclass(frozen=True)
class _Sides:
    """In which known rows the outcome came, how to say so, and what the rows are a sample of."""

    came: Mask
    what: str
    sampling: Sampling

    def cases(self, rows: Mask) -> int:
        """Count rows, or the units they are of."""
        units = self.sampling.units
        return int(np.count_nonzero(rows)) if units is None else len(np.unique(units[rows]))


def _of_rows(c: Column, outcome: Outcome, sides: _Sides) -> list[Finding]:
    known, what = outcome.known, sides.what
    there = ~c.missing[known]
    if there.sum() >= T.FEWEST_GAPS and (~there).sum() >= T.FEWEST_GAPS:
        tells = _tells(there, np.ones(len(there), bool), sides, T.LATER_PHI_OF_GAPS)
        if tells is not None:
            return [_said(c.name, outcome.name, f"{marked(c.name)} has a value", what, tells)]
    x = _zero_or_not(c)
    if x is None:
        return []
    x = x[known]
    some = there & (x != 0)
    if (there & (x == 0)).sum() >= T.LATER_ROWS:
        tells = _tells(some, there, sides, T.LATER_PHI)
        if tells is not None:
            return [_said(c.name, outcome.name, f"{marked(c.name)} is not 0", what, tells)]
    return _at_the_top(c, x, there, outcome, sides) if c.distinct > T.BY_VALUE else []


def _at_the_top(c: Column, x: NDArray[np.float64], there: Mask, outcome: Outcome, sides: _Sides) -> list[Finding]:
    """Say so where the largest value of a span is where watching ended: what came, came before."""
    came, what = sides.came, sides.what
    top = x[there].max(initial=-np.inf)
    at = there & (x == top)
    for side in (there & ~at, at):
        tells = _tells(side, there, sides, T.LATER_PHI)
        if tells is not None:
            return [_watched(c.name, outcome.name, number_label(top), what, side is at, tells)]
    n, share = int(at.sum()), float(came[there].mean()) if there.any() else 0.0
    cases = sides.cases(at)
    if cases >= T.LATER_ROWS and T.LATER_LEAST < share < 1 - T.LATER_LEAST:
        each = float(came[at].mean())
        if each in (0.0, 1.0) and (share if each else 1 - share) ** cases < 1e-6:
            return [_stops(c.name, outcome.name, number_label(top), n, each, share, what)]
    return []


def _zero_or_not(c: Column) -> NDArray[np.float64] | None:
    """Return a number, or a grade written as one; nothing for what cannot be none."""
    if isinstance(c, NumericColumn):
        return c.values if c.distinct > 2 else None
    if isinstance(c, CategoryColumn) and c.kind == "ordinal" and "0" in c.levels and c.distinct > 2:
        return np.where(c.codes == c.levels.index("0"), 0.0, np.maximum(c.codes, 0) + 1.0)
    return None


def _tells(side: Mask, among: Mask, sides: _Sides, least: float) -> tuple[float, float, int, int] | None:
    """Return the share that came on either side, and the rows, where one side all but tells it and the other differs.

    One side must be pure to within a few rows, and both together go with the outcome at ``least`` or more.
    """
    if min(sides.cases(side & among), sides.cases(~side & among)) < T.LATER_ROWS:
        return None
    side, came = side[among], sides.came[among]
    yes, no = float(came[side].mean()), float(came[~side].mean())
    base = float(came.mean())
    spread = base * (1 - base) * side.mean() * (1 - side.mean())
    phi = (float(np.mean(side & came)) - base * float(side.mean())) / np.sqrt(spread) if spread > 0 else 0.0
    pure = yes >= T.LATER_PURE or no <= 1 - T.LATER_PURE
    return (yes, no, int(side.sum()), int((~side).sum())) if pure and phi >= least else None


def _said(name: str, outcome: str, lead: str, what: str, tells: tuple[float, float, int, int]) -> Finding:
    yes, no, n1, n0 = tells
    return Finding(
        "known-later",
        "caution",
        (name, outcome),
        f"Where {lead}, {what} in {yes:.1%} of {plural(n1, 'row')}, elsewhere in {no:.1%} of {n0:,}: it seems to be "
        "written down only where the outcome came.",
        f"Ask whether {marked(name)} is known before {marked(outcome)}; if not, leave it out, its gaps and zeros too.",
        {"with": yes, "without": no, "rows": [n1, n0]},
    )


def _stops(name: str, outcome: str, top: str, n: int, each: float, share: float, what: str) -> Finding:
    return Finding(
        "known-later",
        "caution",
        (name, outcome),
        f"All {n:,} rows at the largest value of {marked(name)}, {top}, are rows where {what} in {each:.0%}, against "
        f"{share:.0%} of all: a span that ends with the outcome, or where watching ended.",
        f"Leave {marked(name)} out of what is known before; time until an event wants methods for censored spans.",
        {"value": top, "rows": n, "share": each, "of_all": share},
    )


def _watched(name: str, outcome: str, top: str, what: str, at: bool, tells: tuple[float, float, int, int]) -> Finding:
    yes, no, n1, n0 = tells
    first, second = ("at", "below") if at else ("below", "at")
    return Finding(
        "known-later",
        "caution",
        (name, outcome),
        f"{first.capitalize()} the largest value of {marked(name)}, {top}, {what} in {yes:.1%} of {plural(n1, 'row')}, "
        f"{second} it in {no:.1%} of {n0:,}: a span that ends with the outcome, or where watching ended.",
        f"Leave {marked(name)} out of what is known before; time until an event wants methods for censored spans.",
        {"value": top, "with": yes, "without": no, "rows": [n1, n0]},
    )


def _numbered(c: Column, outcome: Outcome) -> list[Finding]:
    """Say so where a column numbers the cases in the order of the outcome."""
    if not isinstance(outcome, NumericOutcome):
        return []
    values = c.numbers
    if c.kind == "identifier" and isinstance(c, CategoryColumn):
        values = c.as_written
    if values is None:
        return []
    there = outcome.known & ~np.isnan(values)
    x = values[there]
    n = len(x)
    if n < T.ROWS_IN_TIME or (x != np.floor(x)).any() or len(np.unique(x)) < T.OWN_VALUES * n:
        return []
    if x.max() - x.min() > T.NUMBERED_SPAN * n or is_time(c.name, x):
        return []  # numbers of cases leave few out
    if x.min() not in (0, 1) and not (hints(c.name, "identifiers") or glued_id(c.name)):
        return []  # a measure that happens to differ in every row
    r = pearson_coefficient(ranks_of(x), ranks_of(outcome.values[there]))
    if abs(r) < T.NUMBERED:
        return []
    return [
        Finding(
            "known-later",
            "caution",
            (c.name, outcome.name),
            f"{marked(c.name)} numbers the cases, and in the order of {marked(outcome.name)} (rank correlation "
            f"{r:.2f}): the numbers were given when it was known.",
            f"Leave {marked(c.name)} out.",
            {"rank_correlation": float(r)},
        )
    ]
