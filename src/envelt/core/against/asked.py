"""What can be asked of one candidate against the outcome."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from .. import thresholds as T
from ..distribution.look import LookOptions


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
