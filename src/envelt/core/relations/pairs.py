"""What `pairwise` answers."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import pandas as pd

from ..columns.outcome import Outcome
from ..columns.table import Column
from ..finding import Finding, by_weight
from ..kept import Remade
from ..parallel import Slowly
from ..stats.sampling import Sampling
from . import findings as said
from .correlating import Correlating
from .panels import Axis, Panel, PanelClasses, axis_of, panels_of
from .relations import Relations, relate
from .side import Side, side_of
from .single import Single, single_pair
from .two_numbers import TwoNumbers, two_numbers


@dataclass(frozen=True)
class Triangle:
    """Every pair once: the columns, the panels, and the classes that colour them."""

    axes: tuple[Axis, ...]
    panels: tuple[Panel, ...]
    label: str
    classes: tuple[str, ...]


@dataclass(frozen=True)
class PairwiseAnswers(Remade):
    """How pairs of columns look; each part is made when it is asked for.

    Parameters
    ----------
    columns, sampling
        Of the same rows.
    labels
        What messages call the rows.
    classes
        What colours the small panels.
    colouring, third
        Of one pair: the classes that colour its dots, where there are any, or the column that does.
    ranks, residuals
        Of one pair: whether ranks, or what the line leaves, stand in the place of values.
    asked
        How coefficients are taken.
    outcome
        Of the study, whose event gives a sign.
    """

    columns: tuple[Column, ...]
    sampling: Sampling
    labels: pd.Index[Any]
    seed: int
    classes: PanelClasses
    colouring: PanelClasses | None
    third: Column | None
    ranks: bool
    residuals: bool
    asked: Correlating
    outcome: Outcome | None
    slowly: Slowly

    @cached_property
    def sides(self) -> list[Side]:
        """The columns, as pairs have them."""
        return [side_of(c, self.outcome) for c in self.columns]

    @cached_property
    def relations(self) -> Relations:
        """Every two columns."""
        with self.slowly("Pairs") as report:
            return relate(self.sides, self.asked, self.sampling, self.seed, report)

    @cached_property
    def triangle(self) -> Triangle:
        """Every pair, small."""
        axes = [axis_of(s, self.classes) for s in self.sides]
        panels = panels_of(self.sides, axes, self.classes, self.seed)
        return Triangle(tuple(axes), tuple(panels), self.classes.name, self.classes.labels)

    @cached_property
    def single(self) -> Single:
        """The first two columns, large."""
        return single_pair(self.sides, self.colouring, self.third, (self.ranks, self.residuals), self.two, self.seed)

    @cached_property
    def two(self) -> TwoNumbers | None:
        """The first two columns, where there are no others and both are numbers."""
        return two_numbers(self.sides, self.sampling, self.seed, self.asked)

    @cached_property
    def findings(self) -> tuple[Finding, ...]:
        """What a careful colleague would say."""
        found = said.said_of_curves(self.relations)
        found += said.carried_by_few(self.relations, [str(r) for r in self.labels])
        found += said.equal_summaries(self.relations, None, self.sampling)
        return by_weight(found)
