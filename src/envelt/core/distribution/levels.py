"""How the levels of a category column are distributed, alone and by group."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from ...errors import OptionError, option
from ..columns.grouping import Grouping, Groups
from ..columns.table import CategoryColumn
from ..finding import Finding, by_weight
from .group_findings import few_rows
from .look import Look

Ints = NDArray[np.int64]


@dataclass(frozen=True)
class LevelDistribution:
    """A category column, in groups: ``counts`` of shape (groups, levels)."""

    name: str
    groups: Groups
    outside: int
    levels: tuple[str, ...]
    ordered: bool
    counts: Ints
    missing: Ints
    look: Look
    why: str
    findings: tuple[Finding, ...]


def level_distribution(column: CategoryColumn, grouping: Grouping, look: Look) -> LevelDistribution:
    """Count the levels of a category column in groups.

    Raises
    ------
    OptionError
        A picture for numbers was asked for.
    """
    if look.picture not in ("auto", "bars"):
        raise OptionError(
            f"{column.name!r} is {column.kind}, which has levels and no {look.picture}: use "
            f"{option('picture', 'bars')}, or declare it a number: {option('kind', f'{column.name}=continuous')}."
        )
    size = len(column.levels)
    inside, present = grouping.codes >= 0, column.codes >= 0
    both = inside & present
    cell = grouping.codes[both] * size + column.codes[both]
    counts = np.bincount(cell, minlength=len(grouping) * size).reshape(len(grouping), size)
    missing = np.bincount(grouping.codes[inside & ~present], minlength=len(grouping))
    findings = few_rows(column.name, grouping.labels, counts.sum(axis=1), grouping.names)
    replace(look, picture="auto").refuse_all(column.name, f"{column.kind}, and shown as bars", ("numbers", "upright"))
    why = "bars: levels are counted" if look.picture == "auto" else ""
    ordered = column.ordered or column.kind == "binary"
    return LevelDistribution(
        column.name,
        grouping.groups,
        grouping.outside,
        column.levels,
        ordered,
        counts,
        missing,
        look,
        why,
        by_weight(findings),
    )
