"""What becomes of a relation within the levels of other columns: one rule, and the words for it.

A relation over all rows beside what is left of it within levels turns round, vanishes, or shows only there. Whoever
looks (at groups that a person named, at all candidates, at all pairs of numbers) says how sure and how large the two
must be, and the rule is the same.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

from .. import thresholds as T
from ..estimate import Estimate

TURNS, VANISHES, ONLY = "turns-round", "vanishes-within", "only-within"
OPPOSITE, TOGETHER = "turns-between-groups", "only-together"
ENDS = {
    TURNS: "it turns round",
    VANISHES: "it vanishes within them",
    ONLY: "over all rows little of it shows",
}
"""How a sentence on each ends."""


class Relation(NamedTuple):
    """A relation on a scale where nothing is 0, and whether it is surely not nothing."""

    size: float
    sure: bool


class Demands(NamedTuple):
    """What is asked before a word is said.

    Parameters
    ----------
    turned
        How large a relation must be both ways to be said to turn round.
    least
        How large it must be to vanish, or to show only within.
    left
        Which share of the larger may be left in the other.
    vanish, only
        The p below which the two must differ by chance, for either.
    """

    turned: float
    least: float
    left: float
    vanish: float
    only: float


@dataclass(frozen=True)
class TurnRound:
    """A relation that turns round, vanishes or shows only within the levels of another column.

    Parameters
    ----------
    code
        What becomes of it, as in `rule`.
    name, within
        The candidate, and the column within whose levels it turns.
    overall, inside
        The change of the outcome (a rate or a mean) along the candidate, over all rows and within levels: from one
        end to the other of two levels, a step of ordered ones.
    low_end, high_end
        The levels the change is from and to.
    agreeing, levels
        How many levels of ``within`` go the way of ``inside``, of how many.
    steps
        From the one end to the other.
    opposite
        Of opposite directions the levels of ``within`` in which the outcome rises and falls; then ``overall`` is the
        one and ``inside`` the other. Of what shows in one level only, that level; then ``overall`` is of the others.
    """

    code: str
    name: str
    within: str
    overall: Estimate
    inside: Estimate
    low_end: str
    high_end: str
    agreeing: int
    levels: int
    steps: int
    opposite: tuple[str, ...] = ()


def named(floor: float) -> Demands:
    """Return what is asked of groups that a person named: what differs over all rows is sure by itself."""
    return Demands(floor, floor, T.VANISH_LEFT, T.VANISH_P, T.ONLY_P)


def least_points(rate: float) -> float:
    """Return the smallest difference of a rate that matters: some points, or a quarter of a rate that is rare."""
    return min(T.TURN_POINTS, T.TURN_RELATIVE * min(rate, 1 - rate))


def becomes(crude: Relation, within: Relation, p: float, asked: Demands) -> str | None:
    """Return what becomes of a relation: TURNS, VANISHES, ONLY, or nothing worth a word.

    Parameters
    ----------
    crude, within
        Over all rows, and within levels.
    p
        Of the chance that the two differ no more than they do where levels do not matter; NaN where it is not known.
    """
    a, b = abs(crude.size), abs(within.size)
    if crude.size * within.size < 0 and crude.sure and within.sure and min(a, b) >= asked.turned:
        return TURNS
    hidden = {VANISHES: (crude, within, asked.vanish), ONLY: (within, crude, asked.only)}
    for code, (there, gone, sure) in hidden.items():
        little = not gone.sure or abs(gone.size) < asked.least
        share = gone.size / there.size if there.size else float("inf")
        if there.sure and abs(there.size) >= asked.least and little and share <= asked.left and p < sure:
            return code
    return None
