"""What options may be: one check for each kind of option."""

from __future__ import annotations

import math
from collections.abc import Hashable, Iterable
from typing import Any

from ..errors import OptionError


def finite_number(value: Any, what: str) -> float:
    """Return a number that is neither missing nor infinite.

    Raises
    ------
    OptionError
    """
    number = (not isinstance(value, bool) and isinstance(value, (int, float))) or hasattr(value, "__float__")
    if isinstance(value, (bool, str)) or not number or not math.isfinite(float(value)):
        raise OptionError(f"The {what} must be a finite number, not {value!r}.")
    return float(value)


def whole_number(value: Any, least: int, what: str) -> int:
    """Return a whole number from ``least`` up.

    Raises
    ------
    OptionError
    """
    if isinstance(value, bool) or not hasattr(value, "__index__") or int(value) < least:
        raise OptionError(f"The {what} must be a whole number from {least} up, not {value!r}.")
    return int(value)


def each_once(values: Iterable[Hashable], what: str) -> None:
    """Refuse a list that names something twice.

    Raises
    ------
    OptionError
    """
    seen: set[Hashable] = set()
    for value in values:
        if value in seen:
            raise OptionError(f"The {what} names {value!r} twice: name it once.")
        seen.add(value)
