"""A picture in the making: its title, the line under it, panels placed in pixels, a note at the foot."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from ...errors import OptionError
from .style import DIM, DPI, HEIGHT, WIDTH, shorten, wrapped

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure


@dataclass(frozen=True)
class Page:
    """What a picture says of itself, and where it goes.

    Parameters
    ----------
    title
        What is shown.
    about
        Rows, missing and subset.
    ax
        The axes that a person wants it in; by default it gets a figure of its own.
    """

    title: str
    about: str
    ax: Axes | None = None

    def begin(self, note: str = "", height: int = HEIGHT) -> Canvas:
        """Return an empty figure with title, line and note; or the axes that a person has, with the title.

        Parameters
        ----------
        note
            What the picture cannot show.
        height
            In pixels; the width is 1280.
        """
        from matplotlib.backends.backend_agg import FigureCanvasAgg
        from matplotlib.figure import Figure

        if self.ax is not None:
            self.ax.set_title(shorten(self.title, 60), loc="left", weight="bold")
            return Canvas(self.ax.get_figure(root=True), [self.ax])  # type: ignore[arg-type]
        figure = Figure(figsize=(WIDTH / DPI, height / DPI), layout=None)
        FigureCanvasAgg(figure)
        top = height - 18
        figure.text(28 / WIDTH, top / height, shorten(self.title, 96), size=17, weight="bold", va="top")
        line = self.about if len(self.about) <= 165 else wrapped(self.about, 170, 2)
        size = 11 if line == self.about else 10
        figure.text(28 / WIDTH, (top - 32) / height, line, size=size, color=DIM, va="top")
        figure.title, figure.alternative = self.title, ""  # type: ignore[attr-defined]
        canvas = Canvas(figure)
        canvas.foot(note)
        return canvas


@dataclass(frozen=True)
class Canvas:
    """A figure that is being drawn.

    Parameters
    ----------
    figure
        The whole.
    given
        The axes that a person has, until they are taken; nothing where the figure is the picture's own.
    """

    figure: Figure
    given: list[Axes] | None = None

    @property
    def size(self) -> tuple[float, float]:
        """Width and height in pixels."""
        width, height = self.figure.get_size_inches() * DPI
        return float(width), float(height)

    def foot(self, note: str) -> None:
        """Write at the foot what the picture cannot show."""
        if self.given is not None or not note:
            return
        small: dict[str, Any] = {"size": 9.5 if len(note) <= 175 else 8.8, "linespacing": 1.1}
        self.figure.text(28 / WIDTH, 14 / self.size[1], wrapped(note, 190, 2), color=DIM, va="bottom", **small)

    def place(self, left: float, top: float, right: float, bottom: float, **options: Any) -> Axes:
        """Add axes by their margins in pixels from the four sides of the figure; or take the axes that a person has.

        Raises
        ------
        OptionError
            The picture has several panels, and one was given.
        """
        if self.given is not None:
            if not self.given:
                raise OptionError("This picture has several panels: draw() without ax makes a figure for them.")
            return self.given.pop()
        width, height = self.size
        box = (left / width, bottom / height, (width - left - right) / width, (height - top - bottom) / height)
        return self.figure.add_axes(box, **options)

    def text(self, x: float, y: float, text: str, **options: Any) -> None:
        """Write beside the panels, at a share of the width and of the height."""
        self.figure.text(x, y, text, **options)

    def describe(self, alternative: str) -> Figure:
        """Give the figure its text alternative and return it."""
        if self.given is None:
            self.figure.alternative = alternative  # type: ignore[attr-defined]
        return self.figure
