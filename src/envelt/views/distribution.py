"""How columns are distributed, alone and by group."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
import pandas as pd

from ..core.against.by_class import bin_label
from ..core.distribution.distribution import LevelDistribution, NumberDistribution
from ..core.distribution.sheet import Sheet
from ..view import View
from ..write.digits import count, day_label, significant
from .captions import PLAIN, Captions
from .tables import as_times, group_table

MOST_OUTLIERS_SHOWN = 5
MANY_GROUPS = {"bins": 0, "top_values": 0}


def distribution_view(
    result: NumberDistribution,
    about: tuple[str, ...],
    row_labels: pd.Index[Any],
    top: int,
    title: str,
    dates: bool = False,
    names: Captions = PLAIN,
) -> View:
    """A number or a date, alone or by group."""
    grouping = result.grouping
    index = " × ".join(grouping.names) or result.name
    tables = {"table": group_table(result.summary, index, dates), **distribution_tables(result, row_labels, top, dates)}
    if result.calendar:
        tables |= _profiles(result)
    about = (*about, *distribution_lines(result, dates))

    def draw(view: View) -> Any:
        from ..draw.distribution.distribution import draw_distribution

        return draw_distribution(captioned(result, names), view.title, " · ".join(view.about), dates)

    values = {"chosen": result.picture, "overlap": result.overlap}
    if result.density is not None:
        values |= {"bandwidth": dict(zip(grouping.labels, result.density.bandwidths.tolist(), strict=True))}
    if result.shapes and not dates:
        shape = result.shapes[0]
        values |= {"step": shape.step, "dip": shape.dip.statistic, "dip_p": shape.dip.p}
    return View(
        "distribution", title, about, tables, result.findings, draw, values, captions=names.given,
        folded={"density": 0, "outliers": MOST_OUTLIERS_SHOWN, **(MANY_GROUPS if len(grouping) > 6 else {})},
        aside=("bins",) if len(grouping) == 1 else ("bins", "top_values", "outliers"),
    )  # fmt: skip


def captioned(result: NumberDistribution, names: Captions) -> NumberDistribution:
    """Return a distribution under the title of its column and of the columns that group it."""
    grouping = replace(result.grouping, names=tuple(names(n) for n in result.grouping.names))
    return replace(result, name=names(result.name), grouping=grouping)


def distribution_lines(result: NumberDistribution, dates: bool = False) -> tuple[str, ...]:
    """Say what the picture needs said: why it was chosen, how a group was cut, what was cut off."""
    lines = [line for line in (result.why, result.grouping.note) if line]
    outside = int((result.grouping.codes < 0).sum())
    if outside and result.grouping.names:
        by = " and ".join(result.grouping.names)
        lines.append(f"{count(outside)} rows have no {by} and are in no group")
    if result.missing:
        lines.append(f"{count(result.missing)} rows have no value and are left out")
    bins = result.bins
    if (bins.below or bins.above) and result.picture == "histogram":
        ends = [
            f"{count(n)} rows {where} {significant(_value(result, at))}"
            for n, where, at in ((bins.below, "below", bins.edges[0]), (bins.above, "above", bins.edges[-1]))
            if n
        ]
        lines.append(f"tail cut: {' and '.join(ends)} are counted at the edge")
    return tuple(lines)


def _value(result: NumberDistribution, place: float) -> float:
    return float(result.scale.value(np.array([place]))[0])


def distribution_tables(
    result: NumberDistribution, row_labels: pd.Index[Any], top: int, dates: bool = False
) -> dict[str, pd.DataFrame]:
    """The bins, density, most frequent values and outliers; with a column for the group where there are several."""
    labels = result.grouping.labels
    edges = result.scale.value(result.bins.all_edges)
    written = as_times if dates else np.asarray
    parts = {
        "bins": [
            {"left": written(edges[:-1]), "right": written(edges[1:]), "count": n, "share": n / max(int(n.sum()), 1)}
            for n in result.counts
        ],
        "top_values": [
            {"value": written(values), "count": n, "share": n / max(len(g), 1)}
            for (values, n), g in zip(result.top_values(top), result.summary.ordered, strict=True)
        ],
    }
    if result.density is not None and not dates:
        at = result.scale.value(result.density.at)
        slope = result.scale.slope(result.density.at)
        parts["density"] = [{"at": at, "density": f * slope} for f in result.density.density]
    tables = {name: _by_group(groups, labels) for name, groups in parts.items()}
    outliers = result.outliers
    tables["outliers"] = pd.DataFrame(
        {
            "row": row_labels[outliers.rows % max(len(row_labels), 1)] if len(row_labels) else [],
            "value": written(outliers.values),
            "group": np.array(labels, dtype=object)[outliers.groups],
            "side": np.where(outliers.side > 0, "above", "below").astype(object),
        }
    )
    return {k: tables[k] for k in ("bins", "density", "top_values", "outliers") if k in tables}


def _by_group(groups: list[dict[str, Any]], labels: tuple[str, ...]) -> pd.DataFrame:
    if len(groups) == 1:
        return pd.DataFrame(groups[0])
    names = list(groups[0])
    sizes = [len(g[names[0]]) for g in groups]
    columns = {name: np.concatenate([np.asarray(g[name]) for g in groups]) for name in names}
    return pd.DataFrame({"group": np.repeat(np.array(labels, dtype=object), sizes), **columns})


def _profiles(result: NumberDistribution) -> dict[str, pd.DataFrame]:
    from ..core.shapes.calendar import MONTHS, WEEKDAYS

    assert result.calendar is not None
    profile = result.calendar[1]
    columns = list(result.grouping.labels) if len(result.grouping) > 1 else ["count"]
    return {
        "months": pd.DataFrame(profile.months.T, index=pd.Index(MONTHS, name="month"), columns=columns),
        "weekdays": pd.DataFrame(profile.weekdays.T, index=pd.Index(WEEKDAYS, name="weekday"), columns=columns),
    }


def level_distribution_view(
    result: LevelDistribution, about: tuple[str, ...], top: int, title: str, names: Captions = PLAIN
) -> View:
    """A category, alone or by group: what it holds most, and the rows at every level."""
    grouping = result.grouping
    n = result.counts.sum(axis=1)
    modes = [result.levels[k] if total else None for k, total in zip(result.counts.argmax(axis=1), n, strict=True)]
    table = pd.DataFrame(
        {
            "n": n,
            "missing": result.missing,
            "distinct": np.count_nonzero(result.counts, axis=1),
            "mode": modes,
            "mode_share": result.counts.max(axis=1, initial=0) / np.maximum(n, 1),
        },
        index=pd.Index(grouping.labels, name=" × ".join(grouping.names) or result.name),
    )
    tops = []
    for counts, total in zip(result.counts, n, strict=True):
        order = np.argsort(-counts, kind="stable")[:top]
        order = order[counts[order] > 0]
        tops.append(
            {"value": [result.levels[i] for i in order], "count": counts[order], "share": counts[order] / max(total, 1)}
        )
    tables = {"table": table, "top_values": _by_group(tops, grouping.labels)}
    lines = tuple(line for line in (result.why, grouping.note) if line)
    missing = int(result.missing.sum())
    lines += (f"{count(missing)} rows have no value and are left out",) if missing else ()

    def draw(view: View) -> Any:
        from ..draw.distribution.bars import draw_bars

        drawn = replace(result, name=names(result.name))
        return draw_bars(drawn, view.title, " · ".join(view.about))

    return View(
        "distribution",
        title,
        (*about, *lines),
        tables,
        result.findings,
        draw,
        {"chosen": "bars"},
        captions=names.given,
    )


def sheet_view(result: Sheet, about: tuple[str, ...], names: Captions = PLAIN) -> View:
    """All columns, one row and one small picture each."""
    rows = result.columns
    table = pd.DataFrame(
        {
            "kind": [c.kind for c in rows],
            "n": [c.n for c in rows],
            "missing": [c.missing for c in rows],
            "missing_share": [c.missing / max(c.n + c.missing, 1) for c in rows],
            "mean": [c.mean for c in rows],
            "sd": [c.sd for c in rows],
            "min": [c.min for c in rows],
            "median": [c.median for c in rows],
            "max": [c.max for c in rows],
            "skewness": [c.skewness for c in rows],
            "outliers": pd.array([c.outliers if c.numeric else None for c in rows], dtype="Int64"),
            "mode": [c.mode for c in rows],
            "findings": [list(c.codes) for c in rows],
        },
        index=pd.Index([c.name for c in rows], name="column"),
    )

    def draw(view: View) -> Any:
        from ..draw.distribution.sheet import draw_sheet

        drawn = replace(result, columns=tuple(replace(c, name=names(c.name)) for c in rows))
        return draw_sheet(drawn, view.title, " · ".join(view.about))

    title = f"How the {count(len(rows))} columns are distributed"
    about = (*about, f"sorted by {result.sort}")
    by_missing = result.sort == "missing"
    brief: tuple[str, ...] = ("n", "median", "min", "max", "skewness", "outliers", "mode", "findings")
    brief = ("n", "missing", "missing_share", "findings") if by_missing else brief
    return View("distribution", title, about, {"table": table}, result.findings, draw, {}, brief, names.given)


def bin_range(left: float, right: float, dates: bool) -> str:
    """Return a range of values as text."""
    if not dates:
        return bin_label(left, right)
    a, b = day_label(left), day_label(right)
    return a if a == b else f"{a} to {b}"
