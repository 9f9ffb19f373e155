"""What columns are called where a person sees them, and what a view was computed from."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from ..core.columns.outcome import ClassOutcome, NumericOutcome, Outcome
from ..core.kept import Remade
from ..core.words import be, have, plural
from ..write.digits import count


class Captions:
    """What to call columns where a person sees them.

    Parameters
    ----------
    given
        Titles by column name, of the columns that a person gave a label or a unit of measure.
    """

    def __init__(self, given: Mapping[str, str] | None = None) -> None:
        self.given = dict(given or {})

    def __call__(self, name: str) -> str:
        """Return what to call a column."""
        return self.given.get(name, name)

    def of(self, result: Any) -> Any:
        """Return a result under its captions: its own name and its outcome's."""
        changes: dict[str, Any] = {"outcome": replace(result.outcome, name=self(result.outcome.name))}
        if hasattr(result, "name"):
            changes["name"] = self(result.name)
        return result.under(**changes) if isinstance(result, Remade) else replace(result, **changes)


PLAIN = Captions()


def missing_line(missing: int, name: str) -> tuple[str, ...]:
    """Say how many rows a missing candidate value cost."""
    return (f"{have(missing, 'row')} no {name} and {be(missing)} left out of its numbers",) if missing else ()


def outcome_line(outcome: Outcome, total: int, names: Captions = PLAIN) -> str:
    """Say which rows have an outcome and which class is the event."""
    known = int(outcome.known.sum())
    rows = (
        f"{count(known)} of {count(total)} rows have {names(outcome.name)}"
        if known < total
        else f"{plural(total, 'row')}"
    )
    if isinstance(outcome, ClassOutcome):
        return f"{rows}; event: {names(outcome.name)} = {outcome.event}"
    assert isinstance(outcome, NumericOutcome)
    return rows
