"""Words that say yes or no, what two levels are to each other by them, and the order that levels have by themselves."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

BOOLEANS = (("no", "yes"), ("false", "true"), ("f", "t"), ("n", "y"))
"""How yes and no are written in files."""
OPPOSED = (
    *BOOLEANS, ("absent", "present"), ("never", "always"), ("low", "high"), ("negative", "positive"), ("-", "+"),
)  # fmt: skip
"""What is less, and what is more of the same."""
DENIALS = ("no", "false", "never", "absent", "0", "0.0")
"""Words that say no beside whatever stands; a letter does only beside its other: f is no denial of m."""
AFFIRMED = ("yes", "y", "true", "t", "1", "1.0")


def folded(level: str) -> str:
    """Return a level as it is compared with words."""
    return level.strip().casefold()


def denies(level: str) -> bool:
    """Say whether a word says no."""
    return folded(level) in DENIALS


def affirms(level: str) -> bool:
    """Say whether a word says yes."""
    return folded(level) in AFFIRMED


def natural_key(level: str) -> tuple[int, float, str]:
    """Return what levels are sorted by: numbers by size, what says no before what says yes, else by text."""
    try:
        return (0, float(level), level)
    except ValueError:
        return (1, 0.0 if denies(level) else 1.0, folded(level))


def natural_order(levels: Sequence[str]) -> NDArray[np.int64]:
    """Return the place of each level in their natural order; see `natural_key`."""
    place = np.empty(len(levels), np.int64)
    place[sorted(range(len(levels)), key=lambda i: natural_key(levels[i]))] = np.arange(len(levels))
    return place


def ranked_by(first: NDArray[np.int64], levels: Sequence[str]) -> NDArray[np.int64]:
    """Return the place of each level by a number, and where that is equal in their natural order."""
    place = np.empty(len(levels), np.int64)
    place[np.lexsort((natural_order(levels), first))] = np.arange(len(levels))
    return place


def rises(first: str, second: str) -> bool:
    """Say whether the second of two levels is more than the first: yes than no, 1 than 0, and so than any denial.

    Examples
    --------
    >>> rises("no", "yes"), rises("absent", "light"), rises("f", "t"), rises("f", "m"), rises("female", "male")
    (True, True, True, False, False)
    """
    if (folded(first), folded(second)) in OPPOSED or denies(first):
        return not denies(second)
    try:
        return float(first) < float(second)
    except ValueError:
        return False


def truth_of(levels: Sequence[str]) -> list[bool] | None:
    """Return which levels say yes, where all are a yes and a no of one writing; nothing where they are not.

    Examples
    --------
    >>> truth_of(["False", "True"]), truth_of(["1", "0"]), truth_of(["f", "m"]), truth_of(["no", "true"])
    ([False, True], [True, False], None, None)
    """
    words = [folded(w) for w in levels]
    pair = next((p for p in (*BOOLEANS, ("0", "1"), ("0.0", "1.0")) if set(words) <= set(p)), None)
    return None if pair is None or not words else [w == pair[1] for w in words]
