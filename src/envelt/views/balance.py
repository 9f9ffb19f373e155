"""How the outcome is spread."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import pandas as pd

from ..core.balance.balance import ClassBalance, lopsidedness
from ..core.contingency.crosstab import CrossTable
from ..core.distribution.distribution import NumberDistribution
from ..core.finding import Finding
from ..view import View
from ..write.digits import count, percent
from .captions import PLAIN, Captions
from .contingency import contingency_view
from .distribution import MOST_OUTLIERS_SHOWN, captioned, distribution_lines, distribution_tables
from .tables import group_table

Findings = tuple[Finding, ...]


def balance_view(result: ClassBalance, about: tuple[str, ...], findings: Findings, names: Captions = PLAIN) -> View:
    """One row a class."""
    total = result.counts.sum()
    table = pd.DataFrame(
        {"count": result.counts, "share": result.counts / total},
        index=pd.Index(result.outcome.levels, name=result.outcome.name),
    )

    def draw(view: View) -> Any:
        from ..draw.balance import draw_classes

        return draw_classes(names.of(result), view.title, " · ".join(about))

    title = f"How the classes of {names(result.outcome.name)} are spread"
    about = (*about, _in_words(result))
    return View("balance", title, about, {"table": table}, findings, draw, _values(result), captions=names.given)


def _values(result: ClassBalance) -> dict[str, Any]:
    smallest = int(result.counts.min())
    return {
        "largest_share": result.largest_share,
        "rows": int(result.counts.sum()),
        "unknown": result.unknown,
        "lopsidedness": lopsidedness(result.counts),
        "smallest": smallest,
        "candidates": result.candidates,
        "rows_a_candidate": smallest / result.candidates if result.candidates else float("nan"),
    }


def _in_words(result: ClassBalance) -> str:
    n = result.counts
    each = f", {n.min() / result.candidates:.1f} each" if result.candidates else ""
    return (
        f"{lopsidedness(n)}: one of the smallest class for {n.max() / max(int(n.min()), 1):.1f} of the largest; "
        f"{count(n.min())} rows of it for {count(result.candidates)} candidates{each}; always saying the largest is "
        f"right {percent(result.largest_share)} of the time"
    )


def balance_by_view(
    result: ClassBalance, crossed: CrossTable, about: tuple[str, ...], findings: Findings, names: Captions = PLAIN
) -> View:
    """The classes in each part of the rows: a cross-tabulation, with the values of a balance."""
    lines = (*about, _in_words(result))
    view = contingency_view(
        (crossed,), lines, result.outcome, findings, shares="row", picture="shares", colour="share", by=(),
        order="level", names=names,
    )  # fmt: skip
    view.step = "balance"
    view.title = f"How {names(result.outcome.name)} is spread by {' and '.join(names(n) for n in crossed.rows.names)}"
    view.values |= _values(result)
    return view


def numeric_balance_view(
    result: NumberDistribution, about: tuple[str, ...], findings: Findings, rows: pd.Index[Any], names: Captions = PLAIN
) -> View:
    """The numbers of an outcome: its distribution, tail and spikes."""
    tables = {
        "table": group_table(result.summary, " × ".join(result.grouping.names) or "outcome"),
        **distribution_tables(result, rows, 10),
    }

    def draw(view: View) -> Any:
        from ..draw.distribution.distribution import draw_distribution

        return draw_distribution(captioned(result, names), view.title, " · ".join(view.about))

    title = f"How {names(result.name)} is spread"
    quiet = replace(result, why="")
    return View(
        "balance", title, (*about, *distribution_lines(quiet)), tables, findings, draw, captions=names.given,
        folded={"density": 0, "bins": 0, "outliers": MOST_OUTLIERS_SHOWN}, aside=("top_values", "outliers"),
    )  # fmt: skip
