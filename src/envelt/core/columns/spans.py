"""Lengths of time as numbers, in a unit that fits them."""

from __future__ import annotations

import re

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from .raw import RawNumbers

UNITS = (("days", 86_400), ("hours", 3_600), ("minutes", 60), ("seconds", 1))
_WRITTEN = re.compile(r"[+-]?\d+ days?( [+-]?\d{1,2}:\d{2}:\d{2}(\.\d+)?)?")


def in_one_unit(seconds: NDArray[np.float64]) -> RawNumbers:
    """Return lengths of time, shape (n,), NaN where missing, in the largest unit of which half are one or more.

    Examples
    --------
    >>> in_one_unit(np.array([90.0, 30.0, 7200.0])).counted_in
    'minutes'
    """
    middle = float(np.nanmedian(np.abs(seconds))) if np.isfinite(seconds).any() else 0.0
    unit, size = next((u for u in UNITS if middle >= u[1]), UNITS[-1])
    return RawNumbers(seconds / size, counted_in=unit)


def read_spans(words: list[str], codes: NDArray[np.int32]) -> RawNumbers | None:
    """Read texts that say how long something took, "2 days 01:30:00", in the rows of their codes; or return nothing."""
    if not words or not all(_WRITTEN.fullmatch(w.strip()) for w in words):
        return None
    seconds = pd.to_timedelta(pd.Series(words, dtype=object)).dt.total_seconds().to_numpy(np.float64)
    return in_one_unit(np.append(seconds, np.nan)[codes])
