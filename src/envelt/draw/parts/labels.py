"""Labels of rows: short enough for their place, and still different from each other."""

from __future__ import annotations

import textwrap
from collections.abc import Sequence
from functools import lru_cache
from itertools import takewhile
from typing import TYPE_CHECKING

from . import style

if TYPE_CHECKING:
    from matplotlib.axes import Axes

LETTER = 0.62
"""The mean width of a letter, in sizes of the type."""
LETTERS = 34
"""Letters of a label in one line, beside a row."""


def text_width(text: str, size: float) -> float:
    """Return about how many pixels a line of text takes."""
    return LETTER * size * style.DPI / 72 * len(text)


@lru_cache(maxsize=64)
def short_labels(texts: tuple[str, ...], most: int) -> tuple[str, ...]:
    """Cut labels that are too long so that those which differ still do, where that can be.

    A label is cut in its middle; where that makes two alike, what all long ones begin and end with is cut instead.

    Examples
    --------
    >>> short_labels(("the apiary behind the old mill, north side", "the apiary behind the old mill, south side"), 20)
    ('the apia…north side', 'the apia…south side')
    """
    cut = tuple(style.shorten_middle(t, most) for t in texts)
    if len(set(cut)) == len(set(texts)):
        return cut
    long = [t.replace("\n", " ") for t in texts if len(t) > most]
    start = _alike(long)
    end = min(_alike([t[::-1] for t in long]), min(map(len, long)) - start)
    # whole words differ, not parts of them
    start = long[0].rfind(" ", 0, start) + 1 or start
    end = long[0][::-1].rfind(" ", 0, end) + 1 or end
    return tuple(t if len(t) <= most else _around(t.replace("\n", " "), start, end, most) for t in texts)


def _alike(texts: list[str]) -> int:
    """Return how many letters all texts begin with."""
    return sum(1 for _ in takewhile(lambda letters: len(set(letters)) == 1, zip(*texts, strict=False)))


def _around(text: str, start: int, end: int, most: int) -> str:
    """Keep what lies between a common beginning and a common end, and as much of both as there is room for."""
    middle = text[start : len(text) - end]
    room = most - len(middle) - 2
    if room < 0:
        return style.shorten_middle(middle, most)
    tail = min(end, room // 2)
    head = min(start, room - tail)
    before = text[:start] if head == start else text[:head].rstrip() + "…"
    after = text[len(text) - end :] if tail == end else "…" + text[len(text) - tail :].lstrip()
    return f"{before}{middle}{after}"


def margin(texts: Sequence[str], least: int = 80) -> int:
    """Return the pixels that labels of rows need on the left."""
    return 45 + min(300, max(least, int(8.6 * max((min(len(t), LETTERS) for t in texts), default=4))))


def label_rows(axes: Axes, texts: Sequence[str], size: float, letters: int = LETTERS) -> None:
    """Label rows 0, 1, … of the y axis, in as many lines as their height holds."""
    height = style.height_of(axes) / max(len(texts), 1)
    lines = int(max(1, min(3, height / (1.9 * size * style.DPI / 72))))
    short = short_labels(tuple(texts), letters * lines - 8 * (lines - 1))
    shown = ["\n".join(textwrap.wrap(t, letters)) if len(t) > letters else t for t in short]
    axes.set_yticks(range(len(texts)), shown, size=size)
