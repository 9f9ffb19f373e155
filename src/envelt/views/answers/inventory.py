"""What a table holds, in a sentence or two."""

from __future__ import annotations

from typing import TYPE_CHECKING

from ...core.words import plural
from .words import Table, share

if TYPE_CHECKING:
    from ..inventory import InventoryView


def inventory_answer(view: InventoryView) -> str:
    """Return the answer: columns and rows, gaps, and what waits for a person's word."""
    table: Table = type(view).table.of(view)
    names = view._names
    rows = int((table["present"] + table["missing"]).max()) if len(table) else 0  # those that counted rows stand for
    said = f"{plural(rows, 'row')} of {plural(len(table), 'column')}"
    gaps = table[table["missing"] > 0]
    if len(gaps):
        most = str(gaps["missing_share"].astype(float).idxmax())
        said += f", {len(gaps)} of them with gaps, {names(most)} most ({share(gaps.loc[most, 'missing_share'])})"
    loud = [f for f in view.findings if f.weight != "note"]
    if not loud:
        return f"{said}. Nothing in them waits for your word."
    verb = "waits" if len(loud) == 1 else "wait"
    return f"{said}. {plural(len(loud), 'thing')} {verb} for your word, first: {loud[0].statement}"
