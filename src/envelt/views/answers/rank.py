"""Which candidates carry something alone, in a sentence or two."""

from __future__ import annotations

from typing import TYPE_CHECKING

from ...core import thresholds as T
from ...core.words import be
from .words import Table, all_of, share

if TYPE_CHECKING:
    from ..rank import RankView


def rank_answer(view: RankView) -> str:
    """Return the answer: how many carry something, the best with its share, and what is too good to be true."""
    table: Table = type(view).table.of(view)
    names = view._names
    outcome = names(view._answers.ranking.outcome.name)
    doubtful = {n for f in view.found if f.code == "too-good-to-be-true" for n in f.columns}
    carries = table[(table["q"] < T.Q_CARRIES) & (table["low"] > 0)]
    if not len(carries):
        return f"None of {len(table)} candidates carries anything of {outcome} alone that could be seen."
    sound = carries[~carries.index.isin(doubtful)]
    verb = "carries" if len(carries) == 1 else "carry"
    said = f"{len(carries)} of {len(table)} candidates {verb} something of {outcome} alone"
    if len(sound):
        best = sound.iloc[0]
        said += (
            f", {names(str(sound.index[0]))} most ({share(best['held_out_share'])} of what is uncertain, "
            f"{share(best['low'])} to {share(best['high'])})"
        )
    asked = [n for n in carries.index if n in doubtful]
    if asked:
        told = [f"{names(str(n))} ({share(table.loc[n, 'held_out_share'])})" for n in asked]
        said += f". Ask first when {all_of(told)} {be(len(asked))} written down"
    return f"{said}."
