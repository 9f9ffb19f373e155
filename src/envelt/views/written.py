"""How the columns that several tables have are written."""

from __future__ import annotations

from ..write.digits import count, label, measured, percent, places, probability
from ..write.shown import EVERY, Writer

COUNTED: dict[str, Writer] = {"n": count, "count": count, "share": percent}
GROUPS: dict[str, Writer] = {
    "n": count, "missing": count, "skewness": measured, "excess_kurtosis": measured, "outliers": count,
}  # fmt: skip
RATES: dict[str, Writer] = {
    "n": count, "events": count, "rate": percent, "low": percent, "high": percent, "shrunken": percent,
}  # fmt: skip
TESTS: dict[str, Writer] = {"statistic": measured, "p": probability}
EFFECTS: dict[str, Writer] = {"estimate": measured, "low": measured, "high": measured}
PARTS: dict[str, Writer] = {**EFFECTS, "n": count, "p": probability}
POOLED: dict[str, Writer] = {
    **dict.fromkeys(("crude", "crude_low", "crude_high", "pooled", "low", "high"), measured),
    "groups": count, "agreement_p": probability,
}  # fmt: skip
PAIRS: dict[str, Writer] = {"p": probability, "p_holm": probability}
CUT: dict[str, Writer] = dict.fromkeys(
    ("balanced_accuracy", "accuracy_low", "accuracy_high", "sensitivity", "specificity"), percent
)
SHARES: dict[str, Writer] = {EVERY: percent}
SHARES_OF_LEVELS: dict[str, Writer] = {"n": count, "count": count, "share": percent, "low": percent, "high": percent}
OUTLIERS: dict[str, Writer] = {"row": label, "case": label}
HELD_OUT: dict[str, Writer] = {
    **dict.fromkeys(("held_out_share", "low", "high", "auc", "share_over_rows", "change"), places),
    "p": probability, "q": probability, "missing_share": percent,
}  # fmt: skip

FEW_OF_GROUPS = ("n", "missing", "mean", "mean_low", "mean_high", "sd", "median")
"""Of a description of groups: what is looked at first."""
FEW_OF_DATES = ("n", "missing", "min", "q1", "median", "q3", "max")
"""The same of dates, whose mean is no day that anybody knows."""
FEW_OF_PAIRS = ("first", "second", "n", "coefficient", "low", "high", "q", "form")
"""Of pairs of columns."""
SPARE_OF_GROUPS = ("excess_kurtosis", "mode", "mean_low", "mean_high", "q1", "q3", "min", "max", "missing", "skewness")
"""Of a description of groups: what is left out first where there is no room."""
SPARE_OF_POOLED = ("groups", "agreement_p", "crude_high", "crude_low")
"""Of pooled estimates, likewise."""
