"""What each column is."""

from __future__ import annotations

from collections import Counter
from dataclasses import replace
from typing import Any

import pandas as pd

from ..core.inventory.inventory import Inventory
from ..view import View
from ..write.digits import count
from .captions import Captions

MANY_COLUMNS = 30
"""More than this and the inventory is sorted by need of attention."""


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
        from ..draw.inventory import draw_inventory

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
