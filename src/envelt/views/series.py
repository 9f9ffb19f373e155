"""What happens along time."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
import pandas as pd

from ..core.columns.outcome import ClassOutcome
from ..core.finding import Finding
from ..core.series.series import SeriesAnswers
from ..core.shapes.calendar import MONTHS
from ..declared import tabled
from ..view import View
from ..write.digits import count, label, percent, places, probability
from ..write.shown import EVERY, Writer
from .answers.series import series_answer
from .captions import Captions
from .tables import as_times

if TYPE_CHECKING:
    from collections.abc import Mapping
    from typing import Any

    from matplotlib.figure import Figure

    from ..declared import TableOf
    from ..draw.parts.canvas import Page

MOST_LINES = 12
FOLDED = 24


class SeriesView(View):
    """A mean, a rate, a sum or a count along time, in a line or a line a group."""

    step = "series"

    def __init__(self, answers: SeriesAnswers, about: tuple[str, ...], names: Captions, grid: bool) -> None:
        super().__init__(_title(answers, names), names.given)
        self._answers, self._about, self._names, self._as_grid = answers, about, names, grid

    @tabled(folded=FOLDED, needed=lambda view: not view._as_grid)
    def table(self) -> pd.DataFrame:
        """One row a span of time, of groups one below the other: n, the mean, rate, sum or count, low and high.

        Of dates ``start`` is the first day. A mean has Student's 95 % interval, a rate Wilson's; a sum and a count
        have none. A span without rows has no value, but for a count, which is 0.

        References
        ----------
        Wilson (1927), Journal of the American Statistical Association 22, 209–212.
        """
        a, along = self._answers, self._answers.along
        groups, k = along.value.shape
        columns: dict[str, Any] = {}
        if a.by.names:
            columns[" × ".join(a.by.names)] = np.repeat(np.array(a.by.labels, dtype=object), k)
        if a.spans.is_calendar:
            columns["start"] = as_times(np.tile(a.spans.starts[:-1], groups))
        if a.measure != "count":
            columns["n"] = along.n.ravel()
        columns[a.measure] = along.n.ravel() if a.measure == "count" else along.value.ravel()
        if a.measure in ("mean", "rate"):
            columns |= {"low": along.low.ravel(), "high": along.high.ravel()}
        index = pd.Index(np.tile(np.array(a.spans.labels, dtype=object), groups), name=a.time)
        return pd.DataFrame(columns, index=index)

    @tabled(there=lambda view: view._has_grid, needed=lambda view: view._as_grid)
    def grid(self) -> pd.DataFrame:
        """A row a year, a column a month; of months of all rows together."""
        years, values = self._answers.years
        return pd.DataFrame(values, index=pd.Index(years.tolist(), name="year"), columns=[m[:3] for m in MONTHS])

    @tabled(
        {"n": count, "rho": places, "low": places, "high": places, "p": probability}, needed=False,
        there=lambda view: view._answers.trend is not None,
    )  # fmt: skip
    def trend(self) -> pd.DataFrame:
        """N, rho, low, high and p: Spearman's correlation of what is measured with its span; of a mean and a rate.

        References
        ----------
        Bonett & Wright (2000), Psychometrika 65, 23–28.
        """
        trend = self._answers.trend
        assert trend is not None
        return pd.DataFrame([{"n": trend.n, "rho": trend.rho.estimate, "low": trend.rho.low, "high": trend.rho.high,
                              "p": trend.p}])  # fmt: skip

    @property
    def _has_grid(self) -> bool:
        return self._answers.spans.unit == "month" and not self._answers.by.names

    def _written(self, declared: TableOf) -> Mapping[str, Writer]:
        of = {"rate": percent, "count": count}.get(self._answers.measure)
        if of is None:
            return {"n": count}
        return {EVERY: of, "start": label, "n": count}

    def _lines(self) -> tuple[str, ...]:
        hidden = len(self._answers.by) - MOST_LINES
        more = f"the {MOST_LINES} largest of {len(self._answers.by)} groups are drawn, .table has all"
        return (*self._about, *((more,) if hidden > 0 else ()))

    def _answer(self) -> str:
        return series_answer(self)

    def _found(self) -> tuple[Finding, ...]:
        return ()

    def _picture(self, page: Page) -> Figure:
        from ..draw.series import draw_grid, draw_series

        a = self._answers
        if self._as_grid:
            return draw_grid(a, what(a, self._names), page)
        shown = [g.at for g in a.by.largest(MOST_LINES)]
        return draw_series(a, what(a, self._names), self._names(a.time), shown, page)


def what(answers: SeriesAnswers, names: Captions) -> str:
    """Return what is measured: "mean of honey_kg", "rate of wintered = yes", "rows"."""
    value = answers.value
    if value is None:
        return "rows"
    if isinstance(value, ClassOutcome):
        return f"rate of {names(value.name)} = {value.event}"
    return f"{answers.measure} of {names(value.name)}"


def _title(answers: SeriesAnswers, names: Captions) -> str:
    said = what(answers, names)
    by = f" by {' and '.join(names(n) for n in answers.by.names)}" if answers.by.names else ""
    unit = f", by {answers.spans.unit}" if answers.spans.is_calendar and not by else ""
    return f"{said[0].upper()}{said[1:]} over {names(answers.time)}{by}{unit}"
