"""How the outcome's classes are spread."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from .. import thresholds as T
from ..columns.labels import number_label
from ..columns.outcome import Classes, ClassOutcome, Outcome
from ..columns.table import Column, NumericColumn, TimeColumn
from ..columns.times import counts_on
from ..contingency.crosstab import CrossTable
from ..distribution.distribution import NumberDistribution
from ..finding import Finding, by_weight, marked
from ..kept import Remade
from ..stats.crossing import Crossing
from ..stats.groups import GroupedRows
from ..stats.rates import calendar_rate_bins, rate_bins
from ..stats.sampling import Sampling
from ..stats.stratified import units_in
from ..tallies.counts import Counts
from ..words import be, p_text, plural

DRIFT_BINS = 12
"""Units of the calendar, about, over which a drift is looked for: few enough to have rows each."""


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
    outcome, dates, sampling
        As in `drifts`.
    """

    outcome: Outcome
    dates: list[TimeColumn | NumericColumn]
    sampling: Sampling
    classes: ClassBalance | None = None
    crossed: CrossTable | None = None
    numbers: NumberDistribution | None = None

    @cached_property
    def findings(self) -> tuple[Finding, ...]:
        """What a careful colleague would say."""
        known, of = self.outcome.known, self.classes or self.numbers
        unknown = int((~known).sum())
        missing = [] if self.numbers is None else outcome_missing(self.outcome.name, unknown, len(known) - unknown)
        assert of is not None
        return by_weight([*missing, *of.findings, *drifts(self.outcome, self.dates, self.sampling)])


def class_balance(outcome: ClassOutcome, candidates: int, sampling: Sampling) -> ClassBalance:
    """Count the classes of an outcome and say what follows for a model of so many candidates.

    Over units a class has as many cases as units have a row in it.
    """
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
    known, cases, of_units = outcome.known, int(counts[smallest]), ""
    if sampling.clustered:
        cases = int(units_in(outcome.codes[known].astype(np.int64), len(counts), sampling.take(known))[smallest])
        of_units = f" of {plural(cases, 'case')}"
    if candidates and cases < T.CASES_PER_CANDIDATE * candidates:
        findings.append(
            Finding(
                "small-class",
                "caution",
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


def over_time(columns: Iterable[Column]) -> list[TimeColumn | NumericColumn]:
    """Return the columns over which an outcome may drift: dates, and numbers that count years or periods on end."""
    return [
        c for c in columns
        if isinstance(c, TimeColumn) or (isinstance(c, NumericColumn) and not c.empty and counts_on(c.name, c.values))
    ]  # fmt: skip


def drifts(outcome: Outcome, dates: list[TimeColumn | NumericColumn], sampling: Sampling) -> list[Finding]:
    """Find dates, or years, over which the outcome drifts: its rate, or mean, between stretches of time."""
    found = []
    known = outcome.known
    sampling = sampling.take(known)
    for column in dates:
        if isinstance(column, TimeColumn):
            bins, began = calendar_rate_bins(column.days[known], DRIFT_BINS), "what begins "
        else:
            bins, began = rate_bins(column.values[known]), ""
        rows = np.bincount(bins.codes[bins.codes >= 0], minlength=len(bins.ends))
        enough = np.flatnonzero(rows >= T.SPREAD_ROWS)
        if len(enough) < 2:
            continue
        renumber = np.full(len(rows) + 1, -1, np.int32)
        renumber[enough] = np.arange(len(enough))
        codes, k = renumber[bins.codes], len(enough)
        if isinstance(outcome, ClassOutcome):
            event = outcome.is_event[known]
            table = Crossing.of(codes, event.astype(np.int8), (k, 2), sampling)
            p, at = table.chi_square().p, table.counts[:, 1] / table.counts.sum(axis=1)
            what, write = f"rate of {outcome.event!r}", "{:.0%}"
        else:
            groups = GroupedRows(outcome.values[known], codes, tuple(str(i) for i in range(k)), sampling)
            test = groups.tests.get("welch_anova", groups.tests.get("welch_t"))
            p, at = (test.p if test is not None else np.nan), groups.summary.moments.mean
            what, write = f"mean of {marked(outcome.name)}", "{:.4g}"
        if not p < T.DRIFT_P:
            continue
        low, high = int(np.argmin(at)), int(np.argmax(at))
        spread = T.LEAST_POINTS if isinstance(outcome, ClassOutcome) else T.LEAST_SD * outcome.deviation
        if not at[high] - at[low] >= spread:
            continue
        first, last = min(low, high), max(low, high)
        ends = [(bins.ends.left[enough[i]], bins.ends.right[enough[i]]) for i in (first, last)]
        names = [str(np.datetime64(int(a), "D")) if began else _stretch(a, b) for a, b in ends]
        found.append(
            Finding(
                "outcome-drift",
                "caution",
                (outcome.name, column.name),
                f"The {what} is not the same over {marked(column.name)}: it runs from "
                f"{write.format(at[first])} in {began}{names[0]} to {write.format(at[last])} in {began}{names[1]} "
                f"({p_text(p)}).",
                "Test a model on later rows than it was fitted on, and ask what changed.",
                {"p": float(p), "first": float(at[first]), "last": float(at[last])},
            )
        )
    return found


def _stretch(first: float, last: float) -> str:
    a, b = number_label(first), number_label(last)
    return a if a == b else f"{a} to {b}"


def outcome_missing(name: str, unknown: int, known: int) -> list[Finding]:
    """Say how many rows have no outcome."""
    if not unknown:
        return []
    return [
        Finding(
            "outcome-missing",
            "note",
            (name,),
            f"{unknown:,} of {plural(unknown + known, 'row')} {'has' if unknown == 1 else 'have'} no "
            f"{marked(name)} and {be(unknown)} set aside wherever it is used.",
            "Find out why: rows are seldom without an outcome by chance.",
            {"rows": unknown},
        )
    ]
