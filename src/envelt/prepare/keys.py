"""Levels and groups of levels, found again in later rows."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..core.columns.labels import number_label
from ..core.columns.raw import RawWords
from .working import Working

Codes = NDArray[np.int64]
MISSING, UNSEEN = -1, -2
BETWEEN = "\x1f"
"""Between the levels of a group of several columns."""


def level_of(value: Any) -> str | None:
    """Return a single value as a level; nothing where it is missing."""
    if value is None or value != value:
        return None
    if isinstance(value, str):
        return value
    return number_label(value) if isinstance(value, (int, float)) and not isinstance(value, bool) else str(value)


def places(words: RawWords, known: Mapping[str, int]) -> tuple[Codes, list[str], int]:
    """Return the place of every row's level among known ones, the levels that are not, and how many rows have one."""
    table = np.array([*(known.get(w, UNSEEN) for w in words.words), MISSING], np.int64)
    codes = table[words.codes]
    if (table[:-1] == UNSEEN).any():
        n = np.bincount(words.codes[words.codes >= 0], minlength=len(words.words))
        new = [i for i in range(len(words.words)) if table[i] == UNSEEN and n[i]]
        return codes, [words.words[i] for i in new], int(sum(n[i] for i in new))
    return codes, [], 0


def renamed(words: RawWords, texts: Sequence[str | None]) -> RawWords:
    """Return levels under other names, one for each word: those of one name become one, those of none missing."""
    place = {t: k for k, t in enumerate(dict.fromkeys(t for t in texts if t is not None))}
    at = np.array([*(-1 if t is None else place[t] for t in texts), -1], np.int32)
    return RawWords(at[words.codes], list(place), words.order)


def group_codes(at: Working, by: Sequence[str]) -> tuple[Codes, list[str]]:
    """Return the group of every row, −1 where a level is missing, and what the groups are called."""
    words = at.words(by[0])
    codes, labels = words.codes.astype(np.int64), list(words.words)
    for name in by[1:]:
        more = at.words(name)
        size = max(len(more.words), 1)
        both = np.where((codes < 0) | (more.codes < 0), -1, codes * size + more.codes)
        used, inverse = np.unique(both[both >= 0], return_inverse=True)
        labels = [f"{labels[k // size]}{BETWEEN}{more.words[k % size]}" for k in used.tolist()]
        codes = np.full(len(both), -1, np.int64)
        codes[both >= 0] = inverse
    return codes, labels


def by_group(at: Working, by: Sequence[str], learned: Mapping[str, float], other: float) -> NDArray[np.float64]:
    """Return what was learned for the group of every row; ``other`` where the group is unknown or missing."""
    codes, labels = group_codes(at, by)
    table = np.array([*(learned.get(label, other) for label in labels), other])
    return np.asarray(table[codes])
