"""What each column is, with a reason a person can check.

The rules lean on values first and take a name only as weak evidence, where the values leave two answers
open. Where the evidence does not decide, the kind whose mistake costs less is chosen.
"""

from __future__ import annotations

import re
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ..errors import UnknownKindError, did_you_mean
from . import thresholds as T
from .raw import RawColumn, RawNumbers, RawTimes, RawWords
from .table import number_label

KINDS = (
    "continuous",
    "discrete",
    "ordinal",
    "nominal",
    "binary",
    "datetime",
    "identifier",
    "text",
    "constant",
)
NUMERIC_KINDS = ("continuous", "discrete")
CLASS_KINDS = ("binary", "nominal", "ordinal")

GRADES: tuple[tuple[str, ...], ...] = (
    ("none", "very low", "low", "medium", "high", "very high"),
    ("none", "low", "middle", "high"),
    ("low", "moderate", "high"),
    ("none", "weak", "fair", "strong"),
    ("none", "mild", "moderate", "severe"),
    ("xs", "small", "medium", "large", "xl"),
    ("very poor", "poor", "fair", "good", "very good", "excellent"),
    ("strongly disagree", "disagree", "neutral", "agree", "strongly agree"),
    ("never", "rarely", "sometimes", "often", "always"),
    ("monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday"),
    (
        "january",
        "february",
        "march",
        "april",
        "may",
        "june",
        "july",
        "august",
        "september",
        "october",
        "november",
        "december",
    ),
)

NAME_OF_NAMES = re.compile(r"(^|_)(zone|code|type|class|line|group|cluster|category|region|area|kind)s?($|_)", re.I)
NAME_OF_IDS = re.compile(r"(^|_)(id|ids|uuid|key|number|no|nr|record|serial)($|_)|[a-z]Id$", re.I)


class Detected(NamedTuple):
    """A kind and the reason for it; ``order`` gives the levels of an ordinal in words."""

    kind: str
    reason: str
    order: tuple[str, ...] = ()


def check_kind(kind: str) -> str:
    """Return a kind's name if it is one.

    Raises
    ------
    UnknownKindError
    """
    if kind not in KINDS:
        raise UnknownKindError(f"No kind {kind!r}.{did_you_mean(kind, KINDS)} The kinds are {', '.join(KINDS)}.")
    return kind


def detect(name: str, raw: RawColumn) -> Detected:
    """Return what a column most likely is, and why."""
    if isinstance(raw, RawTimes):
        return _detect_times(raw)
    if isinstance(raw, RawWords):
        return _detect_words(name, raw)
    return _detect_numbers(name, raw)


def _constant(distinct: int, value: str) -> Detected:
    if distinct == 0:
        return Detected("constant", "no value in any row")
    return Detected("constant", f"only one value, {value}")


def _detect_times(raw: RawTimes) -> Detected:
    present = raw.values[~raw.absent]
    if len(present) == 0 or present.min() == present.max():
        return _constant(int(len(present) > 0), "one date")
    days = (present.max() - present.min()) / 86_400_000_000
    return Detected("datetime", f"dates over {days:,.0f} days")


def _detect_words(name: str, raw: RawWords) -> Detected:
    counts = np.bincount(raw.codes[raw.codes >= 0], minlength=len(raw.words))
    present, distinct = int(counts.sum()), int(np.count_nonzero(counts))
    if distinct <= 1:
        return _constant(distinct, repr(raw.words[int(np.argmax(counts))]) if distinct else "")
    if distinct == 2:
        pair = " and ".join(repr(w) for w, c in zip(raw.words, counts, strict=True) if c)
        return Detected("binary", f"two values, {pair}")
    if raw.order:
        return Detected("ordinal", f"{distinct} levels that came with an order", tuple(raw.words))
    grades = grade_order([w for w, c in zip(raw.words, counts, strict=True) if c])
    if grades:
        return Detected("ordinal", f"{distinct} grades in words, {grades[0]!r} to {grades[-1]!r}", grades)
    words = np.array([w.count(" ") + 1 for w in raw.words])
    repeated = distinct / present
    if words.mean() >= T.WORDS_OF_TEXT and repeated >= T.TEXT_DISTINCT_SHARE:
        return Detected("text", f"{distinct:,} different texts of {words.mean():.0f} words on average")
    if present >= T.ROWS_FOR_IDENTIFIER and distinct == present:
        return Detected("identifier", f"a different value in each of {present:,} rows")
    if present >= T.ROWS_FOR_IDENTIFIER and repeated >= T.IDENTIFIER_DISTINCT_SHARE:
        most = int(counts.max())
        return Detected(
            "identifier",
            f"{distinct:,} different in {present:,} rows, none more than {most} times: names cases",
        )
    return Detected("nominal", f"{distinct:,} different texts in {present:,} rows")


def grade_order(levels: list[str]) -> tuple[str, ...]:
    """Return the levels in the order of a known scale of grades, or nothing where none fits."""
    folded = {level.strip().casefold(): level for level in levels}
    if len(folded) != len(levels) or len(levels) < 3:
        return ()
    for scale in GRADES:
        if set(folded) <= set(scale):
            return tuple(folded[g] for g in scale if g in folded)
    return ()


def _detect_numbers(name: str, raw: RawNumbers) -> Detected:
    values = raw.values[~np.isnan(raw.values)]
    unique, counts = _unique(values)
    present, distinct = len(values), len(unique)
    if distinct <= 1:
        return _constant(distinct, number_label(unique[0]) if distinct else "")
    low, high = number_label(unique[0]), number_label(unique[-1])
    if distinct == 2:
        return Detected("binary", f"two values, {low} and {high}")
    if not (unique == np.floor(unique)).all():
        if distinct <= T.FEW_STEPS and present >= T.ROWS_PER_STEP * distinct:
            return Detected("discrete", f"{distinct} distinct numbers, {low} to {high}, in {present:,} rows: steps")
        return Detected("continuous", f"{distinct:,} numbers with fractions, {low} to {high}")
    return _detect_whole(name, values, unique, counts)


def _detect_whole(
    name: str, values: NDArray[np.float64], unique: NDArray[np.float64], counts: NDArray[np.int64]
) -> Detected:
    present, distinct = len(values), len(unique)
    low, high = number_label(unique[0]), number_label(unique[-1])
    span = f"{distinct:,} whole numbers, {low} to {high}, in {present:,} rows"
    if present >= T.ROWS_FOR_IDENTIFIER and distinct == present:
        if unique[-1] - unique[0] + 1 == distinct:
            return Detected("identifier", f"each whole number from {low} to {high} once: a row number")
        steps = np.diff(values)
        if (steps > 0).all() or NAME_OF_IDS.search(name):
            return Detected("identifier", f"a different whole number in each of {present:,} rows, as codes have")
    if unique[0] >= 1800 and unique[-1] <= 2100 and present >= 2 * distinct:
        return Detected("discrete", f"{span}: years")
    if _looks_coded(name, unique, present):
        return Detected("nominal", f"{span}: codes of one width; an average of these means nothing")
    contiguous = unique[-1] - unique[0] + 1 == distinct
    if contiguous and unique[0] in (0, 1) and distinct <= T.FEW_GRADES and present >= T.ROWS_PER_STEP * distinct:
        if NAME_OF_NAMES.search(name):
            return Detected("nominal", f"{span}; by its name, names and not amounts")
        if unique[0] == 0 and counts[0] >= counts.max() / 2 and counts[-1] < counts[0] / 4:
            return Detected("discrete", f"{span}, most of them small: a count")
        return Detected("ordinal", f"{span}: a grade, not a quantity")
    if distinct > T.MANY_WHOLE and (unique[-1] - unique[0]) > 1000:
        return Detected("continuous", f"{span}: a quantity recorded in whole units")
    return Detected("discrete", f"{span}: a count or whole units")


def _looks_coded(name: str, unique: NDArray[np.float64], present: int) -> bool:
    """Say whether whole numbers look like codes: one width of 3 digits or more, few, uneven gaps."""
    widths = {len(str(int(u))) for u in (unique[0], unique[-1])}
    few = len(unique) <= T.FEW_CODES and present >= T.ROWS_PER_STEP * len(unique)
    if unique[0] < 100 or len(widths) != 1 or not few or len(unique) < 3:
        return False
    gaps = np.diff(unique)
    uneven = gaps.max() > gaps.min()
    return bool(uneven or NAME_OF_NAMES.search(name))


def _unique(values: NDArray[np.float64]) -> tuple[NDArray[np.float64], NDArray[np.int64]]:
    unique, counts = np.unique(values, return_counts=True)
    return unique, counts.astype(np.int64)
