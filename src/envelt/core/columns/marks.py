"""Texts that stand for a missing value: those a person named, and those found among numbers or dates."""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import replace
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from .. import thresholds as T
from .names import hints
from .raw import RawColumn, RawNumbers, RawTimes, RawWords
from .readings import read_dates, read_numbers
from .spans import read_spans

KNOWN = frozenset(
    {".", "..", "...", "-", "--", "---", "?", "??", "*", "na", "n/a", "n.a.", "#n/a", "null", "nan", "missing"}
)
"""Texts that mean nothing else beside numbers or dates."""


_UNKNOWN = re.compile(
    r"(?:^|[\s/_(,-])(?:unknown|unk|not (?:known|stated|recorded|reported|available)|no (?:answer|response)"
    r"|undetermined|unspecified|don'?t know)(?:$|[\s/_),-])",
    re.IGNORECASE,
)
"""Said anywhere in a level; "other", "none" and "refused" are levels, and DK is a country."""


def says_nothing(level: str) -> bool:
    """Say whether a level of a category says that nothing is known of a row."""
    text = level.strip()
    return not text or text.casefold() in KNOWN or text == "\\N" or bool(_UNKNOWN.search(text))


USUAL = ("NA", "N/A", "n/a", "#N/A", "#NA", "<NA>", "NULL", "null", "NaN", "nan", "NaT")
"""Texts that mean missing in columns of texts too, written just so, as cells of blanks do; missing=[] keeps them."""
FEWEST_CODES = 8
"""Levels of two capitals beside "NA", for it to be one of them: a country, a state."""

KEPT_AS_TEXT = "kept as text"


class Reading(NamedTuple):
    """A column as numbers or dates, how it was read, the texts taken as missing with their rows, and the form."""

    raw: RawColumn
    how: str
    blanked: tuple[tuple[str, int], ...] = ()
    form: str = ""


def without_marks(raw: RawColumn, marks: Iterable[str]) -> RawColumn:
    """Return a column in which the marks a person named are missing: a text as it stands, a number by its value."""
    named = {m.strip() for m in marks}
    if not named or isinstance(raw, RawTimes):
        return raw
    if isinstance(raw, RawWords):
        return _blanked(raw, np.array([w.strip() in named for w in raw.words], bool))
    values = raw.values
    numbers = [float(m) for m in named if _is_number(m) and (read_numbers([m]) is not None or np.isinf(float(m)))]
    if not np.isin(values, numbers).any():
        return raw
    return replace(raw, values=np.where(np.isin(values, numbers), np.nan, values))


def usual_marks_aside(raw: RawWords) -> Reading:
    """Return levels without the texts that usually mean missing, which are counted.

    "NA" stays among codes of two letters, of which it is one.
    """
    mark = np.array([not w.strip() or w.strip() in USUAL for w in raw.words], bool)
    if mark.all():  # a column of nothing but marks keeps them: they may be what it says; a blank says nothing
        mark = np.array([not w.strip() for w in raw.words], bool)
    if not mark.any():
        return Reading(raw, "")
    others = [w for w, is_mark in zip(raw.words, mark, strict=True) if not is_mark]
    codes = sum(len(w) == 2 and w.isalpha() and w.isupper() for w in others)
    if len(others) >= FEWEST_CODES and codes >= 0.9 * len(others):
        return Reading(raw, "NA is kept as one of the codes of two letters")
    return Reading(_blanked(raw, mark), "", tuple((raw.words[i], int(_counts(raw)[i])) for i in np.flatnonzero(mark)))


def _is_number(text: str) -> bool:
    try:
        float(text)
    except ValueError:
        return False
    return True


def _blanked(raw: RawWords, mark: NDArray[np.bool_]) -> RawWords:
    """Return texts without those marked, which become missing."""
    if not mark.any():
        return raw
    renumber = np.full(len(mark) + 1, -1, np.int32)
    kept = np.flatnonzero(~mark)
    renumber[kept] = np.arange(len(kept), dtype=np.int32)
    return RawWords(renumber[raw.codes], [raw.words[i] for i in kept], raw.order, raw.exact)


def read_texts(name: str, raw: RawWords) -> Reading | None:
    """Read texts as numbers or dates where all of them can be, but for marks and a few that cannot.

    A text that is known to mean missing becomes so. Others do where nine in ten rows and ten different texts are
    numbers, and the column's name does not say that they name something.
    """
    whole = _read(raw)
    if whole is not None or raw.exact or not raw.words:
        return whole
    mark = np.array([not w.strip() or w.strip().casefold() in KNOWN for w in raw.words], bool)
    if mark.all():
        return None
    fewer = _read(_blanked(raw, mark)) if mark.any() else None
    if fewer is None and not any(hints(name, at) for at in ("codes", "identifiers", "names", "cases", "places")):
        mark = _texts_among_numbers(raw)
        fewer = _read(_blanked(raw, mark)) if mark.any() else None
    if fewer is None:
        return None
    counts = _counts(raw)
    order = np.flatnonzero(mark)[np.argsort(-counts[mark], kind="stable")]
    taken = tuple((raw.words[i], int(counts[i])) for i in order)
    shown = ", ".join(repr(text) for text, _ in taken[:3]) + (", …" if len(taken) > 3 else "")
    return Reading(fewer.raw, f"{fewer.how}, {shown} taken as missing", taken, fewer.form)


def _counts(raw: RawWords) -> NDArray[np.int64]:
    return np.bincount(raw.codes[raw.codes >= 0], minlength=len(raw.words))


def _texts_among_numbers(raw: RawWords) -> NDArray[np.bool_]:
    """Return which texts are no numbers, where they are few beside those that are; none where they are not."""
    none = np.zeros(len(raw.words), bool)
    head = raw.words[: T.ROWS_FOR_LEVELS]
    if len(raw.words) > T.MOST_LEVELS_READ or 2 * sum(read_numbers([w]) is not None for w in head) < len(head):
        return none
    read = [read_numbers([w]) for w in raw.words]
    text = np.array([r is None for r in read], bool)
    clock = np.array([r is not None and r.form == "clock" for r in read], bool)
    if 2 * clock.sum() > len(text):
        text = ~clock  # of times of day 9.12 is a slip, and no number among them
    counts = _counts(raw)
    few = counts[text].sum() <= T.FEW_TEXTS * counts.sum()
    return text if few and (~text).sum() >= T.FEW_STEPS else none


def _read(raw: RawWords) -> Reading | None:
    """Read texts as numbers or dates where all of them can be."""
    numbers = None if raw.exact else read_numbers(raw.words)
    if numbers is not None and (numbers.exact or numbers.units):
        why = f"numbers of two units, {' and '.join(numbers.units)}: {KEPT_AS_TEXT}" if numbers.units else ""
        return Reading(replace(raw, exact=numbers.exact), why)
    if numbers is not None:
        values = np.append(numbers.values, np.nan)[raw.codes]
        return Reading(RawNumbers(values), f"numbers kept as text, {numbers.how}", form=numbers.form)
    spans = read_spans(raw.words, raw.codes)
    if spans is not None:
        return Reading(spans, "")
    dates = read_dates(raw.words)
    if dates is None:
        return None
    doubt = ", though day and month may be swapped" if dates.ambiguous else ""
    return Reading(dates.of(raw.codes), dates.how + doubt, form=dates.form)
