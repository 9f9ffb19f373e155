"""The columns of a table while operations work on them: read when they are first needed, never the caller's own."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any, NamedTuple

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from ..core.columns.labels import number_labels, time_label
from ..core.columns.raw import RawColumn, RawNumbers, RawTimes, RawWords, check_finite, placed
from ..core.finding import Finding
from ..data.frames import raw_from_series
from ..errors import PreparationError, unknown_column

Floats = NDArray[np.float64]
COPIED_ON_WRITE = int(pd.__version__.split(".")[0]) >= 3
"""Whether two columns of pandas may share values and still be each its owner's."""
Source = "pd.Series[Any] | RawColumn"


class GivenValue(NamedTuple):
    """A value of one row, or True and False of several as a pandas column, as given; and as arrays."""

    value: Any
    raw: RawColumn


FLAGS = {"True", "False"}
"""What levels of true and false are called."""


def flags_of(raw: RawColumn, rows: pd.Index[Any]) -> GivenValue | None:
    """Return levels that are True and False as that, however they came; nothing of others."""
    if not isinstance(raw, RawWords) or not raw.words or not FLAGS.issuperset(raw.words):
        return None
    named = np.array([*(w == "True" for w in raw.words), None], object)[raw.codes]
    gaps = bool((raw.codes < 0).any())
    return GivenValue(pd.Series(named if gaps else named.astype(bool), index=rows), raw)


class Working:
    """Columns by name, in their order.

    Parameters
    ----------
    columns
        As read, or as pandas columns, which are turned into arrays when an operation asks for them.
    rows
        The label of each row.

    Attributes
    ----------
    cases
        Of which the rows are; as many as rows where no unit says otherwise.
    """

    def __init__(self, columns: Mapping[str, Any], rows: pd.Index[Any]) -> None:
        self._columns: dict[str, Any] = dict(columns)
        self._read: dict[int, RawColumn] = {}
        self.rows = rows
        self.cases = len(rows)
        self.found: list[Finding] = []
        self.written: dict[str, dict[str, str]] = {}
        """How levels that were given labels stand in the data, by column: expressions may name either."""

    def __len__(self) -> int:
        return len(self.rows)

    def __contains__(self, name: object) -> bool:
        return name in self._columns

    @property
    def names(self) -> list[str]:
        """Of the columns, in order."""
        return list(self._columns)

    def raw(self, name: str) -> RawColumn:
        """Return a column as arrays.

        Raises
        ------
        UnknownColumnError, InfiniteValueError
        """
        if name not in self._columns:
            raise unknown_column(name, self._columns)
        column = self._columns[name]
        if isinstance(column, GivenValue):
            return column.raw
        if not isinstance(column, pd.Series):
            raw: RawColumn = column
            return raw
        if id(column) not in self._read:  # what is read, and not changed, comes out as it was given
            self._read[id(column)] = _as_raw(name, column)
        return self._read[id(column)]

    def numbers(self, name: str, operation: str) -> Floats:
        """Return a column of numbers, NaN where missing.

        Raises
        ------
        PreparationError
            It holds something else.
        """
        raw = self.raw(name)
        if isinstance(raw, RawNumbers):
            return raw.values
        what = "dates: parts_of_date makes numbers of them" if isinstance(raw, RawTimes) else (
            f"text, such as {raw.words[0]!r}: retype it first" if raw.words else "nothing")  # fmt: skip
        raise PreparationError(f"{operation} needs numbers, and {name!r} holds {what}.")

    def words(self, name: str) -> RawWords:
        """Return a column as levels; numbers and dates by how they are written."""
        return as_words(self.raw(name))

    def times(self, name: str, operation: str) -> RawTimes:
        """Return a column of dates.

        Raises
        ------
        PreparationError
            It holds something else.
        """
        raw = self.raw(name)
        if not isinstance(raw, RawTimes):
            raise PreparationError(f"{operation} needs dates, and {name!r} holds none: retype it to dates first.")
        return raw

    def set(self, name: str, column: RawColumn | GivenValue) -> None:
        """Replace a column, or add one at the end."""
        self._columns[name] = column

    def instead(self, name: str, columns: Mapping[str, RawColumn]) -> None:
        """Put columns in the place of one.

        Raises
        ------
        PreparationError
            One of the names is taken.
        """
        self.free(columns, name)
        made: dict[str, Any] = {}
        for n, c in self._columns.items():
            if n == name:
                made.update(columns)
            else:
                made[n] = c
        self._columns = made

    def free(self, names: Iterable[str], but: str = "") -> None:
        """Refuse names that columns have already.

        Raises
        ------
        PreparationError
        """
        taken = [n for n in names if n in self._columns and n != but]
        if taken:
            raise PreparationError(f"There is a column {taken[0]!r} already: drop or rename it first.")

    def at(self, places: NDArray[np.intp], rows: pd.Index[Any] | None = None) -> Working:
        """Return the rows at some places, under other labels where they are given."""
        rows = self.rows[places] if rows is None else rows
        columns: dict[str, Any] = {n: taken(self.raw(n), places) for n in self._columns}
        for name, column in self._columns.items():
            if isinstance(column, GivenValue):
                columns[name] = flags_of(columns[name], rows) or columns[name]
        out = Working(columns, rows)
        out.found, out.written = list(self.found), dict(self.written)
        return out

    def where(self, keep: NDArray[np.bool_], other: Working) -> Working:
        """Return the same with the numbers of another's rows where a mask says so, both of shape (n,)."""
        out = Working(self._columns, self.rows)
        for name in self._columns:
            mine, theirs = self.raw(name), other.raw(name) if name in other else None
            if isinstance(mine, RawNumbers) and isinstance(theirs, RawNumbers):
                out.set(name, RawNumbers(np.where(keep, theirs.values, mine.values)))
        out.found = list(other.found)
        return out

    def drop(self, name: str) -> None:
        """Leave a column out."""
        self._columns.pop(name, None)

    def source(self, name: str) -> Any:
        """Return a column as it is now, whether or not it was turned into arrays."""
        return self._columns[name]

    def to_frame(self, names: Iterable[str]) -> pd.DataFrame:
        """Return columns as a data frame: float64, text, ordered categoricals, datetime64; others as they came."""
        out = {n: as_pandas(self._columns[n], self.rows) for n in names}
        return pd.DataFrame(out, index=self.rows, copy=False)

    def keep_apart(self) -> Working:
        """Return a copy that can be changed by itself; the arrays are shared, since no operation changes one."""
        other = Working(self._columns, self.rows)
        other._read = dict(self._read)
        other.written = dict(self.written)
        return other


def _as_raw(name: str, series: pd.Series[Any]) -> RawColumn:
    raw = RawNumbers(series.to_numpy()) if series.dtype == np.float64 else raw_from_series(series)  # numbers uncopied
    check_finite(name, raw, series.index)
    return raw


def taken(raw: RawColumn, places: NDArray[np.intp]) -> RawColumn:
    """Return the rows of a column at some places."""
    if isinstance(raw, RawNumbers):
        return RawNumbers(raw.values[places])
    if isinstance(raw, RawTimes):
        offset = None if raw.offset is None else raw.offset[places]
        return RawTimes(raw.values[places], raw.absent[places], raw.zone, offset=offset)
    return RawWords(raw.codes[places], raw.words, raw.order)


def as_words(raw: RawColumn) -> RawWords:
    """Return a column as levels; numbers and dates by how they are written."""
    if isinstance(raw, RawWords):
        return raw
    missing = np.isnan(raw.values) if isinstance(raw, RawNumbers) else raw.absent
    codes, unique = placed(raw.values, missing)
    labels = number_labels(unique) if isinstance(raw, RawNumbers) else [time_label(v) for v in unique]
    return RawWords(codes, labels)


def missing_of(raw: RawColumn) -> NDArray[np.bool_]:
    """Return which rows have no value."""
    if isinstance(raw, RawNumbers):
        return np.isnan(raw.values)
    return raw.absent if isinstance(raw, RawTimes) else np.asarray(raw.codes < 0)


def empty_like(kind: str, rows: int) -> RawColumn:
    """Return a column of a type that is missing in every row."""
    if kind == "number":
        return RawNumbers(np.full(rows, np.nan))
    if kind == "date":
        return RawTimes(np.zeros(rows, np.int64), np.ones(rows, bool))
    return RawWords(np.full(rows, -1, np.int32), [])


def type_of(raw: RawColumn) -> str:
    """Return "number", "date" or "text"."""
    return "number" if isinstance(raw, RawNumbers) else "date" if isinstance(raw, RawTimes) else "text"


def as_pandas(column: Any, rows: pd.Index[Any]) -> pd.Series[Any]:
    """Return a column as pandas has it."""
    column = column.value if isinstance(column, GivenValue) else column
    if isinstance(column, pd.Series):
        return column if COPIED_ON_WRITE else column.copy()
    if isinstance(column, RawNumbers):
        own = column.values.base is None and column.values.flags.writeable
        return pd.Series(column.values if own else column.values.copy(), index=rows, copy=False)
    if isinstance(column, RawTimes):
        stamps = column.values.astype("datetime64[us]")
        stamps[column.absent] = np.datetime64("NaT", "us")
        return pd.Series(stamps, index=rows, copy=False)
    if column.order:
        return pd.Series(pd.Categorical.from_codes(column.codes, pd.Index(column.words, dtype=object), ordered=True),
                         index=rows)  # fmt: skip
    named = np.array([*column.words, None], dtype=object)
    return pd.Series(named[column.codes], index=rows, dtype="str")
