"""How pairs of columns look, by class."""

from __future__ import annotations

from dataclasses import dataclass

from ..core import thresholds as T
from ..core.columns.outcome import ClassOutcome, NumericOutcome
from ..core.columns.table import CategoryColumn, Column, NumericColumn, TimeColumn
from ..core.relations.correlating import USUAL, Correlating
from ..core.relations.pairs import PairwiseAnswers
from ..core.relations.panels import PanelClasses
from ..core.relations.relations import relate
from ..core.relations.side import side_of
from ..core.relations.single import refuse_levels
from ..core.words import plural
from ..errors import OptionError
from ..views.pairwise import PairwiseView
from ..write.progress import slow_progress
from .checks import refuse_empty, refuse_without_order
from .classes import panel_classes
from .context import Context, once
from .rank import show_rank

MOST_COLUMNS = 12


@dataclass(frozen=True)
class PairwiseOptions:
    """What was asked for; see `Study.pairwise`."""

    columns: tuple[str, ...]
    by: tuple[str, ...]
    most: int
    colour: str | None
    ranks: bool
    residuals: bool
    panels: bool
    asked: Correlating = USUAL


@once
def show_pairwise(context: Context, options: PairwiseOptions) -> PairwiseView:
    """Show every pair once; of two columns named, that pair large."""
    if len(options.by) > 1:
        raise OptionError("The classes of a pair plot are those of one column: name one in by.")
    names, left = _names(context, options)
    by = options.by[0] if options.by else None
    single = len(options.columns) == 2
    colour = options.colour
    if colour is not None and not single:
        raise OptionError("A third column colours one pair at a time: name two columns, and colour.")
    alone = options.ranks or options.residuals or options.panels
    if alone and not single:
        raise OptionError(
            "Rank against rank, residuals, and panels by class are for one pair at a time: name two columns."
        )
    if options.panels and colour is not None:
        raise OptionError("Panels are one a class, and a third column is told by colour: take panels, or colour.")
    shade = colour is not None and isinstance(context.table[colour], NumericColumn | TimeColumn)
    if single:
        refuse_levels(context.table[names[0]], context.table[names[1]], options.ranks or options.residuals or shade)
    if (
        by is None
        and colour is None
        and isinstance(context.outcome, ClassOutcome)
        and context.outcome.name not in names
    ):
        by = context.outcome.name
    classes = panel_classes(context, by)
    colouring, third = classes if by else None, None
    if colour is not None:
        third = context.table[colour] if shade else None
        colouring = colouring if shade else panel_classes(context, colour)
    answers = PairwiseAnswers(
        tuple(context.table[n] for n in names), context.sampling, context.table.rows, context.seed, classes, colouring,
        third, options.ranks, options.residuals, options.asked, context.outcome, slow_progress,
    )  # fmt: skip
    about = (f"{plural(len(context.table), 'row')}", *context.kept, *_of_classes(context, by, classes), *left)
    titles = [context.names(n) for n in names]
    if single:
        more = f", coloured by {context.names(colour)}" if colour else f", by {context.names(by)}" if by else ""
        panelled = options.panels and len(classes.labels) > 1
        return PairwiseView(answers, about, context.names, f"{titles[1]} against {titles[0]}{more}", panelled)
    title = f"Every pair of {plural(len(names), 'column')}" + (f", by {context.names(by)}" if by else "")
    return PairwiseView(answers, about, context.names, title)


def _names(context: Context, options: PairwiseOptions) -> tuple[list[str], tuple[str, ...]]:
    """Return the columns to show: those named, else the best-ranked that do not repeat each other."""
    if options.columns:
        names = list(dict.fromkeys(options.columns))
        for name in names:
            refuse_empty(context.table[name], "there is nothing to show")
            refuse_without_order(context.table[name], options.asked)
        if len(names) < 2:
            raise OptionError("A pair plot needs two columns or more.")
        if len(names) > MOST_COLUMNS:
            return names[:MOST_COLUMNS], (_left_out(names[MOST_COLUMNS:]),)
        return names, ()
    return _chosen(context, options)


def _chosen(context: Context, options: PairwiseOptions) -> tuple[list[str], tuple[str, ...]]:
    """Return the best-ranked columns that do not repeat each other; a numeric outcome last, along each of them."""
    most = min(options.most, MOST_COLUMNS)
    useful = [n for n in context.candidates if _drawn(context.table[n]) and n not in options.by]
    if len(useful) < 2:
        raise OptionError("A pair plot needs two columns that hold numbers or levels.")
    if context.outcome is not None:
        order = [str(n) for n in show_rank(context).table.index if str(n) in useful]
    else:
        order = useful
    sides = [side_of(context.table[n]) for n in order[: 4 * most]]
    strength = relate(sides, USUAL, context.sampling, context.seed).strength
    chosen: list[int] = []
    for k in range(len(sides)):
        if len(chosen) < most and all(not strength[k, c] >= T.NEARLY_SAME for c in chosen):
            chosen.append(k)
    names = [sides[k].name for k in chosen]
    out = [n for n in useful if n not in names]
    how = (
        "best ranked that do not repeat each other"
        if context.outcome is not None
        else "first that do not repeat each other"
    )
    about = (f"the {len(names)} {how}", *((_left_out(out),) if out else ()))
    if isinstance(context.outcome, NumericOutcome) and context.outcome.name not in (*names, *options.by):
        names.append(context.outcome.name)
    return names, about


def _drawn(column: Column) -> bool:
    if column.empty or column.kind in ("identifier", "text", "constant"):
        return False
    return not isinstance(column, CategoryColumn) or column.distinct <= 50


def _left_out(names: list[str]) -> str:
    return f"left out: {', '.join(names[:5])}" + (f" and {len(names) - 5} more" if len(names) > 5 else "")


def _of_classes(context: Context, by: str | None, classes: PanelClasses) -> tuple[str, ...]:
    out = int((classes.codes < 0).sum())
    return (
        (f"left out: {plural(out, 'row')} without one of these classes of {context.names(by)}",) if by and out else ()
    )
