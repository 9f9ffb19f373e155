"""From results of the core to views: tables of labels and numbers, and the picture that goes with them."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import Any

import numpy as np
import pandas as pd

from .core import against as ag
from .core import balance as ba
from .core.estimate import Estimate, Significance
from .core.groups import GroupSummary
from .core.inventory import Inventory
from .core.outcome import ClassOutcome, NumericOutcome, Outcome
from .core.rank import Ranking
from .core.table import CategoryColumn
from .view import View
from .write.digits import count, day_label

DAY = pd.Timedelta(days=1)
MANY_COLUMNS = 30
"""More than this and the inventory is sorted by need of attention."""


class Captions:
    """What to call columns where a person sees them.

    Parameters
    ----------
    given
        Titles by column name, of the columns that a person gave a label or a unit of measure.
    """

    def __init__(self, given: Mapping[str, str] | None = None) -> None:
        self.given = dict(given or {})

    def __call__(self, name: str) -> str:
        """Return what to call a column."""
        return self.given.get(name, name)

    def of(self, result: Any) -> Any:
        """Return a result under its captions: its own name and its outcome's."""
        changes: dict[str, Any] = {"outcome": replace(result.outcome, name=self(result.outcome.name))}
        if hasattr(result, "name"):
            changes["name"] = self(result.name)
        return replace(result, **changes)


PLAIN = Captions()


def inventory_view(result: Inventory, about: tuple[str, ...], names: Captions, first: pd.DataFrame | None) -> View:
    """One row a column; ``first`` holds the first rows as read."""
    rows = result.columns
    noted = Counter(name for f in result.findings for name in f.columns)
    table = pd.DataFrame(
        {
            "kind": [c.kind for c in rows],
            "reason": [c.reason for c in rows],
            "present": [c.present for c in rows],
            "missing": [c.missing for c in rows],
            "missing_share": [c.missing_share for c in rows],
            "distinct": [c.distinct for c in rows],
            "examples": [[_short(e) for e in c.examples] for c in rows],
            "label": [c.label for c in rows],
            "unit": [c.unit for c in rows],
            "findings": [noted[c.name] for c in rows],
        },
        index=pd.Index([c.name for c in rows], name="column"),
    )

    def draw(view: View) -> Any:
        from .draw.inventory import draw_inventory

        return draw_inventory(_captioned_columns(result, names), view.title, drawn)

    kinds = pd.Series(Counter(c.kind for c in rows), name="count", dtype="int64").rename_axis("kind")
    kinds = kinds.sort_values(ascending=False, kind="stable")
    declared = [c.name for c in rows if c.changed]
    about = (*about, ", ".join(f"{count(n)} {kind}" for kind, n in kinds.items()))
    if declared:
        about = (
            *about,
            f"{count(len(declared))} by a person's word: {', '.join(declared[:6])}" + ", …" * (len(declared) > 6),
        )
    title = f"What the {count(len(rows))} columns are"
    brief = ("kind", "missing_share", "distinct", "findings", "examples", "reason")
    tables = {"table": table} if first is None else {"table": table, "first_rows": first}
    order, drawn = None, " · ".join(about)
    if len(rows) > MANY_COLUMNS:
        order = sorted(range(len(rows)), key=lambda i: (-rows[i].findings, -rows[i].missing))
        about = (*about, "sorted by need of attention")
    values = {"kinds": kinds}
    return View("inventory", title, about, tables, result.findings, draw, values, brief, names.given, order)


def _captioned_columns(result: Inventory, names: Captions) -> Inventory:
    return replace(result, columns=tuple(replace(c, name=names(c.name)) for c in result.columns))


def _short(text: str, most: int = 24) -> str:
    return text if len(text) <= most else text[: most - 1] + "…"


def balance_view(result: ba.ClassBalance | ba.NumericBalance, about: tuple[str, ...], names: Captions = PLAIN) -> View:
    """One row a class, or the numbers of a numeric outcome."""
    if isinstance(result, ba.NumericBalance):
        return _numeric_balance_view(result, about, names)
    total = result.counts.sum()
    table = pd.DataFrame(
        {"count": result.counts, "share": result.counts / total},
        index=pd.Index(result.outcome.levels, name=result.outcome.name),
    )

    def draw(view: View) -> Any:
        from .draw.balance import draw_classes

        return draw_classes(names.of(result), view.title, " · ".join(view.about))

    title = f"How the classes of {names(result.outcome.name)} are spread"
    values = {"largest_share": result.largest_share, "rows": int(total), "unknown": result.unknown}
    return View("balance", title, about, {"table": table}, result.findings, draw, values, captions=names.given)


def _numeric_balance_view(result: ba.NumericBalance, about: tuple[str, ...], names: Captions) -> View:
    def draw(view: View) -> Any:
        from .draw.balance import draw_numbers

        return draw_numbers(names.of(result), view.title, " · ".join(view.about))

    title = f"How {names(result.outcome.name)} is spread"
    table = group_table(result.summary, "outcome")
    return View("balance", title, about, {"table": table}, result.findings, draw, captions=names.given)


def group_table(summary: GroupSummary, index: str, dates: bool = False) -> pd.DataFrame:
    """One row a group: n, missing, mean, spread, quartiles and shape."""
    m, q = summary.moments, summary.quartiles
    table = pd.DataFrame(
        {
            "n": m.n,
            "missing": summary.missing,
            "mean": m.mean,
            "sd": m.sd,
            "min": m.min,
            "q1": q[:, 0],
            "median": q[:, 1],
            "q3": q[:, 2],
            "max": m.max,
            "skewness": m.skewness,
            "excess_kurtosis": m.excess_kurtosis,
        },
        index=pd.Index(summary.labels, name=index),
    )
    if dates:
        for name in ("mean", "min", "q1", "median", "q3", "max"):
            table[name] = pd.to_datetime(table[name] * DAY.value, unit="ns").dt.round("s")
    return table


def tests_table(tests: dict[str, Significance]) -> pd.DataFrame:
    """One row a test."""
    return pd.DataFrame(
        list(tests.values()), index=pd.Index(tests, name="test"), columns=["statistic", "p"], dtype=float
    )


def effects_table(effects: dict[str, Estimate]) -> pd.DataFrame:
    """One row an effect."""
    columns = ["estimate", "low", "high"]
    return pd.DataFrame(list(effects.values()), index=pd.Index(effects, name="effect"), columns=columns, dtype=float)


def rates_table(rates: Any, index: pd.Index[Any]) -> pd.DataFrame:
    """One row a level or bin: rows, events, and the rate with its interval."""
    return pd.DataFrame(
        {"n": rates.n, "events": rates.events, "rate": rates.rate, "low": rates.low, "high": rates.high},
        index=index,
    )


def missing_line(missing: int, name: str) -> tuple[str, ...]:
    """Say how many rows a missing candidate value cost."""
    return (f"{count(missing)} rows have no {name} and are left out of its numbers",) if missing else ()


def _against(
    result: Any,
    title: str,
    about: tuple[str, ...],
    tables: dict[str, pd.DataFrame],
    draw: Callable[[View], Any],
    names: Captions,
) -> View:
    lines = about + missing_line(result.missing, names(result.name))
    return View("against", title, lines, tables, result.findings, draw, captions=names.given)


def number_by_class_view(
    result: ag.NumberByClass, about: tuple[str, ...], dates: bool, names: Captions = PLAIN
) -> View:
    """A numeric (or date) candidate against classes."""
    outcome, bins = result.outcome, result.bins
    index = pd.Index([_label(a, b, dates) for a, b in zip(bins.left, bins.right, strict=True)], name=result.name)
    tables = {
        "table": group_table(result.comparison.summary, outcome.name, dates),
        "rates": rates_table(result.rates, index),
        "tests": tests_table(result.comparison.tests),
        "effects": effects_table(result.comparison.effects),
    }

    def draw(view: View) -> Any:
        from .draw.against_number import draw_number_by_class

        return draw_number_by_class(names.of(result), view.title, " · ".join(view.about), dates=dates)

    title = f"{names(result.name)} by {names(outcome.name)}"
    if len(outcome.levels) == 2:
        about = (*about, f"differences are {outcome.levels[1]} minus {outcome.levels[0]}")
    return _against(result, title, about, tables, draw, names)


def _label(left: float, right: float, dates: bool) -> str:
    if not dates:
        return ag.bin_label(left, right)
    a, b = day_label(left), day_label(right)
    return a if a == b else f"{a} to {b}"


def levels_by_class_view(
    result: ag.LevelsByClass, about: tuple[str, ...], column: CategoryColumn, names: Captions = PLAIN
) -> View:
    """A category candidate against classes."""
    outcome = result.outcome
    index = pd.Index(result.levels, name=result.name)
    tables = {
        "table": pd.DataFrame(result.counts, index=index, columns=pd.Index(outcome.levels, name=outcome.name)),
        "rates": rates_table(result.rates, index),
        "tests": tests_table(result.tests),
        "effects": effects_table(result.effects),
    }
    ordered = column.ordered or column.kind == "binary"

    def draw(view: View) -> Any:
        from .draw.against_levels import draw_levels_by_class

        return draw_levels_by_class(names.of(result), view.title, " · ".join(view.about), ordered)

    title = f"Rate of {names(outcome.name)} = {outcome.event} by {names(result.name)}"
    if len(result.levels) == 2:
        about = (*about, f"differences and ratios are {result.levels[1]} against {result.levels[0]}")
    return _against(result, title, about, tables, draw, names)


def number_by_group_view(
    result: ag.NumberByGroup, about: tuple[str, ...], ordered: bool, names: Captions = PLAIN
) -> View:
    """Any candidate against a numeric outcome: the outcome described in each level or bin."""
    tables = {
        "table": group_table(result.comparison.summary, result.name),
        "tests": tests_table(result.comparison.tests),
        "effects": effects_table(result.comparison.effects),
    }

    def draw(view: View) -> Any:
        from .draw.against_levels import draw_number_by_group

        return draw_number_by_group(names.of(result), view.title, " · ".join(view.about), ordered)

    title = f"{names(result.outcome.name)} by {names(result.name)}"
    return _against(result, title, about, tables, draw, names)


def rank_view(result: Ranking, about: tuple[str, ...], names: Captions = PLAIN) -> View:
    """One row a candidate, best first."""
    rows = result.candidates
    table = pd.DataFrame(
        {
            "kind": [c.kind for c in rows],
            "held_out_share": [c.held_out.share for c in rows],
            "low": [c.held_out.low for c in rows],
            "high": [c.held_out.high for c in rows],
            "auc": [c.held_out.auc for c in rows],
            "p": [c.p for c in rows],
            "q": [c.q for c in rows],
            "missing_share": [c.missing_share for c in rows],
            "advice": [c.advice for c in rows],
        },
        index=pd.Index([c.name for c in rows], name="candidate"),
    )
    tables = {"table": table}
    if result.unit is not None:
        over_rows = np.array([result.unit.share_over_rows[c.name] for c in rows])
        change = table["held_out_share"].to_numpy() - over_rows
        tables["units"] = pd.DataFrame(
            {"share_over_rows": over_rows, "held_out_share": table["held_out_share"], "change": change},
            index=table.index,
        )

    def draw(view: View) -> Any:
        from .draw.rank import draw_rank

        drawn = replace(result, candidates=tuple(replace(c, name=names(c.name)) for c in result.candidates))
        return draw_rank(names.of(drawn), view.title, " · ".join(view.about))

    title = f"What each candidate alone says about {names(result.outcome.name)}"
    values = {"rows": result.rows, "unknown": result.unknown}
    brief = tuple(c for c in table.columns if c != "p" and not (c == "auc" and table["auc"].isna().all()))
    return View("rank", title, about, tables, result.findings, draw, values, brief, names.given)


def outcome_line(outcome: Outcome, total: int, names: Captions = PLAIN) -> str:
    """Say which rows have an outcome and which class is the event."""
    known = int(outcome.known.sum())
    rows = (
        f"{count(known)} of {count(total)} rows have {names(outcome.name)}" if known < total else f"{count(total)} rows"
    )
    if isinstance(outcome, ClassOutcome):
        return f"{rows}; event: {names(outcome.name)} = {outcome.event}"
    assert isinstance(outcome, NumericOutcome)
    return rows
