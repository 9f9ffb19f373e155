"""How the outcome's classes are spread."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from . import thresholds as T
from .estimate import Finding, by_weight
from .groups import GroupSummary, summarise_groups
from .outcome import ClassOutcome, NumericOutcome
from .tallies import Counts


@dataclass(frozen=True)
class ClassBalance:
    """Counts of the classes.

    ``largest_share`` is the accuracy of always saying the largest class.
    """

    outcome: ClassOutcome
    counts: NDArray[np.int64]
    unknown: int
    largest_share: float
    findings: tuple[Finding, ...]


@dataclass(frozen=True)
class NumericBalance:
    """A numeric outcome described as one group."""

    outcome: NumericOutcome
    summary: GroupSummary
    findings: tuple[Finding, ...]


def class_balance(outcome: ClassOutcome, candidates: int) -> ClassBalance:
    """Count the classes of an outcome and say what follows for a model of so many candidates."""
    tally = Counts(len(outcome.levels))
    tally.add(outcome.codes)
    counts, unknown = tally.finish()
    total, smallest, largest = int(counts.sum()), int(counts.argmin()), int(counts.argmax())
    share = counts / total
    findings = [*outcome_missing(outcome.name, unknown, total)]
    ratio = counts[smallest] / counts[largest]
    if ratio < T.LOPSIDED_NOTE:
        findings.append(
            Finding(
                "lopsided-outcome",
                "caution" if ratio < T.LOPSIDED_CAUTION else "note",
                (outcome.name,),
                f"{outcome.levels[smallest]!r} is {share[smallest]:.1%} of the rows, one for every "
                f"{1 / ratio:.1f} of {outcome.levels[largest]!r}: always saying {outcome.levels[largest]!r} is right "
                f"{share[largest]:.1%} of the time.",
                "Judge a model by log loss, or by recall and precision of the rare class, not by accuracy; "
                "keep the classes' shares equal in every fold.",
                {"smallest": int(counts[smallest]), "largest": int(counts[largest]), "ratio": float(ratio)},
            )
        )
    if candidates and counts[smallest] < T.CASES_PER_CANDIDATE * candidates:
        findings.append(
            Finding(
                "small-class",
                "caution",
                (outcome.name,),
                f"{outcome.levels[smallest]!r} has {counts[smallest]:,} rows for {candidates} candidates, "
                f"{counts[smallest] / candidates:.1f} each; a model of all of them wants "
                f"{T.CASES_PER_CANDIDATE} or more.",
                "Use fewer candidates or more shrinkage, gather more rows of this class, or join it with another.",
                {"rows": int(counts[smallest]), "candidates": candidates},
            )
        )
    return ClassBalance(outcome, counts, unknown, float(share[largest]), by_weight(findings))


def numeric_balance(outcome: NumericOutcome) -> NumericBalance:
    """Describe a numeric outcome."""
    summary = summarise_groups(outcome.values, np.zeros(len(outcome.values), np.int32), (outcome.name,))
    unknown = int(summary.missing[0])
    return NumericBalance(
        outcome, summary, tuple(outcome_missing(outcome.name, unknown, len(outcome.values) - unknown))
    )


def outcome_missing(name: str, unknown: int, known: int) -> list[Finding]:
    """Say how many rows have no outcome."""
    if not unknown:
        return []
    return [
        Finding(
            "outcome-missing",
            "note",
            (name,),
            f"{unknown:,} of {unknown + known:,} rows have no {name!r} and are set aside wherever it is used.",
            "Find out why: rows are seldom without an outcome by chance.",
            {"rows": unknown},
        )
    ]
