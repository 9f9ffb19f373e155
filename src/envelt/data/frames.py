"""Pandas data frames into raw columns."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import replace
from typing import Any

import numpy as np
import pandas as pd

from ..core.columns.raw import EXACT, EXACT_KINDS, RawColumn, RawNested, RawTimes, RawWords, checked_numbers, too_large
from ..errors import ColumnNamesError, EmptyTableError, pointing, unknown_column


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


def raw_from_frame(
    frame: pd.DataFrame, kinds: Mapping[str, str], skip: tuple[str, ...] = ()
) -> tuple[dict[str, RawColumn | RawNested], pd.Index[Any]]:
    """Return raw columns and row labels of a data frame.

    Parameters
    ----------
    kinds
        Declared kinds: codes declared as names keep every digit.
    skip
        Columns that are not read at all.

    Raises
    ------
    ColumnNamesError, EmptyTableError, InfiniteValueError, IntegerTooLargeError
    """
    check_names(list(frame.columns))
    check_named(kinds, skip, list(frame.columns))
    check_size(frame.shape[1], len(frame), "The data frame")
    names = [n for n in frame.columns if n not in skip]
    return {n: _nested(frame[n]) or raw_from_series(n, frame[n], kinds.get(n)) for n in names}, frame.index


def _nested(series: pd.Series[Any]) -> RawNested | None:
    """Return what a column of lists or structs holds, or nothing for a plain one."""
    if not (pd.api.types.is_object_dtype(series.dtype) or "list" in str(series.dtype) or "struct" in str(series.dtype)):
        return None
    first = next((v for v in series.head(1000) if v is not None and not _is_missing(v)), None)
    if isinstance(first, (list, tuple, set, np.ndarray)):
        return RawNested("lists")
    return RawNested("structs") if isinstance(first, Mapping) else None


def _is_missing(value: Any) -> bool:
    missing = pd.isna(value)
    return bool(missing) if isinstance(missing, (bool, np.bool_)) else False


def raw_from_series(name: str, series: pd.Series[Any], kind: str | None) -> RawColumn:
    """Return one column as it is: numbers, words or times."""
    dtype = series.dtype
    if isinstance(dtype, pd.CategoricalDtype):
        return _categorical(series)
    if pd.api.types.is_bool_dtype(dtype):
        return _words(series)
    if pd.api.types.is_datetime64_any_dtype(dtype):
        return _times(series)
    if pd.api.types.is_numeric_dtype(dtype) and not pd.api.types.is_complex_dtype(dtype):
        return _numbers(name, series, kind)
    if pd.api.types.is_object_dtype(dtype):
        inferred = pd.api.types.infer_dtype(series, skipna=True)
        if inferred in ("integer", "floating", "mixed-integer-float", "decimal"):
            return _numbers(name, pd.Series(pd.to_numeric(series), index=series.index), kind)
        if inferred in ("datetime64", "datetime", "date"):
            return _times(pd.to_datetime(series))
    return _words(series)


def _numbers(name: str, series: pd.Series[Any], kind: str | None) -> RawColumn:
    if pd.api.types.is_integer_dtype(series.dtype) or series.dtype == object:
        present = series.dropna()
        if len(present) and max(abs(int(present.max())), abs(int(present.min()))) > EXACT:
            if kind is None or kind in EXACT_KINDS:
                return replace(_words(series), exact=True)
            at = next(i for i, v in enumerate(series) if not pd.isna(v) and abs(int(v)) > EXACT)
            raise too_large(name, at, int(series.iloc[at]))
    values = series.to_numpy(np.float64, na_value=np.nan)
    return checked_numbers(name, values.copy() if values.base is not None else values)  # never the caller's memory


def _words(series: pd.Series[Any]) -> RawWords:
    try:
        codes, unique = pd.factorize(series)
    except TypeError:  # lists and the like cannot be compared: their text can
        codes, unique = pd.factorize(series.map(str, na_action="ignore"))
    words = [str(u) for u in np.asarray(unique, dtype=object).tolist()]
    if len(set(words)) < len(words):  # 1 and '1' read alike
        merged, kept = pd.factorize(np.array(words, dtype=object))
        codes, words = np.append(merged, -1)[codes], list(kept)
    return RawWords(codes.astype(np.int32), words)


def _categorical(series: pd.Series[Any]) -> RawWords:
    levels = series.cat
    return RawWords(levels.codes.to_numpy().astype(np.int32), [str(c) for c in levels.categories], bool(levels.ordered))


def _times(series: pd.Series[Any]) -> RawTimes:
    zone = getattr(series.dt, "tz", None)
    if zone is not None:
        series = series.dt.tz_localize(None)
    stamps = series.astype("datetime64[us]")
    absent = stamps.isna().to_numpy(bool)
    micro = stamps.to_numpy("datetime64[us]").astype(np.int64)
    return RawTimes(np.where(absent, 0, micro), absent, str(zone or ""))
