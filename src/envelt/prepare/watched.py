"""What each operation changed, seen by comparing columns before and after it."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from .intake import changed_rows
from .operation import Operation
from .working import Working, missing_of


@dataclass
class Watched:
    """What an operation changed, one by one."""

    operation: Operation
    rows_changed: int = 0
    missing_before: int = 0
    missing_after: int = 0
    columns_in: list[str] = field(default_factory=list)
    columns_out: list[str] = field(default_factory=list)


def seen(operation: Operation, before: Working, after: Working) -> Watched:
    """Compare columns before and after an operation."""
    out = Watched(operation)
    gone = [n for n in before.names if n not in after]
    new = [n for n in after.names if n not in before]
    out.columns_in, out.columns_out = [n for n in operation.columns if n in before], new
    changed = np.zeros(len(after), bool)
    touched = [n for n in operation.columns if n in before and n in after]
    for name in touched:
        was, now = before.raw(name), after.raw(name)
        if was is not now:
            changed |= changed_rows(was, now)
    for name in {*touched, *gone}:
        out.missing_before += int(missing_of(before.raw(name)).sum())
    for name in {*touched, *new}:
        out.missing_after += int(missing_of(after.raw(name)).sum())
    out.rows_changed = len(after) if (new or gone) and operation.name not in ("drop", "rename") else int(changed.sum())
    if new and not gone and operation.name == "fill":
        out.rows_changed = int(changed.sum())
    return out
