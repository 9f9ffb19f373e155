"""How a distribution is to be looked at: which picture, on which scale, in which bins."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, fields
from typing import Any, TypedDict

import numpy as np
from numpy.typing import NDArray

from ...errors import OptionError, option
from ..asked import check_options, finite_number, listed, one_of, refuse_unknown, whole_from, yes_no
from ..columns.labels import number_label
from ..shapes.calendar import UNITS

Floats = NDArray[np.float64]

PICTURES = ("auto", "histogram", "density", "box", "violin", "dots", "qq", "interval", "cumulative", "bars")
SCALES = ("linear", "log", "log1p")
MEASURES = ("count", "share", "density")
ARRANGEMENTS = ("line", "overlaid", "stacked", "shares")

OTHER_WORDS = {
    "kde": "density", "boxplot": "box", "ecdf": "cumulative", "cdf": "cumulative",
    "points": "dots", "quantile": "qq", "normal": "qq", "bar": "bars", "pie": "bars",
}  # fmt: skip
"""What people ask for in other words, and the picture they mean."""


class LookOptions(TypedDict, total=False):
    """The options of `distribution` and `against` that say how to look; see `Look`."""

    picture: str
    scale: str
    bins: int | None
    width: float | None
    start: float | None
    measure: str | None
    arrange: str
    bandwidth: float | None
    numbers: bool
    normal: bool
    box: bool
    limits: Sequence[float] | None
    calendar: str | None
    residuals: bool


_CHECKS = {
    "picture": one_of(*PICTURES, instead={w: f" Did you mean {p!r}?" for w, p in OTHER_WORDS.items()}),
    "scale": one_of(*SCALES), "measure": one_of(*MEASURES), "arrange": one_of(*ARRANGEMENTS),
    "calendar": one_of(*UNITS), "bins": whole_from(1), "width": finite_number,
    "start": finite_number, "bandwidth": finite_number, "numbers": yes_no, "normal": yes_no, "box": yes_no,
    "residuals": yes_no,
}  # fmt: skip


@dataclass(frozen=True)
class Look:
    """How a distribution is looked at.

    Parameters
    ----------
    picture
        One of `PICTURES`; "auto" chooses by kind, rows and groups.
    scale
        "linear", "log" (values above zero) or "log1p" (values from zero); ticks stay in original units.
    bins, width, start
        Of histograms: about how many bins, their width, an edge to start from.
    measure
        What the bars of a histogram show: "count", "share" of the group, or "density". By default counts of one
        group, and shares where several are compared.
    arrange
        How a histogram sets out groups: in "line" one above the other, "overlaid", "stacked", or the groups'
        "shares" inside each bin. By default in line.
    bandwidth
        Of densities, in the units of the values (of log10 on a log scale).
    numbers, normal, box
        Put numbers on the bars; a normal curve over a histogram; a box under the dots.
    limits
        The ends of the axis of values.
    calendar
        For dates: day, week, month, quarter, year, decade or century.
    residuals
        For two numbers: draw what the line leaves, not the values.

    Raises
    ------
    OptionError
    """

    picture: str = "auto"
    scale: str = "linear"
    bins: int | None = None
    width: float | None = None
    start: float | None = None
    measure: str | None = None
    arrange: str = "line"
    bandwidth: float | None = None
    numbers: bool = False
    normal: bool = False
    box: bool = False
    limits: tuple[float, float] | None = None
    calendar: str | None = None
    residuals: bool = False

    def __post_init__(self) -> None:
        for name, value in check_options(vars(self), _CHECKS).items():
            object.__setattr__(self, name, value)
        for name, pictures in (("numbers", ("histogram", "bars")), ("normal", ("histogram",)), ("box", ("dots",))):
            if getattr(self, name) and self.picture not in ("auto", *pictures):
                raise OptionError(f"{name} belongs to {option('picture', pictures[0])}, not to {self.picture}.")
        if self.numbers and self.arrange in ("overlaid", "shares"):
            instead = option("arrange", "line", "stacked")
            raise OptionError(f"Numbers on {self.arrange} bars would hide each other: use {instead}.")
        if self.normal and self.arrange in ("stacked", "shares"):
            raise OptionError(
                f"A normal curve has no place over {self.arrange} bars: use {option('arrange', 'line', 'overlaid')}."
            )
        self._check_numbers()

    def _check_numbers(self) -> None:
        if self.bandwidth is not None and self.bandwidth <= 0:
            raise OptionError(f"The bandwidth must be a number above zero, not {self.bandwidth:g}.")
        if self.width is not None and self.width <= 0:
            raise OptionError(f"The width of the bins must be a number above zero, not {self.width:g}.")
        if self.limits is not None and not self.limits[0] < self.limits[1]:
            raise OptionError(
                f"The limits of an axis go from low to high, not {self.limits[0]:g} to {self.limits[1]:g}."
            )

    @classmethod
    def of(cls, options: LookOptions) -> Look:
        """Check options given by name.

        Raises
        ------
        OptionError
            With the nearest name where one is unknown.
        """
        given: dict[str, Any] = dict(options)
        refuse_unknown(given, [f.name for f in fields(cls)], "A look")
        if given.get("limits") is not None:
            given["limits"] = _pair(given["limits"])
        return cls(**given)


def _pair(limits: Sequence[float]) -> tuple[float, float]:
    try:
        low, high = listed(limits, "limits")
    except (OptionError, ValueError):
        raise OptionError(f"The limits of an axis are two numbers, low and high, not {limits!r}.") from None
    return finite_number(low, "lower limit of an axis"), finite_number(high, "upper limit of an axis")


@dataclass(frozen=True)
class Scale:
    """A scale of values: where they are placed, and what stands there in original units."""

    name: str

    def place(self, values: Floats) -> Floats:
        """Return where values lie on the scale; log10 on the log scales."""
        if self.name == "linear":
            return values
        with np.errstate(divide="ignore", invalid="ignore"):
            return np.asarray(np.log10(values) if self.name == "log" else np.log1p(values) / np.log(10))

    def value(self, places: Floats) -> Floats:
        """Return the values at places on the scale."""
        if self.name == "linear":
            return places
        with np.errstate(over="ignore"):
            return np.asarray(np.power(10.0, places) if self.name == "log" else np.expm1(places * np.log(10)))

    def slope(self, places: Floats) -> Floats:
        """Return how much of the scale one unit of value takes, at places on the scale."""
        if self.name == "linear":
            return np.ones_like(places)
        values = self.value(places)
        with np.errstate(over="ignore", divide="ignore"):
            return np.asarray(1 / ((values if self.name == "log" else values + 1) * np.log(10)))


def checked_scale(name: str, low: float, column: str) -> Scale:
    """Return a scale if the values can be placed on it.

    Parameters
    ----------
    name
        One of `SCALES`.
    low
        The smallest value of the column.

    Raises
    ------
    OptionError
        With the reason, and the scale to use instead.
    """
    if name == "log" and low <= 0:
        instead = option("scale", "log1p") if low > -1e-12 else "the linear scale"
        raise OptionError(
            f"A log scale needs values above zero, and {column} goes down to {number_label(low)}: use {instead}."
        )
    if name == "log1p" and low < 0:
        raise OptionError(
            f"The log1p scale needs values from zero up, and {column} goes down to {number_label(low)}: "
            "use the linear scale."
        )
    return Scale(name)
