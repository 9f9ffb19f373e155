"""What each column is, and what is wrong or odd about it."""

from __future__ import annotations

import numpy as np
import pandas as pd

from ..core.asked import whole_number
from ..core.columns.outcome import Outcome
from ..core.finding import Finding, marked
from ..core.inventory.inventory import column_facts, quality_findings
from ..core.later import Later
from ..core.stats.sampling import Sampling
from ..core.words import plural
from ..views.inventory import InventoryView
from ..write.progress import slow_progress
from .context import Context, once


@once
def take_inventory(context: Context, rows: int) -> InventoryView:
    """Describe every column, and look for what is wrong with it."""
    whole_number(rows, 0, "number of first rows")
    about = (f"{plural(len(context.listed), 'row')} of {context.source_name}", *context.source.notes, *context.kept)

    def look() -> tuple[Finding, ...]:
        with slow_progress("Inventory") as report:
            counted = context.plan.counts is not None
            # rows that stand for several each are compared with no outcome, so units do not come in
            sampling = Sampling.of_rows(len(context.listed)) if counted else context.sampling
            found = quality_findings(
                context.listed, sampling, _outcome(context), context.unit, context.ranges, counted, progress=report
            )
        return (*(_nested(name, what) for name, what in context.source.nested), *found)

    facts = Later(lambda: column_facts(context.listed))
    first = Later(lambda: _first(context, rows)) if rows else None
    return InventoryView(
        facts, Later(look), len(context.listed), len(context.listed.columns), about, context.names, first
    )


def _outcome(context: Context) -> Outcome | None:
    """Return the outcome of the rows as they stand in the data; none where they stand for several each."""
    return context.outcome if context.plan.counts is None else None


def _first(context: Context, rows: int) -> pd.DataFrame:
    at = np.arange(min(rows, len(context.listed)))
    first = [c.take(at).labels() for c in context.listed]
    labels = [f"row {r}" for r in context.listed.rows[at]]
    index = pd.Index(list(context.listed.columns), name="column")
    return pd.DataFrame(first, index=index, columns=labels, dtype=object)


def _nested(name: str, what: str) -> Finding:
    return Finding(
        "nested-values",
        "caution",
        (name,),
        f"{marked(name)} holds {what}, which no step can use: it is set aside.",
        "Write what you need of it as columns of its own.",
        {"what": what},
    )
