"""How coefficients are to be taken."""

from __future__ import annotations

from dataclasses import dataclass

from ...errors import OptionError, option
from ..asked import Check, number_within, one_of
from ..choices import ALTERNATIVES, METHODS

COEFFICIENT: dict[str, Check] = {
    "method": one_of(*METHODS), "confidence": number_within(0, 1, ends=False), "alternative": one_of(*ALTERNATIVES),
}  # fmt: skip
"""The options of a coefficient of two numbers, the same in each step that has one."""


@dataclass(frozen=True)
class Correlating:
    """How coefficients are taken: a method, the confidence of intervals, and what the test is against."""

    method: str = "auto"
    confidence: float = 0.95
    alternative: str = "two-sided"

    def __post_init__(self) -> None:
        if self.alternative != "two-sided" and self.method == "auto":
            raise OptionError(
                "A one-sided test needs a coefficient with a sign: "
                f"{option('method', 'pearson', 'spearman', 'kendall')}."
            )


USUAL = Correlating()
"""By form, with 95 % intervals and tests of two sides."""
