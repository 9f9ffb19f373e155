"""From whatever is given to columns under work, and from one row to the values operations expect."""

from __future__ import annotations

import sys
from collections.abc import Collection, Mapping, Sequence
from typing import Any

import numpy as np
import pandas as pd
import scipy
from numpy.typing import NDArray

from ..core.columns.encode import NO_PLAN, encode
from ..core.columns.outcome import Outcome, resolve_outcome
from ..core.columns.raw import EXACT, RawColumn, RawNumbers, RawTimes, RawWords
from ..core.columns.table import Table
from ..core.finding import Finding
from ..core.words import plural
from ..data.frames import check_names, named_in_text
from ..errors import OptionError, PreparationError, entry
from .trained import Trained, as_trained
from .working import FLAGS, GivenValue, Working, empty_like, missing_of, type_of

INFINITY = float("inf")
Typed = Mapping[str, str]
"""Columns by name, with the type each had in the training rows: "number", "text" or "date"."""


def working_of(table: Any) -> Working:
    """Return the columns of a data frame, a dict of arrays, a path, or anything else the reader reads.

    Raises
    ------
    DataError
    """
    if isinstance(table, Working):
        return table.keep_apart()
    table = unwrapped(table)
    if isinstance(table, np.ndarray):
        table = pd.DataFrame(table)
    if isinstance(table, pd.DataFrame):
        frame, _ = named_in_text(table)
        check_names(list(frame.columns))
        return Working({n: frame[n] for n in frame.columns}, frame.index)
    if type(table).__name__ == "Study":
        raise PreparationError("A study is prepared by its own method: study.prepare(preparation, fit=True).")
    from ..data.read import read_source

    source = read_source(table, {})
    return Working(source.columns, source.rows)


def unwrapped(table: Any) -> Any:
    """Return an array where one was given in another wrapping, and refuse arrays that are no tables."""
    if scipy.sparse.issparse(table):
        raise PreparationError("A sparse matrix is not supported: give a data frame, or a dense array (.toarray()).")
    of_rows = isinstance(table, list) and len(table) > 0 and all(isinstance(row, (list, tuple)) for row in table)
    if (
        not (of_rows or hasattr(table, "__array__"))
        or isinstance(table, (pd.DataFrame, pd.Series))
        or hasattr(table, "columns")
    ):
        return table
    table = np.asarray(table)
    if table.ndim != 2:
        told = (
            f"A table has rows and columns; this array has shape {table.shape}. Reshape your data, with .reshape(-1, 1)"
        )
        raise PreparationError(f"{told} if it is one column.")
    if table.shape[1] == 0:
        raise PreparationError(f"0 feature(s) (shape={table.shape}) while a minimum of 1 is required.")
    if table.dtype.kind == "c":
        raise PreparationError("Complex data not supported: give real and imaginary parts as columns.")
    return table


def as_asked(frame: pd.DataFrame, returns: str | None, array: bool) -> Any:
    """Return prepared rows in the form that was asked for, here or in scikit-learn's setting.

    Parameters
    ----------
    returns
        "pandas", "polars", "arrow", or none.
    array
        Whether they were given as an array; then one comes back where nothing was asked for.

    Raises
    ------
    OptionError
        Polars is not installed.
    """
    sklearn = sys.modules.get("sklearn")
    asked = sklearn.get_config()["transform_output"] if returns is None and sklearn is not None else returns
    if asked in (None, "default"):
        return frame.to_numpy() if array else frame
    if asked == "pandas":
        return frame
    import pyarrow as pa

    table = pa.Table.from_pandas(frame, preserve_index=False)
    if asked == "arrow":
        return table
    try:
        import polars
    except ImportError:
        raise OptionError("returns='polars' needs the package polars: pip install polars.") from None
    return polars.from_arrow(table)


def type_here(at: Working, name: str) -> str:
    """Return the type of a column without reading it where pandas says enough."""
    column = at.source(name)
    if not isinstance(column, pd.Series):
        return type_of(column)
    dtype = column.dtype
    if pd.api.types.is_bool_dtype(dtype) or isinstance(dtype, pd.CategoricalDtype):
        return "text"
    if pd.api.types.is_numeric_dtype(dtype):
        return "number"
    return "date" if pd.api.types.is_datetime64_any_dtype(dtype) else type_of(at.raw(name))


def aligned(
    at: Working, columns: Mapping[str, Trained], needed: Sequence[str], absent: str, retyped: Collection[str] = ()
) -> Working:
    """Return the columns that the preparation knows, in its order, each of the type it had.

    Parameters
    ----------
    needed
        Those without which it cannot be applied.
    absent
        Whether one of these that is gone is an "error", or "missing" in every row.
    retyped
        Columns that an operation reads by itself, whatever their type.

    Raises
    ------
    PreparationError
        A column is gone, or cannot be read as what it was.
    """
    gone = [n for n in needed if n not in at]
    if gone and absent == "error":
        shown = ", ".join(map(repr, gone[:5])) + (", …" if len(gone) > 5 else "")
        raise PreparationError(
            f"{plural(len(gone), 'column')} that the preparation works on {'is' if len(gone) == 1 else 'are'} not "
            f"there: {shown}. Add {'it' if len(gone) == 1 else 'them'}, or declare {entry('absent', 'missing')}."
        )
    extra = [n for n in at.names if n not in columns]
    out = Working({}, at.rows)
    for name, trained in columns.items():
        if name in at:
            as_it_is = name in retyped or name not in needed  # what is only dropped may be anything
            here = "" if as_it_is else type_here(at, name)
            out.set(name, at.source(name) if as_it_is else as_trained(out, name, at, here, trained))
        elif name in needed:
            out.set(name, empty_like(trained.kind, len(at)))
    if gone:
        out.found.append(
            Finding(
                "columns-gone", "caution", tuple(gone),
                f"{plural(len(gone), 'column')} of the training rows {'is' if len(gone) == 1 else 'are'} not there and "
                f"taken as missing in every row: {', '.join(gone[:8])}.",
                "What is made of them is what is made of missing values.", {"columns": gone},
            )
        )  # fmt: skip
    if extra:
        out.found.append(
            Finding(
                "columns-unknown", "note", tuple(extra[:50]),
                f"{plural(len(extra), 'column')} the training rows do not have {'is' if len(extra) == 1 else 'are'} "
                f"left out: {', '.join(extra[:8])}{', …' if len(extra) > 8 else ''}.",
                "Fit again if they matter.", {"columns": extra[:50]},
            )
        )  # fmt: skip
    return out


def outcome_of(given: Any, rows: int, event: str | None = None, name: str = "outcome") -> Outcome:
    """Return an outcome given as one value a row.

    Raises
    ------
    PreparationError, OutcomeError
    """
    series = given if isinstance(given, pd.Series) else pd.Series(np.asarray(given).reshape(-1))
    if len(series) != rows:
        raise PreparationError(f"The outcome has {plural(len(series), 'row')} and the table {rows:,}.")
    at = Working({name: series.reset_index(drop=True)}, pd.RangeIndex(rows))
    return _resolved(at.raw(name), at.rows, name, event)


def outcome_in(at: Working, name: str, event: str | None = None) -> Outcome:
    """Return the outcome that stands in a table."""
    return _resolved(at.raw(name), at.rows, name, event)


def _resolved(raw: RawColumn, rows: pd.Index[Any], name: str, event: str | None) -> Outcome:
    return resolve_outcome(Table({name: encode(name, raw, NO_PLAN, rows)}, rows), name, event)


def one_row(
    row: Mapping[str, Any], kinds: Typed, as_given: Collection[str], spelt: Mapping[str, Collection[str]]
) -> Working | None:
    """Return one row of plain values as a table of one row; nothing where one is not plain and needs to be read.

    Plain are floats and whole numbers where the training rows have numbers, texts where they have texts, and none.

    Parameters
    ----------
    row
        Values by column.
    kinds
        What their columns were in the training rows.
    as_given
        Columns that an operation reads by itself, whatever their type.
    spelt
        How a yes and a no are written, where levels are these: other words of them must be read.
    """
    columns: dict[str, GivenValue] = {}
    for name, kind in kinds.items():
        value = row.get(name)
        plain = type(value)
        raw: RawColumn
        if value is None:
            raw = empty_like(kind, 1)
        elif plain is float and (kind == "number" or name in as_given):
            if value in (INFINITY, -INFINITY):
                return None
            raw = RawNumbers(np.array([value]))
        elif plain is int and kind == "number" and -EXACT <= value <= EXACT:
            raw = RawNumbers(np.array([value], np.float64))
        elif plain is str and (kind == "text" or name in as_given) and value in spelt.get(name, (value,)):
            raw = RawWords(np.zeros(1, np.int32), [value])
            value = value == "True" if FLAGS.issuperset(spelt.get(name, ("",))) else value
        elif plain is np.datetime64 and kind == "date" and value == value:
            raw = _moment(value)
        elif plain is pd.Timestamp and kind == "date" and value.tzinfo is None:
            raw = _moment(value.to_datetime64())
        else:
            return None
        columns[name] = GivenValue(value, raw)
    return Working(columns, pd.RangeIndex(1))


def _moment(value: np.datetime64) -> RawTimes:
    return RawTimes(np.array([value.astype("datetime64[us]").astype(np.int64)]), np.zeros(1, bool))


def frame_of_row(row: Mapping[str, Any], names: Sequence[str]) -> pd.DataFrame:
    """Return one row as a data frame, each column as pandas takes its value."""
    return pd.DataFrame({n: pd.Series([row[n]]) for n in names if n in row}, index=pd.RangeIndex(1))


def from_one_row(at: Working, names: Sequence[str]) -> dict[str, Any]:
    """Return columns of a table of one row as values: floats, texts, datetime64; NaN or none where missing."""
    out: dict[str, Any] = {}
    for name in names:
        raw, source = at.raw(name), at.source(name)
        gone = bool(missing_of(raw)[0])
        source = source.value if isinstance(source, GivenValue) else source
        if isinstance(source, (bool, np.bool_)):
            out[name] = bool(source)
        elif isinstance(source, pd.Series) and pd.api.types.is_bool_dtype(source.dtype) and not gone:
            out[name] = bool(source.iloc[0])
        elif isinstance(raw, RawNumbers):
            out[name] = float(raw.values[0])
        elif isinstance(raw, RawTimes):
            out[name] = None if gone else np.datetime64(int(raw.values[0]), "us")
        else:
            out[name] = None if gone else raw.words[raw.codes[0]]
    return out


def changed_rows(before: RawColumn, after: RawColumn) -> NDArray[np.bool_]:
    """Return in which rows a column changed."""
    if isinstance(before, RawNumbers) and isinstance(after, RawNumbers):
        return np.asarray(~((before.values == after.values) | (np.isnan(before.values) & np.isnan(after.values))))
    if isinstance(before, RawTimes) and isinstance(after, RawTimes):
        return np.asarray((before.absent != after.absent) | ((before.values != after.values) & ~before.absent))
    if isinstance(before, RawWords) and isinstance(after, RawWords):
        place = {w: k for k, w in enumerate(after.words)}
        same = np.array([*(place.get(w, -2) for w in before.words), -1])
        return np.asarray(same[before.codes] != after.codes)
    return ~missing_of(before) | ~missing_of(after)
