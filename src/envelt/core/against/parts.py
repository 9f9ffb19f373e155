"""What a candidate does in each part of the rows."""

from __future__ import annotations

from typing import NamedTuple

from ..estimate import Estimate
from .by_class import LevelsByClass, NumberByClass
from .by_number import NumberByLevels, NumberByNumber, NumberOverTime

Result = NumberByClass | LevelsByClass | NumberByLevels | NumberByNumber | NumberOverTime

PRINCIPAL = (
    ("spearman", "spearman"),
    ("mean_difference", "welch_t"),
    ("risk_difference", "chi_square"),
    ("omega_squared", "welch_anova"),
    ("cramers_v", "chi_square"),
)
"""Effects by which parts of the rows are compared, each with its test; the first that a result has."""


class Part(NamedTuple):
    """What a candidate does within one level of a column that divides the rows."""

    label: str
    n: int
    effect: str
    estimate: Estimate
    p: float


def principal(result: Result) -> tuple[str, Estimate, float]:
    """Return the effect and p by which parts of the rows are compared."""
    tests, effects = result.tests, result.effects
    effect, test = next((e, t) for e, t in PRINCIPAL if e in effects and t in tests)
    return effect, effects[effect], tests[test].p
