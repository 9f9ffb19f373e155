"""What `relations` answers."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import NamedTuple

import numpy as np

from ..columns.grouping import Grouping
from ..columns.outcome import ClassOutcome, Outcome
from ..columns.table import Table
from ..distribution.alike import equal_groups
from ..finding import Finding, by_weight
from ..inventory.quality.copies import copy_findings
from ..inventory.quality.flags import exclusive_flags
from ..inventory.quality.recipes import recipe_findings
from ..kept import Remade
from ..parallel import Slowly
from ..stats.heldout import HeldOutRows
from ..stats.sampling import Sampling
from . import findings as said
from .correlating import Correlating
from .differ import Differs, differing
from .groups import Alike, Inflation, alike, inflation
from .panels import PanelClasses
from .relations import Relations, relate
from .side import Side, numbers_of, side_of
from .single import Single, single_pair
from .together import Joint, joint_shares
from .two_numbers import TwoNumbers, two_numbers

MOST_PARTS = 12
MOST_ALIKE = 2
"""Columns whose groups agree too well that are named."""


class RelatedPart(NamedTuple):
    """The relations in one group of rows."""

    label: str
    relations: Relations


@dataclass(frozen=True)
class RelationsAnswers(Remade):
    """How columns go together; each part is made when it is asked for.

    Parameters
    ----------
    table, listed
        The rows that are related, and those of the data, among which copies are looked for.
    names
        The columns.
    asked, sampling, seed
        As in `relate`.
    outcome
        Where it is among the columns.
    target, held
        The outcome of the study and its rows in folds, where it has one.
    own
        The columns that are no candidates: the unit, and what is made from the outcome.
    by
        The groups within which the same is asked, where there are any.
    classes, shown
        Of a picture of two numbers: what colours the rows, and whether ranks, or what the line leaves, are drawn.
    """

    table: Table
    listed: Table
    names: tuple[str, ...]
    asked: Correlating
    sampling: Sampling
    seed: int
    outcome: str | None
    target: Outcome | None
    held: HeldOutRows | None
    own: frozenset[str]
    by: Grouping | None
    classes: PanelClasses | None
    shown: tuple[bool, bool]
    slowly: Slowly

    @cached_property
    def sides(self) -> list[Side]:
        """The columns, as pairs have them."""
        return [side_of(self.table[n], self.target) for n in self.names]

    @cached_property
    def relations(self) -> Relations:
        """Every two columns."""
        with self.slowly("Relations") as report:
            return relate(self.sides, self.asked, self.sampling, self.seed, report)

    @property
    def _inner(self) -> list[int]:
        return [i for i, s in enumerate(self.relations.sides) if s.name != self.outcome and not s.constant]

    @cached_property
    def groups(self) -> list[Alike]:
        """The groups of columns that say nearly the same."""
        relations = self.relations
        about = np.full(len(relations.sides), np.nan)
        if self.outcome is not None:
            about = relations.strength[relations.names.index(self.outcome)]
        return alike(relations.sides, relations.both_ways, about, self._inner)

    @cached_property
    def inflation(self) -> list[Inflation]:
        """The variance inflation of each number."""
        return inflation(self.relations.sides, self._inner)

    @cached_property
    def together(self) -> list[Joint]:
        """Pairs of candidates that say more together than apart."""
        target, held = self.target, self.held
        if target is None or held is None:
            return []
        columns = [self.table[n] for n in self.names if n != target.name and n not in self.own]
        y = target.is_event.astype(float) if isinstance(target, ClassOutcome) else target.values
        with self.slowly("Pairs together") as report:
            return joint_shares(columns, held, y[held.known], report)

    @cached_property
    def parts(self) -> list[RelatedPart]:
        """The same columns in each of the largest groups, each pair by the coefficient that all rows ask for."""
        assert self.by is not None
        parts = []
        for group in self.by.largest(MOST_PARTS):
            at = np.flatnonzero(group.keep)
            sides = [side_of(self.table[name].take(at), self.target) for name in self.names]
            part = relate(sides, self.asked, self.sampling.take(at), self.seed, forms=self.relations.form)
            parts.append(RelatedPart(group.label, part))
        return parts

    @cached_property
    def differ(self) -> list[Differs]:
        """The pairs that go together differently in the groups."""
        return differing(self.relations, list(self.parts))

    @cached_property
    def two(self) -> TwoNumbers | None:
        """The columns, where they are two numbers and no more."""
        return two_numbers(self.sides, self.sampling, self.seed, self.asked)

    @cached_property
    def single(self) -> Single | None:
        """The columns large, where they are two numbers."""
        if self.two is None or (self.by is not None and self.classes is None):
            return None
        return single_pair(self.sides, self.classes, None, self.shown, self.two, self.seed)

    @property
    def repeats(self) -> list[Finding]:
        """What says nearly the same."""
        return said.said_of_groups(self.groups, self.relations, copy_findings(self.listed))

    @property
    def _made(self) -> list[Finding]:
        """What the inventory says of columns that others make up, if any are made so."""
        if not any(f.exact for f in self.inflation):
            return []
        return [*exclusive_flags(self.listed, None), *recipe_findings(self.listed, None)]

    @cached_property
    def findings(self) -> tuple[Finding, ...]:
        """What a careful colleague would say."""
        relations = self.relations
        found = self.repeats
        found += said.said_of_inflation(self.inflation, relations.names, self.groups, self._made)
        found += said.said_of_curves(relations, self.outcome)
        found += said.carried_by_few(relations, [str(r) for r in self.table.rows], self.outcome)
        found += said.said_of_levels(relations, self.sampling, self.outcome)
        found += said.equal_summaries(relations, self.outcome, self.sampling)
        if self.by is not None:
            of = (self.by.names, self.by.codes, len(self.by))
            numbers = [s for s in relations.sides if s.what == "number"]
            alike = [f for s in numbers for f in equal_groups(s.name, numbers_of(s), of, self.sampling)]
            found += alike[:MOST_ALIKE]
        if self.outcome is not None:
            found += said.said_together(self.together, self.outcome)
        return by_weight(found)
