"""Numbers as a person says them, and what several answers have in common."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any, NamedTuple

from ...core import thresholds as T
from ...core.words import listed
from ...write.digits import MINUS, count, places, significant

DIGITS = 3
MOST_ROWS = 1e8
"""That would be needed, beyond which nobody is told so."""
FEW_LEVELS = 6
"""That are compared although each has few rows: of more, the ends are chance."""
Table = Any
"""A data frame: what its cells are pandas' types do not say."""


class Ends(NamedTuple):
    """The rows of a table with the most and the least of something."""

    most: Any
    least: Any


def number(value: float) -> str:
    """Return a value with three digits; below ten million without an exponent."""
    before = len(str(int(abs(value)))) if abs(value) < 1e7 else 0
    return significant(value, max(DIGITS, before))


def alike(*values: float) -> list[str]:
    """Return values with as many decimals each, so that the largest has three digits."""
    largest = max((abs(v) for v in values if math.isfinite(v)), default=0.0)
    if largest == 0 or not 1e-4 <= largest < 1e4:
        return [number(v) for v in values]
    decimals = max(0, DIGITS - 1 - math.floor(math.log10(largest)))
    return [places(v, decimals) if math.isfinite(v) else significant(v) for v in values]


def estimated(value: float, low: float, high: float) -> str:
    """Return an estimate with its interval: "8.8 (7.3 to 10.3)"."""
    return sized(value, low, high, "", unsigned=False)


def sized(value: float, low: float, high: float, way: str, unsigned: bool = True) -> str:
    """Return a difference by its size, which way it goes, and its interval: "8.8 lower (7.3 to 10.3)"."""
    if unsigned and value < 0:
        value, low, high = -value, -high, -low
    said = alike(value, low, high)
    whole = f"{said[0]} {way}".rstrip()
    return whole if math.isnan(low) or math.isnan(high) else f"{whole} ({said[1]} to {said[2]})"


def share(value: float) -> str:
    """Return a share in whole percent, with a decimal where that says nothing: "78%", "0.4%", "99.6%"."""
    percent = 100 * value
    if percent in (0.0, 100.0) or (9.95 <= abs(percent) < 99):
        return f"{percent:.0f}%".replace("-", MINUS)
    if 0 < abs(percent) < 0.05:
        return "under 0.1%" if percent > 0 else f"{MINUS}0.1%"
    return f"{percent:.1f}%".replace("-", MINUS) if abs(percent) < 99.95 else "over 99.9%"


def points(value: float, low: float, high: float, way: str) -> str:
    """Return a difference of shares by its size and its way: "5.1 points more often (2.2 to 8.0)"."""
    if value < 0:
        value, low, high = -value, -high, -low
    return f"{places(100 * value, 1)} points {way} ({places(100 * low, 1)} to {places(100 * high, 1)})"


def rows_to_tell(rows: float, value: float, low: float, high: float, what: str = "difference") -> str:
    """Return about how many rows would tell a difference of this size from none: intervals narrow as √n grows.

    Nothing where there is no difference at all, or no number of rows that anybody has.
    """
    if value == 0 or math.isnan(low) or math.isnan(high):
        return ""
    needed = rows * ((high - low) / 2 / abs(value)) ** 2
    if not 0 < needed < MOST_ROWS:
        return ""
    size = 10 ** math.floor(math.log10(needed))
    return f" Some {count(math.ceil(needed / size) * size)} rows would tell a {what} of this size from none."


def with_n(rows: float) -> str:
    """Return how many rows a number is of."""
    return f"n {count(rows)}"


def compared(table: Table, of: str) -> Table:
    """Return the rows of a table that have a number and stand for rows enough; of few rows all that have one."""
    known = table[table[of].notna()]
    many = known[known["n"] >= T.FEW_ROWS]
    return known if len(many) < 2 and len(known) <= FEW_LEVELS else many


def ends(table: Table, of: str) -> Ends | None:
    """Return the rows of a table with the largest and the smallest number, of those that stand for rows enough.

    Parameters
    ----------
    of
        The column that is compared.
    """
    known = compared(table, of)
    if len(known) < 2 or not known.index.is_unique:  # numbers may be too near each other for bins to be named apart
        return None
    order = known[of].astype(float)
    return Ends(order.idxmax(), order.idxmin()) if order.max() > order.min() else None


def the_same(table: Table, of: str) -> Any:
    """Return the number that all rows of a table have that are compared; nothing where they differ, or there is one."""
    known = compared(table, of)[of]
    return float(known.iloc[0]) if len(known) > 1 and known.nunique() == 1 else None


def told(label: object) -> str:
    """Return a level, or several of several columns, as a person reads them."""
    return ", ".join(map(str, label)) if isinstance(label, tuple) else str(label)


def all_of(names: Sequence[str], most: int = 3) -> str:
    """Return names in a sentence: "a, b and c", "a, b, c and 4 more"."""
    if len(names) > most or len(names) == 1:
        return listed(names, most)
    return f"{', '.join(names[:-1])} and {names[-1]}"
