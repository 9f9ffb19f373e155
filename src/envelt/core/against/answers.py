"""What `against` answers of one candidate."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
import pandas as pd

from ...errors import OptionError
from ..columns.grouping import Grouping
from ..columns.outcome import ClassOutcome, NumericOutcome, Outcome
from ..columns.table import CategoryColumn, Column, TimeColumn
from ..distribution.alike import equal_groups
from ..distribution.look import Look
from ..estimate import UNDEFINED, UNDEFINED_TEST
from ..finding import Finding, by_weight
from ..kept import Remade
from ..relations.correlating import USUAL, Correlating
from ..stats.sampling import Sampling
from ..within.cases import CaseSearch
from ..within.groups import WithinGroups, levels_within, number_within, slope_within, within_findings
from ..within.search import TurnSearch
from .by_class import levels_by_class, number_by_class
from .by_number import NumberByNumber, NumberOverTime, number_by_levels
from .cloud import MOST_DOTS
from .parts import Part, Result, principal

MOST_PARTS = 30
"""Parts of the rows within which a candidate is set against the outcome."""


@dataclass(frozen=True)
class Against(Remade):
    """A candidate, the outcome of the same rows, and how they are looked at.

    Parameters
    ----------
    candidate, outcome, sampling, rows
        Of the same rows; ``rows`` are their labels.
    cases
        The column that says which case a row is.
    limits
        What a person declared values can be.
    correlating
        How coefficients of two numbers are taken.
    """

    candidate: Column
    outcome: Outcome
    sampling: Sampling
    rows: pd.Index[Any]
    look: Look
    cases: CategoryColumn | None
    limits: tuple[float, float] | None
    seed: int
    correlating: Correlating = USUAL

    def result(self, by: Grouping | None = None) -> Result:
        """Return the candidate set against the outcome, by what both are; numbers further divided by groups.

        Raises
        ------
        OptionError
            The look is not one that this pair has.
        """
        candidate, outcome, look, sampling = self.candidate, self.outcome, self.look, self.sampling
        if isinstance(outcome, ClassOutcome) or isinstance(candidate, CategoryColumn | TimeColumn):
            look.refuse_of_two(candidate.name)
            if self.correlating != USUAL:
                raise OptionError(
                    f"method, confidence and alternative are of two numbers: {candidate.name!r} and {outcome.name!r} "
                    "are not both."
                )
        if isinstance(outcome, ClassOutcome):
            if isinstance(candidate, CategoryColumn):
                look.refuse_all(candidate.name, "levels against classes are shown as rates")
                return levels_by_class(candidate, outcome, sampling, self.seed)
            return number_by_class(
                candidate, outcome, look, self.rows, sampling, by, self.limits, self.seed, self.cases
            )  # fmt: skip
        if isinstance(candidate, CategoryColumn):
            return number_by_levels(candidate, outcome, look, self.rows, sampling, self.cases)
        if isinstance(candidate, TimeColumn):
            look.refuse_all(candidate.name, "a number over time is shown by units of the calendar", ("calendar",))
            return NumberOverTime(candidate.name, outcome.said, candidate, outcome, sampling, look.calendar)
        besides = "residuals", "ranks", "size"
        look.refuse_all(candidate.name, "two numbers are shown as a scatter, or its density", besides)
        made = NumberByNumber(
            candidate.name, outcome.said, candidate, outcome, look, sampling, by, self.correlating, self.seed
        )  # fmt: skip
        if look.size != 1 and by is None and made.n > MOST_DOTS:
            raise OptionError(f"{made.n:,} rows are shown by their density, which has no dots: leave size out.")
        return made


@dataclass(frozen=True)
class AgainstAnswers(Remade):
    """One candidate against the outcome over all rows, and in the parts that other columns make.

    Parameters
    ----------
    result
        Over all rows; of a category the candidate's levels within the groups, where there are any.
    asked
        What was asked.
    by
        The groups.
    turns, cases
        The searches for what turns round, where there are none.
    """

    result: Result
    asked: Against
    by: Grouping | None
    turns: TurnSearch | None
    cases: CaseSearch | None

    @cached_property
    def parts(self) -> list[Part]:
        """The candidate against the outcome in each of the largest parts of the rows."""
        assert self.by is not None
        a, parts = self.asked, []
        for group in self.by.largest(MOST_PARTS):
            at = np.flatnonzero(group.keep)
            part, outcome = a.candidate.take(at), a.outcome.take(group.keep)
            if (part.missing | ~outcome.known).all():
                parts.append(Part(group.label, len(at), "none", UNDEFINED, UNDEFINED_TEST.p))
                continue
            some = Against(part, outcome, a.sampling.take(group.keep), a.rows[at], Look(), None, a.limits, a.seed)
            parts.append(Part(group.label, len(at), *principal(some.result())))
        return parts

    @cached_property
    def within(self) -> WithinGroups:
        """What the candidate does over all rows beside what is left of it within the groups."""
        candidate, outcome, sampling, by = self.asked.candidate, self.asked.outcome, self.asked.sampling, self.by
        assert by is not None
        if isinstance(candidate, CategoryColumn):
            return levels_within(candidate.name, candidate.codes, candidate.levels, outcome, by, sampling)
        numbers = candidate.numbers
        assert numbers is not None
        if isinstance(outcome, ClassOutcome):
            return number_within(candidate.name, numbers, outcome, by, sampling)
        assert isinstance(outcome, NumericOutcome)
        return slope_within(candidate.name, numbers, outcome, by, sampling)

    @cached_property
    def findings(self) -> tuple[Finding, ...]:
        """What a careful colleague would say."""
        turned = within_findings(self.within) if self.by is not None else []
        a, by = self.asked, self.by
        if by is not None and isinstance(a.outcome, NumericOutcome):
            of = by.names, by.codes, len(by)
            for name, values in ((a.outcome.name, a.outcome.values), (a.candidate.name, a.candidate.numbers)):
                turned += [] if values is None else equal_groups(name, values, of, a.sampling)
        for search in (self.turns, self.cases):
            turned += [] if search is None else search.of(self.asked.candidate.name)
        return by_weight([*turned, *self.result.findings])
