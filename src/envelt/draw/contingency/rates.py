"""The outcome's rate, or mean, in each row of a table."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from ...core.columns.outcome import Amount, Said
from ...core.contingency.crosstab import CrossTable
from ...write.digits import count, percent, significant
from ..parts import style
from ..parts.intervals import Row, all_rows_line, interval_rows
from ..parts.row_axes import fitting_height, row_axes
from .drawn import Drawn

if TYPE_CHECKING:
    from matplotlib.figure import Figure

    from ..parts.canvas import Page

Floats = NDArray[np.float64]


def draw_rates(tables: tuple[CrossTable, ...], drawn: Drawn, outcome: Said | None, within: str, page: Page) -> Figure:
    """Draw the outcome's rate (or mean) in each row with its interval; without an outcome, the last column's share."""
    rows, overall = [], 0.0
    number = isinstance(outcome, Amount)
    for k, (part, i) in enumerate(zip(drawn.parts, drawn.origin, strict=True)):
        rows.append(_rate_row(tables[part], drawn, k, i))
    if outcome is None or tables[0].outcome is None:
        total = drawn.counts.sum(axis=0)
        overall, what = float(total[-1] / max(total.sum(), 1)), f"share of {drawn.columns[-1]}"
    else:
        n = np.concatenate([t.outcome.n for t in tables if t.outcome is not None])
        at = np.concatenate([_centre(t) for t in tables])
        overall = float(np.nansum(n * at) / max(int(n.sum()), 1))
        what = f"mean {outcome.name}" if number else f"rate of {outcome.name} = {getattr(outcome, 'event', '')}"
    write = significant if number else percent
    kind = "of the mean" if number else "Wilson"
    note = f"{drawn.note}95 % intervals ({kind}); hollow: under 10 rows; dashed: all rows."
    title = _heading(tables[0], f"{what[0].upper()}{what[1:]}", outcome, within)
    canvas = replace(page, title=title).begin(note, fitting_height(len(rows)))
    axes = row_axes(canvas, rows)
    all_rows_line(axes, overall, f"all rows {write(overall)}")
    interval_rows(axes, rows, ("mean" if number else "rate", "n"))
    if number:
        if not axes.get_xlim()[0] <= 0 <= axes.get_xlim()[1]:
            style.mark_cut_axis(axes)
    else:
        high = max((r.high for r in rows if r.high == r.high), default=1.0)
        axes.set_xlim(0, min(1.0, high * 1.02) or 1.0)
        style.percent_axis(axes.xaxis)
    axes.set_xlabel(style.shorten(what, 80))
    told = "; ".join(f"{r.label} {' of '.join(r.cells)}" for r in rows[:12])
    return canvas.describe(f"{what} in each {drawn.axis}: {told}.")


def _heading(table: CrossTable, what: str, outcome: Said | None, within: str) -> str:
    """Return the title of a picture of rates: of what, in which rows, by which columns other than the outcome."""
    by = table.columns.names if table.columns is not None else ()
    across = f" by {' and '.join(by)}" if by and not (outcome is not None and by == (outcome.name,)) else ""
    return f"{what} in {' and '.join(table.rows.names)}{across}{within}"


def _centre(table: CrossTable) -> Floats:
    assert table.outcome is not None
    if table.outcome.mean is not None:
        return table.outcome.mean[0]
    assert table.outcome.rates is not None
    return table.outcome.rates.rate


def _rate_row(table: CrossTable, drawn: Drawn, k: int, at: list[int]) -> Row:
    """Return the row of a level, or of several joined."""
    label, seen = drawn.rows[k], table.outcome
    colour = style.QUIET if len(at) > 1 else style.PALETTE[0]
    if seen is not None and seen.mean is not None:
        n = int(seen.n[at].sum())
        mean, low, high = (v[at] for v in seen.mean)
        middle = float(np.nansum(seen.n[at] * mean)) / n if n else float("nan")
        ends = (float(low[0]), float(high[0])) if len(at) == 1 else (float("nan"), float("nan"))
        return Row(label, middle, *ends, (significant(middle) if n else "–", count(n)), colour, hollow=n < 10)
    if seen is not None and seen.rates is not None:
        if len(at) == 1:
            r, i = seen.rates, at[0]
            n = int(r.n[i])
            cells = (percent(float(r.rate[i])) if n else "–", count(n))
            ends = (float(r.low[i]), float(r.high[i]))
            return Row(label, float(r.rate[i]), *ends, cells, style.PALETTE[1], hollow=n < 10)
        x, n = int(seen.rates.events[at].sum()), int(seen.rates.n[at].sum())
    else:
        x, n = int(drawn.counts[k, -1]), int(drawn.counts[k].sum())
    rate, none = x / n if n else float("nan"), float("nan")  # of levels joined there is no interval
    return Row(label, rate, none, none, (percent(rate) if n else "–", count(n)), colour, hollow=n < 10)
