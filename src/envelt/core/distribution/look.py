"""How a distribution is to be looked at: which picture, on which scale, in which bins."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, fields
from typing import Any, TypedDict

import numpy as np
from numpy.typing import NDArray

from ...errors import OptionError, option
from ..asked import check_options, finite_number, listed, number_within, one_of, refuse_unknown, whole_from, yes_no
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
    curve: bool
    box: bool
    whiskers: str | Sequence[float]
    limits: Sequence[float] | None
    calendar: str | None
    residuals: bool
    ranks: bool
    deviation: bool
    size: float
    upright: bool


_CHECKS = {
    "picture": one_of(*PICTURES, instead={w: f" Did you mean {p!r}?" for w, p in OTHER_WORDS.items()}),
    "scale": one_of(*SCALES), "measure": one_of(*MEASURES), "arrange": one_of(*ARRANGEMENTS),
    "calendar": one_of(*UNITS), "bins": whole_from(1), "width": finite_number,
    "start": finite_number, "bandwidth": finite_number, "numbers": yes_no, "normal": yes_no, "curve": yes_no,
    "box": yes_no,
    "residuals": yes_no, "ranks": yes_no,
    "deviation": yes_no, "size": number_within(0.2, 5), "upright": yes_no,
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
    numbers, normal, curve, box
        Put numbers on the bars; a normal curve, or the density, over a histogram; a box under the dots.
    whiskers
        Of a box: to the last value within its "fences", to the "ends", or to two percentiles, such as ``(5, 95)``.
    limits
        The ends of the axis of values.
    calendar
        For dates: day, week, month, quarter, year, decade or century.
    deviation, size
        Mark the mean and a standard deviation to either side, of a box, a violin or dots; draw dots so many times as
        large as usual, 0.2 to 5.
    upright
        Boxes, violins and bars of levels side by side, with values running up, not one above the other.
    residuals, ranks
        For two numbers: draw what the line leaves, or rank against rank, not the values.

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
    curve: bool = False
    box: bool = False
    whiskers: str | tuple[float, float] = "fences"
    limits: tuple[float, float] | None = None
    calendar: str | None = None
    residuals: bool = False
    ranks: bool = False
    deviation: bool = False
    size: float = 1.0
    upright: bool = False

    def __post_init__(self) -> None:
        for name, value in check_options(vars(self), _CHECKS).items():
            object.__setattr__(self, name, value)
        if self.numbers and self.arrange in ("overlaid", "shares"):
            instead = option("arrange", "line", "stacked")
            raise OptionError(f"Numbers on {self.arrange} bars would hide each other: use {instead}.")
        if (self.normal or self.curve) and self.arrange in ("stacked", "shares"):
            raise OptionError(
                f"A curve has no place over {self.arrange} bars: use {option('arrange', 'line', 'overlaid')}."
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

    @property
    def given(self) -> dict[str, Any]:
        """What was asked for by name, but for the picture."""
        return {f.name: v for f in fields(self) if f.name != "picture" and (v := getattr(self, f.name)) != f.default}

    @property
    def is_plain(self) -> bool:
        """Whether a step's own picture can show all that was asked for; else it is that of a distribution."""
        return self.picture == "auto" and {*self.given} <= {"scale", "bins", "width", "calendar"}

    def refuse_beyond(self, picture: str, dates: bool, groups: int) -> None:
        """Refuse what a picture of numbers has no use for.

        Raises
        ------
        OptionError
            With the pictures that have.
        """
        uses = self._uses(dates)
        for name in self.given:
            if name in uses.get(picture, ()):
                if name == "arrange" and groups < 2:
                    raise OptionError("arrange sets out groups, and there is one: name a column in by.")
                continue
            able = [p for p in PICTURES if name in uses.get(p, ())]
            if not able:
                raise OptionError(f"{name} does nothing for {'dates' if dates else 'numbers'} here: leave it out.")
            raise OptionError(f"{name} belongs to {option('picture', *able[:3])}, not to {picture}.")

    def refuse_of_two(self, name: str) -> None:
        """Refuse what only a picture of two numbers has.

        Raises
        ------
        OptionError
        """
        if self.residuals:
            raise OptionError(f"Residuals are those of a line through two numbers: not of {name!r} here.")
        if self.ranks:
            raise OptionError(f"Rank against rank is of two numbers: not of {name!r} here.")

    def using(self, picture: str, dates: bool) -> str:
        """Return the picture that has use for all that was asked for: this one if it has."""
        uses, given = self._uses(dates), {*self.given}
        able = [p for p in (picture, *PICTURES) if given <= uses.get(p, set())]
        return able[0] if able else picture

    def _uses(self, dates: bool) -> dict[str, set[str]]:
        """Return what each picture has use for; a histogram for a bandwidth where it has a curve."""
        uses = {p: {*names.split()} for p, names in (_OF_DATES if dates else _OF_NUMBERS).items()}
        uses["histogram"] |= {"bandwidth"} if self.curve else set()
        return uses

    def refuse_all(self, name: str, shown: str, besides: Sequence[str] = ()) -> None:
        """Refuse all but a few options where a result is shown in one way.

        Parameters
        ----------
        shown
            How it is shown, for the message.

        Raises
        ------
        OptionError
        """
        if self.picture != "auto":
            raise OptionError(f"There is no {self.picture} of {name!r} here: {shown}. Leave the picture out.")
        lost = [n for n in self.given if n not in besides]
        if lost:
            verb = "does" if len(lost) == 1 else "do"
            raise OptionError(
                f"{' and '.join(lost)} {verb} nothing here: {shown}. Leave {'it' if len(lost) == 1 else 'them'} out."
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
        refuse_unknown(given, [f.name for f in fields(cls)], "A distribution")
        if given.get("limits") is not None:
            given["limits"] = _pair(given["limits"])
        if "whiskers" in given:
            given["whiskers"] = _whiskers(given["whiskers"])
        return cls(**given)


_OF_NUMBERS = {
    "histogram": "scale bins width start measure arrange numbers normal curve limits",
    "density": "scale bandwidth limits",
    "box": "scale whiskers limits deviation size upright", "violin": "scale bandwidth limits deviation upright",
    "dots": "scale box limits deviation size", "qq": "scale",
    "interval": "scale limits", "cumulative": "scale limits",
}  # fmt: skip
_OF_DATES = {
    "histogram": "bins width calendar", "density": "bandwidth limits", "box": "whiskers limits deviation size upright",
    "violin": "bandwidth limits deviation upright",
    "dots": "box limits deviation size", "qq": "", "interval": "limits", "cumulative": "limits",
}  # fmt: skip
"""What each picture has use for."""


def _whiskers(given: Any) -> str | tuple[float, float]:
    if isinstance(given, str):
        return one_of("fences", "ends")(given, "whiskers")  # type: ignore[no-any-return]
    try:
        low, high = (finite_number(v, "percentile") for v in listed(given, "whiskers"))
    except (OptionError, ValueError):
        low = high = 0.0
    if not 0 <= low < high <= 100:
        raise OptionError(f"whiskers are fences, ends, or two percentiles, low and high, such as 5,95, not {given!r}.")
    return low, high


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
