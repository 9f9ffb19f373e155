"""How columns go together."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from ..core.finding import Finding
from ..core.relations.answers import RelationsAnswers
from ..core.relations.differ import Differs
from ..core.relations.forms import FORMS
from ..core.relations.groups import similarity_order
from ..core.relations.relations import NAMES, Relations
from ..core.relations.two_numbers import TwoNumbers
from ..declared import tabled, valued
from ..write.digits import count, measured, places, probability
from ..write.shown import EVERY
from . import written
from .answers.relations import relations_answer
from .captions import Captions
from .two_numbers import TwoNumbersView

if TYPE_CHECKING:
    from matplotlib.figure import Figure

    from ..draw.parts.canvas import Page

MOST_PAIRS = 20
MOST_IN_MATRIX = 12
"""Columns up to which a person sees the square; of more the pairs and the groups, and the square is saved."""


def _unless_pair(view: RelationsView, rows: int) -> int:
    """Return how many rows are seen of a table that says nothing new of two columns alone."""
    return 0 if view._is_pair else rows


class RelationsView(TwoNumbersView):
    """How strongly every two columns go together, in which form, and how surely."""

    step = "relations"

    def __init__(
        self,
        answers: RelationsAnswers,
        about: tuple[str, ...],
        names: Captions,
        title: str,
        *,
        at_least: float | None,
        order: str,
        triangle: bool,
    ) -> None:
        super().__init__(title, names.given)
        self._answers, self._about, self._names = answers, about, names
        self._at_least, self._look, self._triangle = at_least, order, triangle

    @tabled(
        {EVERY: places},
        folded=lambda view: 0 if view._is_large or view._is_pair else None,
        needed=lambda view: not view._is_pair,
    )
    def table(self) -> pd.DataFrame:
        """The square matrix of coefficients, columns as index and columns; NaN where there is none, or too weak."""
        relations = self.relations
        values = relations.coefficient.copy()
        if self._at_least is not None:
            values[relations.strength < self._at_least] = np.nan
        return pd.DataFrame(values, index=pd.Index(relations.names, name="column"), columns=list(relations.names))

    @tabled(
        {"n": count, "coefficient": places, "low": places, "high": places, "p": probability, "q": probability},
        folded=MOST_PAIRS, spare=("p", "form", "method"), needed=True,
        few=lambda view: ("method", "n", "coefficient", "low", "high", "p", "form") if view._is_pair
        else written.FEW_OF_PAIRS,
    )  # fmt: skip
    def pairs(self) -> pd.DataFrame:
        """First, second, method, n, coefficient, low, high, p, q and form of every pair, the strongest first."""
        i, j = self.relations.upper(self._at_least)
        return pair_table(self.relations, i, j)

    @tabled(
        {"n": count, "coefficient": places, "low": places, "high": places, "p": probability, "q": probability},
        there=lambda view: view._answers.outcome is not None, folded=lambda view: _unless_pair(view, MOST_PAIRS),
        spare=("p", "form", "method"),
    )  # fmt: skip
    def with_outcome(self) -> pd.DataFrame:
        """The pairs that the outcome takes part in, by candidate, the strongest first; where the outcome is there."""
        relations, outcome = self.relations, self._answers.outcome
        assert outcome is not None
        at = relations.names.index(outcome)
        strength = relations.strength[at]
        others = np.array([k for k in np.argsort(-np.nan_to_num(strength, nan=-1.0), kind="stable") if k != at])
        table = pair_table(relations, np.full(len(others), at), others).drop(columns="first")
        return table.set_index("second").rename_axis("candidate")

    @tabled({"weakest": places}, folded=lambda view: _unless_pair(view, 10), needed=True)
    def groups(self) -> pd.DataFrame:
        """Columns that say nearly the same: members, the one to keep and why; empty where there are none."""
        names = self.relations.names
        found = self._answers.groups
        return pd.DataFrame(
            {
                "members": [[names[i] for i in g.members] for g in found],
                "keep": [names[g.keep] for g in found],
                "why": [g.why for g in found],
                "weakest": [g.weakest for g in found],
            }
        )

    @tabled(
        {"vif": measured, "r_squared": places, "n": count}, folded=lambda view: _unless_pair(view, 8),
        heads={"vif": "variance inflation", "r_squared": "explained"},
    )  # fmt: skip
    def inflation(self) -> pd.DataFrame:
        """Vif, r_squared, n and explained_by of each number against all others; of rows where all are present."""
        names = self.relations.names
        found = self._answers.inflation
        return pd.DataFrame(
            {
                "vif": [f.vif for f in found],
                "r_squared": [1 - 1 / f.vif for f in found],
                "n": [f.n for f in found],
                "explained_by": [[names[i] for i, _ in f.by] for f in found],
            },
            index=pd.Index([names[f.at] for f in found], name="column"),
        )

    @tabled(
        {"joint_share": places, "first_alone": places, "second_alone": places, "excess": places, "low": places,
         "high": places},
        there=lambda view: view._answers.outcome is not None, folded=lambda view: _unless_pair(view, 8),
        spare=("second_alone", "first_alone"),
    )  # fmt: skip
    def together(self) -> pd.DataFrame:
        """Pairs of candidates that say more together: joint_share, each alone, excess over both, low and high."""
        found = self._answers.together
        return pd.DataFrame(
            {
                "first": [j.first for j in found], "second": [j.second for j in found],
                "joint_share": [j.share.share for j in found],
                "first_alone": [j.alone[0] for j in found], "second_alone": [j.alone[1] for j in found],
                "excess": [j.excess[0] for j in found], "low": [j.excess[1] for j in found],
                "high": [j.excess[2] for j in found],
            }
        )  # fmt: skip

    @tabled({EVERY: places}, there=lambda view: view._answers.by is not None, folded=0)
    def by(self) -> pd.DataFrame:
        """One matrix a group under each other, part and column as index; where columns divide the rows."""
        frames = {
            part.label: pd.DataFrame(part.relations.coefficient, list(self.relations.names), list(self.relations.names))
            for part in self._answers.parts
        }
        return pd.concat(frames, names=["part", "column"])

    @tabled(
        {"overall": places, "lowest": places, "highest": places, "p": probability, "q": probability},
        there=lambda view: view._answers.by is not None, folded=10, spare=("p",),
    )  # fmt: skip
    def differ(self) -> pd.DataFrame:
        """Pairs that go together differently in the groups, the surest first.

        Overall, the lowest and highest coefficient and where they are, p that all are one on Fisher's z, and q.
        """
        return pd.DataFrame(self._answers.differ, columns=list(Differs._fields))

    @property
    def relations(self) -> Relations:
        """The result itself."""
        return self._answers.relations

    @property
    def repeats(self) -> list[Finding]:
        """What is found of columns that say nearly the same."""
        return self._answers.repeats

    @valued
    def outcome(self) -> str | None:
        """The outcome, where it is among the columns."""
        return self._answers.outcome

    @property
    def _two(self) -> TwoNumbers | None:
        return self._answers.two

    @property
    def _labels(self) -> pd.Index[Any]:
        return self._answers.table.rows

    @property
    def _is_pair(self) -> bool:
        return len(self.relations.sides) == 2

    @property
    def _is_large(self) -> bool:
        return len(self.relations.sides) > MOST_IN_MATRIX

    def _lines(self) -> tuple[str, ...]:
        asked = self.relations.asked
        how = {
            "auto": "coefficients: Pearson on a line and of two levels, Spearman of ranks and where the form asks for "
            "it, correlation ratio on a curve and of levels with numbers, Cramér's V of levels",
            "pearson": "Pearson's correlation", "spearman": "Spearman's rank correlation", "kendall": "Kendall's tau-b",
        }[asked.method]  # fmt: skip
        kept = () if self._at_least is None else (f"only {self._at_least:g} or more",)
        large = ("the square of all is in .table, and in a saved .csv",) if self._is_large else ()
        if self._is_pair and asked.method == "auto":
            return (*self._about, "on the rows where both are present")
        return (*self._about, f"{how}; each pair on the rows where both are present", *kept, *large)

    def _line(self) -> str:
        kept = () if self._at_least is None else (f"only {self._at_least:g} or more",)
        return " · ".join((*self._about, *kept))

    def _answer(self) -> str:
        return relations_answer(self)

    def _found(self) -> tuple[Finding, ...]:
        return self._answers.findings

    def _picture(self, page: Page) -> Figure:
        if self._answers.single is not None:
            from ..draw.relations.single import draw_single

            return draw_single(self._answers.single, self.relations, page, self._names)
        from ..draw.relations.heat import draw_relations

        relations = self.relations
        order = similarity_order(relations.strength) if self._look == "similar" else list(range(len(relations.sides)))
        names = tuple(self._names(n) for n in relations.names)
        return draw_relations(
            relations, names, order, page, outcome=self._answers.outcome,
            at_least=self._at_least, triangle=self._triangle,
        )  # fmt: skip


def pair_table(relations: Relations, i: NDArray[np.integer], j: NDArray[np.integer]) -> pd.DataFrame:
    """Return one row a pair: first, second, method, n, coefficient, low, high, p, q and form."""
    first, second = i.astype(np.intp), j.astype(np.intp)
    low, high = relations.intervals(first, second)
    names = np.array(relations.names, dtype=object)
    form = relations.form[first, second]
    return pd.DataFrame(
        {
            "first": names[first], "second": names[second],
            "method": np.array(NAMES, dtype=object)[relations.method[first, second]],
            "n": relations.n[first, second], "coefficient": relations.coefficient[first, second],
            "low": low, "high": high, "p": relations.p[first, second], "q": relations.q()[first, second],
            "form": np.array([None, *FORMS[1:]], dtype=object)[form],
        }
    )  # fmt: skip
