"""Which columns go together, in a sentence or two."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any

import pandas as pd

from ...core import thresholds as T
from ...core.words import plural
from ...write.digits import places
from .against import NAMES, coefficient, pair_answer, two_answer
from .words import Table, all_of, with_n

if TYPE_CHECKING:
    from ...core.relations.relations import Relations
    from ...core.relations.side import Side
    from ..pairwise import PairwiseView
    from ..relations import RelationsView

MEASURES = {**NAMES, "cramers_v": "Cramér's V", "correlation_ratio": "correlation ratio"}


def relations_answer(view: RelationsView) -> str:
    """Return the answer: of two columns how they go together, of more what repeats itself and what goes most."""
    names = view._names
    if len(view.relations.sides) == 2:
        return _of_two(type(view).pairs.of(view), view, view.relations)
    groups = type(view).groups.of(view)
    said = f"{plural(len(view.relations.sides), 'column')}"
    if len(groups):
        shown = [" with ".join(names(n) for n in members[:2]) for members in groups["members"]]
        more = "says" if len(groups) == 1 else "say"
        said += f"; {plural(len(groups), 'group')} {more} the same twice or more ({all_of(shown)})"
    else:
        said += ", none of which says what another says"
    outcome = view.outcome
    if outcome is None:
        return f"{said}. {_strongest(type(view).pairs.of(view), names)}"
    with_it = view.with_outcome
    sure = with_it[with_it["q"] < T.Q_CARRIES]
    if not len(sure):
        return f"{said}. {names(outcome)} goes with none of them more than chance makes."
    best = [f"{names(str(k))} ({MEASURES.get(r['method'], r['method'])} {places(r['coefficient'], 2)})"
            for k, r in sure.head(3).iterrows()]  # fmt: skip
    return f"{said}. {names(outcome)} goes most with {all_of(best)}."


def pairwise_answer(view: PairwiseView) -> str:
    """Return the answer: of two columns how they go together, of more which pairs go most."""
    table: Table = type(view).table.of(view)
    if len(view.columns) == 2:
        return _of_two(table, view, view._answers.relations)
    return _strongest(table, view._names)


def _of_two(pairs: Table, view: PairwiseView | RelationsView, relations: Relations) -> str:
    names = view._names
    if not len(pairs):
        return "There is no row where both are present."
    if view._two is not None:
        return two_answer(view._two, names)
    pair = pairs.iloc[0]
    first, second, method = names(pair["first"]), names(pair["second"]), pair["method"]
    r: dict[str, Any] = {"estimate": pair["coefficient"], **pair[["low", "high", "p", "n"]]}
    rows = with_n(pair["n"])
    sides = {s.name: s for s in relations.sides}
    either = sides[pair["first"]], sides[pair["second"]]
    if method in NAMES and any(s.what == "two" for s in either):
        way = _where(either, r["estimate"], names) if pair["p"] < T.Q_CARRIES else ""
        seen = way or f"{first} and {second} do not go together more than chance makes"
        return f"{seen}: {coefficient(method, r, rows)}."
    if method in NAMES:
        return pair_answer(first, second, pair["form"], method, r, rows)
    said = f"{MEASURES.get(method, method)} {places(r['estimate'], 2)}"
    if pd.isna(r["low"]):
        return f"{first} and {second}: {said} ({rows})."
    if not pair["p"] < T.Q_CARRIES:
        return f"{first} and {second} do not go together more than chance makes: {said} ({rows})."
    return f"{first} and {second} go together: {said} ({places(r['low'], 2)} to {places(r['high'], 2)}, {rows})."


def _where(either: tuple[Side, Side], coefficient: float, names: Callable[[str], str]) -> str:
    """Return at which of two levels another column is higher, or one of its levels more frequent."""
    two, other = either if either[0].what == "two" else either[::-1]
    if len(two.labels) != 2:
        return f"{names(two.name)} and {names(other.name)} go together"
    where = f"where {names(two.name)} is {two.labels[1]} than where it is {two.labels[0]}"
    if other.what == "two" and len(other.labels) == 2:
        return f"{names(other.name)} is {other.labels[1]} {'more' if coefficient > 0 else 'less'} often {where}"
    return f"{names(other.name)} is {'higher' if coefficient > 0 else 'lower'} {where}"


def _strongest(pairs: Table, names: Callable[[str], str]) -> str:
    sure = pairs[pairs["q"] < T.Q_CARRIES]
    if not len(sure):
        return f"Of {plural(len(pairs), 'pair')} none goes together more than chance makes."
    best = [
        f"{names(r['first'])} and {names(r['second'])} ({MEASURES.get(r['method'], r['method'])} "
        f"{places(r['coefficient'], 2)})"
        for _, r in sure.head(3).iterrows()
    ]
    return f"{len(sure)} of {plural(len(pairs), 'pair')} go together more than chance makes, most {all_of(best)}."
