"""Figures that a table holds already."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np
import pandas as pd

from ..core.contingency.given import GivenFigures
from ..core.finding import Finding
from ..core.words import plural
from ..declared import tabled
from ..view import View
from .answers.words import number
from .captions import Captions

if TYPE_CHECKING:
    from matplotlib.figure import Figure

    from ..draw.parts.canvas import Page


class GivenView(View):
    """Figures as they are given, by one or two columns: no interval, no mean, no test."""

    step = "contingency"

    def __init__(self, given: GivenFigures, about: tuple[str, ...], names: Captions, sort: bool) -> None:
        of = " and ".join(" × ".join(names(n) for n in a.axis.names) for a in (given.rows, given.columns) if a)
        super().__init__(f"{names(given.name)} by {of}", names.given)
        self._given, self._about, self._names, self._sort = given, about, names, sort

    @property
    def _places(self) -> np.ndarray:
        """The rows in the order they are shown: their own, or from the largest figure down."""
        cells = self._given.cells
        there = np.flatnonzero(~np.isnan(cells).all(axis=1))
        if not self._sort:
            return there
        return there[np.argsort(-np.nan_to_num(cells[there, 0], nan=-np.inf), kind="stable")]

    @tabled()
    def table(self) -> pd.DataFrame:
        """The figures, a row a level; with a second column, a column each of its levels."""
        rows, columns = self._given.rows.axis, self._given.columns
        at = self._places
        index = pd.Index([", ".join(rows.levels[k]) for k in at], name=" × ".join(rows.names), dtype=object)
        heads = [self._given.name] if columns is None else [", ".join(k) for k in columns.axis.levels]
        frame = pd.DataFrame(self._given.cells[at], index=index, columns=heads)
        if columns is None:
            return frame
        return frame.loc[:, frame.notna().any()].rename_axis(columns=" × ".join(columns.axis.names))

    def _lines(self) -> tuple[str, ...]:
        return self._about

    def _answer(self) -> str:
        table = self.table
        told: Any = table.stack().dropna() if self._given.columns is not None else table.iloc[:, 0].dropna()
        name = self._names(self._given.name)
        if not len(told):
            return f"{name} has no figure."
        said = f"{plural(len(told), 'figure')} of {name}, as they are given"
        if told.max() == told.min():
            return f"{said}: each is {number(float(told.max()))}."
        high, low = told.idxmax(), told.idxmin()
        return (
            f"{said}: highest in {_where(high)} ({number(float(told.max()))}), lowest in {_where(low)} "
            f"({number(float(told.min()))})."
        )

    def _found(self) -> tuple[Finding, ...]:
        return ()

    def _picture(self, page: Page) -> Figure:
        from ..draw.contingency.given import draw_given

        sides = (self._given.rows, self._given.columns)
        of = tuple(" × ".join(map(self._names, side.axis.names)) for side in sides if side is not None)
        return draw_given(self.table, self._names(self._given.name), of, page)


def _where(label: object) -> str:
    return ", ".join(map(str, label)) if isinstance(label, tuple) else str(label)
