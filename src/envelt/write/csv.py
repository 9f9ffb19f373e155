"""Tables as CSV: what is read again is what was written."""

from __future__ import annotations

import csv
from collections.abc import Callable
from typing import Any

import pandas as pd

from .digits import flat

FORMULA = ("=", "+", "-", "@", "\t", "\r")
"""What text begins with that a spreadsheet runs as a formula (OWASP, "CSV Injection")."""


def table_csv(
    table: pd.DataFrame, number: Callable[[float], str] | None = None, guard: bool = False, index: bool = True
) -> str:
    """Return a table as CSV; texts with a line end of any kind are quoted.

    Parameters
    ----------
    number
        How numbers are written; in full by default.
    guard
        Whether text that a spreadsheet would run as a formula gets ``'`` before it; numbers never do.
    index
        Whether the labels of the rows are written.
    """
    table = flat(table)
    whole = table.reset_index(allow_duplicates=True) if index and table.index.names != [None] else table
    numbered = index and table.index.names == [None]
    if guard:
        whole = whole.set_axis([_guarded(c) for c in whole.columns], axis=1)
        texts = [i for i, t in enumerate(whole.dtypes) if not pd.api.types.is_numeric_dtype(t)]
        columns = {i: whole.iloc[:, i].map(_guarded) if i in texts else whole.iloc[:, i] for i in range(whole.shape[1])}
        whole = pd.DataFrame(columns, index=whole.index).set_axis(whole.columns, axis=1)
    returns = any("\r" in str(v) for v in _texts(whole))  # the writer of Python quotes \\n alone
    how: Any = {"quoting": csv.QUOTE_NONNUMERIC} if returns else {}
    return str(whole.to_csv(float_format=number, index=numbered, **how))  # type: ignore[arg-type]


def _guarded(value: Any) -> Any:
    return f"'{value}" if isinstance(value, str) and value.startswith(FORMULA) else value


def _texts(table: pd.DataFrame) -> list[Any]:
    """Return the names of columns, the labels and the different texts of a table."""
    out = [*table.columns, *(table.index if table.index.dtype == object else ())]
    for i, dtype in enumerate(table.dtypes):
        if not pd.api.types.is_numeric_dtype(dtype) and not pd.api.types.is_datetime64_any_dtype(dtype):
            out += list(pd.unique(table.iloc[:, i].dropna().astype(str)))
    return out
