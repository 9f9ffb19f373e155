"""Numbers that are kept as logarithms or roots of whole numbers, so that their unit is not what it seems."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import numpy as np
from numpy.typing import NDArray

from ...columns.labels import number_label
from ...columns.table import NumericColumn, Table
from ...finding import Finding, marked

Floats = NDArray[np.float64]

BACK: dict[str, tuple[str, Callable[[Floats], Floats]]] = {
    "exp({})": ("natural logarithm", np.exp),
    "10 ** {}": ("logarithm to base 10", lambda x: np.asarray(10.0**x)),
    "{} ** 2": ("square root", np.square),
}
"""How a scale is undone: what a person types, what the column is, and the arithmetic."""
LARGEST = 1e5
"""Beyond it rounding hides whether a number was whole."""
NEAR = 0.02
"""From a whole number: one number in 25 lies there by chance, ten different ones never."""
DIFFERENT = 10
SCREENED = 100
"""Values that are looked at first."""
WHOLE = 1e-3
"""So near to a whole number it is one, whatever a file made of it."""
NAMED = ("log", "ln", "sqrt", "root")
"""How the name of a column begins that says so itself."""


def logged_findings(table: Table, outcome: str | None) -> list[Finding]:
    """Say which numbers are the logarithm, or the root, of numbers that are all whole."""
    return [f for c in table if isinstance(c, NumericColumn) and c.kind == "continuous" for f in _of(c, outcome)]


def _of(c: NumericColumn, outcome: str | None) -> Iterator[Finding]:
    present = c.values[~c.missing]
    if len(present) < DIFFERENT or np.mean(np.abs(present - np.rint(present)) < WHOLE) > 0.5:
        return
    for how, (what, undo) in BACK.items():
        if _all_whole(undo, present[:: max(1, len(present) // SCREENED)]) is None:
            continue
        whole = _all_whole(undo, present)
        if whole is None or len(np.unique(whole)) < DIFFERENT:
            continue
        low, high = number_label(whole.min()), number_label(whole.max())
        typed = how.format(marked(c.name))
        yield Finding(
            "logarithm-of-units",
            "note" if c.name == outcome or c.name.casefold().startswith(NAMED) else "caution",
            (c.name,),
            f"{marked(c.name)} is the {what} of whole numbers: {typed} is whole in every row, {low} to {high}.",
            f"Say so wherever {marked(c.name)} is shown, and read a slope as one of the {what}; or use {typed}.",
            {"undone": how.format(c.name), "lowest": float(whole.min()), "highest": float(whole.max())},
        )
        return


def _all_whole(undo: Callable[[Floats], Floats], values: Floats) -> Floats | None:
    """Return the whole numbers that values were made of; nothing where one is not whole."""
    with np.errstate(over="ignore"):
        back = undo(values)
    whole = np.rint(back)
    return whole if back.max() <= LARGEST and np.max(np.abs(back - whole)) <= NEAR else None
