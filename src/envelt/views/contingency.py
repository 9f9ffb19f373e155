"""Cross-tabulations."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from functools import lru_cache
from typing import TYPE_CHECKING, Any

import numpy as np
import pandas as pd

from ..core import thresholds as T
from ..core.asked import one_of
from ..core.choices import SHARES
from ..core.columns.axes import AxisLevels
from ..core.columns.outcome import Classes, Said
from ..core.contingency.answers import ContingencyAnswers
from ..core.contingency.crosstab import CrossTable, row_order
from ..core.finding import Finding
from ..core.words import plural
from ..declared import TableOf, tabled
from ..view import View
from ..write.digits import count
from ..write.shown import Writer
from . import written
from .answers.contingency import contingency_answer
from .captions import Captions
from .tables import effects_table, pooled_table, ratio_note, tests_table

if TYPE_CHECKING:
    from matplotlib.figure import Figure

    from ..draw.parts.canvas import Page


class CrossedTables:
    """The tables of one cross-tabulation, of all rows or of each part of them, as data frames.

    Parameters
    ----------
    tables
        One, or one a part.
    outcome
        Whose rates are given at each level of the rows.
    by
        The columns that make the parts.
    """

    def __init__(
        self, tables: tuple[CrossTable, ...], outcome: Said | None, names: Captions, by: tuple[str, ...] = ()
    ) -> None:
        self.tables, self.outcome, self.names, self.by = tables, outcome, names, by

    @property
    def first(self) -> CrossTable:
        """The first table."""
        return self.tables[0]

    def has(self, name: str) -> bool:
        """Say whether there are rates (an outcome), units (a unit is declared), or what two axes have."""
        if name == "rates":
            return self.outcome is not None and self.first.outcome is not None
        if name == "units":
            return self.first.units is not None
        return self.first.columns is not None

    @property
    def note(self) -> tuple[str, ...]:
        """How the ratios of a 2 × 2 table with an empty cell were made finite."""
        if len(self.tables) > 1 or np.isnan(self.first.effects["odds_ratio"].estimate):
            return ()
        return ratio_note(self.first.counts)

    def counts(self) -> pd.DataFrame:
        """Rows in every cell; of one axis with their share."""
        return self._stacked(_counted)

    def shares(self, of: str) -> pd.DataFrame:
        """Shares of a row, a column or all."""
        return self._stacked(lambda t: _frame(t, t.shares(of)))

    def rates(self) -> pd.DataFrame:
        """The outcome at each level of the rows."""
        outcome = self.outcome
        assert outcome is not None
        return self._stacked(lambda t: _rates(t, outcome))

    def units(self) -> pd.DataFrame:
        """Different units in each cell."""
        return self._stacked(lambda t: _frame(t, t.units))

    def tests(self) -> pd.DataFrame:
        """Whether rows and columns are related."""
        return self._stacked(lambda t: tests_table(t.tests))

    def effects(self) -> pd.DataFrame:
        """How far they are."""
        return self._stacked(lambda t: effects_table(t.effects))

    def totals(self) -> pd.DataFrame:
        """The margins."""
        return self._stacked(_totals)

    def expected(self) -> pd.DataFrame:
        """Counts expected if rows and columns were unrelated."""
        return self._stacked(lambda t: _frame(t, t.expected))

    def residuals(self) -> pd.DataFrame:
        """Adjusted residuals."""
        return self._stacked(lambda t: _frame(t, t.residuals))

    def _stacked(self, make: Callable[[CrossTable], pd.DataFrame]) -> pd.DataFrame:
        """Put the frames of parts under each other, with the group first in the index."""
        frames = [make(t) for t in self.tables]
        if len(self.tables) == 1 and not self.first.label:
            return frames[0]
        names = [" × ".join(self.by), *frames[0].index.names]
        return pd.concat(frames, keys=[t.label for t in self.tables], names=names)

    def draw(
        self,
        page: Page,
        *,
        within: str = "",
        picture: str,
        colour: str = "share",
        order: str = "level",
        of: str = "row",
    ) -> Figure:
        """Draw the picture asked for."""
        from ..draw.contingency.contingency import draw_contingency

        named = tuple(t.called(self.names) for t in self.tables)
        outcome = self.outcome if self.has("rates") else None
        said = None if outcome is None else replace(outcome, name=self.names(outcome.name))
        return draw_contingency(named, said, page, within, picture=picture, colour=colour, order=order, of=of)


def _has(name: str) -> Callable[[ContingencyView], bool]:
    return lambda view: view.crossed.has(name)


def _shares_of(of: str) -> Callable[[ContingencyView], bool]:
    return lambda view: view.crossed.has("shares") and view._shares == of


class ContingencyView(View):
    """A cross-tabulation of one or two axes, of all rows or in parts."""

    step = "contingency"
    ordered = ("table", "rates", "shares_of_row", "shares_of_column", "shares_of_all", "units", "expected", "residuals")

    def __init__(
        self,
        answers: ContingencyAnswers,
        names: Captions,
        title: str,
        about: tuple[str, ...],
        of_rates: tuple[str, ...],
        after: tuple[str, ...],
        *,
        shares: str,
        within: str,
        picture: str,
        colour: str,
        order: str,
    ) -> None:
        super().__init__(title, names.given)
        said = None if answers.outcome is None else answers.outcome.said
        by = () if answers.by is None else answers.by.names
        self._answers, self.crossed = answers, CrossedTables(answers.tables, said, names, by)
        self._about, self._of_rates, self._after = about, of_rates, after
        self._shares, self._look, self._by, self._within = shares, (picture, colour), order, within

    @tabled(written.COUNTED, needed=lambda view: not _has("rates")(view))  # which count them too
    def table(self) -> pd.DataFrame:
        """Counts without totals, levels of the rows as index; of one axis with the share of each level."""
        return self.crossed.counts()

    @tabled(written.SHARES, there=_shares_of("row"), needed=True)
    def shares_of_row(self) -> pd.DataFrame:
        """The share of each cell in its row; where shares of rows were asked for."""
        return self.crossed.shares("row")

    @tabled(written.SHARES, there=_shares_of("column"), needed=True)
    def shares_of_column(self) -> pd.DataFrame:
        """The share of each cell in its column; where shares of columns were asked for."""
        return self.crossed.shares("column")

    @tabled(written.SHARES, there=_shares_of("all"), needed=True)
    def shares_of_all(self) -> pd.DataFrame:
        """The share of each cell in all; where shares of all were asked for."""
        return self.crossed.shares("all")

    @tabled(written.RATES, there=_has("rates"), needed=True)
    def rates(self) -> pd.DataFrame:
        """The outcome at each level: n, events, rate, low, high (Wilson), shrunken; of numbers the mean likewise."""
        return self.crossed.rates()

    @tabled(there=_has("units"))
    def units(self) -> pd.DataFrame:
        """Different units in each cell; where a unit is declared."""
        return self.crossed.units()

    @tabled(written.TESTS, there=_has("tests"), gaps=False)
    def tests(self) -> pd.DataFrame:
        """chi_square, fisher_exact, trend: statistic and p; of two axes."""
        return self.crossed.tests()

    @tabled(written.EFFECTS, there=_has("effects"), gaps=False)
    def effects(self) -> pd.DataFrame:
        """cramers_v, gamma, and of 2 × 2 risk_difference, risk_ratio, odds_ratio; of two axes."""
        return self.crossed.effects()

    @tabled(
        written.POOLED, there=lambda view: view._answers.has_within, spare=written.SPARE_OF_POOLED,
        folded=T.PAIRS_SHOWN, heads={"low": "pooled low", "high": "pooled high", "agreement_p": "groups agree, p"},
    )  # fmt: skip
    def pooled(self) -> pd.DataFrame:
        """Each difference between rows, over all (crude) and pooled within the groups; with ``by``.

        Odds ratio and risk difference by Mantel and Haenszel; of an outcome of numbers the difference of means.
        """
        return pooled_table(self._answers.within)

    @tabled({"count": count}, there=_has("totals"), folded=60)
    def totals(self) -> pd.DataFrame:
        """The margins; of two axes."""
        return self.crossed.totals()

    @tabled(there=_has("expected"), folded=0)
    def expected(self) -> pd.DataFrame:
        """Counts expected if rows and columns were unrelated; of two axes."""
        return self.crossed.expected()

    @tabled(there=_has("residuals"), folded=60)
    def residuals(self) -> pd.DataFrame:
        """Haberman's adjusted residuals; of two axes."""
        return self.crossed.residuals()

    def shares(self, of: str = "row") -> pd.DataFrame:
        """Return shares in the shape of the table.

        Parameters
        ----------
        of
            "row" (each row adds up to 1), "column", or "all".

        Raises
        ------
        OptionError
        """
        return self.crossed.shares(one_of(*SHARES)(of, "share"))

    def _written(self, declared: TableOf) -> dict[str, Writer]:
        counted = declared.name == "rates" and not isinstance(self.crossed.outcome, Classes)
        return {"n": count} if counted else declared.written

    def _lines(self) -> tuple[str, ...]:
        return (*self._about, *self._of_rates, *self._after, *self._note)

    def _line(self) -> str:
        # the picture of rates says in its title what they are of, and the others show none
        return " · ".join((*self._about, *self._after, *self._note))

    @property
    def _note(self) -> tuple[str, ...]:
        return self.crossed.note if self.crossed.has("tests") else ()

    def _answer(self) -> str:
        return contingency_answer(self)

    def _found(self) -> tuple[Finding, ...]:
        return self._answers.findings

    def _order(self) -> Sequence[int] | None:
        if len(self.crossed.tables) > 1 or self._by == "level":
            return None
        order: list[int] = row_order(self.crossed.first, self._by).tolist()
        return order

    def _picture(self, page: Page) -> Figure:
        picture, colour = self._look
        return self.crossed.draw(page, within=self._within, picture=picture, colour=colour, order=self._by,
                                 of=self._shares)  # fmt: skip


def _index(axis: AxisLevels) -> pd.Index[Any]:
    return _index_of(axis.names, axis.levels)


@lru_cache(maxsize=32)
def _index_of(names: tuple[str, ...], levels: tuple[tuple[str, ...], ...]) -> pd.Index[Any]:
    if len(names) == 1:
        return pd.Index([level[0] for level in levels], name=names[0])
    return pd.MultiIndex.from_tuples(levels, names=names)


def _frame(table: CrossTable, values: Any) -> pd.DataFrame:
    columns = pd.Index(["count"]) if table.columns is None else _index(table.columns)
    return pd.DataFrame(values, index=_index(table.rows), columns=columns)


def _counted(table: CrossTable) -> pd.DataFrame:
    frame = _frame(table, table.counts)
    if table.columns is None:
        frame["share"] = table.counts[:, 0] / max(int(table.counts.sum()), 1)
    return frame


def _totals(table: CrossTable) -> pd.DataFrame:
    assert table.columns is not None
    rows, columns = table.counts.sum(axis=1), table.counts.sum(axis=0)
    labels = [*(f"row {label}" for label in table.rows.labels), *(f"column {label}" for label in table.columns.labels)]
    return pd.DataFrame(
        {"count": [*rows, *columns, table.counts.sum()]}, index=pd.Index([*labels, "all"], name="total of")
    )


def _rates(table: CrossTable, outcome: Said) -> pd.DataFrame:
    seen = table.outcome
    assert seen is not None
    index = _index(table.rows)
    if seen.mean is not None:
        mean, low, high = seen.mean
        columns = {"n": seen.n, "mean": mean, "mean_low": low, "mean_high": high, "shrunken": seen.shrunken}
        return pd.DataFrame(columns, index=index)
    assert seen.rates is not None
    assert isinstance(outcome, Classes)
    r = seen.rates
    columns = {"n": r.n, "events": r.events, "rate": r.rate, "low": r.low, "high": r.high, "shrunken": seen.shrunken}
    frame = pd.DataFrame(columns, index=index)
    if seen.class_shares is not None:
        for k, level in enumerate(outcome.levels):
            frame[f"share of {level}"] = seen.class_shares[:, k]
    return frame


def part_line(tables: tuple[CrossTable, ...], skipped: int) -> tuple[str, ...]:
    """Say how many parts there are, and how many had no rows."""
    if not tables[0].label:
        return ()
    empty = f"; {count(skipped)} without a row are left out" if skipped else ""
    return (f"{plural(len(tables), 'part')}{empty}",)
