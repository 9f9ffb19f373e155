"""How pairs of columns look."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import pandas as pd

from ..core.finding import Finding
from ..core.relations.pairs import PairwiseAnswers
from ..core.relations.two_numbers import TwoNumbers
from ..declared import tabled, valued
from ..write.digits import count, places, probability
from .answers.relations import pairwise_answer
from .captions import Captions
from .relations import pair_table
from .two_numbers import TwoNumbersView
from .written import FEW_OF_PAIRS

if TYPE_CHECKING:
    from matplotlib.figure import Figure

    from ..draw.parts.canvas import Page


class PairwiseView(TwoNumbersView):
    """Every pair of some columns, by class; or one pair, large."""

    step = "pairwise"

    def __init__(
        self,
        answers: PairwiseAnswers,
        about: tuple[str, ...],
        names: Captions,
        title: str,
        panelled: bool = False,
    ) -> None:
        super().__init__(title, names.given)
        self._answers, self._about, self._names, self._panelled = answers, about, names, panelled

    @tabled(
        {"n": count, "coefficient": places, "low": places, "high": places, "p": probability, "q": probability},
        spare=("p", "form", "method"),
        few=FEW_OF_PAIRS,
    )
    def table(self) -> pd.DataFrame:
        """One row a pair, the strongest first: first, second, method, n, coefficient, low, high, p, q and form."""
        relations = self._answers.relations
        return pair_table(relations, *relations.upper())

    @valued
    def columns(self) -> list[str]:
        """The columns shown."""
        return [c.name for c in self._answers.columns]

    @property
    def _two(self) -> TwoNumbers | None:
        return self._answers.two

    @property
    def _labels(self) -> pd.Index[Any]:
        return self._answers.labels

    def _lines(self) -> tuple[str, ...]:
        return self._about

    def _answer(self) -> str:
        return pairwise_answer(self)

    def _found(self) -> tuple[Finding, ...]:
        return self._answers.findings

    def _picture(self, page: Page) -> Figure:
        if len(self._answers.columns) == 2:
            from ..draw.relations.single import draw_panels, draw_single

            if self._panelled:
                return draw_panels(self._answers.single, page, self._names)
            return draw_single(self._answers.single, self._answers.relations, page, self._names)
        from ..draw.relations.triangle import draw_triangle

        made = self._answers.triangle
        names = tuple(self._names(a.name) for a in made.axes)
        return draw_triangle(
            made.axes, made.panels, made.classes, self._names(made.label), self._answers.relations, names, page,
        )  # fmt: skip
