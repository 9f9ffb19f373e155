"""Dates by a fitting unit of the calendar, by month of the year and by day of the week."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ...errors import OptionError, did_you_mean
from .bins import Bins

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

UNITS = ("day", "week", "month", "quarter", "year", "decade", "century")
DAYS = {
    "day": 1.0, "week": 7.0, "month": 30.44, "quarter": 91.3, "year": 365.25, "decade": 3652.5, "century": 36525.0,
}  # fmt: skip
FITTING = 40  # bars that can still be read one by one
MONTHS = ("January", "February", "March", "April", "May", "June", "July", "August", "September", "October",
          "November", "December")  # fmt: skip
WEEKDAYS = ("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday")
MOST_UNITS = 10_000
TO_1970 = 1970 * 12  # months


@dataclass(frozen=True)
class Profile:
    """Rows by month of the year (12) and by day of the week (7, Monday first), shape (groups, 12 or 7)."""

    months: Ints
    weekdays: Ints


def fitting_unit(low: float, high: float, most: int = FITTING) -> str:
    """Return the smallest unit of which about ``most`` or fewer span these days; of years and decades some more."""
    room = {"year": 5 * most, "decade": 5 * most}
    return next((u for u in UNITS if (high - low) / DAYS[u] <= room.get(u, most)), UNITS[-1])


def unit_apart(ordered: Floats) -> str:
    """Return the longest unit that puts no two different ones of these sorted days together; a day where none does."""
    days = np.unique(np.floor(ordered))
    return next((u for u in UNITS[:0:-1] if calendar_bins(days, u)[0].count(days).max() == 1), "day")


def calendar_bins(ordered: Floats, unit: str | None = None) -> tuple[Bins, str]:
    """Choose bins that are whole days, weeks (from Monday), months, quarters, years, decades or centuries.

    Parameters
    ----------
    ordered
        Sorted days since 1970-01-01, not empty.
    unit
        One of `UNITS`; by default the one that fits.

    Raises
    ------
    OptionError
    """
    low, high = float(np.floor(ordered[0])), float(np.floor(ordered[-1]))
    unit = unit or fitting_unit(low, high)
    if unit not in UNITS:
        raise OptionError(f"No calendar unit {unit!r}.{did_you_mean(unit, UNITS)}")
    if (high - low) / DAYS[unit] > MOST_UNITS:
        raise OptionError(f"Over {MOST_UNITS:,} bins of a {unit} would be needed; take a longer unit.")
    first, last = (np.datetime64(int(d), "D") for d in (low, high))
    if unit in ("day", "week"):
        size = int(DAYS[unit])
        begin = int(low) - (int(low) + 3) % 7 if unit == "week" else int(low)  # 1970-01-01 was a Thursday
        count = (int(high) - begin) // size + 1
        return Bins(np.asarray(begin + size * np.arange(count + 1), np.float64)), unit
    months = {"month": 1, "quarter": 3, "year": 12, "decade": 120, "century": 1200}[unit]
    a, b = ((int(d.astype("datetime64[M]").astype(np.int64)) + TO_1970) // months for d in (first, last))
    starts = (np.arange(a, b + 2) * months - TO_1970).astype("datetime64[M]").astype("datetime64[D]")
    return Bins(starts.astype(np.int64).astype(np.float64)), unit


def unit_labels(bins: Bins, unit: str) -> tuple[str, ...]:
    """Name the units that bins are: a day, the first day of a week, a month, the first of a quarter, a year."""
    form = {"day": "D", "week": "D", "month": "M", "quarter": "M"}.get(unit, "Y")
    starts = bins.edges[:-1].astype(np.int64).astype("datetime64[D]").astype(f"datetime64[{form}]")
    return tuple(str(s) for s in starts)


def span_label(first: float, after: float) -> str:
    """Name a stretch of days by its years, months or days, whichever it fills; ``after`` is the day it ends before.

    Examples
    --------
    >>> span_label(0.0, 31.0), span_label(0.0, 365.0), span_label(4.0, 11.0)
    ('1970-01', '1970', '1970-01-05 to 1970-01-11')
    """
    ends = np.array([first, after], np.int64).astype("datetime64[D]")
    form = next(f for f in "YMD" if (ends.astype(f"datetime64[{f}]") == ends).all())
    a, b = (str(d.astype(f"datetime64[{form}]")) for d in (ends[0], ends[1] - np.timedelta64(1, "D")))
    return a if a == b else f"{a} to {b}"


def months_since_1970(days: Ints) -> Ints:
    """Return the month of whole days since 1970-01-01; modulo 12 it is that of the year, January 0."""
    return days.astype("datetime64[D]").astype("datetime64[M]").astype(np.int64)


def weekday_of(days: Ints) -> Ints:
    """Return the weekday of whole days since 1970-01-01, a Thursday; Monday is 0."""
    return np.asarray((days + 3) % 7, np.int64)


def calendar_profile(groups: list[Floats]) -> Profile:
    """Count days since 1970-01-01 by month of the year and by day of the week, one row a group."""
    months, weekdays = [], []
    for days in groups:
        whole = np.floor(days).astype(np.int64)
        months.append(np.bincount(months_since_1970(whole) % 12, minlength=12))
        weekdays.append(np.bincount(weekday_of(whole), minlength=7))
    return Profile(np.array(months).reshape(-1, 12), np.array(weekdays).reshape(-1, 7))
