"""What options may be: one check for each kind of option."""

from __future__ import annotations

from collections.abc import Iterable
from numbers import Real
from typing import Any

from ..core.columns.table import Column
from ..core.relations.correlating import Correlating
from ..core.relations.side import side_of
from ..errors import OptionError


def names_of(given: str | Iterable[Any] | None, what: str = "columns") -> tuple[str, ...]:
    """Return columns that were given as one name, one after another, as one list, or not at all.

    Raises
    ------
    OptionError
    """
    if given is None:
        return ()
    flat: list[Any] = []
    for name in [given] if isinstance(given, str) or not isinstance(given, Iterable) else given:
        flat += [name] if isinstance(name, str) or not isinstance(name, Iterable) else list(name)
    for name in flat:
        if not isinstance(name, (str, Real)) or isinstance(name, bool):
            raise OptionError(f"Columns are named by text, one or a list of them ({what}), not by {name!r}.")
    return tuple(map(str, flat))


def refuse_itself(by: tuple[str, ...], columns: tuple[str, ...]) -> None:
    """Refuse to group a column by itself.

    Raises
    ------
    OptionError
    """
    for name in by:
        if name in columns:
            raise OptionError(f"{name!r} cannot be grouped by itself. Name another column in by.")


def refuse_without_order(column: Column, asked: Correlating) -> None:
    """Refuse a correlation of a column that holds levels without an order.

    Raises
    ------
    OptionError
    """
    if asked.method != "auto" and side_of(column).numbers is None:
        raise OptionError(
            f"{column.name!r} is {column.kind} and has no order, so it has no such correlation: leave method out, and "
            "it gets a correlation ratio or Cramér's V."
        )


def refuse_empty(column: Column, so: str) -> None:
    """Refuse a column without a value.

    Raises
    ------
    OptionError
    """
    if column.empty:
        raise OptionError(f"{column.name!r} is missing in every row: {so}.")
