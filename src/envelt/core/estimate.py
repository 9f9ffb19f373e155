"""The two shapes every test and effect comes back in, and the finding."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any, NamedTuple

WEIGHTS = ("note", "caution", "stop")

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


@dataclass(frozen=True)
class Finding:
    """Something worth a person's attention, with its evidence.

    Parameters
    ----------
    code
        Kebab-case name, listed in ``docs/findings.md``.
    weight
        ``note``, ``caution`` or ``stop``.
    columns
        The columns concerned.
    statement
        One plain sentence with its numbers.
    evidence
        The numbers behind it, JSON-ready.
    advice
        What to do about it.
    """

    code: str
    weight: str
    columns: tuple[str, ...]
    statement: str
    advice: str
    evidence: dict[str, Any] = field(default_factory=dict)

    def to_dict(self) -> dict[str, Any]:
        """Return the finding as JSON-ready data."""
        return {
            "code": self.code,
            "weight": self.weight,
            "columns": list(self.columns),
            "statement": self.statement,
            "evidence": self.evidence,
            "advice": self.advice,
        }


def by_weight(findings: list[Finding]) -> tuple[Finding, ...]:
    """Order findings with the gravest first, otherwise as they came."""
    return tuple(sorted(findings, key=lambda f: -WEIGHTS.index(f.weight)))
