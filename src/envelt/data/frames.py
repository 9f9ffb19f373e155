"""Pandas data frames into raw columns."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import replace
from datetime import timezone
from typing import Any, NamedTuple

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from ..core.columns.raw import (
    EXACT,
    EXACT_KINDS,
    RawColumn,
    RawNested,
    RawNumbers,
    RawTimes,
    RawWords,
    are_of_the_calendar,
)
from ..core.columns.spans import in_one_unit
from ..core.columns.zones import zone_of
from ..errors import ColumnNamesError, EmptyTableError, pointing, unknown_column

FIRST_ROW = 1  # rows of a file are counted from 1, the header aside


class Read(NamedTuple):
    """Raw columns by name, the label of each row, and what a person should know of the reading."""

    columns: dict[str, RawColumn | RawNested]
    rows: pd.Index[Any]
    notes: tuple[str, ...] = ()


def is_kept_as_text(kind: str | None) -> bool:
    """Say whether a column declared so is not read as numbers: codes keep every digit."""
    return kind in EXACT_KINDS and kind not in ("ordinal", "binary")


def named_in_text(frame: pd.DataFrame) -> tuple[pd.DataFrame, tuple[str, ...]]:
    """Return a frame whose column names are text, and say what was turned into it: 1 is '1', (a, b) is 'a b'."""
    names = list(frame.columns)
    odd = [n for n in names if not isinstance(n, str)]
    if not odd:
        return frame, ()
    text = [" ".join(map(str, n)).strip() if isinstance(n, tuple) else str(n) for n in names]
    said = f"column names turned into text ({odd[0]!r} is {text[names.index(odd[0])]!r})"
    return frame.set_axis(text, axis=1), (said,)


def check_names(names: list[Any]) -> None:
    """Refuse column names that occur twice.

    Raises
    ------
    ColumnNamesError
    """
    seen: set[str] = set()
    for name in names:
        if name in seen:
            places = [i + 1 for i, n in enumerate(names) if n == name]
            raise ColumnNamesError(f"Two columns are named {name!r} (columns {places[0]} and {places[1]}). Rename one.")
        seen.add(name)


def check_named(planned: Iterable[str], skip: Iterable[str], names: list[str]) -> None:
    """Refuse a plan for a column that is not there, and one to be left out.

    Raises
    ------
    UnknownColumnError
    """
    for name in planned:
        if name not in names:
            with pointing("columns", name):
                raise unknown_column(name, names)
    for name in skip:
        if name not in names:
            with pointing("study", "ignore"):
                raise unknown_column(name, names)


def check_size(columns: int, rows: int, what: str) -> None:
    """Refuse a table with no column or no row.

    Raises
    ------
    EmptyTableError
    """
    if columns == 0:
        raise EmptyTableError(f"{what} has no columns.")
    if rows == 0:
        raise EmptyTableError(f"{what} has a header and no rows.")


def raw_from_frame(frame: pd.DataFrame, kinds: Mapping[str, str], skip: tuple[str, ...] = ()) -> Read:
    """Return raw columns and row labels of a data frame.

    Parameters
    ----------
    kinds
        Declared kinds: codes declared as names keep every digit.
    skip
        Columns that are not read at all.

    Raises
    ------
    ColumnNamesError, EmptyTableError, UnknownColumnError
    """
    check_names(list(frame.columns))
    check_named(kinds, skip, list(frame.columns))
    check_size(frame.shape[1], len(frame), "The data frame")
    names = [n for n in frame.columns if n not in skip]
    return Read({n: _nested(frame[n]) or raw_from_series(frame[n]) for n in names}, frame.index)


def _nested(series: pd.Series[Any]) -> RawNested | None:
    """Return what a column of lists, structs or complex numbers holds, or nothing for a plain one."""
    if pd.api.types.is_complex_dtype(series.dtype):
        return RawNested("complex numbers")
    if not (pd.api.types.is_object_dtype(series.dtype) or "list" in str(series.dtype) or "struct" in str(series.dtype)):
        return None
    first = next((v for v in series.head(1000) if v is not None and not _is_missing(v)), None)
    if isinstance(first, (list, tuple, set, np.ndarray)):
        return RawNested("lists")
    return RawNested("structs") if isinstance(first, Mapping) else None


def _is_missing(value: Any) -> bool:
    missing = pd.isna(value)
    return bool(missing) if isinstance(missing, (bool, np.bool_)) else False


def raw_from_series(series: pd.Series[Any]) -> RawColumn:
    """Return one column as it is: numbers, words or times."""
    dtype = series.dtype
    if isinstance(dtype, pd.CategoricalDtype):
        return _categorical(series)
    if pd.api.types.is_bool_dtype(dtype):
        return _words(series)
    if pd.api.types.is_datetime64_any_dtype(dtype):
        return _times(series)
    if pd.api.types.is_timedelta64_dtype(dtype) or str(dtype).startswith("duration"):
        taken = pd.to_timedelta(series).dt.total_seconds()
        return in_one_unit(np.asarray(taken.to_numpy(np.float64, na_value=np.nan), np.float64))
    if pd.api.types.is_numeric_dtype(dtype):
        return _numbers(series)
    if pd.api.types.is_object_dtype(dtype):
        inferred = pd.api.types.infer_dtype(series, skipna=True)
        if inferred in ("integer", "floating", "mixed-integer-float", "decimal"):
            return _numbers(series)
        if inferred in ("datetime64", "datetime", "date"):
            return _moments(series)
    return _words(series)


def _numbers(series: pd.Series[Any]) -> RawColumn:
    """Return numbers; as text where whole ones are beyond what float64 holds."""
    if pd.api.types.is_integer_dtype(series.dtype) or series.dtype == object:
        present = series.dropna()
        ends = present if series.dtype == object or present.empty else (present.min(), present.max())
        if any(_is_beyond(v) for v in ends):
            return replace(_words(series), exact=True)
    if series.dtype == object:
        series = pd.Series(pd.to_numeric(series), index=series.index)
    values = series.to_numpy(np.float64, na_value=np.nan)
    return RawNumbers(values.copy() if values.base is not None else values)  # never the caller's memory


def _is_beyond(value: Any) -> bool:
    """Say whether a number is written out whole and beyond 2^53; a float lost its digits before."""
    return not isinstance(value, (float, np.floating)) and abs(value) > EXACT


def _words(series: pd.Series[Any]) -> RawWords:
    try:
        codes, unique = pd.factorize(series)
    except TypeError:  # lists and the like cannot be compared: their text can
        codes, unique = pd.factorize(series.map(str, na_action="ignore"))
    words = [_readable(str(u)) for u in np.asarray(unique, dtype=object).tolist()]
    if len(set(words)) < len(words):  # 1 and '1' read alike
        merged, kept = pd.factorize(np.array(words, dtype=object))
        codes, words = np.append(merged, -1)[codes], list(kept)
    return RawWords(codes.astype(np.int32), words)


def _readable(text: str) -> str:
    """Return a text in which halves of characters, which no file can hold, are the mark for them."""
    return text if text.isascii() else text.encode("utf-8", errors="replace").decode("utf-8")


def _categorical(series: pd.Series[Any]) -> RawWords:
    levels = series.cat
    words = [_readable(str(c)) for c in levels.categories]
    if len(set(words)) < len(words):
        return _words(series)
    return RawWords(levels.codes.to_numpy().astype(np.int32), words, bool(levels.ordered))


def _moments(series: pd.Series[Any]) -> RawColumn:
    """Return dates and times that came as objects; of several zones as UTC, for which those of no zone are taken."""
    zones = {str(getattr(v, "tzinfo", None)) for v in series.dropna()}
    try:
        if zones != {"None"}:
            return _times(pd.to_datetime(series, utc=len(zones) > 1))
        stamps = np.array([None if pd.isna(v) else v for v in series], dtype="datetime64[us]")
    except (ValueError, OverflowError):
        return _words(series)
    return _times(pd.Series(stamps, index=series.index))


def _times(series: pd.Series[Any]) -> RawColumn:
    if str(series.dtype).startswith(("date32", "date64")):  # days of Arrow have no zone to ask for
        series = series.astype("datetime64[us]")
    zone = getattr(series.dt, "tz", None)
    clock = series
    if zone is not None:
        clock, series = series.dt.tz_localize(None), series.dt.tz_convert("UTC").dt.tz_localize(None)
    try:
        stamps = series.astype("datetime64[us]")
    except (ValueError, OverflowError):  # years that microseconds do not reach
        return _words(series.astype(str).where(~series.isna()))
    absent = stamps.isna().to_numpy(bool)
    micro = np.where(absent, 0, stamps.to_numpy("datetime64[us]").astype(np.int64))
    if not are_of_the_calendar(micro[~absent]):
        return _words(series.astype(str).where(~series.isna()))
    if zone is None:
        return RawTimes(micro, absent)
    shown = np.where(absent, 0, clock.astype("datetime64[us]").to_numpy("datetime64[us]").astype(np.int64))
    return RawTimes(shown, absent, _named(zone, (shown - micro)[~absent]), offset=shown - micro)


def _named(zone: Any, offset: NDArray[np.int64]) -> str:
    """Return the name of a zone; of one that is a fixed distance from universal time that distance."""
    fixed = isinstance(zone, timezone) or str(zone).startswith(("UTC", "pytz.Fixed"))
    return zone_of(offset) if fixed else str(zone)
