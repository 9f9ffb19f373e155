"""What a column holds, as bits that are equal where values are."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ...columns.table import CategoryColumn, Column, NumericColumn, TimeColumn


def bits_of(c: Column) -> NDArray[np.uint64]:
    """Return the bits of each row, shape (n,); minus zero is zero."""
    if isinstance(c, CategoryColumn):
        return c.codes.astype(np.int64).view(np.uint64)
    if isinstance(c, TimeColumn):
        return np.where(c.absent, np.iinfo(np.int64).min, c.values).view(np.uint64)
    assert isinstance(c, NumericColumn)
    values = c.values + 0.0
    return values.view(np.uint64)
