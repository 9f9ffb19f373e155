"""What each column is, with a reason a person can check.

The rules lean on values first and take a name only as weak evidence, where the values leave two answers
open. Where the evidence does not decide, the kind whose mistake costs less is chosen, and the other named.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ...errors import UnknownKindError, did_you_mean
from .. import thresholds as T
from ..words import plural
from .grades import grade_order
from .labels import number_labels, short_label, time_label
from .marks import says_nothing
from .names import glued_id, hints, is_measure, names_rows
from .raw import RawColumn, RawNumbers, RawTimes, RawWords
from .times import are_parts_of_years, are_years, is_clock

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

KINDS = ("continuous", "discrete", "ordinal", "nominal", "binary", "datetime", "identifier", "text", "constant")
NUMERIC_KINDS = ("continuous", "discrete")
CLOCK = "times of day as hours and minutes"
OTHERS = ("other", "others", "another", "else", "misc", "miscellaneous", "unknown", "unclassified")
"""Levels that have no place among others in order."""
DECIMAL_YEARS = "years with fractions: time"
YEARS = "years, kept as numbers"
CLASS_KINDS = ("binary", "nominal", "ordinal")


class Detected(NamedTuple):
    """A kind and the reason for it; the levels' order where words have one; the kind it may be instead.

    ``distinct`` counts the different values of numbers, as far as they were counted.
    """

    kind: str
    reason: str
    order: tuple[str, ...] = ()
    other: str = ""
    distinct: int = -1


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
        return _constant(int(len(present) > 0), time_label(int(present[0])) if len(present) else "")
    zone = f", {raw.zone} time" if raw.zone else ""
    return Detected("datetime", f"dates, {time_label(int(present.min()))} to {time_label(int(present.max()))}{zone}")


def _detect_words(name: str, raw: RawWords) -> Detected:
    counts = np.bincount(raw.codes[raw.codes >= 0], minlength=len(raw.words))
    words = [w for w, c in zip(raw.words, counts, strict=True) if c]
    present, distinct = int(counts.sum()), len(words)
    if distinct <= 1:
        return _constant(distinct, repr(words[0]) if words else "")
    if distinct == 2:
        return Detected("binary", f"two values, {words[0]!r} and {words[1]!r}")
    if raw.exact:
        return Detected("identifier", "whole numbers beyond 2^53, which only codes are: kept as text")
    if raw.order:
        return Detected("ordinal", f"{plural(distinct, 'level')} that came with an order", tuple(raw.words))
    grades = grade_order(words)
    if grades:
        return Detected("ordinal", f"{distinct} grades in words, {grades[0]!r} to {grades[-1]!r}", grades)
    rest = [w for w in words if not (says_nothing(w) or w.strip().casefold() in OTHERS)]
    grades = grade_order(rest) if len(rest) < distinct else ()
    if grades:
        without = " and ".join(repr(w) for w in words if w not in rest)
        return Detected("nominal", f"grades in words, {', '.join(grades)}, but for {without}", other="ordinal")
    return _many_words(name, words, counts[counts > 0], present)


def _many_words(name: str, words: list[str], counts: Ints, present: int) -> Detected:
    distinct = len(words)
    repeated = distinct / present
    length = float(np.mean([w.count(" ") + 1 for w in words[:2000]]))
    long = length >= T.WORDS_OF_REMARKS or repeated >= T.REMARKS_DISTINCT_SHARE
    if length >= T.WORDS_OF_TEXT and repeated >= T.TEXT_DISTINCT_SHARE and long:
        return Detected("text", f"{distinct:,} different texts of {length:.0f} words on average")
    if present >= T.ROWS_FOR_IDENTIFIER and repeated >= T.IDENTIFIER_DISTINCT_SHARE:
        if distinct == present:
            return Detected("identifier", f"a different value in each of {plural(present, 'row')}")
        reason = f"{distinct:,} different in {plural(present, 'row')}, none more than {counts.max()} times: names cases"
        few = counts.max() > T.MOST_ROWS_A_CASE
        return Detected("identifier", reason, other="nominal" if few else "")
    return Detected("nominal", f"{distinct:,} different texts in {plural(present, 'row')}")


def _detect_numbers(name: str, raw: RawNumbers) -> Detected:
    values = raw.values[~np.isnan(raw.values)]
    if len(values) == 0:
        return _constant(0, "")
    if not float(values[0]).is_integer():
        steps, distinct = _few_or_many(values)
        if steps is None:
            low, high = short_label(values.min()), short_label(values.max())
            if are_parts_of_years(np.unique(values)):
                return Detected("continuous", f"{distinct:,} numbers, {low} to {high}: {DECIMAL_YEARS}")
            return Detected("continuous", f"{distinct:,} numbers with fractions, {low} to {high}", distinct=distinct)
        return _of_distinct(name, values, *steps)._replace(distinct=distinct)
    unique, counts = distinct_numbers(values)
    return _of_distinct(name, values, unique, counts)._replace(distinct=len(unique))


def _few_or_many(values: Floats) -> tuple[tuple[Floats, Ints] | None, int]:
    """Return the distinct values and their counts where they are few, and how many there are."""
    ordered = np.sort(values)
    starts = np.concatenate(([True], ordered[1:] != ordered[:-1]))
    distinct = int(np.count_nonzero(starts))
    if distinct > T.FEW_STEPS:
        return None, distinct
    at = np.flatnonzero(starts)
    return (ordered[at], np.diff(np.append(at, len(ordered))).astype(np.int64)), distinct


def _of_distinct(name: str, values: Floats, unique: Floats, counts: Ints) -> Detected:
    present, distinct = len(values), len(unique)
    if distinct == 1:
        return _constant(1, short_label(unique[0]))
    low, high = short_label(unique[0]), short_label(unique[-1])
    if distinct == 2:
        low, high = number_labels(unique) if low == high else (low, high)
        return Detected("binary", f"two values, {low} and {high}")
    if not (unique == np.floor(unique)).all():
        if are_parts_of_years(unique):
            return Detected("continuous", f"{distinct:,} numbers, {low} to {high}: {DECIMAL_YEARS}")
        if distinct <= T.FEW_STEPS and present >= T.ROWS_PER_STEP * distinct:
            reason = f"{distinct} distinct numbers, {low} to {high}, in {plural(present, 'row')}: steps"
            return Detected("discrete", reason, other="ordinal")
        return Detected("continuous", f"{distinct:,} numbers with fractions, {low} to {high}")
    return _detect_whole(name, values, unique, counts)


def distinct_numbers(values: Floats) -> tuple[Floats, Ints]:
    """Return the sorted distinct values and their counts; whole numbers of a small range are counted."""
    low, high = values.min(), values.max()
    if high - low < T.COUNTABLE_RANGE and float(low).is_integer():
        shifted = values - low
        whole = shifted.astype(np.int64)
        if (whole == shifted).all():
            counts = np.bincount(whole)
            at = np.flatnonzero(counts)
            return at + low, counts[at].astype(np.int64)
    unique, counts = np.unique(values, return_counts=True)
    return unique, counts.astype(np.int64)


@dataclass(frozen=True)
class Whole:
    """A column of whole numbers, and what the rules below ask of it."""

    name: str
    values: Floats
    unique: Floats
    counts: Ints

    @property
    def present(self) -> int:
        """Rows with a value."""
        return len(self.values)

    @property
    def distinct(self) -> int:
        """Different values."""
        return len(self.unique)

    @property
    def wide(self) -> float:
        """From the smallest to the largest."""
        return float(self.unique[-1] - self.unique[0])

    @property
    def recurs(self) -> bool:
        """Whether there are rows enough for each value to be a level."""
        return self.present >= T.ROWS_PER_STEP * self.distinct

    @property
    def one_width(self) -> bool:
        """Whether all have one number of digits, three or more."""
        return bool(self.unique[0] >= 100 and len(str(int(self.unique[0]))) == len(str(int(self.unique[-1]))))

    @property
    def low(self) -> str:
        """The smallest, as text."""
        return short_label(self.unique[0])

    @property
    def high(self) -> str:
        """The largest, as text."""
        return short_label(self.unique[-1])

    @property
    def span(self) -> str:
        """What there is, in words."""
        return f"{self.distinct:,} whole numbers, {self.low} to {self.high}, in {plural(self.present, 'row')}"

    def hints(self, at: str) -> bool:
        """Say whether the name hints at something."""
        return hints(self.name, at)


def _detect_whole(name: str, values: Floats, unique: Floats, counts: Ints) -> Detected:
    column = Whole(name, values, unique, counts)
    for rule in (_years, _all_different, _clock, _codes, _keyed, _blocks, _few_codes, _few_small, _quantity, _named):
        found = rule(column)
        if found is not None:
            return found
    return Detected("discrete", f"{column.span}: a count or whole units")


def _all_different(c: Whole) -> Detected | None:
    if c.present < T.ROWS_FOR_IDENTIFIER or c.distinct < c.present:
        return None
    if c.wide + 1 == c.distinct and not (c.hints("ages") or c.hints("scores")):
        return Detected("identifier", f"each whole number from {c.low} to {c.high} once: a row number")
    if not (names_rows(c.name) or c.hints("codes")) or c.hints("counts"):
        return None
    if bool((np.diff(c.values) > 0).all()) and c.distinct >= 2 * T.ROWS_FOR_IDENTIFIER:
        return Detected("identifier", f"{c.span}, rising from row to row, as codes do")
    return Detected("identifier", f"a different whole number in each of {plural(c.present, 'row')}, as codes have")


def _years(c: Whole) -> Detected | None:
    if c.hints("identifiers") or glued_id(c.name):
        return None
    if are_years(c.name, c.unique):
        return Detected("datetime", f"{c.span}: {YEARS}")
    alike = c.unique[0] >= 1800 and c.unique[-1] <= 2100 and c.distinct <= 300
    return Detected("discrete", f"{c.span}: like years") if alike else None


def _clock(c: Whole) -> Detected | None:
    """Find times of day written as hours and minutes in one number: 517, 2359."""
    if not is_clock(c.unique):
        return None
    return Detected("continuous", f"{c.span}, the last two digits never above 59: {CLOCK}")


def _codes(c: Whole) -> Detected | None:
    if not (c.one_width and c.hints("codes")) or c.hints("times"):
        return None
    if c.distinct / c.present >= T.IDENTIFIER_DISTINCT_SHARE and c.present >= T.ROWS_FOR_IDENTIFIER:
        return Detected("identifier", f"{c.span}: codes of one width, seldom twice", other="nominal")
    return Detected("nominal", f"{c.span}: codes of one width; an average of these means nothing", other="discrete")


def _few_codes(c: Whole) -> Detected | None:
    if not (c.one_width and c.recurs and c.distinct <= T.FEW_CODES and c.unique[0] >= 100) or c.hints("times"):
        return None
    gaps = np.diff(c.unique)
    unlike_steps = c.distinct <= T.FEW_UNNAMED_CODES and gaps.max() > gaps.min() and c.wide > 3 * c.distinct
    if c.hints("names") or unlike_steps:
        return Detected("nominal", f"{c.span}: codes of one width; an average of these means nothing", other="discrete")
    return None


def _few_small(c: Whole) -> Detected | None:
    """Tell grades, names and counts apart among few small whole numbers."""
    if not (c.recurs and c.distinct <= T.FEW_GRADES + 1 and c.unique[0] in (0, 1) and c.wide < 2 * c.distinct):
        return None
    return _few_whole(c.name, c.unique, c.counts, c.span)


def _keyed(c: Whole) -> Detected | None:
    """Find numbers that by their name say whom or what a row is about: many are identifiers, a few are names."""
    if c.present < T.ROWS_FOR_IDENTIFIER or not names_rows(c.name) or c.hints("counts") or c.unique[0] < 1:
        return None
    if c.distinct > T.MANY_LEVELS and not (c.hints("grades") and c.wide < 2 * c.distinct):
        reason = f"{c.span}: by its name, it says what a row is about"
        sure = glued_id(c.name) or c.hints("identifiers")
        return Detected("identifier", reason, other="" if sure else "nominal")
    strong = glued_id(c.name) or any(c.hints(at) for at in ("identifiers", "few_cases", "places"))
    if strong and c.recurs:
        sure = glued_id(c.name) or c.hints("identifiers") or c.hints("places")
        return Detected("nominal", f"{c.span}; by its name, names and not amounts", other="" if sure else "discrete")
    return None


def _blocks(c: Whole) -> Detected | None:
    """Find numbers of what many rows are of: by a name for such things, and by rows that stand in blocks of a value."""
    if c.distinct <= T.MANY_LEVELS or c.present < 2 * c.distinct or not c.hints("names") or c.hints("counts"):
        return None
    blocks = int(np.count_nonzero(np.diff(c.values))) + 1
    if blocks > T.BLOCKS_A_NAME * c.distinct:
        return None
    return Detected("identifier", f"{c.span}, in blocks of one value: it says what a row is about", other="nominal")


def _quantity(c: Whole) -> Detected | None:
    """Find measures in whole units: of a wide range, or with few values near nothing, where counts have most."""
    if c.distinct < T.MEASURED:
        return None
    if c.hints("counts"):
        far = c.unique[0] > T.EMPTY_BOTTOM * c.unique[-1] and c.unique[0] > 1000 and 2 * c.distinct > c.present
        return Detected("continuous", f"{c.span}, none near 0: a quantity recorded in whole units") if far else None
    if c.distinct > min(T.MANY_WHOLE, c.present / 2) and c.wide > 1000:
        return Detected("continuous", f"{c.span}: a quantity recorded in whole units")
    ends, mean = np.quantile(c.values, (0.01, 0.95)), float(c.values.mean())
    spread = float(c.values.var()) / mean if mean > 0 else 0.0
    by_chance = abs(spread - 1) < min(3 * np.sqrt(2 / c.present), T.AS_POISSON_COUNTS)
    if (ends[0] < 0 or ends[0] - 1 > T.EMPTY_BOTTOM * ends[1]) and not by_chance:
        return Detected("continuous", f"{c.span}, hardly any near 0: a measure in whole units")
    if c.distinct >= T.MEASURED_BY_NAME and is_measure(c.name):
        return Detected("continuous", f"{c.span}; by its name, a measure in whole units", other="discrete")
    return None


def _named(c: Whole) -> Detected | None:
    if c.recurs and c.distinct <= T.FEW_CODES and c.hints("names") and not c.hints("counts"):
        return Detected("nominal", f"{c.span}; by its name, names and not amounts", other="discrete")
    return None


def _few_whole(name: str, unique: Floats, counts: Ints, span: str) -> Detected:
    """Tell grades, names and counts apart among few small whole numbers."""
    if hints(name, "grades") and not hints(name, "counts"):
        return Detected("ordinal", f"{span}: a grade, not a quantity", other="nominal")
    if hints(name, "names"):
        return Detected("nominal", f"{span}; by its name, names and not amounts", other="ordinal")
    falling = counts[-1] < counts.max() / 4 and int(counts.argmax()) <= len(counts) / 3
    halving = unique[0] == 1 and bool((2 * counts[1:] <= counts[:-1]).all()) and not hints(name, "grades")
    if hints(name, "counts") or (unique[0] == 0 and falling) or halving:
        return Detected("discrete", f"{span}, most of them small: a count", other="" if falling else "ordinal")
    if len(unique) > T.FEW_GRADES:
        return Detected("discrete", f"{span}: a count or a scale", other="ordinal")
    return Detected("ordinal", f"{span}: a grade, not a quantity", other="discrete" if unique[0] == 0 else "nominal")
