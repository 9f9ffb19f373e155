"""Two numbers and all that is said of how they go together, in one place for every step that shows two."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ..estimate import Estimate
from ..kept import Remade, kept
from ..stats.fitted_line import FittedLine, fitted_line
from ..stats.matrices import ranks_of_rows
from ..stats.sampling import Sampling
from ..stats.trend import Line, Trend, least_squares, smooth_trend
from .correlating import USUAL, Correlating
from .forms import FORMS, forms_of
from .relations import relate
from .side import Side, numbers_of

Floats = NDArray[np.float64]
COEFFICIENTS = ("pearson", "spearman", "kendall")


class Coefficient(NamedTuple):
    """A correlation of so many rows, its interval and its p."""

    n: int
    estimate: Estimate
    p: float


@dataclass(frozen=True)
class TwoNumbers(Remade):
    """The second number along the first; each part is made when it is asked for.

    Parameters
    ----------
    first, second
        Of the same rows, shape (n,), NaN where missing.
    sampling
        Of these rows.
    asked
        The confidence of intervals, and what tests are against. The line's intervals have two sides always.
    """

    first: Side
    second: Side
    sampling: Sampling
    seed: int
    asked: Correlating = USUAL

    @kept
    def both(self) -> tuple[NDArray[np.bool_], Floats, Floats, Sampling]:
        """The rows where both are present, and of these the first number, the second, and the sampling."""
        x, y = numbers_of(self.first), numbers_of(self.second)
        there = ~(np.isnan(x) | np.isnan(y))
        return there, x[there], y[there], self.sampling.take(there)

    @cached_property
    def n(self) -> int:
        """Rows where both are present."""
        return int(self.both[0].sum())

    @cached_property
    def pearson(self) -> Coefficient:
        """Pearson's correlation."""
        return self._coefficient("pearson")

    @cached_property
    def spearman(self) -> Coefficient:
        """Spearman's rank correlation; p over all orders under ten rows."""
        return self._coefficient("spearman")

    @cached_property
    def kendall(self) -> Coefficient:
        """Kendall's tau-b; p over all orders under ten rows."""
        return self._coefficient("kendall")

    def coefficient(self, method: str) -> Coefficient:
        """Return one of them by name."""
        made: Coefficient = getattr(self, method)
        return made

    @property
    def leading(self) -> str:
        """The coefficient that is spoken of: the one asked for, else Pearson's on a line and Spearman's elsewhere."""
        if self.asked.method in COEFFICIENTS:
            return self.asked.method
        return "pearson" if self.form == "linear" else "spearman"

    @cached_property
    def form(self) -> str:
        """The form of the relation, as `forms_of` has it: "not decided" where there are too few rows or values."""
        return FORMS[forms_of([self.first, self.second], self.sampling, self.seed)[0, 1]] or "not decided"

    def _coefficient(self, method: str) -> Coefficient:
        asked = Correlating(method, self.asked.confidence, self.asked.alternative)
        related = relate([self.first, self.second], asked, self.sampling, self.seed)
        low, high = related.intervals(np.array([0]), np.array([1]))
        estimate = Estimate(float(related.coefficient[0, 1]), float(low[0]), float(high[0]))
        return Coefficient(int(related.n[0, 1]), estimate, float(related.p[0, 1]))

    @cached_property
    def line(self) -> FittedLine:
        """The least-squares line of the second along the first."""
        return fitted_line(*self.both[1:], self.asked.confidence)

    @cached_property
    def explained(self) -> Estimate:
        """The share of the second's variance that the line takes, its interval that of Pearson's squared."""
        sided = self.asked.alternative != "two-sided"
        whole = replace(self, asked=Correlating(confidence=self.asked.confidence)) if sided else self
        return squared(whole.pearson.estimate, self.line.line.r_squared)

    @cached_property
    def trend(self) -> Trend | None:
        """The smooth trend of the second along the first."""
        return smooth_trend(*self.both[1:])

    @property
    def residuals(self) -> tuple[Floats, Floats]:
        """What the line says of the rows where both are present, and what it leaves."""
        _, x, y, _ = self.both
        fitted = self.line.line.at(x)
        return fitted, y - fitted


def two_numbers(sides: list[Side], sampling: Sampling, seed: int, asked: Correlating) -> TwoNumbers | None:
    """Return two sides as two numbers; nothing where they are not two, or not both numbers."""
    if len(sides) != 2 or any(s.what != "number" for s in sides):
        return None
    return TwoNumbers(sides[0], sides[1], sampling, seed, asked)


def squared(r: Estimate, r_squared: float) -> Estimate:
    """Return R² of a line with the interval of the squared correlation."""
    if r.low != r.low:
        return Estimate(r_squared, r.low, r.high)
    ends = sorted((r.low**2, r.high**2))
    return Estimate(r_squared, 0.0 if r.low <= 0 <= r.high else ends[0], ends[1])


@dataclass(frozen=True)
class Pictured:
    """Two numbers as a picture shows them: rows where both are present, shape (n,), and what is drawn through them."""

    x: Floats
    y: Floats
    line: Line
    trend: Trend | None


def pictured(two: TwoNumbers, ranks: bool = False, residuals: bool = False) -> Pictured:
    """Return values, or ranks among these rows, or what the line leaves of either."""
    _, x, y, sampling = two.both
    line = two.line.line
    if ranks:
        x, y = ranks_of_rows(x), ranks_of_rows(y)
        line = least_squares(x, y)
    if residuals:
        y = y - line.at(x)
        line = Line(0.0 * line.intercept, 0.0 * line.slope, 0.0)
    trend = smooth_trend(x, y, sampling) if ranks or residuals else two.trend
    return Pictured(x, y, line, trend)
