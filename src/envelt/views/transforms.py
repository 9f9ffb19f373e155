"""What transforms do to numbers, and which is worth its price."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np
import pandas as pd

from ..core.finding import Finding
from ..core.transforms.answers import TransformsAnswers
from ..core.transforms.compare import Compared, Seen
from ..core.transforms.suggest import Suggestion
from ..declared import tabled, valued
from ..view import View
from ..write.digits import count, measured, places
from ..write.shown import Writer
from .answers.transforms import transforms_answer, transforms_sheet_answer
from .captions import Captions

if TYPE_CHECKING:
    from matplotlib.figure import Figure

    from ..draw.parts.canvas import Page

WRITTEN: dict[str, Writer] = {
    **dict.fromkeys(("excess_kurtosis", "parameter", "low", "high"), measured),
    **dict.fromkeys(("skewness", "skewness_after"), lambda value: places(value, 2)),
    **dict.fromkeys(("distance", "distance_after", "outcome_share", "outcome_share_after"), places),
    "n": count, "missing": count,
}  # fmt: skip
HEADS = {
    "distance": "from normal", "outcome_share": "outcome share", "skewness_after": "after",
    "distance_after": "after", "outcome_share_after": "after", "excess_kurtosis": "excess kurtosis",
}  # fmt: skip


def _note(seen: Seen, suggestion: Suggestion) -> str:
    if seen.why_not:
        return f"not usable: {seen.why_not}"
    if seen.name == suggestion.name:
        return suggestion.why if seen.name == "as_is" else f"suggested; {seen.step}"
    return "before" if seen.name == "as_is" else seen.step


def _frame(compared: Compared, suggestion: Suggestion) -> pd.DataFrame:
    seen = list(compared.seen.values())
    transforms = [s.transform for s in seen]
    return pd.DataFrame(
        {
            "usable": [s.usable for s in seen],
            "parameter": [np.nan if t is None else t.parameter for t in transforms],
            "skewness": [s.skewness for s in seen],
            "excess_kurtosis": [s.excess_kurtosis for s in seen],
            "distance": [s.distance for s in seen],
            "outcome_share": [s.outcome_share for s in seen],
            "note": [_note(s, suggestion) for s in seen],
        },
        index=pd.Index([s.name for s in seen], name="transform"),
    )


class TransformsView(View):
    """The transforms of one column beside each other."""

    step = "transforms"

    def __init__(
        self, answers: TransformsAnswers, outcome: str | None, about: tuple[str, ...], title: str, names: Captions
    ) -> None:  # fmt: skip
        super().__init__(title, names.given)
        self._answers, self._outcome, self._about, self._names = answers, outcome, about, names

    @tabled(WRITTEN, heads=HEADS, spare=("excess_kurtosis", "outcome_share"),
            few=("skewness", "distance", "outcome_share", "note"))  # fmt: skip
    def table(self) -> pd.DataFrame:
        """One row a transform: usable, parameter, skewness, excess_kurtosis, distance, outcome_share, note."""
        judged = self._answers.judged[0]
        return _frame(judged.compared, judged.suggestion)

    @tabled(WRITTEN)
    def parameters(self) -> pd.DataFrame:
        """What is fitted, by maximum likelihood: parameter, low and high of its 95 % interval, and step in words."""
        seen = [
            s
            for s in self._answers.judged[0].compared.seen.values()
            if s.transform and not np.isnan(s.transform.parameter)
        ]
        fitted = [s.transform for s in seen if s.transform is not None]
        return pd.DataFrame(
            {
                "parameter": [t.parameter for t in fitted],
                "low": [t.low for t in fitted],
                "high": [t.high for t in fitted],
            },
            index=pd.Index([s.name for s in seen], name="transform"),
        )

    @tabled(WRITTEN, there=lambda view: view._answers.by is not None, heads=HEADS, folded=0)
    def by(self) -> pd.DataFrame:
        """Group, transform and the columns of the main table, in each group by itself; where columns divide the rows.

        There is no outcome_share: it is that of all rows.
        """
        frames = {g.label: _frame(g.compared, g.suggestion).drop(columns="outcome_share") for g in self._answers.groups}
        return pd.concat(frames, names=["group"]).reset_index()

    @tabled(WRITTEN, there=lambda view: view._answers.by is not None, heads=HEADS, needed=True)
    def groups(self) -> pd.DataFrame:
        """One row a group: n, skewness, suggested, skewness and distance after it, note; where columns divide them."""
        groups = self._answers.groups
        return _suggestions([g.label for g in groups], [(g.compared, g.suggestion) for g in groups], "group").drop(
            columns=["outcome_share", "outcome_share_after"]
        )

    @valued
    def suggested(self) -> str:
        """The transform that is worth its price; "as_is" to leave the column as it is."""
        return self._answers.judged[0].suggestion.name

    @valued
    def why(self) -> str:
        """In words."""
        return self._answers.judged[0].suggestion.why

    def _brief(self) -> tuple[str, ...]:
        frame = type(self).table.of(self)
        return tuple(c for c in frame.columns if not (c == "outcome_share" and frame[c].isna().all()) and c != "usable")

    def _lines(self) -> tuple[str, ...]:
        judged = self._answers.judged[0]
        c, suggestion = judged.compared, judged.suggestion
        rows = (f"{count(c.missing)} rows have none",) if c.missing else ()
        chosen = "leave it as it is" if suggestion.name == "as_is" else f"suggested: {suggestion.name}"
        why = suggestion.why.removeprefix("leave it: ")
        share = () if self._outcome is None else (
            f"outcome share: of a straight-line fit of {self._names(self._outcome)}, on rows held out",
        )  # fmt: skip
        scale = "+1: what one more on the new scale is, from the median where it differs along the way"
        return (*self._about, *rows, f"{chosen} ({why})", *share, scale)

    def _line(self) -> str:
        return " · ".join(self.about[: -1 if self._outcome is None else -2])

    def _answer(self) -> str:
        return transforms_answer(self)

    def _found(self) -> tuple[Finding, ...]:
        return self._answers.findings

    def _picture(self, page: Page) -> Figure:
        from ..draw.transforms import draw_transforms

        judged = self._answers.judged[0]
        return draw_transforms(judged.compared, judged.suggestion, page)


def _suggestions(labels: list[str], parts: list[tuple[Compared, Suggestion]], index: str) -> pd.DataFrame:
    plain = [c.seen["as_is"] for c, _ in parts]
    after = [c.seen[s.name] for c, s in parts]
    return pd.DataFrame(
        {
            "n": [c.n for c, _ in parts],
            "suggested": [s.name for _, s in parts],
            "parameter": [np.nan if s.transform is None else s.transform.parameter for s in after],
            "skewness": [s.skewness for s in plain],
            "skewness_after": [s.skewness for s in after],
            "distance": [s.distance for s in plain],
            "distance_after": [s.distance for s in after],
            "outcome_share": [s.outcome_share for s in plain],
            "outcome_share_after": [s.outcome_share for s in after],
            "note": [s.why for _, s in parts],
        },
        index=pd.Index(labels, name=index),
    )


class TransformsSheetView(View):
    """A suggestion for each of several numbers."""

    step = "transforms"

    def __init__(
        self, answers: TransformsAnswers, outcome: str | None, about: tuple[str, ...], title: str, names: Captions
    ) -> None:  # fmt: skip
        super().__init__(title, names.given)
        self._answers, self._outcome, self._about, self._names = answers, outcome, about, names

    @tabled(WRITTEN, heads=HEADS, spare=("outcome_share_after", "outcome_share", "parameter", "distance_after",
                                         "distance"),
            few=("n", "suggested", "skewness", "skewness_after", "note"))  # fmt: skip
    def table(self) -> pd.DataFrame:
        """One row a column: n, suggested, parameter, skewness, distance, outcome_share, these three after it; note."""
        judged = self._answers.judged
        return _suggestions(
            [j.compared.name for j in judged], [(j.compared, j.suggestion) for j in judged], "column"
        )  # fmt: skip

    def _order(self) -> Sequence[int]:
        judged = self._answers.judged
        skewness = [abs(j.compared.seen["as_is"].skewness) for j in judged]
        return sorted(range(len(judged)), key=lambda i: (judged[i].suggestion.name == "as_is", -skewness[i]))

    @valued
    def suggested(self) -> dict[str, str]:
        """The transform suggested for each column, by name."""
        return {j.compared.name: j.suggestion.name for j in self._answers.judged}

    def _brief(self) -> tuple[str, ...]:
        frame = type(self).table.of(self)
        empty = frame.columns[frame.isna().all()]
        return tuple(c for c in frame.columns if c not in empty)

    def _lines(self) -> tuple[str, ...]:
        share = () if self._outcome is None else (
            f"outcome share: of a straight-line fit of {self._names(self._outcome)}, on rows held out",
        )  # fmt: skip
        return (*self._about, *share)

    def _line(self) -> str:
        return " · ".join(self._about)

    def _answer(self) -> str:
        return transforms_sheet_answer(self)

    def _found(self) -> tuple[Finding, ...]:
        return self._answers.findings

    def _picture(self, page: Page) -> Figure:
        from ..draw.transforms import draw_transforms_sheet

        made = self._answers.judged
        judged = [(self._names(j.compared.name), j.compared, j.suggestion) for j in (made[i] for i in self._order())]
        return draw_transforms_sheet(judged, page)
