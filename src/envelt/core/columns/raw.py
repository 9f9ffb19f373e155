"""Columns as they were read, before anyone has said what they mean."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ...errors import InfiniteValueError, IntegerTooLargeError
from ..words import plural

EXACT = 2**53  # the largest range in which float64 holds every whole number

EXACT_KINDS = ("nominal", "identifier", "text", "binary", "ordinal")
"""Declared kinds under which whole numbers are kept as text, so none is too large."""


@dataclass(frozen=True)
class RawNumbers:
    """Numbers as float64, NaN where missing."""

    values: NDArray[np.float64]


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

    Times of a zone keep what their clock showed; ``zone`` names it.
    """

    values: NDArray[np.int64]
    absent: NDArray[np.bool_]
    zone: str = ""


@dataclass(frozen=True)
class RawNested:
    """Lists or structs, which are set aside; ``what`` says which."""

    what: str


RawColumn = RawNumbers | RawWords | RawTimes


def checked_numbers(name: str, values: NDArray[np.float64], first_row: int = 0) -> RawNumbers:
    """Refuse infinities, naming the column and the row.

    Raises
    ------
    InfiniteValueError
    """
    infinite = np.isinf(values)
    if infinite.any():
        at = int(np.argmax(infinite))
        raise InfiniteValueError(
            f"Column {name!r} holds {values[at]:+} in {plural(infinite.sum(), 'row')} (first in row {at + first_row}), "
            f"and no mean or rank can be taken of it. Write those cells as missing, or ignore the column."
        )
    return RawNumbers(values)


def too_large(name: str, row: int, value: int) -> IntegerTooLargeError:
    """Build the error for whole numbers that float64 cannot tell apart."""
    return IntegerTooLargeError(
        f"Column {name!r} holds whole numbers beyond 2^53 (row {row}: {value}), which floating point cannot "
        f"tell apart, so it cannot be a quantity as it is. Leave its kind out, rescale it, or ignore it."
    )
