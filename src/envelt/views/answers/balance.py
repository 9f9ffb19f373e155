"""How the outcome is spread, in a sentence or two."""

from __future__ import annotations

from typing import TYPE_CHECKING

from ...core.words import plural
from ...write.digits import count, places
from .against import means_answer, rates_answer
from .distribution import of_numbers
from .words import share, told

if TYPE_CHECKING:
    from ..balance import BalanceView

RARE = 3.0
"""Rows for one of the smaller class, from which that says more than its share."""
WORTH = 0.3
"""Of the rows, that the largest class must have for always saying it to be a yardstick."""
EVEN = 1.25
"""The largest class over the smallest, up to which always saying one of them is no yardstick."""


def balance_answer(view: BalanceView) -> str:
    """Return the answer: the share of each class, or where a numeric outcome lies; in groups where they differ."""
    answers, names = view._answers, view._names
    if view._numbers is not None:
        table, name = view.table, names(view._numbers.name)
        if len(table) > 1:
            by = " and ".join(map(names, view._numbers.groups.names))
            return means_answer(table, table[[]], name, by)
        return of_numbers(table.iloc[0], name, view.found, False)
    classes = answers.classes
    assert classes is not None
    outcome = names(classes.outcome.name)
    if view._crossed is not None:
        event, effects = f"{outcome} is {classes.outcome.event}", view.effects if "effects" in view.tables else None
        return rates_answer(view.rates, effects, event, " and ".join(names(str(n)) for n in view.rates.index.names))
    table = view.table.sort_values("count", ascending=False, kind="stable")
    rows, largest, smallest = view.rows, table.iloc[0], table.iloc[-1]
    if len(table) == 1:
        return f"{outcome} is {told(table.index[0])} in all {plural(rows, 'row')}: there is nothing to tell apart."
    if len(table) == 2:
        rare = f"one of {places(view.one_in, 1)}" if view.one_in >= RARE else share(smallest["share"])
        said = (
            f"{outcome} is {told(table.index[0])} in {share(largest['share'])} of {plural(rows, 'row')}, "
            f"{told(table.index[1])} in {rare}."
        )
    else:
        said = (
            f"The largest of {len(table)} classes of {outcome} is {told(table.index[0])}, {share(largest['share'])} of "
            f"{plural(rows, 'row')}; the smallest {told(table.index[-1])}, {share(smallest['share'])} "
            f"({count(smallest['count'])})."
        )
    if largest["count"] > EVEN * smallest["count"] and largest["share"] >= WORTH:
        said += f" Always saying {told(table.index[0])} is right {share(view.largest_share)} of the time."
    return said
