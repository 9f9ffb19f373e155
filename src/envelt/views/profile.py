"""Groups of rows described by every column."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
import pandas as pd

from ..core.finding import Finding
from ..core.relations.profile import ProfileAnswers, Profiled
from ..declared import tabled
from ..view import View
from ..write.digits import count, percent, places, probability
from ..write.shown import EVERY
from .answers.profile import profile_answer
from .captions import Captions
from .tables import group_tables, shares_table
from .written import FEW_OF_GROUPS, GROUPS, SHARES_OF_LEVELS

if TYPE_CHECKING:
    from matplotlib.figure import Figure

    from ..draw.parts.canvas import Page

MOST_SHOWN = 12
"""Groups that stand beside each other, the largest; ``groups`` and ``shares`` have all."""
SURE = {"n": count, "differs": places, "p": probability, "q": probability}
FOLDED, FOLDED_LEVELS = 12, 8


class ProfileView(View):
    """Every number and category in each group of rows, those that differ most first."""

    step = "distribution"

    def __init__(self, answers: ProfileAnswers, about: tuple[str, ...], title: str, names: Captions) -> None:
        super().__init__(title, names.given)
        self._answers, self._about, self._names = answers, about, names

    @property
    def _beside(self) -> list[int]:
        """The groups that stand beside each other."""
        return [g.at for g in self._answers.by.largest(MOST_SHOWN)]

    @property
    def _of_by(self) -> str:
        return " × ".join(self._answers.by.names)

    @tabled(SURE, there=lambda view: bool(view._numbers), folded=FOLDED, spare=("p", "q"))
    def table(self) -> pd.DataFrame:
        """One row a number: n, how far it differs between the groups (0 to 1), p, q, and the mean in each group.

        Differs is the correlation ratio, less what chance makes. Of more than twelve groups the largest.

        References
        ----------
        Kelley (1935), Proc Natl Acad Sci 21, 554–559.
        """
        return self._side_by_side(
            [(p, p.name, p.numbers.moments.mean) for p in self._numbers if p.numbers is not None], "mean"
        )

    @tabled(
        {EVERY: percent, **SURE}, there=lambda view: bool(view._categories), needed=True, folded=FOLDED_LEVELS,
        spare=("p", "q"),
    )  # fmt: skip
    def levels(self) -> pd.DataFrame:
        """The leading levels of each category: n, how far it differs (Cramér's V, 0 to 1), p, q, share in each group.

        Of two levels the more frequent. Of more than twelve groups the largest.

        References
        ----------
        Bergsma (2013), Journal of the Korean Statistical Society 42, 323–328.
        """
        rows = [(p, f"{p.name} = {level.label}", level.rates.rate) for p in self._categories for level in p.levels]
        return self._side_by_side(rows, "share")

    @tabled(GROUPS, there=lambda view: bool(view._numbers), folded=0, few=FEW_OF_GROUPS)
    def groups(self) -> pd.DataFrame:
        """Every number described in every group: n, missing, mean with its interval, sd, quartiles and the rest."""
        summaries = {p.name: p.numbers for p in self._numbers if p.numbers is not None}
        return group_tables(summaries, set(), "column", self._of_by)

    @tabled(
        SHARES_OF_LEVELS, there=lambda view: bool(view._categories), folded=0,
    )  # fmt: skip
    def shares(self) -> pd.DataFrame:
        """The leading levels of each category in every group: n, count, and the share with its interval."""
        levels = {p.name: p.levels for p in self._categories}
        return shares_table(levels, self._answers.by.labels, "column", self._of_by)

    @property
    def _numbers(self) -> list[Profiled]:
        return [p for p in self._answers.profile if p.numbers is not None]

    @property
    def _categories(self) -> list[Profiled]:
        return [p for p in self._answers.profile if p.levels]

    def _side_by_side(self, rows: list[tuple[Profiled, str, np.ndarray]], what: str) -> pd.DataFrame:
        """Return a row each, with a column a group."""
        labels = self._answers.by.labels
        values = np.array([v for *_, v in rows]).reshape(len(rows), len(labels))
        return pd.DataFrame(
            {
                "n": [p.n for p, *_ in rows], "differs": [p.differs for p, *_ in rows],
                "p": [p.p for p, *_ in rows], "q": [p.q for p, *_ in rows],
                **{f"{what}, {labels[g]}": values[:, g] for g in self._beside},
            },
            index=pd.Index([name for _, name, _ in rows], name="column"),
        )  # fmt: skip

    def _lines(self) -> tuple[str, ...]:
        labels, n = self._answers.by.labels, self._answers.n
        sizes = "n " + ", ".join(f"{labels[g]} {count(n[g])}" for g in self._beside)
        hidden = len(self._answers.by) - len(self._beside)
        more = (f"the {MOST_SHOWN} largest groups side by side, all {len(self._answers.by)} in .groups and .shares",)
        return (*self._about, sizes, *(more if hidden > 0 else ()))

    def _answer(self) -> str:
        return profile_answer(self)

    def _found(self) -> tuple[Finding, ...]:
        return ()

    def _picture(self, page: Page) -> Figure:
        from ..draw.distribution.profile import draw_profile

        a = self._answers
        return draw_profile(a.profile, a.by.groups, a.n, self._beside, page, self._names)
