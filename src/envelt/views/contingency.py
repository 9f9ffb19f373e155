"""Cross-tabulations."""

from __future__ import annotations

from dataclasses import replace
from functools import lru_cache
from typing import Any

import numpy as np
import pandas as pd

from ..core.columns.axes import TableAxis
from ..core.columns.outcome import ClassOutcome, NumericOutcome, Outcome
from ..core.contingency.crosstab import SHARES, CrossTable, row_order
from ..core.finding import Finding
from ..core.stats import tables as ct
from ..errors import OptionError, did_you_mean
from ..view import View
from ..write.digits import count
from .captions import PLAIN, Captions
from .tables import effects_table, ratio_note, tests_table

RATES_OF = "rates are of"


class ContingencyView(View):
    """A cross-tabulation: a `View` with the shares of its table.

    ``table`` holds counts without totals; ``totals`` the margins; ``expected`` and ``residuals`` have its shape.
    """

    crossings: tuple[CrossTable, ...] = ()

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
        checked_shares(of)
        return _stacked(self.crossings, [_frame(t, t.shares(of)) for t in self.crossings])


def checked_shares(of: str) -> str:
    """Return what shares are of, if it is one of row, column and all."""
    if of not in SHARES:
        raise OptionError(f"Shares are of a row, a column or all, not {of!r}.{did_you_mean(of, SHARES)}")
    return of


def contingency_view(
    tables: tuple[CrossTable, ...],
    about: tuple[str, ...],
    outcome: Outcome | None,
    findings: tuple[Finding, ...],
    *,
    shares: str,
    picture: str,
    colour: str,
    by: tuple[str, ...],
    order: str,
    names: Captions = PLAIN,
) -> ContingencyView:
    """Wrap the tables of all rows, or of each part of them."""
    first = tables[0]
    frames: dict[str, Any] = {"table": _stacked(tables, [_counted(t) for t in tables])}
    if first.columns is not None:
        frames["shares_of_" + shares] = lambda: _as_shares(tables, shares)
    if first.outcome is not None and outcome is not None:
        frames["rates"] = lambda: _stacked(tables, [_rates(t, outcome) for t in tables])
    if first.units is not None:
        frames["units"] = lambda: _stacked(tables, [_frame(t, t.units) for t in tables])
    if first.columns is not None:
        frames["tests"] = lambda: _stacked(tables, [tests_table(t.tests) for t in tables])
        frames["effects"] = lambda: _stacked(tables, [effects_table(t.effects) for t in tables])
        frames["totals"] = lambda: _stacked(tables, [_totals(t) for t in tables])
        frames["expected"] = lambda: _stacked(tables, [_frame(t, ct.expected_counts(t.counts)) for t in tables])
        frames["residuals"] = lambda: _stacked(tables, [_frame(t, ct.adjusted_residuals(t.counts)) for t in tables])
    if len(tables) == 1 and not np.isnan(first.effects["odds_ratio"].estimate):
        about = (*about, *ratio_note(first.counts))
    of = " by ".join(" and ".join(names(n) for n in axis.names) for axis in (first.rows, first.columns) if axis)
    title = f"Counts of {of}" + (f" within {' and '.join(names(n) for n in by)}" if by else "")

    def draw(view: View) -> Any:
        from ..draw.contingency import draw_contingency

        drawn = tuple(replace(t, rows=_captioned(t.rows, names), columns=_captioned(t.columns, names)) for t in tables)
        # the picture of rates says in its title what they are of, and the others show none
        line = " · ".join(t for t in view.about if not t.startswith(RATES_OF))
        return draw_contingency(drawn, outcome, view.title, line, picture=picture, colour=colour, order=order)

    view = ContingencyView(
        "contingency", title, about, frames, findings, draw, captions=names.given,
        folded={"expected": 0, "residuals": 60, "totals": 60}, aside=("totals", "residuals"),
    )  # fmt: skip
    view.crossings = tables
    if len(tables) == 1 and order != "level":
        view.sorted_by(row_order(first, order).tolist())
    return view


def _as_shares(tables: tuple[CrossTable, ...], of: str) -> pd.DataFrame:
    frame = _stacked(tables, [_frame(t, t.shares(of)) for t in tables])
    frame.attrs["shares"] = True  # written in percent
    return frame


def _captioned(axis: TableAxis | None, names: Captions) -> Any:
    return None if axis is None else replace(axis, names=tuple(names(n) for n in axis.names))


def _index(axis: TableAxis) -> pd.Index[Any]:
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


def _rates(table: CrossTable, outcome: Outcome) -> pd.DataFrame:
    seen = table.outcome
    assert seen is not None
    index = _index(table.rows)
    if isinstance(outcome, NumericOutcome):
        assert seen.mean is not None
        mean, low, high = seen.mean
        columns = {"n": seen.n, "mean": mean, "mean_low": low, "mean_high": high, "shrunken": seen.shrunken}
        return pd.DataFrame(columns, index=index)
    assert isinstance(outcome, ClassOutcome)
    assert seen.rates is not None
    r = seen.rates
    columns = {"n": r.n, "events": r.events, "rate": r.rate, "low": r.low, "high": r.high, "shrunken": seen.shrunken}
    frame = pd.DataFrame(columns, index=index)
    if seen.class_shares is not None:
        for k, level in enumerate(outcome.levels):
            frame[f"share of {level}"] = seen.class_shares[:, k]
    return frame


def _stacked(tables: tuple[CrossTable, ...], frames: list[pd.DataFrame]) -> pd.DataFrame:
    """Put the frames of parts under each other, with the part first in the index."""
    if len(tables) == 1 and not tables[0].label:
        return frames[0]
    return pd.concat(frames, keys=[t.label for t in tables], names=["part", *frames[0].index.names])


def part_line(tables: tuple[CrossTable, ...], skipped: int) -> tuple[str, ...]:
    """Say how many parts there are, and how many had no rows."""
    if not tables[0].label:
        return ()
    empty = f"; {count(skipped)} without a row are left out" if skipped else ""
    return (f"{count(len(tables))} parts{empty}",)
