"""Every operation by its name, in the order in which a preparation usually has them."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from ..errors import OptionError, did_you_mean
from .columns import Derive, Drop, Relabel, Rename, Replace, Retype
from .levels import Encode, MergeRare
from .made import GroupFeature, PartsOfDate
from .numbers import Clip, Fill
from .operation import Operation
from .scales import Bin, Reexpress, Rescale

OPERATIONS: dict[str, type[Operation]] = {
    kind.name: kind
    for kind in (
        Drop, Rename, Retype, Relabel, Derive, Replace, Fill, Clip, Reexpress, Bin, MergeRare, GroupFeature,
        PartsOfDate, Rescale, Encode,
    )
}  # fmt: skip


def operation_of(given: Any) -> Operation:
    """Return an operation given as one, or as a dict.

    Raises
    ------
    OptionError
    """
    if isinstance(given, Operation):
        return given
    if not isinstance(given, Mapping) or "operation" not in given:
        raise OptionError(f"An operation is a dict such as {{'operation': 'drop', 'columns': ['x']}}, not {given!r}.")
    rest = dict(given)
    name, columns = rest.pop("operation"), rest.pop("columns", ())
    if not isinstance(name, str) or name not in OPERATIONS:
        raise OptionError(f"There is no operation {name!r}.{did_you_mean(str(name), OPERATIONS)}")
    columns = [columns] if isinstance(columns, str) else list(columns)
    return OPERATIONS[name](*columns, **rest)
