"""How the outcome is spread."""

from __future__ import annotations

from typing import Any

import pandas as pd

from ..core import balance as ba
from ..view import View
from .captions import PLAIN, Captions
from .tables import group_table


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
        from ..draw.balance import draw_classes

        return draw_classes(names.of(result), view.title, " · ".join(view.about))

    title = f"How the classes of {names(result.outcome.name)} are spread"
    values = {"largest_share": result.largest_share, "rows": int(total), "unknown": result.unknown}
    return View("balance", title, about, {"table": table}, result.findings, draw, values, captions=names.given)


def _numeric_balance_view(result: ba.NumericBalance, about: tuple[str, ...], names: Captions) -> View:
    def draw(view: View) -> Any:
        from ..draw.balance import draw_numbers

        return draw_numbers(names.of(result), view.title, " · ".join(view.about))

    title = f"How {names(result.outcome.name)} is spread"
    table = group_table(result.summary, "outcome")
    return View("balance", title, about, {"table": table}, result.findings, draw, captions=names.given)
