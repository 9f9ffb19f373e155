"""Which columns a preparation works on, what it reads by itself, and what later rows are compared by."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

import numpy as np

from ..core.columns.labels import number_label
from ..core.columns.marks import without_marks
from ..core.columns.raw import RawColumn, RawNumbers
from .numbers import ends_of
from .operation import Operation, State


def retyped_by(operations: Iterable[Operation]) -> set[str]:
    """Return the columns of which the first thing done is to say what they are read as."""
    seen: set[str] = set()
    found: set[str] = set()
    for operation in operations:
        new = set(operation.inputs) - seen
        seen |= new
        found |= new if operation.name == "retype" else set()
    return found


def needed_by(operations: Iterable[Operation], columns: Iterable[str], aside: set[str | None]) -> list[str]:
    """Return the columns without which operations cannot be applied: all that are not dropped before they are used.

    Parameters
    ----------
    aside
        The outcome and the unit, which are no features.
    """
    used: set[str] = set()
    dropped: set[str] = set()
    for operation in operations:
        if operation.name == "drop":
            dropped |= set(operation.columns) - used
        else:
            used |= set(operation.inputs)
    return [n for n in columns if n not in dropped and n not in aside - used]


def compared_as(name: str, raw: RawColumn, operations: Sequence[Operation], states: Sequence[State]) -> RawColumn:
    """Return a column as later rows are compared with it: without marks, and no farther than it is clipped to."""
    for operation, state in zip(operations, states, strict=True):
        if operation.name == "retype" and name in operation.columns:
            raw = without_marks(raw, (m if isinstance(m, str) else number_label(m) for m in operation["marks"]))
        if isinstance(raw, RawNumbers) and operation.name == "clip" and name in operation.columns:
            raw = RawNumbers(np.clip(raw.values, *ends_of(state[name])))
    return raw
