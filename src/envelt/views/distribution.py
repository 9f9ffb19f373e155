"""How columns are distributed, alone and by group."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import TYPE_CHECKING, Any

import numpy as np
import pandas as pd

from ..core.distribution.distribution import NumberDistribution
from ..core.distribution.levels import LevelDistribution
from ..core.distribution.sheet import SheetAnswers
from ..core.finding import Finding
from ..core.shapes.calendar import MONTHS, WEEKDAYS
from ..core.words import be, have, plural
from ..declared import tabled, valued_if
from ..view import View
from ..write.digits import count, measured, percent, significant
from .answers.distribution import distribution_answer, sheet_answer
from .captions import Captions
from .tables import as_times, by_group, group_table
from .written import COUNTED, FEW_OF_DATES, FEW_OF_GROUPS, GROUPS, OUTLIERS, SPARE_OF_GROUPS

if TYPE_CHECKING:
    from matplotlib.figure import Figure

    from ..draw.parts.canvas import Page

MOST_OUTLIERS_SHOWN = 5
MANY_GROUPS = 6


def _is_dates(view: DistributionView) -> bool:
    return view._numbers is not None and view._numbers.dates


def _has_numbers(view: DistributionView) -> bool:
    return view._numbers is not None


def _has_density(view: DistributionView) -> bool:
    n = view._numbers
    return n is not None and not n.dates and n.density is not None


def _has_calendar(view: DistributionView) -> bool:
    return _is_dates(view) and view._numbers is not None and view._numbers.calendar is not None


def _is_number(view: DistributionView) -> bool:
    return view._numbers is not None and not view._numbers.dates and bool(view._numbers.shapes)


def _folded(view: DistributionView) -> int | None:
    return 0 if view._groups > MANY_GROUPS and view._numbers is not None else None


def _several(view: DistributionView) -> bool:
    return view._numbers is not None and view._groups > 1


class DistributionView(View):
    """How one column is distributed, or several of one unit, in groups."""

    step = "distribution"

    def __init__(
        self,
        result: NumberDistribution | LevelDistribution,
        about: tuple[str, ...],
        top: int,
        title: str,
        names: Captions,
    ) -> None:
        super().__init__(title, names.given)
        self._result, self._about, self._top, self._names = result, about, top, names
        self._numbers = result if isinstance(result, NumberDistribution) else None
        self._levels = result if isinstance(result, LevelDistribution) else None
        self._groups = len(result.groups)

    @tabled(
        {**GROUPS, "distinct": count, "mode_share": percent}, spare=SPARE_OF_GROUPS,
        few=lambda view: () if view._numbers is None else FEW_OF_DATES if view._numbers.dates else FEW_OF_GROUPS,
    )  # fmt: skip
    def table(self) -> pd.DataFrame:
        """One row a group (``all`` without ``by``).

        Of numbers and dates: n, missing, mean with its 95 % interval, sd, min, quartiles, max, mode, skewness (G1),
        excess_kurtosis (G2), outliers. Of levels: n, missing, distinct, mode and its share.
        """
        index = " × ".join(self._result.groups.names) or self._result.name
        if self._numbers is not None:
            return group_table(self._numbers.summary, index, self._numbers.dates)
        return _level_table(self._level_result, index)

    @tabled(COUNTED, there=_has_numbers, folded=_folded)
    def bins(self) -> pd.DataFrame:
        """Left, right, count and share of each bin; the column ``group`` first where there are several."""
        return bins_table(self._number_result)

    @tabled(there=_has_density, folded=0)
    def density(self) -> pd.DataFrame:
        """At, density: the density at 512 places, per unit of the column; of numbers."""
        return density_table(self._number_result)

    @tabled(COUNTED, folded=_folded, needed=lambda view: not _several(view) and not _is_dates(view))
    def top_values(self) -> pd.DataFrame:
        """Value, count, share of the most frequent values, most frequent first."""
        if self._numbers is not None:
            return top_table(self._numbers, self._top)
        return _top_levels(self._level_result, self._top)

    @tabled(OUTLIERS, there=_has_numbers, folded=MOST_OUTLIERS_SHOWN)
    def outliers(self) -> pd.DataFrame:
        """Row, value, group and side of the values beyond Tukey's fences, the furthest first."""
        return outliers_table(self._number_result)

    @tabled(there=_has_calendar)
    def months(self) -> pd.DataFrame:
        """Rows by month of the year; of dates."""
        assert self._number_result.calendar is not None
        return _profile(self._number_result, self._number_result.calendar[1].months, MONTHS, "month")

    @tabled(there=_has_calendar)
    def weekdays(self) -> pd.DataFrame:
        """Rows by day of the week; of dates."""
        assert self._number_result.calendar is not None
        return _profile(self._number_result, self._number_result.calendar[1].weekdays, WEEKDAYS, "weekday")

    @valued_if(lambda view: True)
    def chosen(self) -> str:
        """The picture that is drawn."""
        return self._numbers.picture if self._numbers is not None else "bars"

    @valued_if(_has_numbers)
    def overlap(self) -> float:
        """The share of two groups' densities that coincides; NaN for other numbers of groups."""
        return self._number_result.overlap

    @valued_if(lambda view: view._numbers is not None and view._numbers.density is not None)
    def bandwidth(self) -> dict[str, float]:
        """The bandwidth of each group's density."""
        made = self._number_result.density
        assert made is not None
        return dict(zip(self._result.groups.labels, made.bandwidths.tolist(), strict=True))

    @valued_if(_is_number)
    def recorded_step(self) -> float:
        """The step in which the values were recorded; 0 for none."""
        return self._number_result.shapes[0].step

    @valued_if(_is_number)
    def dip(self) -> float:
        """Hartigan's dip."""
        return self._number_result.shapes[0].dip.statistic

    @valued_if(_is_number)
    def dip_p(self) -> float:
        """The p of the dip: small where there is more than one peak."""
        return self._number_result.shapes[0].dip.p

    @property
    def _number_result(self) -> NumberDistribution:
        assert self._numbers is not None
        return self._numbers

    @property
    def _level_result(self) -> LevelDistribution:
        assert self._levels is not None
        return self._levels

    def _lines(self) -> tuple[str, ...]:
        if self._numbers is not None:
            return (*self._about, *distribution_lines(self._numbers))
        result = self._level_result
        lines = tuple(line for line in (result.why, result.groups.note) if line)
        missing = int(result.missing.sum())
        return (
            *self._about,
            *lines,
            *((f"{have(missing, 'row')} no value and {be(missing)} left out",) if missing else ()),
        )

    def _answer(self) -> str:
        return distribution_answer(self, self._names(self._result.name))

    def _found(self) -> tuple[Finding, ...]:
        return self._result.findings

    def _picture(self, page: Page) -> Figure:
        if self._numbers is not None:
            from ..draw.distribution.distribution import draw_distribution

            return draw_distribution(captioned(self._numbers, self._names), page)
        from ..draw.distribution.bars import draw_bars

        drawn = replace(self._level_result, name=self._names(self._result.name))
        return draw_bars(drawn, page)


def captioned(result: NumberDistribution, names: Captions) -> NumberDistribution:
    """Return a distribution under the title of its column and of the columns that group it."""
    groups = replace(result.groups, names=tuple(names(n) for n in result.groups.names))
    return result.under(name=names(result.name), groups=groups)


def distribution_lines(result: NumberDistribution, why: bool = True, missing: bool = True) -> tuple[str, ...]:
    """Say what the picture needs said: why it was chosen, how a group was cut, what was cut off."""
    lines = [line for line in (result.chosen[1] if why else "", result.groups.note) if line]
    if result.outside and result.groups.names:
        by = " and ".join(result.groups.names)
        lines.append(f"{have(result.outside, 'row')} no {by} and {be(result.outside)} in no group")
    if result.missing and missing:
        lines.append(f"{have(result.missing, 'row')} no value and {be(result.missing)} left out")
    return (*lines, *tail_line(result))


def tail_line(result: NumberDistribution) -> tuple[str, ...]:
    """Say how many rows of a long tail a histogram counts at its edge."""
    if result.picture != "histogram":
        return ()
    bins = result.bins
    ends = [
        f"{plural(n, 'row')} {where} {significant(_value(result, at))}"
        for n, where, at in ((bins.below, "below", bins.edges[0]), (bins.above, "above", bins.edges[-1]))
        if n
    ]
    return (f"tail cut: {' and '.join(ends)} are counted at the edge",) if ends else ()


def _value(result: NumberDistribution, place: float) -> float:
    return float(result.scale.value(np.array([place]))[0])


def bins_table(result: NumberDistribution) -> pd.DataFrame:
    """Left, right, count and share of each bin."""
    edges, written = result.scale.value(result.bins.all_edges), as_times if result.dates else np.asarray
    return by_group(
        [
            {"left": written(edges[:-1]), "right": written(edges[1:]), "count": n, "share": n / max(int(n.sum()), 1)}
            for n in result.counts
        ],
        result.groups.labels,
    )


def density_table(result: NumberDistribution) -> pd.DataFrame:
    """At, density: per unit of the column."""
    assert result.density is not None
    at = result.scale.value(result.density.at)
    slope = result.scale.slope(result.density.at)
    return by_group([{"at": at, "density": f * slope} for f in result.density.density], result.groups.labels)


def top_table(result: NumberDistribution, top: int) -> pd.DataFrame:
    """Value, count, share of the most frequent values."""
    written = as_times if result.dates else np.asarray
    parts = []
    for ordered in result.summary.ordered:
        values, n = ordered.top_values(top)
        parts.append({"value": written(values), "count": n, "share": n / max(len(ordered), 1)})
    return by_group(parts, result.groups.labels)


def outliers_table(result: NumberDistribution) -> pd.DataFrame:
    """Row, value, group and side of the values beyond the fences; an identifier, where there is one, as index."""
    outliers = result.outliers
    return pd.DataFrame(
        {
            "row": outliers.labels if len(outliers.labels) else [],
            "value": as_times(outliers.values) if result.dates else outliers.values,
            "group": np.array(result.groups.labels, dtype=object)[outliers.groups],
            "side": np.where(outliers.side > 0, "above", "below").astype(object),
        },
        index=None if outliers.cases is None else pd.Index(outliers.cases, dtype=object, name="case"),
    )


def _profile(result: NumberDistribution, counts: Any, index: tuple[str, ...], name: str) -> pd.DataFrame:
    columns = list(result.groups.labels) if len(result.groups) > 1 else ["count"]
    return pd.DataFrame(counts.T, index=pd.Index(index, name=name), columns=columns)


def _level_table(result: LevelDistribution, index: str) -> pd.DataFrame:
    n = result.counts.sum(axis=1)
    modes = [result.levels[k] if total else None for k, total in zip(result.counts.argmax(axis=1), n, strict=True)]
    return pd.DataFrame(
        {
            "n": n,
            "missing": result.missing,
            "distinct": np.count_nonzero(result.counts, axis=1),
            "mode": modes,
            "mode_share": result.counts.max(axis=1, initial=0) / np.maximum(n, 1),
        },
        index=pd.Index(result.groups.labels, name=index),
    )


def _top_levels(result: LevelDistribution, top: int) -> pd.DataFrame:
    tops = []
    for counts in result.counts:
        order = np.argsort(-counts, kind="stable")[:top]
        order, total = order[counts[order] > 0], max(int(counts.sum()), 1)
        values = [result.levels[i] for i in order]
        tops.append({"value": values, "count": counts[order], "share": counts[order] / total})
    return by_group(tops, result.groups.labels)


class SheetView(View):
    """How all columns are distributed, one row and one small picture each."""

    step = "distribution"

    def __init__(self, answers: SheetAnswers, columns: int, about: tuple[str, ...], names: Captions) -> None:
        super().__init__(f"How the {plural(columns, 'column')} {be(columns)} distributed", names.given)
        self._answers, self._about, self._names = answers, about, names

    @tabled(
        {"n": count, "missing": count, "missing_share": percent, "skewness": measured, "outliers": count},
        spare=("mode", "missing_share", "outliers", "mean", "missing", "q1", "q3", "sd", "min", "max"),
    )
    def table(self) -> pd.DataFrame:
        """One row a column: kind, n, missing, mean, sd, min, quartiles, max, skewness, outliers, mode, findings."""
        rows = self._answers.sheet.columns
        fields: dict[str, Callable[[Any], Any]] = {
            "kind": lambda c: c.kind, "n": lambda c: c.n, "missing": lambda c: c.missing,
            "missing_share": lambda c: c.missing / max(c.n + c.missing, 1), "mean": lambda c: c.mean,
            "sd": lambda c: c.sd, "min": lambda c: c.min, "q1": lambda c: c.q1, "median": lambda c: c.median,
            "q3": lambda c: c.q3, "max": lambda c: c.max,
            "skewness": lambda c: c.skewness,
        }  # fmt: skip
        return pd.DataFrame(
            {
                **{name: [of(c) for c in rows] for name, of in fields.items()},
                "outliers": pd.array([c.outliers if c.numeric else None for c in rows], dtype="Int64"),
                "mode": [c.mode for c in rows],
                "findings": [c.codes for c in rows],
            },
            index=pd.Index([c.name for c in rows], name="column"),
        )

    def _brief(self) -> tuple[str, ...]:
        if self._answers.sort == "missing":
            return ("kind", "n", "missing", "missing_share", "findings")
        return (
            "kind",
            "n",
            "mean",
            "sd",
            "min",
            "q1",
            "median",
            "q3",
            "max",
            "skewness",
            "outliers",
            "mode",
            "findings",
        )

    def _lines(self) -> tuple[str, ...]:
        return (*self._about, f"sorted by {self._answers.sort}")

    def _answer(self) -> str:
        return sheet_answer(self)

    def _found(self) -> tuple[Finding, ...]:
        return self._answers.sheet.findings

    def _picture(self, page: Page) -> Figure:
        from ..draw.distribution.sheet import draw_sheet

        result = self._answers.sheet
        drawn = replace(result, columns=tuple(replace(c, name=self._names(c.name)) for c in result.columns))
        return draw_sheet(drawn, page)
