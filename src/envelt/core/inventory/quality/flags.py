"""Flags of which never two are set in one row: one column of levels, cut into a column each."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ... import thresholds as T
from ...columns.table import Table
from ...columns.yes_no import affirms
from ...finding import Finding, marked
from ...words import listed, plural

Mask = NDArray[np.bool_]


def exclusive_flags(table: Table, outcome: str | None) -> list[Finding]:
    """Find columns of two values of which never two are set in a row, where chance would set many.

    Of two it must be so without an exception, and chance would set them together very often; flags of which just one is
    set in every row need no more than that.
    Sets are grown from the flags set most often; by chance two would be set together in twelve rows or more. Three
    rows at most may contradict.
    """
    flags = {c.name: f for c in table if c.name != outcome for f in [is_set(table, c.name)] if f is not None}
    names = sorted(flags, key=lambda n: -int(flags[n].sum()))
    found, used = [], set[str]()
    parts = _one_in_every_row(names, flags)
    if parts:
        used.update(parts)
        found.append(_said([n for n in table.columns if n in parts], flags, list(map(str, table.rows))))
    for first in names:
        if first in used:
            continue
        together = [first]
        for name in names:
            if name not in used and name != first and all(_apart(flags[name], flags[o]) for o in together):
                together.append(name)
        if len(together) >= T.FEWEST_FLAGS or (len(together) == 2 and _surely_apart(*(flags[n] for n in together))):
            used.update(together)
            found.append(_said([n for n in table.columns if n in together], flags, list(map(str, table.rows))))
    return found


def is_set(table: Table, name: str) -> Mask | None:
    """Say in which rows a flag is set; nothing where a column is none, or has gaps."""
    c = table[name]
    if c.kind != "binary" or c.missing.any():
        return None
    levels = getattr(c, "levels", None)
    if levels is None:
        values = c.numbers
        assert values is not None
        return np.asarray(values == 1) if set(np.unique(values).tolist()) == {0.0, 1.0} else None
    yes = [k for k, level in enumerate(levels) if affirms(level)]
    return np.asarray(c.codes == yes[0]) if len(yes) == 1 else None  # type: ignore[attr-defined]


def _apart(a: Mask, b: Mask) -> bool:
    """Say whether two flags are hardly ever set together, where chance would set them together often."""
    expected = float(a.sum()) * float(b.sum()) / max(len(a), 1)
    return expected >= T.FLAGS_EXPECTED and int((a & b).sum()) <= min(T.FLAG_SLIPS, T.FLAG_SLIP_SHARE * expected)


def _one_in_every_row(names: list[str], flags: dict[str, Mask]) -> list[str]:
    """Return three flags or more of which just one is set in every row, grown from each in turn; none where none are.

    Rows fall so by chance with the product, over the flags, of the share of rows they leave to the others to the power
    of the rows they are set in: never, from a few rows each.
    """
    names = [name for name in names if flags[name].sum() >= T.FEWEST_GAPS]
    if len(names) < T.FEWEST_FLAGS:
        return []
    rows = len(flags[names[0]])
    some = np.linspace(0, rows - 1, min(rows, T.SCREEN_ROWS)).astype(np.int64)
    few = {name: flags[name][some] for name in names}
    seen = [name for name in names if few[name].any()]
    for first in seen:
        together = _apart_from(first, seen, few)
        if np.logical_or.reduce([few[name] for name in together]).all():
            together = _apart_from(first, [*together, *(n for n in names if n not in seen)], flags)
            if len(together) >= T.FEWEST_FLAGS and np.logical_or.reduce([flags[n] for n in together]).all():
                return together
    return []


def _apart_from(first: str, names: list[str], flags: dict[str, Mask]) -> list[str]:
    """Return a flag and those of others that are never set with it, nor with each other, in their order."""
    together, covered = [first], flags[first].copy()
    for name in names:
        if name != first and not (covered & flags[name]).any():
            together.append(name)
            covered |= flags[name]
    return together


def _surely_apart(a: Mask, b: Mask) -> bool:
    """Say whether two flags are never set together where chance would do so very often, and are not each other's no."""
    expected = float(a.sum()) * float(b.sum()) / max(len(a), 1)
    return not (a & b).any() and expected >= T.TWO_FLAGS_EXPECTED and not (a | b).all()


def _said(names: list[str], flags: dict[str, Mask], labels: list[str]) -> Finding:
    n = len(flags[names[0]])
    count = np.sum([flags[name] for name in names], axis=0)
    none, slips = int((count == 0).sum()), [labels[k] for k in np.flatnonzero(count > 1)]
    but = f" but for {plural(len(slips), 'row')} (row{'s' * (len(slips) > 1)} {', '.join(slips)})" if slips else ""
    never = f"Of {listed([marked(name) for name in names], 6)} never two are set in one row"
    if len(names) == 2:
        never = f"{marked(names[0])} and {marked(names[1])} are never both set in one row"
    rest = f"in {plural(none, 'row')} of {n:,} none is set" if none else "one is set in every row"
    return Finding(
        "redundancy-of-flags",
        "note" if none or slips else "caution",
        tuple(names),
        f"{never}{but}; {rest}: one column, cut into {len(names)}.",
        "Read them as one column of levels"
        + (": where none is set is a level of its own, or unknown: find out which." if none else "."),
        {"rows": n, "none": none, "contradict": slips, "set": {name: int(flags[name].sum()) for name in names}},
    )
