"""What a step needs to know of its study."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping
from dataclasses import dataclass, field, fields, replace
from functools import cached_property, wraps
from typing import TYPE_CHECKING, Any, Concatenate, ParamSpec, TypeVar

import numpy as np

from ..core.columns.encode import NO_PLAN
from ..core.columns.grouping import Grouping, grouping_of
from ..core.columns.outcome import ClassOutcome, Outcome
from ..core.columns.plan import StudyPlan
from ..core.columns.table import CategoryColumn, Column, Table
from ..core.columns.units import unit_keys
from ..core.inventory.quality.units import likely_unit
from ..core.stats.folds import deal, hash_blocks
from ..core.stats.heldout import HeldOutRows
from ..core.stats.sampling import Sampling
from ..core.within.cases import CaseSearch
from ..core.within.search import TurnSearch
from ..core.words import plural
from ..errors import OutcomeError
from ..views.captions import Captions, outcome_line
from ..write.progress import slow_progress
from .checks import refuse_empty

if TYPE_CHECKING:
    from ..data.read import Source

P = ParamSpec("P")
R = TypeVar("R")


@dataclass(frozen=True)
class Context:
    """All that steps know of a study. Nothing changes it: narrowing it, or deriving a column, makes another.

    Parameters
    ----------
    source
        Where the table came from, and what to say of the reading.
    whole
        Every row.
    listed
        The rows that are kept, as they stand in the data.
    table
        Likewise, each as many times as it stands for in a table that is already counted.
    plan
        What a person decided.
    origins
        The columns that each derived column is made from, directly or not.
    outcome
        Of the rows that are kept.
    """

    source: Source
    whole: Table
    listed: Table
    table: Table
    plan: StudyPlan
    origins: Mapping[str, frozenset[str]]
    outcome: Outcome | None
    part: tuple[str, ...] = ()
    _made: dict[Any, Any] = field(default_factory=dict, init=False, repr=False, compare=False)

    def __getstate__(self) -> dict[str, Any]:
        """What has been made can be made again, and is not carried from process to process."""
        return {**{f.name: getattr(self, f.name) for f in fields(self)}, "_made": {}}

    @property
    def unit(self) -> str | None:
        """The column that says which rows are one case."""
        return self.plan.unit

    @property
    def seed(self) -> int:
        """Of everything random."""
        return self.plan.seed

    @property
    def source_name(self) -> str:
        """What to call where the table came from."""
        return self.source.name

    @property
    def names(self) -> Captions:
        """What to call columns."""
        return Captions({c.name: c.title for c in self.table if c.label or c.unit})

    @property
    def kept(self) -> tuple[str, ...]:
        """Lines on the rows kept, and on how often each counts."""
        lines = (*self.part, *(f"only rows where {e}" for e in self.plan.where))
        if self.plan.counts is None:
            return lines
        listed = f"{plural(len(self.listed), 'row')} of the data, each counted {self.plan.counts} times"
        return (*lines, listed)

    @property
    def ranges(self) -> dict[str, tuple[float, float]]:
        """What a person declared values can be, by column."""
        return {n: p.range for n, p in self.plan.columns.items() if p.range is not None}

    def marks_of(self, column: Column) -> tuple[str, ...]:
        """Return what stands for missing in a column: as declared, and as found among its values."""
        declared = self.plan.columns.get(column.name, NO_PLAN).missing
        return tuple(sorted({*self.plan.missing, *declared, *(text for text, _ in column.blanked)}))

    @property
    def candidates(self) -> list[str]:
        """The columns that could be features: all but the outcome, the unit, and what is made from the outcome."""
        roles = (self.plan.outcome, self.unit, self.plan.counts)
        made = self.from_outcome
        return [n for n in self.table.columns if n not in roles and n not in made]

    @property
    def from_outcome(self) -> set[str]:
        """The derived columns that are made from the outcome."""
        return {n for n, sources in self.origins.items() if self.plan.outcome in sources}

    def with_kin(self, names: Collection[str]) -> list[str]:
        """Return of the derived columns some, and those made from them."""
        return [n for n in self.plan.derived if n in names or self.origins.get(n, frozenset()) & {*names}]

    @property
    def known_outcome(self) -> Outcome:
        """The outcome.

        Raises
        ------
        OutcomeError
            The study has none.
        """
        if self.outcome is None:
            names = ", ".join(list(self.table.columns)[:8])
            raise OutcomeError(f"Name the outcome: outcome=… (--outcome at the command line), one of {names}, ….")
        return self.outcome

    @property
    def cases(self) -> CategoryColumn | None:
        """The column that says which case a row is: the unit where it names them, else an identifier; none if none."""
        names = [self.unit] if self.unit is not None else [c.name for c in self.table if c.kind == "identifier"]
        for name in names:
            column = self.table[name]
            if isinstance(column, CategoryColumn) and 2 * column.distinct > len(column):
                return column
        return None

    @cached_property
    def sampling(self) -> Sampling:
        """What the rows of the table are a sample of: cases each, or the declared units."""
        if self.unit is None:
            return Sampling.of_rows(len(self.table))
        return Sampling.of_units(unit_keys(self.table[self.unit]))

    def grouping(self, by: tuple[str, ...]) -> Grouping:
        """Return the groups that columns make; the outcome's classes in their own order."""
        for name in by:
            refuse_empty(self.table[name], "there are no groups to compare")
        grouping = grouping_of([self.table[n] for n in by], len(self.table))
        if len(by) == 1 and isinstance(self.outcome, ClassOutcome) and by[0] == self.outcome.name:
            return Grouping.of(by, self.outcome.levels, self.outcome.codes, True)
        return grouping

    @cached_property
    def held_out(self) -> HeldOutRows:
        """The rows with an outcome as held-out shares see them, in folds that keep units whole."""
        outcome = self.known_outcome
        known, target = outcome.known, outcome.target()
        whole = None
        if self.unit is not None:
            keys = unit_keys(self.table[self.unit])[known].astype(np.int64)
            whole = deal(hash_blocks(keys, self.seed), target.load, self.seed)
        return HeldOutRows(known, target, self.sampling.take(known), self.seed, whole)

    def turns(self, candidates: list[str]) -> TurnSearch:
        """Return the search of candidates for relations to the outcome that turn round; made once for each choice."""
        names = sorted({n for n in candidates if n != self.unit}, key=list(self.table.columns).index)
        key = ("turns", tuple(names))
        if key not in self._made:
            columns = [self.table[n] for n in names]
            self._made[key] = TurnSearch(columns, self.known_outcome, self.sampling, slow_progress)
        search: TurnSearch = self._made[key]
        return search

    def within_cases(self, candidates: list[str]) -> CaseSearch | None:
        """Return the search for what goes otherwise within units, declared or likely; none where there are none."""
        units = self if self.unit is not None else self.under_unit
        if units is None:
            return None
        names = [n for n in candidates if n != units.unit]
        columns, declared = [self.table[n] for n in names], self.unit is not None
        return CaseSearch(columns, self.known_outcome, units.sampling, str(units.unit), declared)

    @cached_property
    def under_unit(self) -> Context | None:
        """The same with the likely unit declared, where nobody said what a unit is and its rows agree on the outcome.

        A study that is counted, or has no outcome, has none.
        """
        if self.unit is not None or self.outcome is None or self.plan.counts is not None:
            return None
        likely = likely_unit(self.table, self.outcome)
        return None if likely is None else replace(self, plan=replace(self.plan, unit=likely))

    @property
    def of_outcome(self) -> tuple[str, ...]:
        """Lines on the rows with an outcome, the event, and the subset."""
        return (outcome_line(self.known_outcome, len(self.table), self.names), *self.kept)

    @property
    def about(self) -> tuple[str, ...]:
        """Those lines, and the unit that intervals count."""
        return (*self.of_outcome, *self.counted)

    @property
    def counted(self) -> tuple[str, ...]:
        """A line on the unit that intervals and tests count, where one is declared."""
        return () if self.unit is None else (f"intervals and tests count {self.names(self.unit)}, not rows",)


def once(step: Callable[Concatenate[Context, P], R]) -> Callable[Concatenate[Context, P], R]:
    """Make what a step gives once for each way of asking for it: a context does not change."""

    @wraps(step)
    def made(context: Context, /, *args: P.args, **options: P.kwargs) -> R:
        key = (step.__name__, args, tuple(sorted(options.items())))
        if key not in context._made:
            context._made[key] = step(context, *args, **options)
        view: R = context._made[key]
        return view

    return made
