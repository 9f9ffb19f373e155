"""Columns of which every combination occurs, equally often: cells of a table, or factors that somebody made even."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from itertools import combinations
from typing import NamedTuple

import numpy as np
import pandas as pd
import scipy
from numpy.typing import NDArray
from scipy import special

from ....errors import option
from ... import thresholds as T
from ...columns.grades import on_calendar
from ...columns.names import hints
from ...columns.outcome import ClassOutcome, Outcome
from ...columns.table import CategoryColumn, Column, NumericColumn, Table, TimeColumn
from ...columns.times import is_time
from ...finding import Finding, marked
from ...words import plural

Codes = NDArray[np.int64]

MOST_AXES = 12
"""Columns of which combinations are tried, the most even first."""
MOST_WITHIN = 40
"""Columns within whose levels another may have been made even."""
MANY_ROWS, FEW_AXES = 20_000, 6
"""Of so many rows fewer are tried: half a second."""
MOST_COUNTS = 3
"""Whole numbers beside the axes of a table that is counted: all cases, and those of one kind."""


class Crossed(NamedTuple):
    """Columns of which every combination, or nearly, occurs equally often.

    Parameters
    ----------
    axes
        The columns.
    cells
        How many combinations there could be.
    filled
        How many there are.
    each
        How often most of them occur.
    sure
        Whether chance would not have it.
    twice
        Rows of combinations that occur twice where all others do once, as many as there are combinations that do not.
    """

    axes: tuple[Column, ...]
    cells: int
    filled: int
    each: int
    sure: bool
    twice: tuple[int, ...] = ()


def crossed_findings(table: Table, outcome: Outcome | None, counted: bool) -> list[Finding]:
    """Ask whether the rows are cells of a table, or say which columns were made even.

    Parameters
    ----------
    outcome
        The classes of which cases and others may have been picked to match.
    counted
        Whether a person said that rows stand for several.
    """
    crossed = crossing_of(table)
    found = []
    if crossed is not None:
        asked = [] if counted or crossed.each > 1 or crossed.twice else _counted(table, crossed)
        designed = _designed if not crossed.twice else _with_slips
        found = [*asked, *([designed(crossed, table)] if crossed.sure else [])]
    told = {c for f in found if f.code == "by-design" for c in f.columns}
    return [*found, *_matched(table, outcome), *_evened(table, told)]


def _evened(table: Table, told: set[str]) -> list[Finding]:
    """Find columns whose levels have exactly equal numbers of rows, over all or within each level of another column.

    The chance of that is the product over the levels of n! / ((n / k)!)^k / k^n, of n rows there and k levels; within
    another column over that of all rows, since what is even over all is so the sooner within.
    """
    columns = {c.name: c for c in table if c.kind in ("binary", "nominal", "ordinal", "discrete")}
    columns = {n: c for n, c in columns.items() if 2 <= c.distinct <= T.MANY_LEVELS and not c.missing.any()}
    codes = {n: _renumbered(_codes(c)) for n, c in columns.items() if not _of_a_calendar(c)}
    few = [n for n in codes if columns[n].distinct <= T.EVENED_LEVELS and n not in told][:MOST_AXES]
    found = []
    for name in few:
        counts = np.bincount(codes[name])
        if counts.min() < counts.max():
            continue  # uneven over all: so it is within some level
        others = [other for other in codes if other != name][:MOST_WITHIN]
        over_all = _chance_of_even(codes[name], None)
        tried: list[tuple[float, str | None]] = [(over_all, None)]
        # that they are even over all makes it likelier within, so it counts once
        tried += [(_chance_of_even(codes[name], codes[o]) / max(over_all, 1e-300), o) for o in others]
        chance, within = min(tried, key=lambda c: c[0])
        if chance < T.EVENED_P / (len(few) * len(tried)):
            found.append(_said_even(columns[name], within, len(table)))
    return found[:2]


def _chance_of_even(codes: Codes, groups: Codes | None) -> float:
    """Return the chance that all levels have as many rows in every group, in which they have; 1 where they have not."""
    levels = int(codes.max()) + 1
    groups = np.zeros(len(codes), np.int64) if groups is None else groups
    cells = np.bincount(groups * levels + codes, minlength=levels * (int(groups.max()) + 1)).reshape(-1, levels)
    if (cells.min(axis=1) < cells.max(axis=1)).any():
        return 1.0
    n = cells.sum(axis=1).astype(float)
    logs = special.gammaln(n + 1) - levels * special.gammaln(n / levels + 1) - n * np.log(levels)
    return float(np.exp(logs.sum()))


def _said_even(c: Column, within: str | None, rows: int) -> Finding:
    where, not_by, what = "", "", "values" if isinstance(c, NumericColumn) else "levels"
    if within is not None:
        where = f" in each level of {marked(within)}"
        not_by = f"; and what goes along it is no work of {marked(within)}, though it may be of others"
    return Finding(
        "by-design",
        "note",
        (c.name, *(() if within is None else (within,))),
        f"The {c.distinct} {what} of {marked(c.name)} have just as many rows as each other{where}, in "
        f"{plural(rows, 'row')}: somebody made it so.",
        f"How often a level of {marked(c.name)} occurs says nothing of the world{not_by}.",
        {"rows": rows, "within": within},
    )


def crossing_of(table: Table) -> Crossed | None:
    """Return the columns of which every combination occurs equally often, as many as there are; nothing by chance."""
    n = len(table)
    axes = [(c, codes) for c in table if (codes := _even_codes(c)) is not None]
    axes = sorted(axes, key=lambda a: (-_evenness(a[1]), -a[0].distinct))[: FEW_AXES if n > MANY_ROWS else MOST_AXES]
    best: tuple[tuple[bool, int, int], Crossed] | None = None
    for some in _subsets([c.distinct for c, _ in axes], n):
        columns = tuple(axes[k][0] for k in some)
        cells = int(np.prod([c.distinct for c in columns]))
        key = np.zeros(n, np.int64)
        for k in some:
            key = key * axes[k][0].distinct + axes[k][1]
        counts = np.bincount(key, minlength=cells)
        seen = counts[counts > 0]
        each = int(np.bincount(seen).argmax())
        even = int(np.count_nonzero(counts == each))
        again = np.flatnonzero(counts > 1) if each == 1 else np.zeros(0, np.int64)
        slips = counts.max() <= 2 and len(again) <= T.CROSSING_SLIPS * cells and len(seen) == cells - len(again)
        if even < T.FULL_CROSSING * cells or (len(again) and not slips):
            continue
        sure = _by_chance(counts, each, [c.distinct for c in columns]) <= T.EVEN_P
        if not sure and (each > 1 or len(seen) < cells):
            continue
        dated = sum(map(_of_a_calendar, columns))
        if dated > 1 or (each > 1 and dated):
            continue  # every week has its Monday
        rank = (even == cells or len(again) > 0, cells, len(some))
        if best is None or rank > best[0]:
            twice = tuple(np.flatnonzero(np.isin(key, again)).tolist()) if len(again) else ()
            best = (rank, Crossed(columns, cells, len(seen), each, sure, twice))
    return None if best is None else best[1]


def _even_codes(c: Column) -> Codes | None:
    """Return the codes of a column that may be an axis: few values, none missing, each in about equally many rows."""
    if (
        isinstance(c, TimeColumn)
        or c.kind in ("text", "constant", "identifier")
        or not 2 <= c.distinct <= T.MANY_LEVELS
    ):
        return None
    if c.missing.any():
        return None
    codes = _codes(c)
    n = np.bincount(codes)
    return _renumbered(codes) if n[n > 0].min() >= T.EVEN_MARGIN * n.max() else None


def _evenness(codes: Codes) -> float:
    """Return the share of the levels that have just as many rows as most have."""
    rows = np.bincount(codes)
    return float(np.mean(rows == np.bincount(rows).argmax()))


def _of_a_calendar(c: Column) -> bool:
    """Say whether a column tells weekdays, months or hours, of which each comes as often as the others anyway."""
    named = re.search(r"day|week|month|hour|minute|date", c.name.casefold()) is not None
    return named or (isinstance(c, CategoryColumn) and on_calendar(c.levels))


def _renumbered(codes: Codes) -> Codes:
    """Return codes from 0 on that all occur; a missing −1 is the last."""
    there = np.append(np.bincount(codes[codes >= 0]) > 0, (codes < 0).any())
    return np.asarray((np.cumsum(there) - 1)[codes])


def _codes(c: Column) -> Codes:
    if isinstance(c, CategoryColumn):
        return c.codes.astype(np.int64)
    return np.asarray(pd.factorize(c.numbers)[0], np.int64)  # type: ignore[arg-type]


def _subsets(sizes: Sequence[int], rows: int) -> Iterator[tuple[int, ...]]:
    """Yield the columns whose combinations could each occur, and be no more than the rows can fill."""
    for many in range(2, min(len(sizes), 6) + 1):
        for some in combinations(range(len(sizes)), many):
            cells = float(np.prod([sizes[k] for k in some]))
            if T.LEAST_CELLS <= cells <= rows / T.FULL_CROSSING:
                yield some


def _by_chance(counts: Codes, each: int, levels: list[int]) -> float:
    """Return how likely as many cells hold just so many rows where rows fall into them by chance.

    The margins may be even by themselves: cells that follow from them are not counted.
    """
    n, cells = int(counts.sum()), len(counts)
    commonest = float(scipy.stats.binom.pmf(min(n, (n + 1) // cells), n, 1 / cells))
    told = 1 + sum(k - 1 for k in levels)
    return float(scipy.stats.binom.sf(int(np.count_nonzero(counts == each)) - told - 1, cells - told, commonest))


def _counted(table: Table, crossed: Crossed) -> list[Finding]:
    """Ask whether whole numbers beside the combinations count the cases of each."""
    axes = {c.name for c in crossed.axes}
    rest = [c for c in table if c.name not in axes]
    numbers = [c for c in rest if isinstance(c, NumericColumn) and _may_count(c)]
    named = [c for c in numbers if hints(c.name, "frequencies")]
    numbers = named if len(named) == 1 else numbers
    others = [c for c in rest if c.name not in {n.name for n in numbers} and c.distinct > T.MOST_GAP_LEVELS]
    others = [c for c in others if not _of_one_axis(c, crossed.axes)]
    if not 1 <= len(numbers) <= MOST_COUNTS or others or not (crossed.sure or named):
        return []
    whole = [c for c in numbers if all((c.values >= o.values).all() for o in numbers)]
    counts = whole[0] if whole else numbers[0]
    total = int(np.nansum(counts.values))
    sure = bool(named) or (len(numbers) > 1 and bool(whole))
    part = [marked(c.name) for c in numbers if c is not counts]
    never = f" ({' and '.join(part)} {'is' if len(part) == 1 else 'are'} never more)" if part and whole else ""
    return [
        Finding(
            "counted-table",
            "caution" if sure else "note",
            (counts.name, *(c.name for c in numbers if c is not counts), *(c.name for c in crossed.axes)),
            f"Each of the {plural(len(table), 'row')} is a combination of {_listed(crossed.axes)}, and no two are the "
            f"same: does {marked(counts.name)} count the cases of each ({total:,} in all){never}?",
            f"If so say it, {option('counts', counts.name)}: every step then counts cases. If it is a measurement, "
            "leave it.",
            {"rows": len(table), "combinations": crossed.cells, "total": total},
        )
    ]


def _may_count(c: NumericColumn) -> bool:
    """Say whether a column holds whole numbers from 0 up that are more than a few levels."""
    if c.missing.any() or is_time(c.name, c.values):
        return False
    return bool((c.values >= 0).all() and (c.values == np.floor(c.values)).all()) and c.distinct > 2


def _of_one_axis(c: Column, axes: Sequence[Column]) -> bool:
    """Say whether a column has one value at each level of an axis: another name of it, or levels joined."""
    codes = _codes(c)
    for axis in axes:
        of_axis = _codes(axis)
        first = np.full(int(of_axis.max()) + 1, -1)
        first[of_axis[::-1]] = codes[::-1]
        if (first[of_axis] == codes).all():
            return True
    return False


def _listed(columns: Sequence[Column]) -> str:
    names = [marked(c.name) for c in columns]
    if len(names) > 5:
        return f"{', '.join(names[:4])} and {len(names) - 4} more"
    return f"{', '.join(names[:-1])} and {names[-1]}"


def _designed(crossed: Crossed, table: Table) -> Finding:
    few = "" if crossed.filled == crossed.cells else f"{crossed.filled:,} of the {crossed.cells:,} combinations"
    which, verb = (few, "occur") if few else ("Each combination", "occurs")
    often = "once" if crossed.each == 1 else f"{crossed.each:,} times{' or nearly' if few else ''}"
    return Finding(
        "by-design",
        "note",
        tuple(c.name for c in crossed.axes),
        f"{which} of {_listed(crossed.axes)} {verb} {often}: somebody planned it so, and between these columns there "
        "is no relation to be found.",
        "Take each as it is: none stands for another. What rows of one combination share, they share by plan.",
        {"combinations": crossed.cells, "filled": crossed.filled, "each": crossed.each, "rows": len(table)},
    )


def _with_slips(crossed: Crossed, table: Table) -> Finding:
    rows = [str(table.rows[k]) for k in crossed.twice]
    lacking = crossed.cells - crossed.filled
    return Finding(
        "by-design",
        "caution",
        tuple(c.name for c in crossed.axes),
        f"Of the {crossed.cells:,} combinations of {_listed(crossed.axes)} {crossed.cells - 2 * lacking:,} occur once, "
        f"{lacking:,} twice (rows {', '.join(rows[:6])}{', …' if len(rows) > 6 else ''}) and {lacking:,} not at all: a "
        "slip in one of these rows?",
        "Compare these rows with where they come from.",
        {"combinations": crossed.cells, "filled": crossed.filled, "each": 1, "rows": len(table), "twice": rows[:20]},
    )


def _matched(table: Table, outcome: Outcome | None) -> list[Finding]:
    """Find columns at each of whose values the classes have the same shares: cases that were picked to match."""
    if not isinstance(outcome, ClassOutcome):
        return []
    known = outcome.known
    total = np.bincount(outcome.codes[known], minlength=len(outcome.levels))
    matched: list[tuple[int, Column]] = []
    for c in table:
        if c.name == outcome.name or c.kind in ("text", "constant"):
            continue
        if not T.LEAST_CELLS <= c.distinct <= len(table) / 2:
            continue
        codes = _renumbered(_codes(c)[known])
        size = (int(codes.max(initial=0)) + 1, len(total))
        cells = np.bincount(codes * size[1] + outcome.codes[known], minlength=size[0] * size[1]).reshape(size)
        expected = np.outer(cells.sum(axis=1), total) / max(int(total.sum()), 1)
        if np.abs(cells - expected).max() < 0.5 and _as_even(cells) < T.EVEN_P:
            matched.append((len(cells), c))
    if not matched:
        return []
    sets, finest = max(matched, key=lambda m: m[0])
    names = [c.name for _, c in sorted(matched, key=lambda m: -m[0])]
    more = f" (and so at each of {', '.join(map(marked, names[1:4]))})" if len(names) > 1 else ""
    share = total[outcome.levels.index(outcome.event)] / total.sum() if outcome.event in outcome.levels else np.nan
    return [
        Finding(
            "by-design",
            "caution",
            (*names, outcome.name),
            f"At each of the {sets:,} values of {marked(finest.name)} {marked(outcome.name)} is {outcome.event!r} in "
            f"{share:.0%} of the rows{more}: somebody made it so (others were picked to match each case, or one of "
            "several is chosen), and these columns cannot tell the classes apart.",
            f"Do not judge {' or '.join(map(marked, names[:3]))} as a risk, nor the share of {outcome.event!r} as a "
            f"rate; compare within {marked(finest.name)}, {option('by', finest.name)}.",
            {"sets": sets, "share": float(share)},
        )
    ]


def _as_even(cells: NDArray[np.int64]) -> float:
    """Return the chance of just this table with its margins (Fisher 1935)."""
    margins = sum(float(special.gammaln(cells.sum(axis=a) + 1.0).sum()) for a in (0, 1))
    inside = float(special.gammaln(cells + 1.0).sum() + special.gammaln(cells.sum() + 1.0))
    return float(np.exp(margins - inside))
