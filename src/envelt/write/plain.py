"""JSON-ready values: native Python scalars, NaN as null, times as ISO text."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import pandas as pd

from .digits import flat


def plain(value: Any) -> Any:
    """Return a value, or a structure of them, as JSON can hold it."""
    if isinstance(value, pd.Series):
        value = value.to_dict()
    if isinstance(value, dict):
        return {str(k): plain(v) for k, v in value.items()}
    if isinstance(value, (list, tuple, np.ndarray)):
        return [plain(v) for v in value]
    if isinstance(value, np.generic):
        value = value.item()
    if value is None or value is pd.NaT:
        return None
    if isinstance(value, float):
        return value if math.isfinite(value) else None
    if isinstance(value, (bool, int, str)):
        return value
    if isinstance(value, pd.Timestamp):
        return value.isoformat()
    return str(value)


def records(frame: pd.DataFrame) -> list[dict[str, Any]]:
    """Return a table as a list of rows, the index among their fields."""
    names = [str(n or "index") for n in frame.index.names]
    rows = flat(frame).to_dict("records")
    labels = frame.index if len(names) > 1 else [(label,) for label in frame.index]
    return [
        {**{n: plain(part) for n, part in zip(names, label, strict=True)}, **plain(row)}
        for label, row in zip(labels, rows, strict=True)
    ]
