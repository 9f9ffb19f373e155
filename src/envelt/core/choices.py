"""The words that options may be, where they are asked for before a step is loaded."""

from __future__ import annotations

SORTS = ("skewness", "missing", "name")
"""Of the sheet of all columns."""
SHARES = ("row", "column", "all")
"""Of a cross-tabulation; its pictures, and what is said of those that measure by angles."""
CROSSINGS = ("auto", "bars", "stacked", "shares", "cells", "rates", "mosaic")
NO_ANGLES = dict.fromkeys(
    ("pie", "donut", "doughnut", "sunburst"),
    " Angles are hard to compare: take shares (each bar is 100 %), or bars for counts.",
)
MEASURED = ("mean", "rate", "sum", "count")
"""Along time."""
METHODS = ("auto", "pearson", "spearman", "kendall")
"""Of relations."""
ALTERNATIVES = ("two-sided", "greater", "less")
MAPS = ("neighbours", "pca", "mds")
"""Of rows in two dimensions."""
DISTANCES = ("euclidean", "cosine", "manhattan")
MOST_FRAMES = 1_000
