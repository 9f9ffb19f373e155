"""All candidates, by what each alone says."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import pandas as pd

from ..core.finding import Finding
from ..core.rank.answers import RankAnswers
from ..declared import tabled, valued
from ..view import View
from .answers.rank import rank_answer
from .captions import Captions
from .written import HELD_OUT

if TYPE_CHECKING:
    from matplotlib.figure import Figure

    from ..draw.parts.canvas import Page

HEADS = {"held_out_share": "held-out share"}


class RankView(View):
    """All candidates, best first."""

    step = "rank"

    def __init__(self, answers: RankAnswers, about: tuple[str, ...], title: str, names: Captions) -> None:
        super().__init__(title, names.given)
        self._answers, self._about, self._names = answers, about, names

    @tabled(HELD_OUT, heads=HEADS, spare=("auc", "missing_share", "kind"),
            few=("held_out_share", "low", "high", "q", "missing_share", "advice"))  # fmt: skip
    def table(self) -> pd.DataFrame:
        """One row a candidate: kind, held_out_share with low and high, auc, p, q, missing_share, advice."""
        rows = self._answers.ranking.candidates
        return pd.DataFrame(
            {
                "kind": [c.kind for c in rows],
                "held_out_share": [c.held_out.share for c in rows],
                "low": [c.held_out.low for c in rows],
                "high": [c.held_out.high for c in rows],
                "auc": [c.held_out.auc for c in rows],
                "p": [c.p for c in rows],
                "q": [c.q for c in rows],
                "missing_share": [c.missing_share for c in rows],
                "advice": [c.advice for c in rows],
            },
            index=pd.Index([c.name for c in rows], name="candidate"),
        )

    @tabled(HELD_OUT, heads=HEADS, there=lambda view: view._answers.kept is not None)
    def units(self) -> pd.DataFrame:
        """What keeping units whole, or times apart, changed: share_over_rows, held_out_share, change; with either."""
        result = self._answers.ranking
        assert result.unit is not None
        share = [c.held_out.share for c in result.candidates]
        over_rows = [result.unit.share_over_rows[c.name] for c in result.candidates]
        table = pd.DataFrame(
            {"share_over_rows": over_rows, "held_out_share": share},
            index=pd.Index([c.name for c in result.candidates], name="candidate"),
        )
        return table.assign(change=table["held_out_share"] - table["share_over_rows"])

    @valued
    def rows(self) -> int:
        """Rows with an outcome."""
        return self._answers.ranking.rows

    @valued
    def unknown(self) -> int:
        """Rows without one."""
        return self._answers.ranking.unknown

    def _brief(self) -> tuple[str, ...]:
        frame = type(self).table.of(self)
        return tuple(c for c in frame.columns if c != "p" and not (c == "auc" and frame["auc"].isna().all()))

    def _lines(self) -> tuple[str, ...]:
        return self._about

    def _answer(self) -> str:
        return rank_answer(self)

    def _found(self) -> tuple[Finding, ...]:
        return self._answers.ranking.findings

    def _picture(self, page: Page) -> Figure:
        from ..draw.rank import draw_rank

        result = self._answers.ranking
        drawn = replace(result, candidates=tuple(replace(c, name=self._names(c.name)) for c in result.candidates))
        return draw_rank(self._names.of(drawn), page)
