"""A table as it is drawn: sorted, and its smallest levels joined."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from ...core.columns.outcome import Said
from ...core.contingency.crosstab import CrossTable, row_order
from ...core.words import plural
from ...write.digits import count, visible
from ..parts import style

if TYPE_CHECKING:
    pass

Ints = NDArray[np.int64]
MOST_ROWS, MOST_COLUMNS = 30, 14


@dataclass(frozen=True)
class Drawn:
    """A table as it is drawn: rows and columns sorted, and the smallest joined.

    ``parts`` says of each row which table it comes from; ``origin`` which of its rows, several where they are joined;
    ``effect`` is what units inflate chi-square by.
    """

    counts: Ints
    rows: list[str]
    columns: list[str]
    colours: list[str]
    parts: list[int]
    origin: list[list[int]]
    axis: str
    across: str
    note: str
    effect: float
    of: str = "row"
    """What shares are of: a row, a column, or all of a part."""

    @property
    def shares(self) -> NDArray[np.float64]:
        """The share of each cell, of the part it stands in."""
        counts, part = self.counts.astype(np.float64), np.array(self.parts)
        if self.of == "row" and counts.shape[1] > 1:
            return np.asarray(counts / np.maximum(counts.sum(axis=1, keepdims=True), 1), np.float64)
        total = np.stack([counts[part == p].sum(axis=0) for p in part]) if len(part) else counts
        if self.of != "column" or counts.shape[1] == 1:
            total = total.sum(axis=1, keepdims=True)
        return np.asarray(counts / np.maximum(total, 1), np.float64)

    @property
    def shared(self) -> str:
        """What shares are of, for a note."""
        whole = "all rows" if len({*self.parts}) < 2 else "all rows of its part"
        return {"row": "the row", "column": "the column", "all": whole}[self.of if len(self.columns) > 1 else "all"]

    def turned(self) -> Drawn:
        """Return the table on its side: columns as rows."""
        return replace(
            self, counts=self.counts.T, rows=self.columns, columns=self.rows, colours=_colours(len(self.rows)),
            parts=[0] * len(self.columns), origin=[[k] for k in range(len(self.columns))], axis=self.across,
            across=self.axis, of="row",
        )  # fmt: skip


def as_drawn(tables: tuple[CrossTable, ...], order: str, outcome: Said | None, of: str = "row") -> Drawn:
    """Sort the rows of tables, and join the smallest where there are more than a page holds."""
    first = tables[0]
    size = first.counts.shape[1]
    columns = list(first.columns.labels) if first.columns is not None else ["rows"]
    most = max(2, MOST_ROWS // len(tables))
    counts, rows, parts, origin, joined = [], [], [], [], 0
    for k, t in enumerate(tables):
        n = t.counts.sum(axis=1)
        places_of = row_order(
            t, order if order != "level" or t.rows.ordered else ("rate" if outcome is not None else "count")
        )
        shown = [i for i in places_of if n[i] or len(t.rows.levels) <= 12]
        apart = np.where(np.arange(len(n)) == len(n) - 1, -1, n) if t.rows.other else n
        largest = set(np.argsort(-apart, kind="stable")[: most - 1].tolist()) if len(shown) > most else set(shown)
        kept, rest = [i for i in shown if i in largest], [i for i in shown if i not in largest]
        already = 0
        if rest and t.rows.other:  # what the table joined goes with what the picture joins
            last = len(n) - 1
            already = t.rows.joined - 1
            kept, rest = [i for i in kept if i != last], [*(i for i in rest if i != last), last]
        for i in kept:
            label = visible(t.rows.labels[i])
            rows.append(f"{t.label}: {label}" if t.label else label)
            counts.append(t.counts[i])
            parts.append(k)
            origin.append([int(i)])
        if rest:
            joined += len(rest) + already
            rows.append((f"{t.label}: " if t.label else "") + f"other ({plural(len(rest) + already, 'level')})")
            counts.append(t.counts[rest].sum(axis=0))
            parts.append(k)
            origin.append([int(i) for i in rest])
    made = np.array(counts).reshape(len(rows), size)
    note = f"{plural(joined, 'level')} with the fewest rows are joined as other. " if joined else ""
    if size > MOST_COLUMNS:
        kept_columns = np.sort(np.argsort(-made.sum(axis=0), kind="stable")[: MOST_COLUMNS - 1])
        rest_columns = np.setdiff1d(np.arange(size), kept_columns)
        made = np.concatenate([made[:, kept_columns], made[:, rest_columns].sum(axis=1, keepdims=True)], axis=1)
        columns = [columns[j] for j in kept_columns] + [f"other ({count(len(rest_columns))})"]
    colours = _colours(len(columns))
    if size > MOST_COLUMNS or (first.columns is not None and first.columns.other):
        colours[-1] = style.QUIET
    axis, across = (" and ".join(a.names) if a is not None else "" for a in (first.rows, first.columns))
    return Drawn(made, rows, columns, colours, parts, origin, axis, across or "rows", note, first.design_effect, of)


def _colours(n: int) -> list[str]:
    """Return one colour a column: the palette for few, shades from light to dark for many."""
    if n <= len(style.PALETTE):
        return [style.colour(k) for k in range(n)]
    from matplotlib.colors import LinearSegmentedColormap, to_hex

    shades = LinearSegmentedColormap.from_list("columns", ["#dfe9f3", style.PALETTE[0], "#10243a"])
    return [to_hex(shades(k / (n - 1))) for k in range(n)]
