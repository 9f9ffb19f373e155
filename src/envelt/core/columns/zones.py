"""Zones of times: how far their clocks are from universal time, and what they are called."""

from __future__ import annotations

from datetime import timedelta, timezone
from typing import Any
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

import numpy as np
import pandas as pd
from numpy.typing import NDArray


def zone_of(offset: NDArray[np.int64]) -> str:
    """Name the zone of some offsets from universal time, in microseconds: UTC, UTC+02:00, or several of them."""
    minutes = np.unique(offset // 60_000_000).tolist()
    named = [f"UTC{'−' if m < 0 else '+'}{abs(m) // 60:02d}:{abs(m) % 60:02d}" if m else "UTC" for m in minutes]
    return " and ".join(named) if len(named) < 3 else f"{named[0]} to {named[-1]}"


def in_zone(instants: NDArray[np.datetime64], offset: NDArray[np.int64], zone: str) -> Any:
    """Return times of universal time as pandas has them in a zone, or each with its offset where it has no name."""
    there = pd.DatetimeIndex(instants).tz_localize("UTC")
    try:
        return there.tz_convert(ZoneInfo(zone))
    except (ZoneInfoNotFoundError, ValueError):
        ahead = np.unique(offset[~np.isnat(instants)])
    if len(ahead) <= 1:
        return there.tz_convert(timezone(timedelta(microseconds=int(ahead.sum()))))
    each = zip(there, offset.tolist(), strict=True)
    made = [t if pd.isna(t) else t.tz_convert(timezone(timedelta(microseconds=o))) for t, o in each]
    return pd.Series(made, dtype=object).to_numpy()
