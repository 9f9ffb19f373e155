"""Axes on which groups stand at places 0, 1, … and values run along: lying, in rows, or upright, in columns."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import numpy as np

from . import style
from .labels import label_rows, short_labels

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.axis import Axis
    from numpy.typing import ArrayLike

LEANING = 10
"""Groups side by side from which on their names lean."""


@dataclass(frozen=True)
class Board:
    """Axes and which way values run on them.

    Parameters
    ----------
    upright
        Whether values run up, and not along.
    """

    axes: Axes
    upright: bool = False

    def _way(self, along: Any, place: Any) -> tuple[Any, Any]:
        return (place, along) if self.upright else (along, place)

    @property
    def values(self) -> Axis:
        """The axis of values."""
        return self.axes.yaxis if self.upright else self.axes.xaxis

    def line(self, along: ArrayLike, places: ArrayLike, *form: str, **look: Any) -> None:
        """Draw a line or marks through values at places; the mark ``|`` lies across the values."""
        turned = ("_" if f == "|" else f for f in form) if self.upright else form
        self.axes.plot(*self._way(along, places), *turned, **look)

    def bar(self, place: float, length: float, thick: float, start: float = 0.0, **look: Any) -> None:
        """Draw a bar from a value on, at a place."""
        if self.upright:
            self.axes.bar(place, length, thick, bottom=start, **look)
        else:
            self.axes.barh(place, length, thick, left=start, **look)

    def fill(self, along: ArrayLike, low: ArrayLike, high: ArrayLike, **look: Any) -> None:
        """Fill from one place to another along values."""
        (self.axes.fill_betweenx if self.upright else self.axes.fill_between)(along, low, high, **look)

    def note(self, text: str, along: float, place: float, away: float, **look: Any) -> None:
        """Write beside a value, so many points away from the line of its group: above it, or to the right."""
        if self.upright:
            spot: dict[str, Any] = {"xytext": (away, 0), "ha": "left" if away > 0 else "right", "va": "center"}
        else:
            spot = {"xytext": (0, away), "ha": "center", "va": "bottom" if away > 0 else "top"}
        self.axes.annotate(text, self._way(along, place), textcoords="offset points", **spot, **look)

    def beyond(self, parts: Sequence[str], along: float, place: float, **look: Any) -> None:
        """Write behind the end of a bar: on its right in one line, or above it in a line a part."""
        spot: dict[str, Any] = {"xytext": (6, 0), "va": "center"}
        if self.upright:
            spot = {"xytext": (0, 4), "ha": "center", "va": "bottom", "linespacing": 1.1}
        text = ("\n" if self.upright else "  ").join(parts)
        self.axes.annotate(text, self._way(along, place), textcoords="offset points", **spot, **look)

    def name_places(self, names: Sequence[str], size: float) -> None:
        """Write what stands at the places, the first on top or on the left, and hide the line they stand on."""
        if not self.upright:
            label_rows(self.axes, names, size)
            self.axes.set_ylim(len(names) - 0.45, -0.55)
            style.bare(self.axes, "left")
            return
        leaning: dict[str, Any] = {"rotation": 40, "ha": "right", "rotation_mode": "anchor"}
        room = int(style.width_of(self.axes) / max(len(names), 1) / 8)
        lean = len(names) > LEANING or max(map(len, names)) > 2 * room
        wrapped = short_labels(tuple(names), 26 if lean else max(2 * room - 1, 6))
        if not lean:
            wrapped = tuple(_two_lines(t, room) for t in wrapped)
        self.axes.set_xticks(range(len(names)), wrapped, size=size, **(leaning if lean else {}))
        self.axes.set_xlim(-0.55, len(names) - 0.45)
        style.bare(self.axes, "bottom")

    def set_ends(self, low: float, high: float) -> None:
        """Give the axis of values its ends."""
        (self.axes.set_ylim if self.upright else self.axes.set_xlim)(low, high)

    def ends(self) -> tuple[float, float]:
        """Return the ends of the axis of values."""
        return self.axes.get_ylim() if self.upright else self.axes.get_xlim()

    def counts(self, texts: Sequence[str], size: float) -> None:
        """Write the rows of each group at its far end, under n."""
        look: dict[str, Any] = {"color": style.DIM, "clip_on": False}
        if self.upright:
            for place, text in enumerate(texts):
                self.axes.text(place, 1.01, text, transform=self.axes.get_xaxis_transform(), ha="center", va="bottom",
                               size=size, **look)  # fmt: skip
            self.axes.text(-8 / style.width_of(self.axes), 1.01, "n", transform=self.axes.transAxes, ha="right",
                           va="bottom", size=10.5, **look)  # fmt: skip
            return
        right = 1 + 78 / style.width_of(self.axes)
        for place, text in enumerate(texts):
            self.axes.text(right, place, text, transform=self.axes.get_yaxis_transform(), ha="right", va="center",
                           size=size, **look)  # fmt: skip
        self.axes.text(right, 1.0, "n", transform=self.axes.transAxes, ha="right", va="bottom", size=10.5, **look)


def _two_lines(text: str, room: int) -> str:
    """Break a name that is wider than its place at the space nearest its middle."""
    spaces = [k for k, letter in enumerate(text) if letter == " "]
    if len(text) <= room or not spaces:
        return text
    at = spaces[int(np.argmin([abs(k - len(text) / 2) for k in spaces]))]
    return f"{text[:at]}\n{text[at + 1 :]}"
