"""The axis of a column's values: linear, logarithmic or of dates, ticks in original units."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

import numpy as np
from matplotlib.ticker import Formatter

from ...core.distribution.look import Scale
from ...write.digits import places, significant
from . import style

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.axis import Axis

FIRST_DAY, LAST_DAY = -719_162.0, 2_932_896.0
"""Days since 1970 of the years 1 to 9999."""
LONG = 300 * 365.25
SCALE_NAMES = {"log": "log scale", "log1p": "log scale of 1 + value"}


def tick_label(value: float) -> str:
    """Return a number for a tick: whole where it is short, else with an exponent."""
    if abs(value) < 1e7:
        return significant(value, 6)
    mantissa, exponent = f"{value:.3e}".split("e")
    return f"{float(mantissa):g}e{int(exponent)}".replace("-", "−")


def tick_labels(values: Sequence[float]) -> list[str]:
    """Return numbers for the ticks of one axis: with equal decimals, where none needs an exponent."""
    texts = [tick_label(v) for v in values]
    if any("e" in t for t in texts):
        return texts
    decimals = max((len(t.partition(".")[2]) for t in texts), default=0)
    return [t if not decimals else places(v, decimals) for t, v in zip(texts, values, strict=True)]


class _Ticks(Formatter):
    """Matplotlib's way to ask for all labels of an axis at once."""

    def __call__(self, x: float, pos: int | None = None) -> str:
        """Return one label."""
        return tick_label(x)

    def format_ticks(self, values: Sequence[float]) -> list[str]:
        """Return the labels of all ticks."""
        return tick_labels(values)


def set_date_ticks(axis: Axis, most: int | None = None) -> None:
    """Give an axis of days since 1970 ticks of the calendar, round years where it spans centuries."""
    import matplotlib.dates as mdates

    class Places(mdates.AutoDateLocator):
        """Ticks in the years 1 to 9999, even where the axis reaches a little beyond."""

        def __call__(self) -> Any:
            low, high = np.clip(sorted(axis.get_view_interval()), FIRST_DAY, LAST_DAY)
            if high - low > LONG:
                return _round_years(low, high, most or 8)
            return super().__call__()  # type: ignore[no-untyped-call]

    class Labels(mdates.ConciseDateFormatter):
        """Years alone where the axis spans centuries."""

        def format_ticks(self, values: Sequence[float]) -> list[str]:
            low, high = sorted(axis.get_view_interval())
            if min(high, LAST_DAY) - max(low, FIRST_DAY) > LONG:
                return [str(_year(v)) for v in values]
            return list(super().format_ticks(values))  # type: ignore[no-untyped-call]

    few = {} if most is None else {"minticks": 2, "maxticks": most}
    locator = Places(**few)  # type: ignore[no-untyped-call]
    axis.set_major_locator(locator)
    axis.set_major_formatter(Labels(locator))  # type: ignore[no-untyped-call]


def _year(day: float) -> int:
    return int(np.datetime64(int(day), "D").astype("datetime64[Y]").astype(int)) + 1970


def _round_years(low: float, high: float, most: int) -> list[float]:
    """Return the first days of a few round years, as days since 1970."""
    from matplotlib.ticker import MaxNLocator

    years = MaxNLocator(most, steps=[1, 2, 5, 10], integer=True).tick_values(_year(low), _year(high))
    days = [float(np.datetime64(f"{int(y):04d}-01-01", "D").astype(int)) for y in years if 1 <= y <= 9999]
    return [d for d in days if low <= d <= high]


def set_values_axis(axes: Axes, name: str, scale: Scale, dates: bool = False, upright: bool = False) -> None:
    """Label the axis of values, which runs along or up, and give it ticks in original units."""
    axis, letters = (axes.yaxis, 60) if upright else (axes.xaxis, 90)
    if dates or scale.name == "linear":
        if dates:
            set_date_ticks(axis)
        else:
            axis.set_major_formatter(_Ticks())
        axis.set_label_text(style.shorten(name, letters))
        return
    low, high = sorted(axis.get_view_interval())
    ticks = _log_ticks(float(scale.value(np.array([low]))[0]), float(scale.value(np.array([high]))[0]), scale)
    axis.set_ticks(scale.place(ticks), labels=[significant(t, 6) for t in ticks])
    (axes.set_ylim if upright else axes.set_xlim)(low, high)
    axis.set_label_text(style.shorten(f"{name}, {SCALE_NAMES[scale.name]}", letters))


def _log_ticks(low: float, high: float, scale: Scale) -> np.ndarray:
    """Return up to a dozen round values between two ends: 1, 2 and 5 times powers of ten, or powers alone."""
    least = low if scale.name == "log" else max(low, 0.5)
    first, last = int(np.floor(np.log10(max(least, 1e-300)))), int(np.ceil(np.log10(max(high, 1e-299))))
    for parts in ((1.0, 2.0, 5.0), (1.0, 3.0), (1.0,)):
        ticks = np.array([m * 10.0**k for k in range(first, last + 1) for m in parts])
        ticks = ticks[(ticks >= least * (1 - 1e-9)) & (ticks <= high * (1 + 1e-9))]
        if len(ticks) <= 12:
            break
    ticks = ticks[:: max(1, len(ticks) // 12)]
    return np.concatenate([[0.0], ticks]) if scale.name == "log1p" and low <= 0.5 else ticks
