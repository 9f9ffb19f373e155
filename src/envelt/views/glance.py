"""All candidates against the outcome, at a glance."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import pandas as pd

from ..core.against.glance import GlanceAnswers
from ..core.columns.outcome import Classes, Said
from ..core.columns.table import TimeColumn
from ..core.finding import Finding
from ..declared import tabled, valued
from ..view import View
from ..write.digits import count, places, probability
from . import written
from .answers.against import glance_answer
from .captions import Captions
from .tables import group_tables, shares_table

if TYPE_CHECKING:
    from matplotlib.figure import Figure

    from ..draw.parts.canvas import Page


class GlanceView(View):
    """All candidates against the outcome, strongest association first."""

    step = "against"
    brief = ("kind", "n", "association", "measure", "estimate", "low", "high", "lowest", "highest", "q")

    def __init__(self, answers: GlanceAnswers, about: tuple[str, ...], title: str, names: Captions) -> None:
        super().__init__(title, names.given)
        self._answers, self._about, self._names = answers, about, names

    @tabled(
        {**written.PARTS, "missing": count, "association": places, "q": probability},
        spare=("missing", "lowest", "highest", "measure", "kind"),
        few=("n", "association", "estimate", "low", "high", "q"),
    )
    def table(self) -> pd.DataFrame:
        """One row a candidate.

        Kind, n, missing, association (one scale for all), measure, estimate with low and high, the levels at its ends
        (lowest, highest), p, q.
        """
        rows = self._answers.glance.rows
        return pd.DataFrame(
            {
                "kind": [g.kind for g in rows],
                "n": [g.n for g in rows],
                "missing": [g.missing for g in rows],
                "association": [g.association for g in rows],
                "measure": [g.measure for g in rows],
                "estimate": [g.estimate for g in rows],
                "low": [g.low for g in rows],
                "high": [g.high for g in rows],
                "lowest": [g.lowest or None for g in rows],
                "highest": [g.highest or None for g in rows],
                "p": [g.p for g in rows],
                "q": [g.q for g in rows],
            },
            index=pd.Index([g.name for g in rows], name="candidate"),
        )

    @tabled(written.GROUPS, there=lambda view: any(g.groups is not None for g in view._answers.glance.rows), folded=0)
    def groups(self) -> pd.DataFrame:
        """The numeric candidates described in each class; of a class outcome."""
        rows = self._answers.glance.rows
        summaries = {g.name: g.groups for g in rows if g.groups is not None}
        dates = {c.name for c in self._answers.candidates if isinstance(c, TimeColumn)}
        return group_tables(summaries, dates, "candidate", "class")

    @tabled(written.SHARES_OF_LEVELS, there=lambda view: bool(view._answers.levels), folded=0)
    def shares(self) -> pd.DataFrame:
        """The leading levels of the categories in each class: n, count, share with its interval; of a class outcome."""
        classes = self._answers.outcome.said
        assert isinstance(classes, Classes)
        return shares_table(self._answers.levels, classes.levels, "candidate", "class")

    @valued
    def first(self) -> list[str]:
        """The few candidates worth opening first."""
        return list(self._answers.glance.first)

    def _lines(self) -> tuple[str, ...]:
        result = self._answers.glance
        scale = "Cramér's V" if isinstance(result.outcome, Classes) else "the correlation ratio"
        about = (
            *self._about, f"association: {scale} over levels, or bins of a number, bias-corrected",
            *_estimates(result.outcome),
        )  # fmt: skip
        if not result.first:
            return about
        return (*about, f"open first: {', '.join(self._names(n) for n in result.first)}")

    def _answer(self) -> str:
        return glance_answer(self)

    def _found(self) -> tuple[Finding, ...]:
        return self._answers.findings

    def _picture(self, page: Page) -> Figure:
        from ..draw.against.glance import draw_glance

        result = self._answers.glance
        drawn = replace(result, rows=tuple(replace(g, name=self._names(g.name)) for g in result.rows))
        return draw_glance(self._names.of(drawn), page)


def _estimates(outcome: Said) -> tuple[str, ...]:
    """Say what the estimates are."""
    number = f"Hedges' g of {outcome.event} against the rest" if isinstance(outcome, Classes) else "Spearman's rho"
    what = "rates" if isinstance(outcome, Classes) else "means"
    return (f"estimate: of a number {number}; of a category the spread of its levels' shrunken {what}",)
