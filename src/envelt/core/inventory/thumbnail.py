"""The shape of a column in a few counts: what a small picture of it shows."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..columns.labels import short_label, time_label
from ..columns.table import CategoryColumn, Column, NumericColumn, TimeColumn
from ..shapes.quantiles import sorted_quantiles

PARTS = 24
SAMPLE = 20_000


@dataclass(frozen=True)
class Shape:
    """Counts of rows in equal parts of a column's range, or at its largest levels, and what the ends are.

    Parameters
    ----------
    counts
        Of up to 24 parts (an even sample of 20,000 rows) or levels, shape (k,).
    low, high
        The smallest and largest value as text; the largest levels for a category.
    levels
        Whether the counts are those of levels.
    """

    counts: NDArray[np.int64]
    low: str
    high: str
    levels: bool


def column_shape(c: Column) -> Shape:
    """Return the shape of a column; the outer 1 % of numbers are counted at the edge."""
    if isinstance(c, CategoryColumn):
        counts = np.bincount(c.codes[c.codes >= 0], minlength=max(len(c.levels), 1))
        if not c.ordered:
            counts = np.sort(counts)[::-1]
        return Shape(counts[:PARTS].astype(np.int64), "", "", True)
    if isinstance(c, TimeColumn):
        present = c.days[~c.absent]
        ends = (
            (time_label(int(c.values[~c.absent].min())), time_label(int(c.values[~c.absent].max())))
            if len(present)
            else ("", "")
        )
    else:
        assert isinstance(c, NumericColumn)
        present = c.values[:: max(1, len(c) // SAMPLE)]
        present = present[~np.isnan(present)]
        low, high = c.ends
        ends = ("", "") if np.isnan(low) else (short_label(low), short_label(high))
    if len(present) == 0:
        return Shape(np.zeros(1, np.int64), *ends, False)
    sample = present[:: max(1, len(present) // SAMPLE)]
    low, high = sorted_quantiles(np.sort(sample), np.array([0.01, 0.99]))
    if low == high:
        low, high = float(sample.min()), float(sample.max())
    few_whole = high - low < PARTS and bool((sample == np.floor(sample)).all())
    parts = int(high - low) + 1 if few_whole else PARTS
    width = 1.0 if few_whole or high == low else (high - low) / PARTS
    place = np.clip((sample - low) / width, 0, parts - 1).astype(np.int64)
    return Shape(np.bincount(place, minlength=parts).astype(np.int64), *ends, False)
