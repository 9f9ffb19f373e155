"""A table as a person sees it: a data frame, and how the cells of its columns are written."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from types import MappingProxyType
from typing import TYPE_CHECKING, Any, NamedTuple

if TYPE_CHECKING:
    import pandas as pd

Writer = Callable[[Any], str]
EVERY = "*"
"""In place of a column's name: how all columns that are not named are written."""


class ShownTable(NamedTuple):
    """A data frame for reading.

    Parameters
    ----------
    written
        How cells are written, by the name of their column.
    spare
        Columns that can be left out, the least needed first.
    heads
        What to write over columns whose name does not say it.
    few
        The columns that a person asked for; none where all are.
    """

    frame: pd.DataFrame
    written: Mapping[str, Writer] = MappingProxyType({})
    spare: tuple[str, ...] = ()
    heads: Mapping[str, str] = MappingProxyType({})
    few: tuple[str, ...] = ()

    def of(self, frame: pd.DataFrame) -> ShownTable:
        """Return another data frame written likewise."""
        return self._replace(frame=frame)
