"""What a map shows and how far it can be believed, in a sentence or two."""

from __future__ import annotations

from typing import TYPE_CHECKING

from .words import Table, all_of, number, share

if TYPE_CHECKING:
    from ..embed import EmbedView

APART = 0.5
"""Of the way from chance to certainty, that near rows of a class agree, for it to lie apart."""
DISTANCES = {
    "neighbours": "Believe the groups, not the distances between them.",
    "pca": "Distances are true along the two components, and blind to all others.",
    "mds": "Believe far distances more than near ones.",
}


def embed_answer(view: EmbedView) -> str:
    """Return the answer: which classes lie apart, or how much of the nearest rows is kept; what to distrust."""
    answers = view._answers
    how = _kept(view)
    if not answers.has_classes:
        return f"{how} {DISTANCES[answers.method]}"
    table: Table = view.separation
    name = view._names(str(answers.groups.name or "class"))
    gain = (table["on_map"] - table["chance"]) / (1 - table["chance"]).clip(lower=1e-9)
    apart = table[gain >= APART]
    if not len(apart):
        best = table.loc[gain.idxmax()]
        said = (
            f"No class of {name} lies apart: of the rows near one of {gain.idxmax()} {share(best['on_map'])} are of it "
            f"too, by chance {share(best['chance'])}."
        )
        return f"{said} {how}"
    names = [str(k) for k in apart.index]
    verb = "lies" if len(names) == 1 else "lie"
    near = _from_to(apart["on_map"].min(), apart["on_map"].max())
    chance = _from_to(apart["chance"].min(), apart["chance"].max())
    which = f"All {len(names)} classes of {name}" if len(names) == len(table) > 3 else all_of(names, 4)
    return f"{which} {verb} apart ({near} of near rows agree, {chance} by chance). {DISTANCES[answers.method]}"


def _kept(view: EmbedView) -> str:
    quality = view.quality["map"]
    return (
        f"The map keeps {share(quality['neighbour_recall'])} of the {view._answers.k} nearest rows (trustworthiness "
        f"{number(quality['trustworthiness'])})."
    )


def _from_to(low: float, high: float) -> str:
    first, last = share(low), share(high)
    return first if first == last else f"{first.removesuffix('%')} to {last}"
