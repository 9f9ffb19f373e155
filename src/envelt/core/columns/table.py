"""The encoded table: every column is numbers, a category or times, encoded once."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from ...errors import unknown_column
from ..words import plural
from .labels import number_label, short_label, time_label
from .yes_no import ranked_by
from .zones import in_zone

Floats = NDArray[np.float64]
Codes = NDArray[np.int32]
Mask = NDArray[np.bool_]

MICROSECONDS_A_DAY = 86_400_000_000


@dataclass(frozen=True, kw_only=True)
class Column:
    """What all encoded columns share.

    Parameters
    ----------
    name
        As in the data.
    kind
        One of `kinds.KINDS`.
    reason
        Why this kind, in words a person can check.
    declared
        Whether a person gave the kind.
    detected
        The kind it was taken for before a person spoke.
    other
        The kind it may be instead, where the evidence does not decide.
    reading, form
        How text was read as numbers or dates, where it was, in words and as `readings` calls it.
    label, unit
        What a person called it, and its unit of measure.
    blanked
        The texts among its numbers or dates that were taken as missing, and in how many rows.
    """

    name: str
    kind: str
    reason: str
    declared: bool
    detected: str = ""
    other: str = ""
    reading: str = ""
    form: str = ""
    label: str = ""
    unit: str = ""
    blanked: tuple[tuple[str, int], ...] = ()

    def __len__(self) -> int:
        raise NotImplementedError

    @property
    def title(self) -> str:
        """What to call it in tables and pictures."""
        return f"{self.label or self.name}{f' ({self.unit})' if self.unit else ''}"

    @property
    def missing(self) -> Mask:
        """Which rows have no value, shape (n,)."""
        raise NotImplementedError

    @property
    def distinct(self) -> int:
        """How many different values are present; missing is not one."""
        raise NotImplementedError

    @property
    def empty(self) -> bool:
        """Whether no row has a value."""
        return bool(self.missing.all())

    @property
    def numbers(self) -> Floats | None:
        """The values as numbers (dates as days since 1970), NaN where missing; nothing for a category."""
        return None

    def take(self, rows: NDArray[np.intp]) -> Column:
        """Return the column at these row positions."""
        raise NotImplementedError

    def to_pandas(self) -> Any:
        """Return the values as pandas takes them: float64, datetime64 or a categorical."""
        raise NotImplementedError

    def examples(self, most: int = 4) -> list[str]:
        """Return a few different values, as text: the most frequent of a category, else the first."""
        raise NotImplementedError

    def labels(self) -> list[str | None]:
        """Return every row's value as text, ``None`` where missing."""
        raise NotImplementedError


@dataclass(frozen=True, kw_only=True)
class NumericColumn(Column):
    """Numbers: ``values`` is float64 of shape (n,), NaN where missing.

    ``counted`` is how many different values there are where encoding has counted them, else −1.
    """

    values: Floats
    counted: int = -1

    def __len__(self) -> int:
        return len(self.values)

    @cached_property
    def missing(self) -> Mask:
        """Which rows have no value, shape (n,)."""
        return np.isnan(self.values)

    @cached_property
    def distinct(self) -> int:
        """How many different values are present."""
        return self.counted if self.counted >= 0 else len(pd.unique(self.values[~self.missing]))

    @property
    def empty(self) -> bool:
        """Whether no row has a value."""
        return bool(np.isnan(self.values[:1000]).all() and np.isnan(self.values).all())

    @property
    def numbers(self) -> Floats:
        """The values."""
        return self.values

    @cached_property
    def ends(self) -> tuple[float, float]:
        """The smallest and largest value; NaN where none is present."""
        if len(self.values) == 0:
            return float("nan"), float("nan")
        return float(np.fmin.reduce(self.values)), float(np.fmax.reduce(self.values))

    def take(self, rows: NDArray[np.intp]) -> NumericColumn:
        """Return the column at these row positions."""
        return replace(self, values=self.values[rows], counted=-1)

    def to_pandas(self) -> Floats:
        """Return the values; they are the caller's own."""
        return self.values.copy()

    def examples(self, most: int = 4) -> list[str]:
        """Return the first few different values."""
        return [short_label(v) for v in _first_different(self.values, self.missing, most)]

    def labels(self) -> list[str | None]:
        """Return every row's value as text."""
        return [None if np.isnan(v) else number_label(v) for v in self.values]


@dataclass(frozen=True, kw_only=True)
class TimeColumn(Column):
    """Times: ``values`` is int64 microseconds since 1970-01-01 of shape (n,), as the clock showed them.

    Of a ``zone``, ``offset`` says by how many microseconds each clock was ahead of universal time.
    """

    values: NDArray[np.int64]
    absent: Mask
    zone: str = ""
    offset: NDArray[np.int64] | None = None

    def __len__(self) -> int:
        return len(self.values)

    @property
    def missing(self) -> Mask:
        """Which rows have no value, shape (n,)."""
        return self.absent

    @property
    def distinct(self) -> int:
        """How many different times are present."""
        return len(pd.unique(self.values[~self.absent]))

    @property
    def numbers(self) -> Floats:
        """Days since 1970-01-01."""
        return self.days

    @property
    def days(self) -> Floats:
        """Days since 1970-01-01, float64 of shape (n,), NaN where missing."""
        return np.where(self.absent, np.nan, self.values / MICROSECONDS_A_DAY)

    def take(self, rows: NDArray[np.intp]) -> TimeColumn:
        """Return the column at these row positions."""
        offset = None if self.offset is None else self.offset[rows]
        return replace(self, values=self.values[rows], absent=self.absent[rows], offset=offset)

    @property
    def instants(self) -> NDArray[np.int64]:
        """Microseconds since 1970-01-01 of universal time, where offsets are known; else as the clock showed."""
        return self.values if self.offset is None else self.values - self.offset

    def to_pandas(self) -> Any:
        """Return the times, NaT where missing; of a zone with it, each with its own offset where that has no name."""
        times = self.instants.astype("datetime64[us]")
        times[self.absent] = np.datetime64("NaT", "us")
        return times if self.offset is None else in_zone(times, self.offset, self.zone)

    def examples(self, most: int = 4) -> list[str]:
        """Return the first few different times."""
        return [time_label(v) for v in _first_different(self.values, self.absent, most)]

    def labels(self) -> list[str | None]:
        """Return every row's value as text."""
        return [None if a else time_label(v) for v, a in zip(self.values, self.absent, strict=True)]


@dataclass(frozen=True, kw_only=True)
class CategoryColumn(Column):
    """Levels: ``codes`` is int32 of shape (n,), ``-1`` where missing; ``levels`` in their order, as shown.

    ``ordered`` says that the order of the levels means something (grades), not only convention. ``written``
    gives the levels as they stand in the data, where a person gave them labels.
    """

    codes: Codes
    levels: tuple[str, ...]
    ordered: bool
    written: tuple[str, ...]

    def __len__(self) -> int:
        return len(self.codes)

    @cached_property
    def missing(self) -> Mask:
        """Which rows have no level, shape (n,)."""
        return self.codes < 0

    @property
    def empty(self) -> bool:
        """Whether no row has a level."""
        # one look at the first rows is enough for nearly every column
        return int(self.codes[:1000].max(initial=-1)) < 0 and int(self.codes.max(initial=-1)) < 0

    @cached_property
    def counts(self) -> NDArray[np.int64]:
        """Rows at each level."""
        return np.bincount(self.codes + 1, minlength=len(self.levels) + 1)[1:]

    @property
    def distinct(self) -> int:
        """How many levels occur."""
        return int(np.count_nonzero(self.counts))

    def take(self, rows: NDArray[np.intp]) -> CategoryColumn:
        """Return the column at these row positions, without the levels that no longer occur."""
        codes = self.codes[rows]
        kept = np.flatnonzero(np.bincount(codes[codes >= 0], minlength=len(self.levels)))
        if len(kept) == len(self.levels):
            return replace(self, codes=codes)
        renumber = np.full(len(self.levels) + 1, -1, np.int32)
        renumber[kept] = np.arange(len(kept), dtype=np.int32)
        return replace(self, codes=renumber[codes], levels=_at(self.levels, kept), written=_at(self.written, kept))

    @property
    def as_written(self) -> Floats | None:
        """The numbers that the levels write, shape (n,), NaN where missing; nothing where one writes none."""
        try:
            return np.append([float(level) for level in self.written], np.nan)[self.codes]
        except ValueError:
            return None

    def by_frequency(self) -> CategoryColumn:
        """Return the column with the most frequent level first; levels of equal frequency in their natural order."""
        order = np.argsort(ranked_by(-self.counts, self.written))
        if (order == np.arange(len(order))).all():
            return self
        renumber = np.full(len(order) + 1, -1, np.int32)
        renumber[order] = np.arange(len(order), dtype=np.int32)
        levels, written = _at(self.levels, order), _at(self.written, order)
        return replace(self, codes=renumber[self.codes], levels=levels, written=written)

    def with_largest(self, most: int) -> CategoryColumn:
        """Return the column with its largest levels apart and the others joined, where there are more."""
        if len(self.levels) <= most + 1:
            return self
        kept, codes, joined = largest_apart(self.codes, len(self.levels), most)
        return replace(
            self, codes=codes, levels=(*_at(self.levels, kept), joined),
            written=(*_at(self.written, kept), joined), ordered=False,
        )  # fmt: skip

    def to_pandas(self) -> pd.Categorical[Any]:
        """Return the levels, in their order."""
        levels: pd.Index[Any] = pd.Index(self.levels)
        return pd.Categorical.from_codes(self.codes.copy(), levels, ordered=self.ordered)

    def examples(self, most: int = 4) -> list[str]:
        """Return the most frequent levels."""
        order = np.argsort(-self.counts, kind="stable")[:most]
        return [self.levels[i] for i in order if self.counts[i]]

    def labels(self) -> list[str | None]:
        """Return every row's level."""
        named = np.array([*self.levels, None], dtype=object)
        return list(named[self.codes])


@dataclass(frozen=True)
class Table:
    """Encoded columns of equal length, by name, with the label of each row.

    Parameters
    ----------
    columns
        In the order of the data.
    rows
        Row labels: the index of a data frame, or the data rows of a file counted from 1.
    """

    columns: Mapping[str, Column]
    rows: pd.Index[Any]

    def __len__(self) -> int:
        return len(self.rows)

    def __iter__(self) -> Iterator[Column]:
        return iter(self.columns.values())

    def __getitem__(self, name: str) -> Column:
        try:
            return self.columns[name]
        except KeyError:
            raise unknown_column(name, self.columns) from None

    def take(self, keep: Mask) -> Table:
        """Return the rows where ``keep`` holds; nothing is copied when all do."""
        return self if keep.all() else self.at(np.flatnonzero(keep))

    def at(self, at: NDArray[np.intp]) -> Table:
        """Return the rows at these positions, which may repeat."""
        return Table({c.name: c.take(at) for c in self}, self.rows[at])

    def apart(self, at: NDArray[np.intp]) -> NDArray[np.intp]:
        """Return of some positions those of different rows of the data: what stands for several is named once."""
        return at if self.rows.is_unique else at[~self.rows[at].duplicated()]

    def to_frame(self) -> pd.DataFrame:
        """Return the table as a data frame with the labels of its rows."""
        return pd.DataFrame({c.name: c.to_pandas() for c in self}, index=self.rows.copy())

    def without(self, names: Sequence[str]) -> Table:
        """Return the table without some columns."""
        return Table({n: c for n, c in self.columns.items() if n not in names}, self.rows)


def _at(texts: tuple[str, ...], places: NDArray[np.intp]) -> tuple[str, ...]:
    return tuple(texts[k] for k in places)


def largest_apart(codes: NDArray[Any], size: int, most: int) -> tuple[NDArray[np.intp], NDArray[np.int32], str]:
    """Join all but the largest levels: which are kept, in their order, the new codes, and what to call the rest.

    Parameters
    ----------
    codes, size
        The level of each row, ``-1`` for none, and how many levels there are, more than ``most``.
    """
    n = np.bincount(codes[codes >= 0], minlength=size)
    kept = np.sort(np.argsort(-n, kind="stable")[:most])
    renumber = np.full(size + 1, most, np.int32)
    renumber[kept] = np.arange(most, dtype=np.int32)
    renumber[-1] = -1
    return kept, renumber[codes], f"other ({plural(size - most, 'level')})"


def _first_different(values: NDArray[Any], missing: Mask, most: int) -> list[Any]:
    head = values[:1000][~missing[:1000]]
    if len(head) == 0:
        head = values[~missing][:1000]
    return list(pd.unique(head)[:most])
