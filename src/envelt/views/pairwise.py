"""How pairs of columns look."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import pandas as pd

from ..core.finding import Finding
from ..core.later import Later
from ..core.relations.panels import Axis, Panel
from ..core.relations.relations import Relations
from ..core.relations.single import Single
from ..declared import tabled, valued
from ..view import View
from ..write.digits import count, places, probability
from .captions import Captions
from .relations import pair_table

if TYPE_CHECKING:
    from matplotlib.figure import Figure

    from ..draw.parts.canvas import Page


@dataclass(frozen=True)
class Triangle:
    """Every pair once: the columns, the panels, and the classes that colour them."""

    axes: tuple[Axis, ...]
    panels: tuple[Panel, ...]
    label: str
    classes: tuple[str, ...]


class PairwiseView(View):
    """Every pair of some columns, by class; or one pair, large."""

    step = "pairwise"

    def __init__(
        self,
        relations: Later[Relations],
        triangle: Later[Triangle] | None,
        single: Later[Single] | None,
        about: tuple[str, ...],
        found: Later[tuple[Finding, ...]],
        names: Captions,
        title: str,
        panelled: bool = False,
    ) -> None:
        super().__init__(title, names.given)
        self._panelled = panelled
        self._relations, self._triangle, self._single = relations, triangle, single
        self._about, self._findings, self._names = about, found, names

    @tabled(
        {"n": count, "coefficient": places, "low": places, "high": places, "p": probability, "q": probability},
        spare=("p", "n", "form", "method"),
    )
    def table(self) -> pd.DataFrame:
        """One row a pair, the strongest first: first, second, method, n, coefficient, low, high, p, q and form."""
        relations = self._relations()
        return pair_table(relations, *relations.upper())

    @valued
    def columns(self) -> list[str]:
        """The columns shown."""
        return list(self._relations().names)

    def _lines(self) -> tuple[str, ...]:
        return self._about

    def _found(self) -> tuple[Finding, ...]:
        return self._findings()

    def _picture(self, page: Page) -> Figure:
        if self._single is not None:
            from ..draw.relations.single import draw_panels, draw_single

            if self._panelled:
                return draw_panels(self._single(), page, self._names)
            return draw_single(self._single(), self._relations(), page, self._names)
        from ..draw.relations.triangle import draw_triangle

        assert self._triangle is not None
        made = self._triangle()
        names = tuple(self._names(a.name) for a in made.axes)
        return draw_triangle(
            made.axes, made.panels, made.classes, self._names(made.label), self._relations(), names, page,
        )  # fmt: skip
