"""The two shapes every test and effect comes back in."""

from __future__ import annotations

from typing import NamedTuple

Z95 = 1.959963984540054  # the 97.5 % point of the standard normal


class Significance(NamedTuple):
    """A test's statistic and two-sided p-value; NaN where the data cannot give one."""

    statistic: float
    p: float


class Estimate(NamedTuple):
    """An estimate with its 95 % interval; NaN where the data cannot give one."""

    estimate: float
    low: float
    high: float


UNDEFINED_TEST = Significance(float("nan"), float("nan"))
UNDEFINED = Estimate(float("nan"), float("nan"), float("nan"))
