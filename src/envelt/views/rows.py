"""Rows as they were read."""

from __future__ import annotations

from typing import TYPE_CHECKING

import pandas as pd

from ..core.rows.rows import RowsAnswers, sorted_by
from ..core.words import listed, plural
from ..declared import tabled, valued
from ..view import View
from ..write.digits import count, label
from .answers.rows import rows_answer
from .captions import Captions
from .tables import as_times

if TYPE_CHECKING:
    from matplotlib.figure import Figure

    from ..draw.parts.canvas import Page

MOST_FIRST = 8
"""Columns shown before the others are asked for."""


class RowsView(View):
    """Rows of the data, in the order asked for."""

    step = "rows"

    def __init__(
        self, answers: RowsAnswers, expression: str, sort: tuple[str, ...], named: tuple[str, ...],
        about: tuple[str, ...], names: Captions,
    ) -> None:  # fmt: skip
        of = "the data" if not named else f"the data: {listed(named)}"
        said = f"Rows where {expression}" if expression else f"Rows of {of}"
        super().__init__(said, names.given)
        self._answers, self._expression, self._about, self._names = answers, expression, about, names
        self._ordered = [sorted_by(answers.table, n) for n in sort]

    @tabled({"row": label}, few=lambda view: view._answers.first[:MOST_FIRST])
    def table(self) -> pd.DataFrame:
        """The first of the rows as read, their labels as index: the columns asked for, then all others."""
        return self._answers.frame

    @tabled({"rows": count, "of_all": count}, needed=False)
    def beside(self) -> pd.DataFrame:
        """Where the rows lie among all: column, from, to or level, rows (of those asked for) and of_all."""
        parts = []
        for b in self._answers.beside:
            written = as_times if b.dates else list
            ends = {"from": written(b.edges[:-1]), "to": written(b.edges[1:])} if len(b.edges) else {"level": b.levels}
            parts.append(pd.DataFrame({"column": b.name, **ends, "rows": b.among, "of_all": b.of_all}))
        return pd.concat(parts, ignore_index=True) if parts else pd.DataFrame(columns=["column", "rows", "of_all"])

    @valued
    def rows(self) -> int:
        """How many rows there are of those asked for."""
        return len(self._answers.at)

    @valued
    def of_all(self) -> int:
        """Of how many."""
        return len(self._answers.table)

    @valued
    def share(self) -> float:
        """What share of all that is."""
        return self.rows / max(self.of_all, 1)

    def _lines(self) -> tuple[str, ...]:
        shown, rows = len(self._answers.frame), self.rows
        first = (f"the first {plural(shown, 'row')} of {count(rows)} are shown",) if shown < rows else ()
        ways = [(self._names(n), "largest down" if down else "smallest up") for n, down in self._ordered]
        order = (f"sorted by {', then '.join(f'{n} from the {way}' for n, way in ways)}",) if ways else ()
        return (*self._about, *order, *first)

    def _answer(self) -> str:
        return rows_answer(self)

    def _picture(self, page: Page) -> Figure:
        from ..draw.rows import draw_rows

        return draw_rows(self._answers.beside, [self._names(b.name) for b in self._answers.beside], self.rows, page)
