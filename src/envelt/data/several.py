"""Several files as one table, with a column that says which row came from where."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from ..core.columns.labels import number_label, time_label
from ..core.columns.marks import read_texts
from ..core.columns.raw import RawColumn, RawNested, RawNumbers, RawTimes, RawWords, placed
from ..core.columns.zones import zone_of
from ..errors import DataError
from .frames import is_kept_as_text

SOURCE = "source"
WRITTEN = {RawNumbers: "plain numbers", RawTimes: "dates, year-month-day", RawWords: "text"}
Read = RawColumn | RawNested


def stacked(
    parts: Mapping[str, tuple[dict[str, Read], int]], kinds: Mapping[str, str]
) -> tuple[dict[str, Read], list[str], dict[str, tuple[dict[str, str], bool]]]:
    """Put tables under one another.

    Parameters
    ----------
    parts
        Raw columns and number of rows, by the name of the source.
    kinds
        That a person declared, by the column's name.

    Returns
    -------
    dict, list, dict
        The columns of all, with `SOURCE`, a line for each column that is not in every source, and of columns that were
        written otherwise in one source than in another how in each, and whether all could be read as one thing.

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
    out: dict[str, Read] = {}
    unlike: dict[str, tuple[dict[str, str], bool]] = {}
    for name in names:
        pieces = {source: columns.get(name) for source, (columns, _) in parts.items()}
        if not all(_says_nothing(p) for p in pieces.values()):
            pieces = {source: None if _says_nothing(p) else p for source, p in pieces.items()}
        if not is_kept_as_text(kinds.get(name)):
            pieces, how = _each_read(name, pieces)
            if len(set(how.values())) > 1:
                unlike[name] = how, not any(isinstance(p, RawWords) for p in pieces.values())
        out[name] = _stack([(piece, n) for piece, (_, n) in zip(pieces.values(), parts.values(), strict=True)])
    sizes = [n for _, n in parts.values()]
    out[SOURCE] = RawWords(np.repeat(np.arange(len(sizes), dtype=np.int32), sizes), list(parts))
    return out, lines, unlike


def _says_nothing(piece: Read | None) -> bool:
    """Say whether a column of a file has no value in any row: it is then of whatever kind the others have."""
    if isinstance(piece, RawNumbers):
        return bool(np.isnan(piece.values).all())
    if isinstance(piece, RawTimes):
        return bool(piece.absent.all())
    return isinstance(piece, RawWords) and not (piece.codes >= 0).any()


def _each_read(name: str, pieces: dict[str, Read | None]) -> tuple[dict[str, Read | None], dict[str, str]]:
    """Read what is text in some sources as each of them writes it, where all then hold numbers, or times.

    Texts that all write in one way are left, to be read together.
    """
    read: dict[str, Read | None] = dict(pieces)
    how = {}
    for source, piece in pieces.items():
        if piece is None or isinstance(piece, RawNested):
            continue
        seen = read_texts(name, piece) if isinstance(piece, RawWords) and piece.words else None
        read[source] = piece if seen is None else seen.raw
        how[source] = WRITTEN[type(piece)] if seen is None else seen.how
        if isinstance(read[source], RawTimes) and read[source].zone:  # type: ignore[union-attr]
            how[source] += f", {read[source].zone} time"  # type: ignore[union-attr]
    together = len({type(r) for r in read.values() if r is not None}) == 1
    texts = all(isinstance(p, RawWords) for p in pieces.values() if p is not None)
    if not together or (texts and len(set(how.values())) == 1):
        return pieces, how
    return read, how


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
        zones = {t.zone for t in times if not t.absent.all()}
        offsets = [t.offset if t.offset is not None else np.zeros(len(t.values), np.int64) for t in times]
        offset = None if "" in zones or not zones else np.concatenate(offsets)
        values, absent = (np.concatenate([getattr(t, part) for t in times]) for part in ("values", "absent"))
        zone = "" if offset is None else zones.pop() if len(zones) == 1 else zone_of(offset[~absent])
        return RawTimes(values, absent, zone, offset=offset)
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
    codes, unique = placed(column.values, missing)
    write = number_label if isinstance(column, RawNumbers) else time_label
    return RawWords(codes, [write(v) for v in unique])
