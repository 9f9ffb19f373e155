"""Which columns say the same thing, and which move together."""

from __future__ import annotations

from dataclasses import dataclass

from ..core.finding import Finding
from ..core.relations.answers import RelationsAnswers
from ..core.relations.correlating import USUAL, Correlating
from ..core.words import plural
from ..errors import OptionError
from ..views.relations import RelationsView
from ..write.progress import slow_progress
from .checks import refuse_empty, refuse_itself, refuse_without_order
from .classes import panel_classes
from .context import Context, once
from .doubt import doubted


@dataclass(frozen=True)
class RelationsOptions:
    """What was asked for; see `Study.relations`."""

    columns: tuple[str, ...] = ()
    asked: Correlating = USUAL
    by: tuple[str, ...] = ()
    at_least: float | None = None
    order: str = "similar"
    whole: bool = False
    ranks: bool = False
    residuals: bool = False


@doubted
@once
def show_relations(context: Context, options: RelationsOptions) -> RelationsView:
    """Relate every two columns."""
    names, about = _chosen(context, options)
    outcome = context.plan.outcome if context.plan.outcome in names else None
    own = frozenset({context.unit or "", *context.from_outcome})
    answers = RelationsAnswers(
        context.table, context.listed, tuple(names), options.asked, context.sampling, context.seed, outcome,
        context.outcome, None if context.outcome is None else context.held_out, own,
        context.grouping(options.by) if options.by else None,
        panel_classes(context, options.by[0]) if len(options.by) == 1 else None, (options.ranks, options.residuals),
        slow_progress,
    )  # fmt: skip
    if (options.ranks or options.residuals) and answers.two is None:
        raise OptionError("Rank against rank, and residuals, are of two numbers: name two.")
    if (options.ranks or options.residuals) and len(options.by) > 1:
        raise OptionError(
            "Within groups of several columns it is the coefficients that are drawn: name one in by, or leave "
            "ranks and residuals out."
        )
    if answers.two is not None and (options.whole or options.order != RelationsOptions.order):
        raise OptionError("Two numbers are drawn as one pair, without a square: leave whole and order out.")
    constant = [s.name for s in answers.sides if s.constant]
    if constant:
        about = (*about, f"of one value, so without a coefficient: {', '.join(constant[:6])}")
    said = [context.names(n) for n in names]
    these = plural(len(names), "column") if len(names) > 2 else " and ".join(said)
    title = f"How {these if options.columns else 'the columns'} go together"
    title += f" by {' and '.join(context.names(n) for n in options.by)}" if options.by else ""
    return RelationsView(
        answers, (*about, *context.counted), context.names, title,
        at_least=options.at_least, order=options.order, triangle=not options.whole,
    )  # fmt: skip


def _chosen(context: Context, options: RelationsOptions) -> tuple[list[str], tuple[str, ...]]:
    """Return the columns to relate, and lines on those that are left out."""
    table, about = context.table, (f"{plural(len(context.table), 'row')}", *context.kept)
    if options.columns:
        names = list(dict.fromkeys(options.columns))
        for name in names:
            refuse_empty(table[name], "it goes with nothing")
            refuse_without_order(table[name], options.asked)
        refuse_itself(options.by, tuple(names))
    else:
        names = _related(context, options)
        out = [c.name for c in table if c.name not in names and c.name not in options.by]
        if out:
            listed = ", ".join(out[:6]) + (", …" if len(out) > 6 else "")
            about = (*about, f"left out, as names, texts or constants: {listed}")
    if len(names) < 2:
        raise OptionError("Relations are between columns: name two or more that hold numbers or levels.")
    return names, about


def _related(context: Context, options: RelationsOptions) -> list[str]:
    """Return the columns that are related where none is named."""
    skipped = ("identifier", "text", "constant", *(("nominal",) if options.asked.method != "auto" else ()))
    names = [c.name for c in context.table if c.kind not in skipped and c.name not in options.by and not c.empty]
    return [n for n in names if n != context.unit]


def said_to_repeat(context: Context) -> list[Finding]:
    """Say which columns say nearly the same, and nothing else of how they go together."""
    if len(_related(context, RelationsOptions())) < 2:
        return []
    return show_relations(context, RelationsOptions()).repeats
