"""Several files as one table, with a column that says which row came from where."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from ..core.columns.labels import number_label, time_label
from ..core.columns.raw import RawColumn, RawNested, RawNumbers, RawTimes, RawWords
from ..errors import DataError

SOURCE = "source"
Read = RawColumn | RawNested


def stacked(parts: Mapping[str, tuple[dict[str, Read], int]]) -> tuple[dict[str, Read], list[str]]:
    """Put tables under one another.

    Parameters
    ----------
    parts
        Raw columns and number of rows, by the name of the source.

    Returns
    -------
    dict, list
        The columns of all, with `SOURCE`, and a line for each column that is not in every source.

    Raises
    ------
    DataError
        A source already has a column of that name.
    """
    names = list(dict.fromkeys(n for columns, _ in parts.values() for n in columns))
    if SOURCE in names:
        raise DataError(f"Several files are told apart by a column {SOURCE!r}, and they have one already: rename it.")
    lines = []
    for name in names:
        having = [s for s, (columns, _) in parts.items() if name in columns]
        if len(having) < len(parts):
            lines.append(f"{name} is only in {', '.join(having[:4])}{', …' if len(having) > 4 else ''}")
    out = {name: _stack([(columns.get(name), n) for columns, n in parts.values()]) for name in names}
    sizes = [n for _, n in parts.values()]
    out[SOURCE] = RawWords(np.repeat(np.arange(len(sizes), dtype=np.int32), sizes), list(parts))
    return out, lines


def _stack(read: list[tuple[Read | None, int]]) -> Read:
    pieces: list[tuple[RawColumn | None, int]] = []
    for c, n in read:
        if isinstance(c, RawNested):
            return c
        pieces.append((c, n))
    kinds = {type(c) for c, _ in pieces if c is not None}
    if kinds == {RawNumbers}:
        return RawNumbers(
            np.concatenate([c.values if isinstance(c, RawNumbers) else np.full(n, np.nan) for c, n in pieces])
        )
    if kinds == {RawTimes}:
        times = [c if isinstance(c, RawTimes) else RawTimes(np.zeros(n, np.int64), np.ones(n, bool)) for c, n in pieces]
        return RawTimes(np.concatenate([t.values for t in times]), np.concatenate([t.absent for t in times]))
    place: dict[str, int] = {}
    codes = []
    for c, n in pieces:
        words = _as_words(c, n)
        at = np.array([*(place.setdefault(w, len(place)) for w in words.words), -1], np.int32)
        codes.append(at[words.codes])
    exact = any(isinstance(c, RawWords) and c.exact for c, _ in pieces)
    return RawWords(np.concatenate(codes), list(place), exact=exact)


def _as_words(column: RawColumn | None, n: int) -> RawWords:
    if column is None:
        return RawWords(np.full(n, -1, np.int32), [])
    if isinstance(column, RawWords):
        return column
    missing = np.isnan(column.values) if isinstance(column, RawNumbers) else column.absent
    unique, inverse = np.unique(column.values[~missing], return_inverse=True)
    codes = np.full(n, -1, np.int32)
    codes[~missing] = inverse
    write = number_label if isinstance(column, RawNumbers) else time_label
    return RawWords(codes, [write(v) for v in unique])
