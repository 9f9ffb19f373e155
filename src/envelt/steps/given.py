"""Figures that a table holds already."""

from __future__ import annotations

from dataclasses import replace

from ..core.columns.axes import axis_of
from ..core.columns.table import CategoryColumn, TimeColumn
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
    figures = column.as_written if isinstance(column, CategoryColumn) else column.numbers
    if figures is None or isinstance(column, TimeColumn):
        raise OptionError(f"{values!r} is {column.kind}: figures are numbers.")
    for name, usual in USUAL.items():
        if getattr(asked, name) != usual:
            raise OptionError(f"Figures that are given are shown as they are: leave {name} out.")
    if asked.order == "count":
        raise OptionError("Figures have no counts: order is level, or rate for the largest first.")
    if values in (*asked.rows, *asked.columns):
        raise OptionError(f"{values!r} cannot be what its own figures are by.")
    cuts = replace(asked.cuts, apart=True)
    rows = axis_of([table[n] for n in asked.rows], cuts)
    columns = axis_of([table[n] for n in asked.columns], cuts) if asked.columns else None
    given = GivenFigures(rows, columns, values, figures)
    _ = given.cells  # several figures a cell are refused here, where the call stands
    about = (f"{plural(len(table), 'row')} of the data, a figure each: nothing is summed or averaged", *context.kept)
    return GivenView(given, about, context.names, asked.order == "rate")
