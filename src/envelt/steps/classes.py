"""The classes that colour a picture of pairs."""

from __future__ import annotations

import numpy as np

from ..core.columns.table import largest_apart
from ..core.relations.panels import MOST_CLASSES, PanelClasses
from .context import Context


def panel_classes(context: Context, by: str | None) -> PanelClasses:
    """Return the groups of a column as classes: the largest apart, the others joined; without a column one of all."""
    rows = len(context.table)
    if by is None:
        return PanelClasses("", (), np.zeros(rows, np.int64))
    grouping = context.grouping((by,))
    n = np.bincount(grouping.codes[grouping.codes >= 0], minlength=len(grouping))
    if len(n) <= MOST_CLASSES:
        return PanelClasses(by, grouping.labels, grouping.codes)
    kept, codes, joined = largest_apart(grouping.codes, len(n), MOST_CLASSES - 1)
    return PanelClasses(by, (*(grouping.labels[k] for k in kept), joined), codes.astype(np.int64))
