"""The levels of a category with the highest mean, or rate, of those that stand for rows enough."""

from __future__ import annotations

import numpy as np

from ...errors import OptionError
from .asked import Leading
from .by_class import LevelsByClass
from .by_number import NumberByLevels
from .parts import Result


def showing(result: Result, of: Leading) -> Result:
    """Return a result of levels that shows the leading ones; its tests and effects are of all.

    Raises
    ------
    OptionError
        ``least`` where there are no levels, or no level is of so many rows.
    """
    if not of.asked:
        return result
    if isinstance(result, LevelsByClass):
        n, value = result.rates.n, result.rates.rate
    elif isinstance(result, NumberByLevels):
        n, value = result.summary.moments.n, result.summary.moments.mean
    elif of.least is not None:
        raise OptionError(f"least is of the levels of a category, and {result.name!r} has none here: leave it out.")
    else:
        return result
    enough = np.flatnonzero((n >= of.rows) & ~np.isnan(value))
    if not len(enough):
        raise OptionError(
            f"No level of {result.name!r} has {of.rows} rows or more; the largest has {int(n.max(initial=0))}."
        )
    order = enough[np.argsort(-value[enough], kind="stable")][: of.top]
    return result.under(shown=tuple(order.tolist()))
