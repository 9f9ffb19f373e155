"""Values that often stand for a missing one, and what is said of them."""

from __future__ import annotations

from ..errors import option
from . import thresholds as T
from .finding import Finding, marked
from .words import plural

_OFTEN = (9.0, 99.0, 999.0, 9999.0, 99999.0, 999999.0, 99.9, 999.9, 88.0, 888.0, 8888.0, 77.0, 777.0, 7777.0)
SENTINELS = (*_OFTEN, *(-v for v in _OFTEN), -1.0, 1e6)
"""Marks for missing that people write among numbers."""


def sentinel_finding(name: str, value: str, rows: int, of: int) -> Finding:
    """Say that a value far from every other is likely a code for missing."""
    return Finding(
        "sentinel-value",
        "caution" if rows >= T.SENTINEL_ROWS else "note",
        (name,),
        f"{marked(name)} is {value} in {rows:,} of {plural(of, 'row')}, far from every other value: likely a "
        "code for missing.",
        f"If so, say it: {option('missing', value)}, for this column or all; as it is every mean is wrong.",
        {"value": value, "rows": rows},
    )
