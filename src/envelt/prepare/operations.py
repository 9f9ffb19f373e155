"""Every operation by its name, in the order in which a preparation usually has them."""

from __future__ import annotations

from .columns import Derive, Drop, Relabel, Rename, Replace, Retype
from .levels import Encode, MergeRare
from .made import GroupFeature, PartsOfDate
from .numbers import Bin, Clip, Fill, Reexpress, Rescale
from .operation import Operation

OPERATIONS: dict[str, type[Operation]] = {
    kind.name: kind
    for kind in (
        Drop, Rename, Retype, Relabel, Derive, Replace, Fill, Clip, Reexpress, Bin, MergeRare, GroupFeature,
        PartsOfDate, Rescale, Encode,
    )
}  # fmt: skip
