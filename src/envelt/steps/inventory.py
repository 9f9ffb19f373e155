"""What each column is, and what is wrong or odd about it."""

from __future__ import annotations

from ..core.inventory.answers import InventoryAnswers
from ..core.stats.sampling import Sampling
from ..core.words import plural
from ..views.inventory import InventoryView
from ..write.progress import slow_progress
from .context import Context, once
from .doubt import doubted


@doubted
@once
def take_inventory(context: Context, rows: int) -> InventoryView:
    """Describe every column, and look for what is wrong with it."""
    about = (f"{plural(len(context.listed), 'row')} of {context.source_name}", *context.source.notes, *context.kept)
    counted = context.plan.counts is not None
    # rows that stand for several each are compared with no outcome, so units do not come in
    sampling = Sampling.of_rows(len(context.listed)) if counted else context.sampling
    answers = InventoryAnswers(
        context.listed, sampling, None if counted else context.outcome, context.unit, context.ranges, counted,
        tuple(context.source.nested), rows, slow_progress,
    )  # fmt: skip
    return InventoryView(answers, about, context.names)
