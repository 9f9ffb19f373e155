"""Columns as they were read, before anyone has said what they mean."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from ...errors import InfiniteValueError, IntegerTooLargeError, option
from ..words import plural

EXACT = 2**53  # the largest range in which float64 holds every whole number

LARGEST = 1e301
"""Of a number: sums over ten million rows are then held by float64."""

EXACT_KINDS = ("nominal", "identifier", "text", "binary", "ordinal")
"""Declared kinds under which whole numbers are kept as text, so none is too large."""


@dataclass(frozen=True)
class RawNumbers:
    """Numbers as float64, NaN where missing; ``blanked`` are texts among them taken as missing, with their rows.

    ``counted_in`` is the unit of what was a length of time.
    """

    values: NDArray[np.float64]
    blanked: tuple[tuple[str, int], ...] = ()
    counted_in: str = ""


@dataclass(frozen=True)
class RawWords:
    """Texts as codes (``-1`` where missing) into unique ``words``.

    ``order`` says whether the words came in an order that means something (an ordered categorical), ``exact`` that
    they are whole numbers of which floating point would lose digits.
    """

    codes: NDArray[np.int32]
    words: list[str]
    order: bool = False
    exact: bool = False


@dataclass(frozen=True)
class RawTimes:
    """Times as microseconds since 1970-01-01, with a mask of the missing.

    Times of a zone keep what their clock showed; ``zone`` names it, and ``offset`` says by how many microseconds each
    clock was ahead of universal time, where that is known. ``blanked`` as of numbers.
    """

    values: NDArray[np.int64]
    absent: NDArray[np.bool_]
    zone: str = ""
    blanked: tuple[tuple[str, int], ...] = ()
    offset: NDArray[np.int64] | None = None


@dataclass(frozen=True)
class RawNested:
    """Lists or structs, which are set aside; ``what`` says which."""

    what: str


RawColumn = RawNumbers | RawWords | RawTimes


FIRST_TIME, LAST_TIME = -62_135_596_800_000_000, 253_402_300_799_999_999
"""The first and the last microsecond of the years 1 to 9999, which calendars have."""


def are_of_the_calendar(micro: NDArray[np.int64]) -> bool:
    """Say whether times, none missing, lie within the years 1 to 9999."""
    return len(micro) == 0 or bool(micro.min() >= FIRST_TIME and micro.max() <= LAST_TIME)


def check_finite(name: str, raw: RawColumn, rows: pd.Index[Any]) -> None:
    """Refuse infinities, naming the column and the row.

    Raises
    ------
    InfiniteValueError
    """
    infinite = np.isinf(raw.values) if isinstance(raw, RawNumbers) else np.zeros(0, bool)
    if isinstance(raw, RawNumbers) and infinite.any():
        at = int(np.argmax(infinite))
        raise InfiniteValueError(
            f"Column {name!r} holds {raw.values[at]:+}, or a number too large to be told from it, in "
            f"{plural(infinite.sum(), 'row')} (first in row {rows[at]}), and no mean or rank can be taken of it. "
            f"Mend them, say that they are missing, {option('missing', str(raw.values[at]))}, or ignore the column."
        )


def too_large(name: str, raw: RawWords, rows: pd.Index[Any]) -> IntegerTooLargeError:
    """Build the error for whole numbers that float64 cannot tell apart."""
    longest = np.array([*(len(w) for w in raw.words), 0])
    at = int(longest[raw.codes].argmax())
    return IntegerTooLargeError(
        f"Column {name!r} holds whole numbers beyond 2^53 (row {rows[at]}: {raw.words[raw.codes[at]]}), which floating "
        f"point cannot tell apart, so it cannot be a quantity as it is. Leave its kind out, rescale it, or ignore it."
    )


def placed(values: NDArray[Any], missing: NDArray[np.bool_]) -> tuple[NDArray[np.int32], NDArray[Any]]:
    """Return each value's place among the different ones, sorted, -1 where it is missing; and these."""
    levels, places = np.unique(values[~missing], return_inverse=True)
    codes = np.full(len(values), -1, np.int32)
    codes[~missing] = places
    return codes, levels
