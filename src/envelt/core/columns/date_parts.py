"""A date that stands in parts: columns of year, month and day."""

from __future__ import annotations

import re
from collections.abc import Iterable

import numpy as np

from .grades import CALENDAR, ELSEWHERE
from .names import spelt_apart
from .table import CategoryColumn, Column, TimeColumn
from .times import are_years

_NAMES = (*(names.split() for names in CALENDAR["months"]), *(scale for scale in ELSEWHERE if len(scale) == 12))
_MONTHS = {name: k + 1 for names in _NAMES for k, name in enumerate(names)} | {"sept": 9}
_MONTH = re.compile(r"(^|[_\W])(month|mon|mth|mo)($|[_\W])")
_DAY = re.compile(r"(^|[_\W])(day|dom|mday)($|[_\W])|day_of_(the_)?month")
_OTHER_DAY = re.compile(r"week|year|days|per|since|until")


def month_named(text: str) -> int:
    """Return the month that a text names, 1 to 12, in English or a neighbour's language; 0 for none.

    Examples
    --------
    >>> month_named("Sep"), month_named("march"), month_named("Oktober"), month_named("may be")
    (9, 3, 10, 0)
    """
    return _MONTHS.get(text.strip().casefold().rstrip("."), 0)


def parts_of_date(columns: Iterable[Column]) -> tuple[str, ...]:
    """Return the names of columns of year, month and, where it is there, day, that are one date; nothing where not."""
    years, months, days = [], [], []
    for column in columns:
        name = spelt_apart(column.name)
        if _MONTH.search(name) and _are_months(column):
            months.append(column.name)
        elif _DAY.search(name) and not _OTHER_DAY.search(name) and _lies_within(column, 1, 31):
            days.append(column.name)
        elif _are_whole_years(column):
            years.append(column.name)
    if len(years) != 1 or len(months) != 1:
        return ()
    return (years[0], months[0], *(days if len(days) == 1 else ()))


def _whole(column: Column) -> np.ndarray | None:
    """Return the different whole numbers of a column, as numbers or as levels; nothing where there are others."""
    if isinstance(column, CategoryColumn):
        if not column.levels or not all(re.fullmatch(r"\d{1,4}", level) for level in column.levels):
            return None
        return np.unique(np.array(column.levels, np.float64))
    values = column.numbers
    if values is None or isinstance(column, TimeColumn):
        return None
    there = np.unique(values[~np.isnan(values)])
    return there if len(there) and (there == np.floor(there)).all() else None


def _lies_within(column: Column, low: int, high: int) -> bool:
    there = _whole(column)
    return there is not None and len(there) > 1 and bool(there[0] >= low and there[-1] <= high)


def _are_months(column: Column) -> bool:
    if isinstance(column, CategoryColumn) and column.levels and all(map(month_named, column.levels)):
        return True
    return _lies_within(column, 1, 12)


def _are_whole_years(column: Column) -> bool:
    there = _whole(column)
    return there is not None and bool(there[0] >= 1000) and are_years(column.name, there)
