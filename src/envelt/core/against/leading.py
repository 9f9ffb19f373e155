"""The levels of a category with the highest mean, or rate, of those that stand for rows enough."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np

from ...errors import OptionError
from .. import thresholds as T
from ..distribution.look import LookOptions
from .by_class import LevelsByClass
from .by_number import NumberByLevels
from .parts import Result


class AgainstOptions(LookOptions, total=False):
    """The options of `Study.against`, of one candidate."""

    by: str | Iterable[str] | None
    top: int | None
    least: int | None
    method: str
    confidence: float
    alternative: str


@dataclass(frozen=True)
class Leading:
    """Which levels are shown: so many with the highest mean or rate (``top``), of at least so many rows (``least``)."""

    top: int | None = None
    least: int | None = None

    @property
    def asked(self) -> bool:
        """Whether some are chosen."""
        return self.top is not None or self.least is not None

    @property
    def rows(self) -> int:
        """Of how many rows a level must be."""
        return T.FEW_ROWS if self.least is None else self.least


EVERY_LEVEL = Leading()


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
