"""What values are called: numbers and times as a person would write them."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from itertools import pairwise

import numpy as np


def number_label(value: float) -> str:
    """Return a number as a person would write it: no trailing ``.0``, twelve digits at most."""
    value = float(value)
    return str(int(value)) if value.is_integer() and abs(value) < 2**53 else f"{value:.12g}"


def number_labels(values: Iterable[float]) -> list[str]:
    """Return different numbers as texts that differ: with twelve digits, or with as many as it takes."""
    given = [float(v) for v in values]
    labels = [number_label(v) for v in given]
    return labels if len(set(labels)) == len(labels) else [repr(v) for v in given]


def short_label(value: float) -> str:
    """Return a number with six significant digits at most, whole ones in full."""
    value = float(value)
    return number_label(value) if value.is_integer() else f"{value:.6g}"


def cut_labels(cuts: Sequence[float]) -> tuple[str, ...]:
    """Name the parts that cut points make; a value on a cut goes right."""
    ends = number_labels(cuts)
    return (f"under {ends[0]}", *(f"{a} to {b}" for a, b in pairwise(ends)), f"{ends[-1]} up")


def time_label(microseconds: int) -> str:
    """Return a time as ISO 8601; the clock is left out at midnight."""
    stamp = np.datetime64(int(microseconds), "us")
    day = stamp.astype("datetime64[D]")
    return str(day) if day == stamp else str(stamp.astype("datetime64[s]"))


def time_labels(microseconds: Iterable[int]) -> list[str]:
    """Return different times as texts that differ: to the second, or to the microsecond if it takes that."""
    given = [int(t) for t in microseconds]
    labels = [time_label(t) for t in given]
    return labels if len(set(labels)) == len(labels) else [str(np.datetime64(t, "us")) for t in given]
