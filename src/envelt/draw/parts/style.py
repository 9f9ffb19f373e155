"""The house style: one palette, one type size scale, one way to set a title.

Figures are made without pyplot, so drawing has no global state and needs no monitor.
"""

from __future__ import annotations

import textwrap
from collections.abc import Iterator
from contextlib import contextmanager
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.axis import Axis

WIDTH, HEIGHT, DPI = 1280, 800, 100

PALETTE = ("#2b5c8a", "#e09f1f", "#3f9c8c", "#c8553d", "#a7c6e8", "#4a4a4a")
"""Six colours at least 24 apart (CIE76) for normal sight and for protanopia, deuteranopia and tritanopia."""

INK, DIM, LINE, PALE = "#1f2429", "#5b646d", "#d9dde1", "#eef1f4"
STOP, QUIET = PALETTE[3], "#9aa3ab"

FEW_DOTS = 300
"""Rows from which on dots have their usual size."""
MOST_CLASSES = 2 * len(PALETTE)
"""Told apart by colour and marker, or colour and dash; of more the largest but one and the others."""
MOST_LEVELS = 30
"""Levels drawn one by one; more than this and the smallest are joined."""

_RC: dict[str, Any] = {
    "font.family": "DejaVu Sans",
    "font.size": 11,
    "text.color": INK,
    "axes.labelcolor": INK,
    "axes.edgecolor": DIM,
    "axes.linewidth": 0.8,
    "axes.spines.top": False,
    "axes.spines.right": False,
    "axes.axisbelow": True,
    "axes.grid": False,
    "grid.color": LINE,
    "grid.linewidth": 0.8,
    "xtick.color": DIM,
    "ytick.color": DIM,
    "xtick.labelcolor": INK,
    "ytick.labelcolor": INK,
    "xtick.labelsize": 10,
    "ytick.labelsize": 10,
    "legend.frameon": False,
    "figure.dpi": DPI,
    "savefig.dpi": DPI,
    "svg.hashsalt": "envelt",
    "axes.unicode_minus": True,
    "text.parse_math": False,
}


@contextmanager
def house_style() -> Iterator[None]:
    """Draw in the house style and leave the caller's settings as they were."""
    import matplotlib as mpl

    with mpl.rc_context(_RC):  # type: ignore[arg-type]  # names of settings are checked when they are set
        yield


def colour(place: int) -> str:
    """Return the colour of the class, or group, at a place in its order."""
    return PALETTE[place % len(PALETTE)]


def marker(place: int) -> str:
    """Return the marker of a class: the second six have the colours of the first, and another marker."""
    return "o^"[place // len(PALETTE) % 2]


def dash(place: int) -> Any:
    """Return how the line of a class is drawn: dashed, of the second six."""
    return ("-", (0, (3.5, 1.4)))[place // len(PALETTE) % 2]


def key_mark(place: int) -> str:
    """Return the mark that stands for a class in a key."""
    return "■▲"[place // len(PALETTE) % 2]


def class_colours(levels: tuple[str, ...]) -> dict[str, str]:
    """Return one colour a class: the same in every picture of a study."""
    return {level: colour(i) for i, level in enumerate(levels)}


def dot_size(rows: int, usual: float, asked: float = 1.0) -> float:
    """Return how large dots are, in points: of few rows larger, so that each can be seen; ``asked`` times that."""
    larger: float = (FEW_DOTS / max(rows, 1)) ** 0.25
    return usual * min(max(larger, 1.0), 2.4) * asked


def shorten(text: str, most: int) -> str:
    """Cut a text that is too long, with an ellipsis."""
    text = text.replace("\n", " ")
    return text if len(text) <= most else text[: most - 1].rstrip() + "…"


def shorten_middle(text: str, most: int) -> str:
    """Cut a label in its middle: names of levels often differ at their end only."""
    text = text.replace("\n", " ")
    if len(text) <= most:
        return text
    tail = max(1, (most - 1) * 2 // 5)
    return f"{text[: most - 1 - tail].rstrip()}…{text[-tail:].lstrip()}"


def wrapped(text: str, width: int, lines: int = 2) -> str:
    """Wrap a text into a few lines; what is over is cut."""
    folded = textwrap.wrap(text, width, max_lines=lines, placeholder="…", break_long_words=True)
    return "\n".join(folded) if len(text) > width else text


def bare(axes: Axes, *sides: str) -> None:
    """Hide spines and their ticks."""
    for side in sides:
        axes.spines[side].set_visible(False)
    if "left" in sides:
        axes.tick_params(axis="y", length=0)
    if "bottom" in sides:
        axes.tick_params(axis="x", length=0)


def mark_cut_axis(axes: Axes, more: str = "") -> None:
    """Say on the picture that its x axis leaves out zero, and what more there is to say of it."""
    spot: dict[str, Any] = {
        "xy": (0, 0),
        "xycoords": "axes fraction",
        "xytext": (0, -38),
        "textcoords": "offset points",
    }
    axes.annotate(f"axis does not start at 0{more}", ha="left", size=9, color=STOP, **spot)


def percent_axis(axis: Axis, most: int = 10) -> None:
    """Label an axis of shares in percent, on ticks that need no rounding."""
    from matplotlib.ticker import FuncFormatter, MaxNLocator

    axis.set_major_locator(MaxNLocator(most, steps=[1, 2, 5, 10]))
    axis.set_major_formatter(FuncFormatter(lambda v, _: f"{100 * v:.10g}%"))


def _size_of(axes: Axes) -> tuple[float, float]:
    """Return width and height of the figure that axes are in, in pixels."""
    figure = axes.get_figure(root=True)
    width, height = (figure.get_size_inches() * DPI).tolist() if figure is not None else (WIDTH, HEIGHT)
    return width, height


def width_of(axes: Axes) -> float:
    """Return how wide axes are, in pixels."""
    return float(axes.get_position().width * _size_of(axes)[0])


def height_of(axes: Axes) -> float:
    """Return how high axes are, in pixels."""
    return float(axes.get_position().height * _size_of(axes)[1])
