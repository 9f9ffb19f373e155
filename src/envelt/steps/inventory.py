"""What each column is, and what is wrong or odd about it."""

from __future__ import annotations

from ..core.inventory.answers import InventoryAnswers
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
    answers = InventoryAnswers(
        context.listed, context.table, context.sampling, context.outcome, context.unit, context.ranges,
        tuple(context.source.nested), context.source.unlike, rows, slow_progress,
    )  # fmt: skip
    return InventoryView(answers, about, context.names)
