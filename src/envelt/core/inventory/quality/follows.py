"""Columns that follow from another: a number that was cut, levels that were joined or renamed, a value set apart."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import special

from ... import thresholds as T
from ...columns.labels import short_label
from ...columns.table import CategoryColumn, Column, NumericColumn, Table, TimeColumn
from ...finding import Finding, marked
from ...stats.sampling import Sampling
from ...words import plural

Floats = NDArray[np.float64]
Codes = NDArray[np.int64]

MOST_COLUMNS = 80
"""Columns compared with each other, those with fewest levels first."""
MOST_MADE = 50
"""Levels, or values, of a column that may be made from another."""
MOST_SOURCE = 200
"""Levels of a column that another may be made from."""
ROWS_SCREENED, OF_EACH = 5_000, 40
"""Rows looked at before all, and rows of each level."""
SURE = 1e-9
"""That one follows from the other in as many rows by chance: over 3,000 pairs under 1 in 100,000 tables."""
NEAR = 0.05
"""Of the rows on both sides of a cut, within which their values must lie closer than SPARSE times the usual."""
SPARSE = 8.0
MOST_APART = 3
"""Findings of one weight that are said one by one."""


@dataclass(frozen=True)
class _Coded:
    """A column in few values: the code of each row, −1 where missing, and what the codes are called."""

    column: Column
    codes: Codes
    labels: tuple[str, ...]

    @property
    def size(self) -> int:
        """How many there are."""
        return len(self.labels)

    def with_missing(self) -> _Coded:
        """Return it with missing as one more, where there are a few."""
        gone = self.codes < 0
        if np.count_nonzero(gone) < T.FEWEST_GAPS:
            return self
        return _Coded(self.column, np.where(gone, self.size, self.codes), (*self.labels, "missing"))


@dataclass(frozen=True)
class _Follows:
    """A column that follows from another, in how many rows it does not, and in words how.

    ``simple`` orders what a column may follow from: of several, the plainest is said. ``nested`` is what lies in parts
    of parts, as towns in countries.
    """

    made: str
    source: str
    how: str
    rows: int
    against: tuple[int, ...]
    simple: int
    nested: bool = False


def follow_findings(table: Table, outcome: str | None, sampling: Sampling) -> list[Finding]:
    """Say which columns follow from another, and in which rows they do not.

    Parameters
    ----------
    outcome
        The name of the outcome, where there is one: what makes it, or is made from it, is said first, as a stop.
    sampling
        Of the rows: over units one row of each must show it too.
    """
    own = np.arange(0) if sampling.units is None else np.unique(sampling.units, return_index=True)[1]
    columns = [c for c in table if c.kind not in ("text", "constant", "identifier")]
    coded = [k for c in columns if (k := _coded(c)) is not None]
    coded = sorted(coded, key=lambda k: k.size)[:MOST_COLUMNS]
    numbers = [c for c in columns if isinstance(c, NumericColumn) and c.distinct > T.FEW_DISTINCT][:MOST_COLUMNS]
    best: dict[str, _Follows] = {}
    for made in coded:
        if made.size > MOST_MADE:
            continue
        for source in coded:
            if source.column.name != made.column.name:
                _keep(best, _of_levels(made, source if source.column.name == outcome else source.with_missing(), own))
        if made.size > T.MOST_GAP_LEVELS:
            continue
        some = _some_of_each(made)
        for number in numbers:
            if number.name != made.column.name:
                _keep(best, _of_cut(made, number, some, own))
    by_source: dict[str, list[_Follows]] = defaultdict(list)
    for f in best.values():
        by_source[f.source if outcome not in (f.made, f.source) else f"\0{f.made}"].append(f)
    found = [_said(several, table, outcome) for several in by_source.values()]
    by_weight = {w: [f for f in found if f.weight == w] for w in ("stop", "caution", "note")}
    return [f for some in by_weight.values() for f in (some if len(some) < MOST_APART else [_joined(some)])]


def _joined(found: list[Finding]) -> Finding:
    """Say of many columns at once what each follows from."""
    found.sort(key=lambda f: -len(f.columns))
    told = "; ".join(f.marked_statement.rstrip(".") for f in found[:MOST_APART])
    rest = f"; and so {len(found) - MOST_APART} more" if len(found) > MOST_APART else ""
    return Finding(
        found[0].code,
        found[0].weight,
        tuple(dict.fromkeys(c for f in found for c in f.columns)),
        f"{told}{rest}.",
        "Leave them out: they are the outcome in other words, or what it was made from."
        if found[0].weight == "stop"
        else "Keep of each what it was made from, or what is made of it, not both: neither adds to the other in a "
        "model.",
        {"made": [f.evidence for f in found]},
    )


def _keep(best: dict[str, _Follows], found: _Follows | None) -> None:
    if found is not None:
        other = best.get(found.made)
        if other is None or (len(found.against), found.simple) < (len(other.against), other.simple):
            best[found.made] = found


def _coded(c: Column) -> _Coded | None:
    if isinstance(c, CategoryColumn):
        there = np.flatnonzero(c.counts > 0)
        if not 2 <= len(there) <= MOST_SOURCE:
            return None
        place = np.full(len(c.levels) + 1, -1, np.int64)
        place[there] = np.arange(len(there))
        return _Coded(c, place[c.codes], tuple(repr(c.levels[k]) for k in there))
    if isinstance(c, TimeColumn) or c.numbers is None or c.distinct > MOST_SOURCE or c.distinct < 2:
        return None
    present = ~c.missing
    if c.kind == "continuous" and c.distinct > T.BY_VALUE:
        return None
    values, codes = np.unique(c.numbers[present], return_inverse=True)
    out = np.full(len(c), -1, np.int64)
    out[present] = codes
    return _Coded(c, out, tuple(short_label(v) for v in values))


def _of_levels(made: _Coded, source: _Coded, own: NDArray[np.intp]) -> _Follows | None:
    """Return how levels follow from levels: each of the source's has one of the others, but for a few rows."""
    some = slice(None, None, max(1, len(made.codes) // ROWS_SCREENED))
    if source.size <= made.size or _against(made.codes[some], source.codes[some], made.size, source.size)[0] is None:
        return None
    usual, wrong, rows = _against(made.codes, source.codes, made.size, source.size)
    if usual is None or np.count_nonzero(usual >= 0) <= made.size:  # as many levels: a copy, which is said elsewhere
        return None
    if len(own) and _against(made.codes[own], source.codes[own], made.size, source.size)[0] is None:
        return None
    if len(wrong) and source.size > T.BY_VALUE and not isinstance(source.column, CategoryColumn):
        return None
    how = _in_words(made, source, usual, not len(wrong))
    if how is None:
        return None
    nested = how.startswith("is settled")
    return _Follows(made.column.name, source.column.name, how, rows, tuple(wrong.tolist()), source.size, nested)


def _in_words(made: _Coded, source: _Coded, usual: Codes, exact: bool) -> str | None:
    """Say how levels follow from the usual one at each of the source's; nothing where all have one."""
    groups: dict[int, list[str]] = defaultdict(list)
    for level, k in zip(source.labels, usual.tolist(), strict=True):
        if k >= 0:
            groups[k].append(level)
    if len(groups) < 2:
        return None
    alone = min(groups.items(), key=lambda g: len(g[1]))
    name = marked(source.column.name)
    if source.size > T.MOST_GAP_LEVELS and isinstance(source.column, CategoryColumn):
        return f"is settled by {name}: each of its {source.size} levels has one"
    if made.size == 2 and len(alone[1]) <= 3:
        exactly = "exactly " if exact else ""
        return f"is {made.labels[alone[0]]} {exactly}where {name} is {_either(alone[1])}"
    k, joined = max(groups.items(), key=lambda g: (1 < len(g[1]) <= 4, len(g[1])))
    shown = f"{_either(joined[:4])}{', …' if len(joined) > 4 else ''}"
    return f"is {name} with levels joined ({shown}: {made.labels[k]})"


def _either(levels: list[str]) -> str:
    return levels[0] if len(levels) == 1 else f"{', '.join(levels[:-1])} or {levels[-1]}"


def _against(made: Codes, source: Codes, size: int, levels: int) -> tuple[Codes | None, NDArray[np.intp], int]:
    """Return the usual level of one at each of the other's, the rows that have another, and the rows with both.

    Nothing where they are too many, or might be as few by chance: by the likelihood ratio of independence, and by the
    rows beyond the first of each level.
    """
    both = np.flatnonzero((made >= 0) & (source >= 0))
    cells = np.bincount(source[both] * size + made[both], minlength=size * levels).reshape(levels, size)
    n, total = cells.sum(axis=1), cells.sum(axis=0)
    usual = np.where(n > 0, cells.argmax(axis=1), -1)
    rows, right = int(n.sum()), int(cells.max(axis=1).sum())
    rest = rows - int(total.max(initial=0))
    nothing = None, np.zeros(0, np.intp), rows
    if rows < T.ROWS_FOR_IDENTIFIER or rest < T.FEWEST_GAPS or rows - right > T.FOLLOW_SLIPS * rest:
        return nothing
    ratio = 2 * (_entropy(cells) + _entropy(np.array([rows])) - _entropy(n) - _entropy(total))
    df = (np.count_nonzero(n) - 1) * (np.count_nonzero(total) - 1)
    if rows - np.count_nonzero(n) < T.FOLLOW_ROWS * np.count_nonzero(n) or not special.chdtrc(df, ratio) < SURE:
        return nothing
    return usual, both[usual[source[both]] != made[both]], rows


def _entropy(n: Codes) -> float:
    return float(special.xlogy(n, n).sum())


def _of_cut(made: _Coded, number: NumericColumn, some: NDArray[np.intp], own: NDArray[np.intp]) -> _Follows | None:
    """Return how levels follow from cutting a number, or from one value of it that is set apart."""
    if number.distinct == made.size:
        return None  # a value for each: the same column, which is said elsewhere
    if not _may_be_cut(made.codes[some], number.values[some], made.size):
        return None
    both = np.flatnonzero((made.codes >= 0) & ~number.missing)
    x, codes = number.values[both], made.codes[both]
    order = np.argsort(x, kind="stable")
    x, codes, both = x[order], codes[order], both[order]
    if len(both) < T.ROWS_FOR_IDENTIFIER or np.bincount(codes, minlength=made.size).min() < T.FEWEST_GAPS:
        return None
    there = made.codes[own] >= 0
    if len(own) and np.bincount(made.codes[own][there], minlength=made.size).min() < T.FEWEST_GAPS:
        return None
    name = marked(number.name)
    apart = _set_apart(x, codes, made)
    if apart is not None:
        level, value = apart
        how = f"is {made.labels[level]} exactly where {name} is {short_label(value)}"
        return _Follows(made.column.name, number.name, how, len(both), (), 0)
    cuts, levels, wrong = _cuts(x, codes, made.size)
    rest = len(codes) - int(np.bincount(codes).max())
    if cuts is None or len(wrong) > T.FOLLOW_SLIPS * rest or not all(_dense(x, c) for c in cuts):
        return None
    below = x[np.searchsorted(x, cuts, "left") - 1]
    at = ", ".join(f"{short_label(a)} | {short_label(b)}" for a, b in zip(below, cuts, strict=True))
    if made.size == 2:
        how = (
            f"is {made.labels[levels[1]]} where {name} is {short_label(cuts[0])} or more, else {made.labels[levels[0]]}"
        )
    else:
        how = f"is {name} cut at {at}"
    return _Follows(made.column.name, number.name, how, len(both), tuple(np.sort(both[wrong]).tolist()), 1)


def _some_of_each(made: _Coded) -> NDArray[np.intp]:
    """Return some rows of each level, spread over the table."""
    parts = [np.flatnonzero(made.codes == k) for k in range(made.size)]
    return np.concatenate([p[np.linspace(0, len(p) - 1, min(len(p), OF_EACH)).astype(np.int64)] for p in parts])


def _may_be_cut(codes: Codes, x: Floats, size: int) -> bool:
    """Say of some rows whether levels follow each other along a number, but for a few, as those that were cut do."""
    there = ~np.isnan(x)
    codes, x = codes[there], x[there]
    if len(x) == 0:
        return False
    along = codes[np.lexsort((codes, x))]
    by_chance = len(x) * (1 - np.sum((np.bincount(codes, minlength=size) / len(x)) ** 2))
    return bool(np.count_nonzero(np.diff(along)) <= size + 0.1 * by_chance)


def _set_apart(x: Floats, codes: Codes, made: _Coded) -> tuple[int, float] | None:
    """Return the level of two that holds one value of the number and all rows of it."""
    if made.size != 2:
        return None
    for level in (0, 1):
        inside = x[codes == level]
        one = len(inside) > 0 and inside[0] == inside[-1] and not (x[codes != level] == inside[0]).any()
        if one and (x[0] < inside[0] < x[-1] or inside[0] == 0):
            return level, float(inside[0])
    return None


def _cuts(x: Floats, codes: Codes, size: int) -> tuple[Floats | None, list[int], NDArray[np.intp]]:
    """Return where sorted values are cut into levels, the levels in order, and the places that lie on a wrong side."""
    middle = [float(np.median(x[codes == k])) for k in range(size)]
    levels = sorted(range(size), key=lambda k: middle[k])
    place = np.argsort(levels)[codes]
    ends = np.flatnonzero(np.diff(x) > 0) + 1  # where a cut may lie: before these rows
    if len(ends) == 0:
        return None, levels, np.zeros(0, np.intp)
    cuts, last = [], 0
    for k in range(1, size):
        above = np.concatenate([[0], np.cumsum(place >= k)])
        wrong = above[ends] + ((len(x) - ends) - (above[-1] - above[ends]))
        cut = int(ends[int(np.argmin(wrong))])
        if cut <= last:
            return None, levels, np.zeros(0, np.intp)
        cuts.append(cut)
        last = cut
    side = np.searchsorted(np.array(cuts), np.arange(len(x)), "right")
    return x[cuts], levels, np.flatnonzero(side != place)


def _dense(x: Floats, cut: float) -> bool:
    """Say whether values lie as close on both sides of a cut as elsewhere: two kinds that lie apart were not cut."""
    at = int(np.searchsorted(x, cut, "left"))
    reach = max(3, int(NEAR * len(x)))
    unique = np.unique(x[max(0, at - reach) : at + reach])
    usual = float(np.median(np.diff(unique))) if len(unique) > 2 else np.inf
    return bool(x[at] - x[at - 1] <= SPARSE * usual)


def _said(several: list[_Follows], table: Table, outcome: str | None) -> Finding:
    several.sort(key=lambda f: (len(f.against), f.simple))
    first, rest = several[0], several[1:]
    n = len(first.against)
    rows = [str(table.rows[k]) for k in first.against[:5]]
    where = f"all {plural(first.rows, 'row')}" if not n else f"all but {n:,} of {plural(first.rows, 'row')}"
    listed = f" (row{'s' if n > 1 else ''} {', '.join(rows)}{', …' if n > 5 else ''})" if n else ""
    told = f"{marked(first.made)} {first.how}, in {where}{listed}"
    also = ", ".join(marked(f.made) for f in rest[:4])
    follow = "follow" if len(rest) > 1 else "follows"
    more = f"; {also}{', …' if len(rest) > 4 else ''} {follow} from it too" if rest else ""
    columns = (*(f.made for f in several), first.source)
    evidence = {"how": first.how.replace("\x02", "").replace("\x03", ""), "rows": first.rows, "against": n}
    if outcome in columns:
        other = marked(first.source if outcome == first.made else first.made)
        advice = f"Leave {other} out: it is {marked(str(outcome))} in other words, or what that was made from."
        return Finding("made-up-of-others", "stop", columns, f"{told}{more}.", advice, evidence)
    advice = f"Keep {marked(first.source)}, or what is made from it, not both: neither adds to the other in a model."
    weight = "note" if n or first.nested else "caution"
    return Finding("made-up-of-others", weight, columns, f"{told}{more}.", advice, evidence)
