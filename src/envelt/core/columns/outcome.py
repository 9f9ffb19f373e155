"""The outcome of a study: its classes with one as the event, or its numbers."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ...errors import OutcomeError, UnknownEventError, did_you_mean, unknown_column
from ..magnitude import spread_of
from ..stats.targets import ClassTarget, NumberTarget, Target
from ..words import plural
from .kinds import CLASS_KINDS
from .table import CategoryColumn, NumericColumn, Table
from .yes_no import affirms


@dataclass(frozen=True)
class Classes:
    """What the classes of an outcome are called, without the rows: what a result says of it.

    Parameters
    ----------
    name
        The name of the outcome's column.
    levels
        The classes; of two, the event is the second, so that differences are of the event against the rest.
    event
        The class whose rate is spoken of.
    """

    name: str
    levels: tuple[str, ...]
    event: str

    @property
    def event_code(self) -> int:
        """The event's place among the levels."""
        return self.levels.index(self.event)


@dataclass(frozen=True)
class Amount:
    """What an outcome of numbers is called."""

    name: str


@dataclass(frozen=True)
class ClassOutcome:
    """An outcome of classes.

    Parameters
    ----------
    said
        What it and its classes are called.
    codes
        The class of each row, shape (n,), ``-1`` where unknown.
    """

    said: Classes
    codes: NDArray[np.int32]

    @property
    def name(self) -> str:
        """The name of the outcome's column."""
        return self.said.name

    @property
    def levels(self) -> tuple[str, ...]:
        """The classes."""
        return self.said.levels

    @property
    def event(self) -> str:
        """The class whose rate is spoken of."""
        return self.said.event

    @property
    def known(self) -> NDArray[np.bool_]:
        """Which rows have an outcome."""
        return self.codes >= 0

    @property
    def event_code(self) -> int:
        """The event's place among the levels."""
        return self.said.event_code

    @property
    def is_event(self) -> NDArray[np.bool_]:
        """Which rows are the event."""
        return np.asarray(self.codes == self.event_code)

    def take(self, keep: NDArray[Any]) -> ClassOutcome:
        """Return the outcome of some of the rows, by a mask or by their places; classes that lose all rows stay."""
        return replace(self, codes=self.codes[keep])

    def target(self) -> Target:
        """Return the known rows as a target for held-out shares."""
        return ClassTarget(self.codes[self.known].astype(np.int64), len(self.levels))


@dataclass(frozen=True)
class NumericOutcome:
    """An outcome of numbers: ``values`` of shape (n,), NaN where unknown."""

    name: str
    values: NDArray[np.float64]

    @property
    def said(self) -> Amount:
        """What it is called."""
        return Amount(self.name)

    @property
    def known(self) -> NDArray[np.bool_]:
        """Which rows have an outcome."""
        return ~np.isnan(self.values)

    @property
    def deviation(self) -> float:
        """The standard deviation of the known."""
        return spread_of(self.values[self.known])

    def take(self, keep: NDArray[Any]) -> NumericOutcome:
        """Return the outcome of some of the rows, by a mask or by their places."""
        return replace(self, values=self.values[keep])

    def target(self) -> Target:
        """Return the known rows as a target for held-out shares."""
        return NumberTarget.of(self.values[self.known])


Outcome = ClassOutcome | NumericOutcome
Said = Classes | Amount


def resolve_outcome(table: Table, name: str, event: str | None = None) -> Outcome:
    """Return the outcome of a table.

    Parameters
    ----------
    name
        Its column.
    event
        The level to speak of; by default the one that says yes, true or 1, else the rarest.

    Raises
    ------
    UnknownColumnError, OutcomeError, UnknownEventError
    """
    if name not in table.columns:
        raise unknown_column(name, table.columns)
    column = table[name]
    present = int((~column.missing).sum())
    if present == 0:
        raise OutcomeError(f"The outcome {name!r} is missing in every row.")
    if column.distinct == 1:
        raise OutcomeError(
            f"The outcome {name!r} has one value, {column.examples(1)[0]!r}, in all {plural(present, 'row')} "
            "with a value: "
            "there is nothing to tell apart. Check the rows kept, or name another outcome."
        )
    if isinstance(column, NumericColumn):
        if event is not None:
            raise UnknownEventError(
                f"The outcome {name!r} is {column.kind}, so it has no event. Declare it nominal to compare its values."
            )
        return NumericOutcome(name, column.values)
    if isinstance(column, CategoryColumn) and column.kind in CLASS_KINDS:
        return _class_outcome(column, event)
    raise OutcomeError(
        f"The outcome {name!r} is {column.kind} ({column.reason}), which cannot be an outcome. "
        "Name another, or declare its kind: binary, nominal, ordinal, discrete or continuous."
    )


def _class_outcome(column: CategoryColumn, event: str | None) -> ClassOutcome:
    counts = column.counts
    if event is None:
        says_so = [
            level
            for level, written in zip(column.levels, column.written, strict=True)
            if affirms(level) or affirms(written)
        ]
        event = says_so[0] if len(says_so) == 1 else column.levels[int(np.argmin(counts))]
    elif event in column.written:
        event = column.levels[column.written.index(event)]
    elif event not in column.levels:
        hint = did_you_mean(event, column.levels)
        raise UnknownEventError(f"The outcome {column.name!r} has no level {event!r}.{hint}")
    codes, levels = column.codes, column.levels
    if len(levels) == 2 and levels[0] == event:
        codes = np.where(codes >= 0, 1 - codes, -1).astype(np.int32)
        levels = (levels[1], levels[0])
    return ClassOutcome(Classes(column.name, levels, event), codes)
