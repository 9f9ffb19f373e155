"""Which transform is worth its price, in a sentence or two."""

from __future__ import annotations

from typing import TYPE_CHECKING

import pandas as pd

from ...core.words import be, plural
from ...write.digits import places
from .words import Table, all_of, share

if TYPE_CHECKING:
    from ..transforms import TransformsSheetView, TransformsView

WORDS = {
    "log": "the logarithm", "log1p": "the logarithm of 1 +", "sqrt": "the square root", "cube_root": "the cube root",
    "square": "the square", "reciprocal": "the reciprocal", "box_cox": "a power by Box and Cox",
    "log_offset": "the logarithm with an offset", "yeo_johnson": "a power by Yeo and Johnson",
    "rank_normal": "ranks as normal scores",
}  # fmt: skip


def transforms_answer(view: TransformsView) -> str:
    """Return the answer for one column: what to take, what that does to its tail and for the outcome."""
    judged = view._answers.judged[0]
    name, suggestion = view._names(judged.compared.name), judged.suggestion
    if suggestion.name == "as_is":
        why = suggestion.why.removeprefix("leave it: ")
        return f"Leave {name} as it is: {why}."
    table: Table = type(view).table.of(view)
    before, after = table.loc["as_is"], table.loc[suggestion.name]
    said = (
        f"Take {WORDS[suggestion.name]}{'' if suggestion.name == 'log1p' else ' of'} {name}: skewness "
        f"{places(before['skewness'], 1)} becomes {places(after['skewness'], 1)}"
    )
    if view._outcome is not None and pd.notna(before["outcome_share"]) and pd.notna(after["outcome_share"]):
        said += (
            f", and a straight line tells {share(after['outcome_share'])} of {view._names(view._outcome)} instead of "
            f"{share(before['outcome_share'])}"
        )
    return f"{said}."


def transforms_sheet_answer(view: TransformsSheetView) -> str:
    """Return the answer for several: which are worth a transform, the most skewed first."""
    suggested = view.suggested
    table: Table = type(view).table.of(view)
    order = table["skewness"].abs().sort_values(ascending=False, kind="stable").index
    worth = [str(name) for name in order if suggested[str(name)] != "as_is"]
    if not worth and len(table) == 1:
        return f"{view._names(str(table.index[0]))} is no easier to use transformed: leave it as it is."
    if not worth:
        return f"None of {plural(len(table), 'number')} is easier to use transformed: leave them as they are."
    shown = [f"{view._names(n)} ({suggested[n]})" for n in worth]
    verb = be(len(worth))
    said = f"{len(worth)} of {plural(len(table), 'number')} {verb} easier to use transformed: {all_of(shown, 4)}."
    return said if len(worth) == len(table) else f"{said} Leave the others as they are."
