"""Rows that stand in blocks: those of one case beside each other, with no column that names the case."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ... import thresholds as T
from ...columns.table import CategoryColumn, Column, NumericColumn, Table, TimeColumn
from ...columns.times import counts_on, is_time
from ...finding import Finding, marked
from ...words import listed, plural

Mask = NDArray[np.bool_]


def block_findings(table: Table) -> list[Finding]:
    """Find blocks of neighbouring rows that share several columns, which change together from block to block.

    A column is of the blocks where neighbours agree far more often than rows put in another order would, where each
    of its values comes back in other blocks (a file sorted by it has one block a value), and where it changes at the
    borders of blocks as often as chance lets it: what drifts in time does not.
    """
    n = len(table)
    if n < T.BLOCK_ROWS:
        return []
    changes: dict[str, tuple[Mask, float]] = {}
    for c in table:
        codes = _codes(c)
        if codes is None:
            continue
        counts = np.bincount(codes)
        by_chance = 1 - float(np.sum((counts / n) ** 2))
        change = codes[1:] != codes[:-1]
        blocks = int(np.count_nonzero(change)) + 1
        comes_back = blocks > T.BLOCKS_A_NAME * np.count_nonzero(counts)
        if by_chance >= T.BLOCK_VARIES and change.mean() <= T.BLOCK_SHARE * by_chance and comes_back:
            changes[c.name] = change, by_chance
    while len(changes) > 1:
        border = np.logical_or.reduce([change for change, _ in changes.values()])
        still = {k: v for k, v in changes.items() if v[0][border].mean() >= T.BLOCK_REDRAWN * v[1]}
        if len(still) == len(changes):
            break
        changes = still
    else:
        return []
    edges = np.flatnonzero(np.r_[True, border, True])
    sizes = np.diff(edges)
    if len(sizes) < T.LEAST_UNITS or len(sizes) > T.BLOCK_SHARE * n:
        return []
    usual, many = (int(v) for v in max(zip(*np.unique(sizes, return_counts=True), strict=True), key=lambda p: p[1]))
    if usual < 2 or many < T.BLOCK_USUAL * len(sizes):
        return []  # where neighbours are somehow alike the shortest blocks are the commonest
    return [_said([*changes], (len(sizes), usual, many), n)]


def _codes(c: Column) -> NDArray[np.int64] | None:
    """Return the values of a column as codes, missing one of them; nothing of what names rows or tells the time."""
    if isinstance(c, CategoryColumn) and c.kind in ("binary", "nominal", "ordinal"):
        return np.where(c.codes < 0, len(c.levels), c.codes).astype(np.int64)
    if isinstance(c, TimeColumn) or not isinstance(c, NumericColumn) or c.kind == "constant" or c.empty:
        return None
    if counts_on(c.name, c.values) or is_time(c.name, c.values[~c.missing]):
        return None
    return np.unique(c.values, return_inverse=True)[1].astype(np.int64)


def _said(names: list[str], sizes: tuple[int, int, int], rows: int) -> Finding:
    blocks, usual, many = sizes
    shown = listed([marked(n) for n in names])
    return Finding(
        "unnamed-unit",
        "caution",
        tuple(names),
        f"The {plural(rows, 'row')} stand in about {plural(blocks, 'block')}, {many:,} of them of "
        f"{plural(usual, 'row')}, in which neighbours share {shown}: rows of one block may be one case, and no column "
        "names it.",
        "Number the blocks, and declare that column the unit: folds then keep cases whole, and intervals count them.",
        {"blocks": blocks, "usual": usual, "of_usual": many, "columns": names},
    )
