"""Zones of times: how far their clocks are from universal time, and what they are called."""

from __future__ import annotations

import re
from datetime import timedelta, timezone
from typing import Any, Protocol
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

import numpy as np
import pandas as pd
from numpy.typing import NDArray

Micro = NDArray[np.int64]


def zone_of(offset: NDArray[np.int64]) -> str:
    """Name the zone of some offsets from universal time, in microseconds: UTC, UTC+02:00, or several of them."""
    minutes = np.unique(offset // 60_000_000).tolist()
    named = [f"UTC{'−' if m < 0 else '+'}{abs(m) // 60:02d}:{abs(m) % 60:02d}" if m else "UTC" for m in minutes]
    return " and ".join(named) if len(named) < 3 else f"{named[0]} to {named[-1]}"


class OfAZone(Protocol):
    """Times as the clock showed them, and how far each clock was ahead of universal time, where that is known."""

    @property
    def values(self) -> Micro:
        """Microseconds since 1970-01-01."""

    @property
    def offset(self) -> Micro | None:
        """Microseconds."""


def compared(first: OfAZone, second: OfAZone) -> tuple[Micro, Micro]:
    """Return two times as they can be compared: as instants where both say their zone, else as their clocks showed."""
    if first.offset is None or second.offset is None:
        return first.values, second.values
    return first.values - first.offset, second.values - second.offset


def clock_in(instants: Micro, zone: str) -> Micro | None:
    """Return what clocks of a zone show at instants of universal time, in microseconds; nothing where it is not one."""
    fixed = re.fullmatch(r"UTC([+−])(\d{2}):(\d{2})", zone)
    if fixed:
        ahead = (int(fixed[2]) * 60 + int(fixed[3])) * 60_000_000
        return instants + (ahead if fixed[1] == "+" else -ahead)
    try:
        named = ZoneInfo(zone)
    except (ZoneInfoNotFoundError, ValueError):
        return None
    there = pd.DatetimeIndex(instants.astype("datetime64[us]")).tz_localize("UTC").tz_convert(named)
    return there.tz_localize(None).to_numpy("datetime64[us]").astype(np.int64)


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
