"""How the outcome's classes are spread."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from .. import thresholds as T
from ..columns.outcome import Classes, ClassOutcome, Outcome
from ..columns.table import Column
from ..contingency.crosstab import CrossTable
from ..distribution.distribution import NumberDistribution
from ..finding import Finding, by_weight
from ..kept import Remade
from ..stats.sampling import Sampling
from ..stats.stratified import units_in
from ..tallies.counts import Counts
from ..words import plural
from .candidates import candidate_drift
from .drift import drifts
from .gaps import outcome_missing, outcome_zeros
from .limits import counted_from_one, counted_out_of
from .rhythm import rhythms


@dataclass(frozen=True)
class ClassBalance:
    """Counts of the classes.

    Parameters
    ----------
    unknown
        Rows without an outcome.
    largest_share
        The accuracy of always saying the largest class.
    candidates
        How many there are, to set beside the rows of the smallest class.
    """

    outcome: Classes
    counts: NDArray[np.int64]
    unknown: int
    largest_share: float
    candidates: int
    findings: tuple[Finding, ...]


@dataclass(frozen=True)
class BalanceAnswers(Remade):
    """How an outcome is spread: its classes (crossed with groups where some are named), or its numbers.

    Parameters
    ----------
    columns
        The candidates.
    sampling, rows
        What the rows are a sample of, and what they are called.
    """

    outcome: Outcome
    columns: list[Column]
    sampling: Sampling
    rows: pd.Index[Any]
    classes: ClassBalance | None = None
    crossed: CrossTable | None = None
    numbers: NumberDistribution | None = None

    @cached_property
    def findings(self) -> tuple[Finding, ...]:
        """What a careful colleague would say."""
        of = self.classes or self.numbers
        assert of is not None
        zeros = outcome_zeros(self.outcome)
        zeros += [*counted_from_one(self.outcome), *counted_out_of(self.outcome, self.columns)]
        found = [
            f for f in of.findings if not (zeros and zeros[0].code == "outcome-zeros" and f.code == "excess-zeros")
        ]
        missing = outcome_missing(self.outcome, self.columns, self.sampling)
        moving = drifts(self.outcome, self.columns, self.sampling, self.rows)
        moving += rhythms(self.outcome, self.columns, self.sampling)
        return by_weight([*missing, *zeros, *found, *moving, *candidate_drift(self.columns, self.sampling)])


def class_balance(outcome: ClassOutcome, candidates: int, sampling: Sampling) -> ClassBalance:
    """Count the classes of an outcome and say what follows for a model of so many candidates.

    Over units a class has as many cases as units have a row in it.
    """
    tally = Counts(len(outcome.levels))
    tally.add(outcome.codes)
    counts, unknown = tally.finish()
    total, smallest, largest = int(counts.sum()), int(counts.argmin()), int(counts.argmax())
    share = counts / total
    findings: list[Finding] = []
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
    known, cases, of_units = outcome.known, int(counts[smallest]), ""
    if sampling.clustered:
        cases = int(units_in(outcome.codes[known].astype(np.int64), len(counts), sampling.take(known))[smallest])
        of_units = f" of {plural(cases, 'case')}"
    if candidates and cases < T.CASES_PER_CANDIDATE * candidates:
        findings.append(
            Finding(
                "small-class",
                "caution" if cases < T.FEW_CASES else "note",
                (outcome.name,),
                f"{outcome.levels[smallest]!r} has {plural(counts[smallest], 'row')}{of_units} for "
                f"{plural(candidates, 'candidate')}, "
                f"{cases / candidates:.1f} each; a model of all of them wants "
                f"{T.CASES_PER_CANDIDATE} or more.",
                "Use fewer candidates or more shrinkage, gather more rows of this class, or join it with another.",
                {"rows": int(counts[smallest]), "cases": cases, "candidates": candidates},
            )
        )
    return ClassBalance(outcome.said, counts, unknown, float(share[largest]), candidates, by_weight(findings))


def lopsidedness(counts: NDArray[np.int64]) -> str:
    """Say in words how lopsided classes are: by the smallest for one of the largest."""
    ratio = counts.min() / max(int(counts.max()), 1)
    if ratio >= 1 / 1.5:
        return "about even"
    return "uneven" if ratio >= T.LOPSIDED_NOTE else "lopsided" if ratio >= T.LOPSIDED_CAUTION else "very lopsided"
