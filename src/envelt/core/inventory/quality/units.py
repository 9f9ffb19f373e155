"""The column that is likely to say what one case is: several rows share its values, and most of what else they hold."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import pandas as pd
from numpy.typing import NDArray
from scipy import special

from ....errors import option
from ... import thresholds as T
from ...columns.names import glued_id, hints, is_measure, is_sum, names_rows
from ...columns.outcome import ClassOutcome, Outcome
from ...columns.table import CategoryColumn, Column, NumericColumn, Table
from ...columns.times import is_time
from ...finding import Finding, marked
from ...shapes.ranks import ranks_of
from ...stats.correlation import pearson_coefficient
from ...words import plural
from .row_bits import bits_of


@dataclass(frozen=True)
class _Unit:
    """A column that names cases of several rows.

    Parameters
    ----------
    several, units, shared
        The rows that share theirs with another, how many cases there are, and the columns that keep their value.
    alike
        How far rows of one case agree on the outcome: the intraclass correlation, 0 where it was not looked at.
    """

    column: Column
    codes: NDArray[np.int64]
    several: int
    units: int
    shared: list[str]
    alike: float

    @property
    def rank(self) -> tuple[bool, int, int]:
        """What is the likelier: an id, what carries more columns, what holds more rows."""
        return self.column.kind == "identifier", len(self.shared), self.several


def likely_unit(table: Table, outcome: Outcome) -> str | None:
    """Return the column that is likely to say what one case is, if its rows agree on the outcome."""
    best = max(_units_of(table, outcome), key=lambda u: u.rank, default=None)
    return None if best is None or best.alike < T.ALIKE_WITHIN else best.column.name


def _units_of(table: Table, outcome: Outcome | None) -> list[_Unit]:
    return [u for c in table if (u := _unit_of(table, c, outcome)) is not None]


def likely_unit_findings(table: Table, outcome: Outcome | None) -> list[Finding]:
    """Find the column whose values span several rows that share most of their other columns, or differ in time.

    Identifiers are tried, and whole numbers and names of which the name of the column says that they name cases.
    """
    units = _units_of(table, outcome)
    if not units:
        return []
    best = max(units, key=lambda u: u.rank)
    name, rows = marked(best.column.name), plural(len(table), "row")
    shown = f", and mostly the same {', '.join(map(marked, best.shared[:4]))}" if best.shared else ""
    if outcome is not None and best.alike >= T.ALIKE_WITHIN:
        shown += f", and resemble each other in {marked(outcome.name)} (intraclass correlation {best.alike:.2f})"
    around = [u for u in units if u is not best and u.units < best.units and _inside(best.codes, u.codes)]
    also = f" Its cases lie in the {around[0].units:,} of {marked(around[0].column.name)}." if around else ""
    return [
        Finding(
            "likely-unit",
            "caution",
            (best.column.name, *(u.column.name for u in around[:1])),
            f"{name} has {best.units:,} different values in {rows}: {plural(best.several, 'row')} share theirs with "
            f"another row{shown}. Rows of one {name} are not independent.{also}",
            f"Declare it the unit, {option('unit', best.column.name)}: folds keep it whole; intervals and tests count "
            f"{best.units:,} cases."
            + (f" Of {marked(around[0].column.name)} there are fewer, and wholes too." if around else ""),
            {"units": best.units, "rows_sharing": best.several, "same_within": best.shared, "alike": best.alike},
        )
    ]


def _unit_of(table: Table, c: Column, outcome: Outcome | None) -> _Unit | None:
    """Return a column as a unit, if it is likely one."""
    codes = _case_codes(c) if (carried := _carried(table, c)) is None else carried
    if codes is None or (outcome is not None and c.name == outcome.name):
        return None
    counts = np.bincount(codes[codes >= 0])
    several, units = int(counts[counts > 1].sum()), int(np.count_nonzero(counts))
    person = hints(c.name, "few_cases")
    named = person or carried is not None
    least, most = (T.FEW_PERSONS, 1 / T.FEW_PERSONS) if named else (T.LEAST_UNITS_IN_TIME, T.PLACE_HOLDER)
    if several < T.UNIT_ROWS * len(c) or units < least or counts.max() > most * len(c):
        return None
    panel = float(np.median(counts[counts > 0])) >= T.ROWS_A_UNIT
    sets = not panel and person and _in_even_blocks(codes)
    if not panel and not sets and carried is None and (c.kind != "identifier" or units < T.ROWS_FOR_IDENTIFIER):
        return None
    shared = _shared_columns(table, c.name, codes)
    in_time = (panel or int(counts.max()) == 2) and _once_a_time(table, c.name, codes)
    if not (in_time or c.kind == "identifier" or names_rows(c.name) or isinstance(c, NumericColumn)):
        return None  # levels in even numbers, as of a treatment
    alike = _alike(table, outcome, codes) if panel else 0.0
    blocks = int(np.count_nonzero(np.diff(codes))) + 1 <= T.BLOCKS_A_NAME * units and len(c) >= 1.5 * units
    sure = glued_id(c.name) or hints(c.name, "identifiers")
    by_name = (panel or (blocks and sure)) and (
        glued_id(c.name) or person or (c.kind == "identifier" and (alike > 0 or (blocks and sure)))
    )
    carries = len(shared) >= (1 if panel or c.kind == "identifier" else 2)
    enough = units >= T.LEAST_UNITS and (carries or by_name or alike >= T.ALIKE_WITHIN)
    if panel and hints(c.name, "cases") and alike >= T.ALIKE_WITHIN / 2:
        enough = True  # few, but each is by its name a case, and the outcome goes with it
    there = counts[counts > 0]
    each_as_often = panel and bool((there == there[0]).all()) and (glued_id(c.name) or person)
    likely = enough or in_time or each_as_often or sets or carried is not None
    return _Unit(c, codes, several, units, shared, alike) if likely else None


def _inside(codes: NDArray[np.int64], around: NDArray[np.int64]) -> bool:
    """Say whether every case lies in one of another column."""
    both = (codes >= 0) & (around >= 0)
    first = np.full(int(codes.max(initial=0)) + 1, -1)
    first[codes[both][::-1]] = around[both][::-1]
    return bool((first[codes[both]] == around[both]).all())


def _alike(table: Table, outcome: Outcome | None, codes: NDArray[np.int64]) -> float:
    """Return how far rows of one case agree on the outcome, or without one on the number they agree on most."""
    if outcome is not None:
        y = outcome.is_event.astype(float) if isinstance(outcome, ClassOutcome) else outcome.values
        return _intraclass(np.where(outcome.known, y, np.nan), codes, 1)
    numbers = [c.values for c in table if isinstance(c, NumericColumn)][: T.FEW_STEPS]
    return max((_intraclass(x, codes, len(numbers)) for x in numbers), default=0.0)


def _intraclass(y: NDArray[np.float64], codes: NDArray[np.int64], looks: int) -> float:
    """Return the intraclass correlation, by mean squares (Fisher 1925); 0 where it may be chance in so many looks."""
    use = ~np.isnan(y) & (codes >= 0)
    y = y[use]
    at = np.unique(codes[use], return_inverse=True)[1]
    n = np.bincount(at)
    k, rows = len(n), len(y)
    if k < 2 or rows - k < 2 or y.min() == y.max():
        return 0.0
    y = y - y.mean()
    y = y / np.abs(y).max()  # squares keep their digits at any scale
    mean = np.bincount(at, weights=y) / n
    between, within = float(np.sum(n * mean**2)) / (k - 1), float(np.sum((y - mean[at]) ** 2)) / (rows - k)
    size = (rows - np.sum(n**2) / rows) / (k - 1)
    if within <= 0:
        return 1.0
    sure = looks * special.fdtrc(k - 1, rows - k, between / within) < T.GROUP_P
    return max(0.0, (between - within) / (between + (size - 1) * within)) if sure else 0.0


def _case_codes(c: Column) -> NDArray[np.int64] | None:
    """Return what may name cases as codes, −1 where missing; nothing for what cannot."""
    named = names_rows(c.name) and not hints(c.name, "counts")
    if hints(c.name, "times"):
        return None  # days that were not read as such
    if isinstance(c, CategoryColumn):
        named = named or (c.kind == "nominal" and _even_in_rows(c))
        return c.codes.astype(np.int64) if c.kind == "identifier" or (named and c.kind == "nominal") else None
    if not isinstance(c, NumericColumn) or not (named or _first_rows_alike(c)):
        return None
    present = c.values[~c.missing]
    if len(present) == 0 or (present != np.round(present)).any():
        return None
    codes = np.asarray(pd.factorize(c.values)[0], np.int64)
    return codes if named or _in_even_blocks(codes) else None


def _even_in_rows(c: CategoryColumn) -> bool:
    """Say whether a column has ten levels or more, each in just as many rows."""
    rows = c.counts[c.counts > 0]
    return len(rows) >= T.LEAST_UNITS_IN_TIME and bool((rows == rows[0]).all())


def _carried(table: Table, c: Column) -> NDArray[np.int64] | None:
    """Return whole numbers that stand in blocks, one each, and carry a number of their own, as quakes have a magnitude.

    The other must have a value for nearly each, and not be the same amount in another form, that goes up with it.
    """
    if not isinstance(c, NumericColumn) or c.missing.any() or not T.ROWS_FOR_IDENTIFIER <= c.distinct <= len(c) / 2:
        return None
    if is_measure(c.name) or is_sum(c.name) or hints(c.name, "times") or hints(c.name, "counts"):
        return None
    codes = np.asarray(pd.factorize(c.values)[0], np.int64)
    blocks = int(np.count_nonzero(np.diff(codes))) + 1
    if blocks > c.distinct or (c.values != np.round(c.values)).any():
        return None
    first = np.unique(codes, return_index=True)[1]
    for other in table:
        own = other.numbers
        if other.name == c.name or own is None or other.distinct < c.distinct / 2 or not np.isfinite(own).all():
            continue
        of_first = own[first]
        along = abs(pearson_coefficient(ranks_of(of_first), ranks_of(c.values[first])))
        if (own == of_first[codes]).all() and along < T.ANOTHER_FORM:
            return codes
    return None


def _first_rows_alike(c: NumericColumn) -> bool:
    """Say whether a number keeps its value over the first rows, as it must to stand in blocks."""
    some = c.values[: T.ROWS_FOR_IDENTIFIER]
    by_kind = c.kind in ("continuous", "discrete") and not (is_measure(c.name) or is_sum(c.name))
    return by_kind and bool(2 * np.count_nonzero(np.diff(some)) < len(some))


def _in_even_blocks(codes: NDArray[np.int64]) -> bool:
    """Say whether each value has its rows in one block, all about as long: hours of a day, plots of a field."""
    if len(codes) == 0 or codes.min() < 0:
        return False
    rows = np.bincount(codes)
    blocks = int(np.count_nonzero(np.diff(codes))) + 1
    even = rows.max() <= T.EVEN_BLOCKS * np.median(rows) and rows.min() * T.EVEN_BLOCKS >= np.median(rows)
    return bool(len(rows) >= T.ROWS_FOR_IDENTIFIER and blocks == len(rows) and even)


def _once_a_time(table: Table, unit: str, codes: NDArray[np.int64]) -> bool:
    """Say whether some column of times has each of its values once within every unit."""
    units = int(codes.max(initial=-1)) + 1
    for c in table:
        both = len(c) == c.distinct * units and c.distinct > 1  # every unit at every time, were it only twice
        if c.name == unit or not (T.TIMES_OF_A_PANEL <= c.distinct < len(c) or both):
            continue
        at = c.numbers
        if at is None and isinstance(c, CategoryColumn) and c.kind in ("ordinal", "binary"):
            at = c.as_written if c.kind == "binary" else np.where(c.missing, np.nan, c.codes)
        if at is None:
            continue
        if c.kind == "datetime" or hints(c.name, "ages") or is_time(c.name, at[~np.isnan(at)]):
            known = (codes >= 0) & ~np.isnan(at)
            pairs = pd.DataFrame({"unit": codes[known], "at": at[known]})
            if len(pairs) and not pairs.duplicated().any():
                return True
    return False


def _shared_columns(table: Table, unit: str, unit_codes: NDArray[np.int64]) -> list[str]:
    """Return the columns that mostly keep their value within a unit, and would not by chance."""
    order = np.argsort(unit_codes, kind="stable")
    codes = unit_codes[order]
    pair = np.flatnonzero((codes[1:] == codes[:-1]) & (codes[1:] >= 0))
    shared = []
    rng = np.random.default_rng(0)
    other = rng.permutation(len(order))[: len(pair)]
    for c in table:
        if c.name == unit or c.kind in ("constant", "text"):
            continue
        bits = bits_of(c)
        within = float(np.mean(bits[order[pair]] == bits[order[pair + 1]]))
        by_chance = float(np.mean(bits[other] == bits[np.roll(other, 1)])) if len(other) > 1 else 1.0
        if len(pair) >= T.ROWS_FOR_IDENTIFIER and 1 - within <= T.DIFFER_WITHIN_UNIT * (1 - by_chance):
            shared.append(c.name)
    return shared
