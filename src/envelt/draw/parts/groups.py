"""Which groups a picture shows, in which order and colour."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, NamedTuple

import numpy as np

from ...core.distribution.distribution import NumberDistribution
from ...core.words import plural
from ...write.digits import count, day_label, significant, visible
from . import style
from .labels import short_labels

if TYPE_CHECKING:
    from matplotlib.axes import Axes

COLOURED = 6
"""With more groups than colours one colour serves all: the rows are told apart by their labels."""


class ShownGroups(NamedTuple):
    """The groups drawn, from the top, and a sentence on those that are not."""

    order: list[int]
    note: str


def shown_groups(result: NumberDistribution, most: int, *, by_middle: bool = False) -> ShownGroups:
    """Choose the groups to draw: the largest, in their order, or sorted by median where they have none."""
    n = result.summary.moments.n
    filled = np.flatnonzero(n)
    largest = filled[np.argsort(-n[filled], kind="stable")[:most]]
    order = np.sort(largest)
    if by_middle and not result.groups.ordered and result.groups.names:
        order = order[np.argsort(-result.summary.quartiles[order, 1], kind="stable")]
    hidden, empty = len(filled) - len(order), len(n) - len(filled)
    note = f"Not drawn: the {count(hidden)} smallest of {plural(len(filled), 'group')}. " if hidden else ""
    note += f"{count(empty)} group{'s have' if empty > 1 else ' has'} no value. " if empty else ""
    return ShownGroups([int(i) for i in order], note)


def group_colour(result: NumberDistribution, i: int) -> str:
    """Return a group's colour: the same in every picture of a study."""
    places = _places(result)
    return style.colour(places[i]) if max(places) < COLOURED else style.PALETTE[0]


def group_line(result: NumberDistribution, i: int) -> dict[str, Any]:
    """Return how a group's line looks among up to twelve: its colour, dashed where that is an earlier group's too."""
    places = _places(result)
    place = places[i] if max(places) < style.MOST_CLASSES else i % style.MOST_CLASSES
    return {"color": style.colour(place), "ls": style.dash(place)}


def _places(result: NumberDistribution) -> tuple[int, ...]:
    return result.groups.places or tuple(range(len(result.groups)))


def group_label(result: NumberDistribution, i: int, most: int = 26) -> str:
    """Return a group's label, short enough to stand beside it."""
    if len(result.groups) == 1 and not result.groups.names:
        return "all rows"
    return short_labels(tuple(map(visible, result.groups.labels)), most)[i]


def beside(axes: Axes, result: NumberDistribution, i: int, title: bool = True) -> None:
    """Write a group's name, its rows, mean and median on the right of its axes."""
    n = int(result.summary.moments.n[i])
    write = day_label if result.dates else significant
    mean, median = float(result.summary.moments.mean[i]), float(result.summary.quartiles[i][1])
    spot: dict[str, Any] = {"va": "top", "transform": axes.transAxes}
    if title:
        axes.text(1.015, 0.98, group_label(result, i, 21), weight="bold", size=11, **spot)
    numbers = f"n = {count(n)}\nmean {write(mean)}\nmedian {write(median)}" if n else "n = 0"
    axes.text(1.015, 0.98, ("\n" if title else "") + numbers, size=10, color=style.DIM, linespacing=1.45, **spot)
