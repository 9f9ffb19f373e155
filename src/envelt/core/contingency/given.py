"""Figures that a table holds already: one a cell, taken as they are."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from ...errors import OptionError
from ..columns.axes import TableAxis
from ..kept import Remade

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class GivenFigures(Remade):
    """Figures by rows, and by columns where there are any; nothing is summed, averaged, drawn together or tested.

    Parameters
    ----------
    rows, columns
        What the cells are of.
    name, values
        The column of figures, shape (n,), NaN where missing.
    """

    rows: TableAxis
    columns: TableAxis | None
    name: str
    values: Floats

    @cached_property
    def cells(self) -> Floats:
        """The figures, shape (rows, columns); NaN in a cell that has none.

        Raises
        ------
        OptionError
            A cell has several.
        """
        k = 1 if self.columns is None else len(self.columns.axis.levels)
        at = self.rows.codes.astype(np.int64) * k
        inside = (self.rows.codes >= 0) & ~np.isnan(self.values)
        if self.columns is not None:
            at, inside = at + self.columns.codes, inside & (self.columns.codes >= 0)
        size = len(self.rows.axis.levels) * k
        n = np.bincount(at[inside], minlength=size)
        if n.max(initial=0) > 1:
            crowded = int(n.argmax())
            where = [" ".join(self.rows.axis.levels[crowded // k])]
            if self.columns is not None:
                where.append(" ".join(self.columns.axis.levels[crowded % k]))
            raise OptionError(
                f"{self.name!r} has {n[crowded]} figures for {', '.join(where)}: figures that are given stand one a "
                "cell. Name a second column that tells them apart; of rows, take their mean: against, or series."
            )
        cells = np.full(size, np.nan)
        cells[at[inside]] = self.values[inside]
        return cells.reshape(-1, k)
