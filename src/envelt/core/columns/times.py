"""Numbers that tell a time: years, years with fractions, hours and minutes in one number."""

from __future__ import annotations

import re

import numpy as np
from numpy.typing import NDArray

from .. import thresholds as T
from .names import hints, spelt_apart

Floats = NDArray[np.float64]
YEARS_FROM, YEARS_TO = 1000, 2200
"""Between these a whole number may be a year of the calendar."""


def is_clock(unique: Floats) -> bool:
    """Say whether different whole numbers, sorted, are times of day written as hours and minutes: 517, 2359."""
    if len(unique) < T.CLOCK_TIMES or unique[0] < 0 or not 1000 <= unique[-1] <= 2400:
        return False
    return not (unique % 100 >= 60).any()


def are_parts_of_years(unique: Floats) -> bool:
    """Say whether different numbers, sorted, are years and quarters, months or weeks of them: 1981.25, 1959.083."""
    if unique[0] < 1800 or unique[-1] > 2100 or unique[-1] - unique[0] > 300:
        return False
    parts = (unique - np.floor(unique))[:, None] * np.array([4, 12, 52])
    return bool((np.abs(parts - np.round(parts)).max(axis=0) < 0.02 * np.array([1, 3, 13])).any())


def are_years(name: str, unique: Floats) -> bool:
    """Say whether whole numbers are years of the calendar by their name and size: 1987, or 87.

    Parameters
    ----------
    unique
        The different values in order, shape (k,), k at least 1.
    """
    if not hints(name, "years"):
        return False
    if unique[0] >= YEARS_FROM:
        return bool(unique[-1] <= YEARS_TO)
    return bool(unique[0] > 20 and unique[-1] <= 99 and len(unique) >= 3) and not _is_duration(name, unique)


def are_times_of_day(name: str, hours: Floats) -> bool:
    """Say whether hours read from texts like 13:30 are times of day, and not how long something took.

    Parameters
    ----------
    hours
        Shape (n,), NaN for missing.
    """
    there = hours[~np.isnan(hours)]
    minutes = 60 * there
    whole = bool((np.abs(minutes - np.round(minutes)) < 1e-3).all())  # hours are kept to six places
    return len(there) > 0 and whole and bool(there.max() < 24) and hints(name, "times")


def is_time(name: str, values: Floats) -> bool:
    """Say whether numbers count time: by the name, or as years, parts of years, or times of day.

    Parameters
    ----------
    values
        Shape (n,), none missing.
    """
    if hints(name, "times"):
        return not (_is_duration(name, values) or _is_index(name, values))
    if len(values) == 0:
        return False
    low, high = float(values.min()), float(values.max())
    if low >= 1800 and high <= 2100 and high - low < 150 and low.is_integer():
        return True
    unique = np.unique(values) if 1000 <= high <= 2400 else values[:0]
    return len(unique) > 0 and (is_clock(unique) or (low >= 1800 and are_parts_of_years(unique)))


def _is_duration(name: str, values: Floats) -> bool:
    """Say whether what is called a time is how long something took: years of it, in parts, or heaped at some values."""
    spelt = spelt_apart(name)
    if re.search(r"(^|[_\W])(years|yrs|months|weeks|days|hours|minutes)($|[_\W])", spelt):
        return len(values) > 0 and bool(values.max() < 1800)
    if not re.search(r"(^|[_\W])time$", spelt):
        return False
    unique, rows = np.unique(values, return_counts=True)
    if len(unique) < T.BY_VALUE or unique[0] < 0 or unique[-1] > 1800:
        return False
    return bool((unique != np.floor(unique)).any() or rows.max() > T.UNEVEN_TIMES * np.median(rows))


def _is_index(name: str, values: Floats) -> bool:
    """Say whether visits, waves and the like are no numbers of them, but how many there were on average."""
    numbered = re.search(r"(^|[_\W])(visit|wave|period|season|trend)s?($|[_\W\d])", spelt_apart(name))
    return bool(numbered) and bool((2 * values != np.floor(2 * values)).any())


def counts_on(name: str, values: Floats) -> bool:
    """Say whether whole numbers count years or periods that follow each other; months and hours come round again.

    Parameters
    ----------
    values
        Shape (n,), NaN for missing.
    """
    there = values[~np.isnan(values)]
    if len(there) == 0 or (there != np.floor(there)).any():
        return False
    if re.search(r"built|birth|born|found|since|made|model|phd|open|start|first|last", name.casefold()):
        return False  # when something began: a property, and no time at which rows were written
    if _is_duration(name, there):
        return False
    years = there.min() >= 1800 and there.max() <= 2100 and there.max() - there.min() < 300
    return bool(years or re.fullmatch(r"(.*[_\W])?(year|yr|trend|period|wave|quarter|qtr|season)s?", name.casefold()))


def is_quantity(name: str, values: Floats) -> bool:
    """Say whether a number is an amount of something, whose shape means something: no time, no code, no key."""
    keyed = hints(name, "identifiers") and not hints(name, "counts")
    return not (keyed or hints(name, "codes") or hints(name, "names") or is_time(name, values))
