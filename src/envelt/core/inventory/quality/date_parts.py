"""Columns that are read off a date: its year, month, weekday."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from ... import thresholds as T
from ...columns.table import CategoryColumn, Column, NumericColumn, Table, TimeColumn
from ...finding import Finding, marked
from ...shapes.calendar import months_since_1970, weekday_of
from ...words import listed, plural

Ints = NDArray[np.int64]
Days = NDArray[np.datetime64]

MOST_DATES = 10


PARTS: tuple[tuple[str, Callable[[Days], Ints]], ...] = (
    ("year", lambda d: d.astype("datetime64[Y]").astype(np.int64)),
    ("quarter", lambda d: months_since_1970(d.astype(np.int64)) % 12 // 3),
    ("month", lambda d: months_since_1970(d.astype(np.int64)) % 12),
    ("weekday", lambda d: weekday_of(d.astype(np.int64))),
    ("day of the month", lambda d: (d - d.astype("datetime64[M]").astype("datetime64[D]")).astype(np.int64)),
    ("day of the year", lambda d: (d - d.astype("datetime64[Y]").astype("datetime64[D]")).astype(np.int64)),
)
"""What may be read off a date, each with its place in days since 1970-01-01, a Thursday."""


def date_part_findings(table: Table, outcome: str | None) -> list[Finding]:
    """Find columns of which each value stands for one part of a date, and each part for one value."""
    found, used = [], set[str]()
    for date in [c for c in table if isinstance(c, TimeColumn)][:MOST_DATES]:
        told: list[tuple[str, str, int]] = []
        days = np.where(date.absent, 0, date.values).astype("datetime64[us]").astype("datetime64[D]")
        parts = [(what, of(days)) for what, of in PARTS]
        for c in table:
            if c.name in (date.name, outcome) or c.name in used:
                continue
            part = _part(c, parts, ~date.absent)
            if part is not None:
                told.append((c.name, *part))
        used.update(name for name, *_ in told)
        if told:
            found.append(_said(date.name, told))
    return found


def _part(c: Column, parts: list[tuple[str, Ints]], dated: NDArray[np.bool_]) -> tuple[str, int] | None:
    """Return which part of a date a column is, and in how many rows it is not."""
    there = dated & ~c.missing
    n = int(there.sum())
    if n < T.LEAST_SHAPE or not isinstance(c, NumericColumn | CategoryColumn) or not 2 <= c.distinct <= 366:
        return None
    own = c.values if isinstance(c, NumericColumn) else c.codes
    code = np.unique(own[there], return_inverse=True)[1]
    for what, place in parts:
        of = np.unique(place[there], return_inverse=True)[1]
        size = int(of.max()) + 1
        if size != int(code.max()) + 1 or size < (2 if what == "year" else T.DATE_PARTS):
            continue
        counts = np.bincount(of * size + code, minlength=size * size).reshape(size, size)
        best = counts.argmax(axis=1)
        wrong = n - int(counts.max(axis=1).sum())
        often = n >= T.DATE_PART_ROWS * size  # values of a row each stand for a day of their own whatever they are
        one_each = len(np.unique(best)) == size and (often or _counts_days(own[there], place[there]))
        if one_each and wrong <= T.DATE_PART_SLIPS * n:
            return what, wrong
    return None


def _counts_days(own: NDArray[np.generic], place: Ints) -> bool:
    """Say whether values are the number of a year, month or day itself, but for where they begin."""
    if own.dtype.kind != "f":
        return False
    return bool(np.ptp(own.astype(np.float64) - place) == 0)


def _said(date: str, told: list[tuple[str, str, int]]) -> Finding:
    names = [name for name, *_ in told]
    what = listed([f"its {part}" for _, part, _ in told])
    slips = [f"{marked(name)} is not in {plural(k, 'row')}" for name, _, k in told if k]
    return Finding(
        "made-from-date",
        "note",
        (*names, date),
        f"{listed([marked(n) for n in names])} {'is' if len(names) == 1 else 'are'} read off {marked(date)}: {what}"
        f"{'; ' + ', '.join(slips) if slips else ''}.",
        "Keep the date or its parts, not both: a model would weigh the same thing twice. Parts that a preparation "
        "makes (parts_of_date) are there for new rows too.",
        {"date": date, "parts": {name: part for name, part, _ in told}, "contradict": {n: k for n, _, k in told if k}},
    )
