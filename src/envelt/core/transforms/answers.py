"""What `transforms` answers."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import NamedTuple

from ..columns.grouping import Grouping
from ..columns.table import Column
from ..finding import Finding, by_weight
from ..kept import Remade
from ..parallel import Slowly
from ..stats.heldout import HeldOutRows
from ..stats.sampling import Sampling
from .compare import Compared, compare
from .findings import said_of_all, said_of_transforms
from .suggest import Suggestion, suggest

MOST_GROUPS = 12


class JudgedGroup(NamedTuple):
    """All transforms of a column in one group of rows."""

    label: str
    compared: Compared
    suggestion: Suggestion


@dataclass(frozen=True)
class Judged(Remade):
    """All transforms of a column, the one suggested, and what there is to say.

    Parameters
    ----------
    column, sampling
        Of the same rows.
    held
        The rows with an outcome, in folds; nothing where there is no outcome, or the column is it.
    """

    column: Column
    sampling: Sampling
    held: HeldOutRows | None

    @cached_property
    def compared(self) -> Compared:
        """The transforms."""
        values = self.column.numbers
        assert values is not None
        return compare(self.column.name, values, self.sampling, self.held)

    @cached_property
    def suggestion(self) -> Suggestion:
        """The one suggested."""
        values = self.column.numbers
        assert values is not None
        return suggest(self.compared, (values, self.sampling))

    @cached_property
    def findings(self) -> tuple[Finding, ...]:
        """What a careful colleague would say."""
        return by_weight(said_of_transforms(self.compared, self.suggestion))

    def groups(self, by: Grouping) -> list[JudgedGroup]:
        """Return the same in each of the largest groups; there is no outcome: its share is that of all rows."""
        values, out = self.column.numbers, []
        assert values is not None
        for group in by.largest(MOST_GROUPS):
            mine, sampling = values[group.keep], self.sampling.take(group.keep)
            compared = compare(self.column.name, mine, sampling)
            out.append(JudgedGroup(group.label, compared, suggest(compared, (mine, sampling))))
        return out


@dataclass(frozen=True)
class TransformsAnswers(Remade):
    """One column in all rows, and in groups where columns divide them; or several columns.

    Parameters
    ----------
    every
        The columns.
    by
        The groups.
    """

    every: tuple[Judged, ...]
    by: Grouping | None
    slowly: Slowly

    @cached_property
    def judged(self) -> tuple[Judged, ...]:
        """The columns, each judged."""
        with self.slowly("Transforms") as report:
            for i, one in enumerate(self.every):
                report(i, len(self.every), one.column.name)
                one.suggestion  # noqa: B018 - so that what takes long is shown
        return self.every

    @cached_property
    def findings(self) -> tuple[Finding, ...]:
        """What there is to say of the columns, of several what is alike at once."""
        found = [f for j in self.judged for f in j.findings]
        return by_weight(found if len(self.every) == 1 else said_of_all(found))

    @cached_property
    def groups(self) -> list[JudgedGroup]:
        """The column in each group."""
        assert self.by is not None
        return self.every[0].groups(self.by)
