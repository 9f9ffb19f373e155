"""A picture in the making: its title, the line under it, panels placed in pixels, a note at the foot."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from ...errors import OptionError
from .style import DIM, DPI, HEIGHT, INK, WIDTH, shorten, wrapped

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
    answer
        What a person would say of it: its first sentence stands under the title, all of it in the text alternative.
    """

    title: str
    about: str
    ax: Axes | None = None
    answer: str = ""

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
        self._say(figure, top - 28, height)
        figure.title, figure.alternative = self.title, self.answer  # type: ignore[attr-defined]
        canvas = Canvas(figure)
        canvas.foot(note)
        return canvas

    def _say(self, figure: Figure, at: float, height: int) -> None:
        """Write the first sentence of the answer and the line of rows under the title: three lines at most."""
        first = self.answer.split(". ")[0].removesuffix(".") + "." if self.answer else ""
        said = wrapped(first, SAID, 2)
        about = wrapped(self.about, TOLD, 1 if said else 2)
        three = said.count("\n") + about.count("\n") + bool(said) > 1
        size, step = (9.5, 14.5) if three or len(said) > LARGE else (10.5, 17)
        if said:
            figure.text(28 / WIDTH, at / height, said, size=size, color=INK, va="top", linespacing=1.1)
            at -= step * (1 + said.count("\n"))
        figure.text(28 / WIDTH, at / height, about, size=size - 0.5, color=DIM, va="top", linespacing=1.1)


SAID, TOLD, LARGE = 145, 172, 125
"""Characters in a line of an answer, and of what it is of; and of one in larger type, were they all digits."""


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
            answer = str(getattr(self.figure, "alternative", ""))
            self.figure.alternative = f"{answer} {alternative}".strip()  # type: ignore[attr-defined]
        return self.figure
