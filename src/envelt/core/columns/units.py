"""Which rows are one case."""

from __future__ import annotations

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from .table import CategoryColumn, Column, NumericColumn, TimeColumn


def unit_keys(unit: Column) -> NDArray[np.uint64]:
    """Return a key a row that equals for rows of one unit; a row without a unit is a unit of its own."""
    own = np.arange(len(unit), dtype=np.uint64)
    keys: NDArray[np.generic]
    if isinstance(unit, CategoryColumn):
        level_keys = pd.util.hash_array(np.array(unit.levels, dtype=object))
        keys = np.append(level_keys, 0)[unit.codes]
    else:
        assert isinstance(unit, (NumericColumn, TimeColumn))
        keys = pd.util.hash_array(unit.values)
    missing = unit.missing
    return np.where(missing, pd.util.hash_array(own), keys).astype(np.uint64)
