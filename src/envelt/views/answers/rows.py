"""How many rows were found, and what they run from and to."""

from __future__ import annotations

from typing import TYPE_CHECKING

import pandas as pd

from ...core.words import plural
from ...write.digits import cell, significant
from .words import Table, share

if TYPE_CHECKING:
    from ..rows import RowsView


def rows_answer(view: RowsView) -> str:
    """Return the answer: how many rows of all, and the ends of the first column that orders or chooses them."""
    rows, every = view.rows, view.of_all
    if not rows:
        return f"No row of {plural(every, 'row')} has {view._expression}."
    of = f" of {plural(every, 'row')}" + (f" ({share(rows / every)})" if rows < every else "")
    said = f"{rows:,}{of}" if rows < every else f"All {plural(rows, 'row')}"
    have = "has" if rows == 1 else "have"
    what = (
        f" {have} {view._expression}"
        if view._expression
        else (" are in order" if view._ordered else " by their labels" if rows < every else " as they stand")
    )
    table: Table = type(view).table.of(view)
    named = [name for name, _ in view._ordered]
    if not named or rows == 1:
        return f"{said}{what}."
    ends = [cell(v, significant) for v in (table[named[0]].iloc[0], table[named[0]].iloc[-1])]
    if pd.isna(table[named[0]].iloc[-1]):
        ends[-1] = "none"
    shown = "" if len(table) == rows else f" in the first {len(table)}"
    return f"{said}{what}, {view._names(named[0])} from {ends[0]} (row {table.index[0]}) to {ends[1]}{shown}."
