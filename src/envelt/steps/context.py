"""What a step needs to know of its study."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..core.columns.grouping import Grouping, grouping_of
from ..core.columns.outcome import ClassOutcome, Outcome
from ..core.columns.table import Column, Table
from ..core.columns.units import unit_keys
from ..core.contingency.turnround import turns_among
from ..core.distribution.look import Look
from ..core.finding import Finding
from ..core.stats.clustered import unit_codes
from ..errors import OptionError, OutcomeError
from ..views.captions import Captions, outcome_line
from ..write.progress import slow_progress


@dataclass(frozen=True)
class Context:
    """A study as its steps see it.

    Parameters
    ----------
    table, outcome, unit, seed
        Of the study.
    names
        What to call columns.
    kept
        Lines on the rows kept.
    ranges
        What a person declared values can be, by column.
    """

    table: Table
    outcome: Outcome | None
    unit: str | None
    seed: int
    names: Captions
    kept: tuple[str, ...]
    ranges: Mapping[str, tuple[float, float]]

    @property
    def known_outcome(self) -> Outcome:
        """The outcome; a step that asks for it has one."""
        if self.outcome is None:
            raise OutcomeError("Name the outcome: outcome=… (--outcome at the command line).")
        return self.outcome

    def unit_codes(self) -> NDArray[np.int64] | None:
        """Return the unit of every row, numbered; nothing where none is declared."""
        return None if self.unit is None else unit_codes(unit_keys(self.table[self.unit]))

    def grouping(self, by: tuple[str, ...]) -> Grouping:
        """Return the groups that columns make; the outcome's classes in their own order."""
        for name in by:
            refuse_empty(self.table[name], "there are no groups to compare")
        grouping = grouping_of([self.table[n] for n in by], len(self.table))
        if len(by) == 1 and isinstance(self.outcome, ClassOutcome) and by[0] == self.outcome.name:
            return Grouping(by, self.outcome.levels, self.outcome.codes.astype(np.int64), True)
        return grouping

    def turns(self, candidates: Iterable[str], only: str | None = None) -> list[Finding]:
        """Search candidates for relations to the outcome that turn round; of one of them only, where it is named."""
        columns = [self.table[n] for n in dict.fromkeys(candidates) if n != self.unit]
        with slow_progress("Searching for what turns round") as report:
            return turns_among(columns, self.known_outcome, only, self.unit_codes(), report)

    def about(self, outcome: Outcome) -> tuple[str, ...]:
        """Return lines on the rows, the event, the subset, and the unit that intervals count."""
        lines = (outcome_line(outcome, len(self.table), self.names), *self.kept)
        return lines if self.unit is None else (*lines, f"intervals and tests count {self.names(self.unit)}, not rows")


def refuse_itself(by: tuple[str, ...], columns: tuple[str, ...]) -> None:
    """Refuse to group a column by itself.

    Raises
    ------
    OptionError
    """
    for name in by:
        if name in columns:
            raise OptionError(f"{name!r} cannot be grouped by itself. Name another column in by.")


def refuse_empty(column: Column, so: str) -> None:
    """Refuse a column without a value.

    Raises
    ------
    OptionError
    """
    if column.missing.all():
        raise OptionError(f"{column.name!r} is missing in every row: {so}.")


def refuse_picture(look: Look, name: str, why: str) -> None:
    """Refuse a picture that this pair of columns does not have.

    Raises
    ------
    OptionError
    """
    if look.picture != "auto":
        raise OptionError(f"There is no {look.picture} of {name!r} here: {why}. Leave the picture out.")
