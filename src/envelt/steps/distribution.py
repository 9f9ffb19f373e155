"""One column, several of one unit, or all of them."""

from __future__ import annotations

import numpy as np

from ..core.columns.grouping import stacked
from ..core.columns.table import CategoryColumn, Column, TimeColumn
from ..core.distribution.distribution import level_distribution, number_distribution
from ..core.distribution.look import Look
from ..core.distribution.sheet import make_sheet
from ..errors import OptionError
from ..view import View
from ..views.distribution import distribution_view, level_distribution_view, sheet_view
from ..write.digits import count
from ..write.progress import slow_progress
from .context import Context, refuse_empty, refuse_itself


def show_sheet(context: Context, sort: str) -> View:
    """Describe every column, and draw each small."""
    with slow_progress("Distributions") as report:
        sheet = make_sheet(context.table, sort, report)
    return sheet_view(sheet, (f"{count(len(context.table))} rows", *context.kept), context.names)


def show_distribution(context: Context, names: list[str], by: tuple[str, ...], top: int, look: Look) -> View:
    """Describe one column, or several of one unit, in groups."""
    columns = [context.table[n] for n in names]
    refuse_itself(by, tuple(names))
    if look.residuals:
        raise OptionError("Residuals are those of a line through two numbers: use against, with a numeric outcome.")
    grouping = context.grouping(by)
    about = (f"{count(len(context.table))} rows", *context.kept)
    titles = [context.names(n) for n in names]
    title = f"How {' and '.join(titles)} {'is' if len(names) == 1 else 'are'} distributed"
    title += f" by {' and '.join(context.names(n) for n in by)}" if by else ""
    first = columns[0]
    if isinstance(first, CategoryColumn):
        refuse_empty(first, "there is nothing to show")
        if len(columns) > 1:
            raise OptionError(f"{first.name!r} has levels: show it alone, or with by. Several columns must be numbers.")
        return level_distribution_view(level_distribution(first, grouping, look), about, top, title, context.names)
    _check_together(columns)
    dates = isinstance(first, TimeColumn)
    units = context.unit_codes()
    values = first.numbers
    assert values is not None
    name = first.name
    if len(columns) > 1:
        values, grouping = stacked(columns, grouping, titles)
        name = first.unit or "value"
        units = None if units is None else np.tile(units, len(columns))
    result = number_distribution(
        names, name, values, grouping, look, row_labels=context.table.rows, dates=dates,
        limits=context.ranges.get(first.name), units=units,
    )  # fmt: skip
    if units is not None:
        about = (*about, f"intervals count {context.names(str(context.unit))}, not rows")
    return distribution_view(result, about, context.table.rows, top, title, dates, context.names)


def _check_together(columns: list[Column]) -> None:
    """Refuse columns that cannot stand on one axis."""
    first = columns[0]
    for other in columns[1:]:
        if isinstance(other, CategoryColumn) or isinstance(other, TimeColumn) != isinstance(first, TimeColumn):
            raise OptionError(
                f"{first.name!r} is {first.kind} and {other.name!r} {other.kind}: one axis cannot hold both."
            )
        if first.unit != other.unit:
            raise OptionError(
                f"{first.name!r} is in {first.unit or 'no declared unit'} and {other.name!r} in "
                f"{other.unit or 'no declared unit'}: one axis would mislead. Show them one by one."
            )
