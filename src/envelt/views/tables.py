"""Tables that several views hold."""

from __future__ import annotations

from typing import Any

import numpy as np
import pandas as pd

from ..core.columns.raw import FIRST_TIME, LAST_TIME
from ..core.estimate import Estimate, Significance
from ..core.relations.profile import LeadingLevel
from ..core.stats.group_summary import GroupSummary
from ..core.within.groups import WithinGroups

DAY = 86_400  # seconds
PLACES = ("mean", "mean_low", "mean_high", "min", "q1", "median", "q3", "max", "mode")
"""Columns that hold values of the column described."""


def group_table(summary: GroupSummary, index: str, dates: bool = False) -> pd.DataFrame:
    """One row a group: n, missing, mean with its interval, spread, quartiles, mode, shape and outliers."""
    table = pd.DataFrame(described(summary), index=pd.Index(summary.labels, name=index))
    return table.assign(**{name: as_times(table[name]) for name in PLACES}) if dates else table


def described(summary: GroupSummary) -> dict[str, Any]:
    """Return what `group_table` holds, an array a column."""
    m, q = summary.moments, summary.quartiles
    low, high = summary.mean_interval
    return {
        "n": m.n, "missing": summary.missing, "mean": m.mean, "mean_low": low, "mean_high": high, "sd": m.sd,
        "min": m.min, "q1": q[:, 0], "median": q[:, 1], "q3": q[:, 2], "max": m.max, "mode": summary.modes,
        "skewness": m.skewness, "excess_kurtosis": m.excess_kurtosis, "outliers": summary.outliers,
    }  # fmt: skip


def group_tables(summaries: dict[str, GroupSummary], dates: set[str], column: str, index: str) -> pd.DataFrame:
    """Return the `group_table` of several columns under each other, the column's name as the index.

    Parameters
    ----------
    dates
        The columns whose values are days, shown as times.
    """
    parts = {name: described(s) for name, s in summaries.items()}
    labels = np.array([label for s in summaries.values() for label in s.labels], dtype=object)
    names = np.repeat(np.array(list(summaries), dtype=object), [len(s.labels) for s in summaries.values()])
    columns = {c: np.concatenate([p[c] for p in parts.values()]) for c in next(iter(parts.values()))}
    table = pd.DataFrame({index: labels, **columns}, index=pd.Index(names, name=column))
    for at in [np.flatnonzero(names == name) for name in summaries if name in dates]:
        table = table.astype(dict.fromkeys(PLACES, object))
        for place in PLACES:
            table.iloc[at, list(table.columns).index(place)] = list(as_times(columns[place][at]))
    return table


def shares_table(
    levels: dict[str, tuple[LeadingLevel, ...]], labels: tuple[str, ...], column: str, index: str
) -> pd.DataFrame:
    """One row a leading level and group: n, count, and the level's share with its interval; by column."""
    parts = [
        pd.DataFrame(
            {
                column: name, "level": level.label, index: np.array(labels, dtype=object), "n": level.rates.n,
                "count": level.rates.events, "share": level.rates.rate, "low": level.rates.low,
                "high": level.rates.high,
            }
        )
        for name, leading in levels.items() for level in leading
    ]  # fmt: skip
    return pd.concat(parts, ignore_index=True).set_index(column)


def by_group(groups: list[dict[str, Any]], labels: tuple[str, ...]) -> pd.DataFrame:
    """Put the tables of groups under each other, the column ``group`` first; of one group as it is."""
    if len(groups) == 1:
        return pd.DataFrame(groups[0])
    names = list(groups[0])
    sizes = [len(g[names[0]]) for g in groups]
    columns = {name: np.concatenate([np.asarray(g[name]) for g in groups]) for name in names}
    return pd.DataFrame({"group": np.repeat(np.array(labels, dtype=object), sizes), **columns})


def as_times(days: Any) -> Any:
    """Return days since 1970-01-01 as times, to the second; missing where no calendar reaches."""
    seconds = np.round(np.asarray(days, np.float64) * DAY)
    there = (seconds * 1_000_000 >= FIRST_TIME) & (seconds * 1_000_000 <= LAST_TIME)
    stamps = np.where(there, seconds, 0).astype(np.int64).astype("datetime64[s]")
    stamps[~there] = np.datetime64("NaT", "s")
    return pd.Series(stamps, index=days.index) if isinstance(days, pd.Series) else pd.DatetimeIndex(stamps)


def tests_table(tests: dict[str, Significance]) -> pd.DataFrame:
    """One row a test."""
    return pd.DataFrame(
        list(tests.values()), index=pd.Index(tests, name="test"), columns=["statistic", "p"], dtype=float
    )


def effects_table(effects: dict[str, Estimate]) -> pd.DataFrame:
    """One row an effect."""
    columns = ["estimate", "low", "high"]
    return pd.DataFrame(list(effects.values()), index=pd.Index(effects, name="effect"), columns=columns, dtype=float)


def pooled_table(within: WithinGroups) -> pd.DataFrame:
    """One row a contrast and effect: over all rows, and pooled within groups, with the test that the groups agree."""
    rows = [(c, effect, s) for c in within.contrasts for effect, s in c.effects.items()]
    columns = {
        "contrast": [c.label for c, *_ in rows],
        "crude": [s.crude.estimate for *_, s in rows], "crude_low": [s.crude.low for *_, s in rows],
        "crude_high": [s.crude.high for *_, s in rows],
        "pooled": [s.pooled.estimate for *_, s in rows], "low": [s.pooled.low for *_, s in rows],
        "high": [s.pooled.high for *_, s in rows],
        "groups": [s.groups for *_, s in rows], "agreement_p": [s.agreement.p for *_, s in rows],
    }  # fmt: skip
    return pd.DataFrame(columns, index=pd.Index([effect for _, effect, _ in rows], name="effect"))


def ratio_note(counts: Any) -> tuple[str, ...]:
    """Say how the ratios of a 2 × 2 table with an empty cell were made finite."""
    if counts.shape != (2, 2) or counts.min() > 0 or counts.sum() == 0:
        return ()
    return ("a cell is empty: half a row is added to all four for the intervals of the ratios",)


def rates_table(rates: Any, index: pd.Index[Any]) -> pd.DataFrame:
    """One row a level or bin: rows, events, and the rate with its interval."""
    return pd.DataFrame(
        {"n": rates.n, "events": rates.events, "rate": rates.rate, "low": rates.low, "high": rates.high},
        index=index,
    )
