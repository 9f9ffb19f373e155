"""Figures that a table holds already."""

from __future__ import annotations

from ..core.columns.axes import axis_of
from ..core.columns.table import NumericColumn
from ..core.contingency.given import GivenFigures
from ..core.words import plural
from ..errors import OptionError
from ..views.given import GivenView
from .context import Context, once
from .contingency import CrossingAsked

USUAL = {"by": (), "shares": "row", "picture": "auto", "colour": "share", "counts": None}


@once
def show_given(context: Context, asked: CrossingAsked, values: str) -> GivenView:
    """Show the figures of a column as they are, by one or two others."""
    table = context.listed
    column = table[values]
    if not isinstance(column, NumericColumn):
        raise OptionError(f"{values!r} is {column.kind}: figures are numbers.")
    for name, usual in USUAL.items():
        if getattr(asked, name) != usual:
            raise OptionError(f"Figures that are given are shown as they are: leave {name} out.")
    if asked.order == "count":
        raise OptionError("Figures have no counts: order is level, or rate for the largest first.")
    if values in (*asked.rows, *asked.columns):
        raise OptionError(f"{values!r} cannot be what its own figures are by.")
    rows = axis_of([table[n] for n in asked.rows], asked.cuts)
    columns = axis_of([table[n] for n in asked.columns], asked.cuts) if asked.columns else None
    given = GivenFigures(rows, columns, values, column.values)
    _ = given.cells
    about = (f"{plural(len(table), 'row')} of the data, a figure each: nothing is summed or averaged", *context.kept)
    return GivenView(given, about, context.names, asked.order == "rate")
