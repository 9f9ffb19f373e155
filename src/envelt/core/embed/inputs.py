"""From columns of all kinds to one matrix in which each column weighs the same."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from ..columns.table import CategoryColumn, Column
from ..magnitude import in_unit, spread_of

Floats = NDArray[np.float64]

MOST_LEVELS = 50
"""Of a category that get a column each; the smaller ones have none."""


@dataclass(frozen=True)
class Encoder:
    """How a column becomes columns of the matrix.

    Parameters
    ----------
    name
        Of the column it is made from.
    centre, scale
        Of numbers.
    levels
        Of a category: the weight of each level's indicator, and the share that is taken off, by level.
    ranks
        Of an ordered category: the number that stands for each level.
    """

    name: str
    centre: float = 0.0
    scale: float = 1.0
    levels: Mapping[str, tuple[int, float]] = field(default_factory=dict)
    weight: float = 1.0
    ranks: Mapping[str, float] = field(default_factory=dict)

    @property
    def width(self) -> int:
        """How many columns it becomes."""
        return len(self.levels) or 1

    @property
    def names(self) -> list[str]:
        """What these are called."""
        return [f"{self.name}={level}" for level in self.levels] or [self.name]

    def of(self, values: Floats | None, labels: list[str | None] | None) -> Floats:
        """Return the columns of the matrix for numbers, or for labels; a missing value is the mean."""
        if self.ranks:
            assert labels is not None
            values = np.array([self.ranks.get(v, np.nan) if v is not None else np.nan for v in labels])
        if not self.levels:
            assert values is not None
            scaled = (values - self.centre) / self.scale
            return np.nan_to_num(scaled, nan=0.0)[:, None]
        assert labels is not None
        out = np.zeros((len(labels), len(self.levels)))
        base = np.array([-share for _, share in self.levels.values()])
        place = {level: k for level, (k, _) in self.levels.items()}
        at = np.array([-1 if v is None else place.get(v, -1) for v in labels])
        known = np.array([v is not None for v in labels])
        out[known] = base
        out[known & (at >= 0), at[known & (at >= 0)]] += 1
        return out * self.weight


def encoder_of(column: Column, scaled: bool = True) -> Encoder | None:
    """Return how a column becomes columns of the matrix; nothing for one without two values.

    Numbers and dates are standardized, grades by their mid-ranks, names get an indicator a level, together of variance
    one, so that a category weighs what a number does.
    """
    if isinstance(column, CategoryColumn):
        counts = column.counts.astype(np.float64)
        used = np.flatnonzero(counts)
        if len(used) < 2:
            return None
        share = counts / counts.sum()
        if column.kind == "ordinal":
            below = np.cumsum(share) - share / 2
            spread = float(np.sqrt(share @ (below - 0.5) ** 2))
            ranks = {column.levels[i]: float(below[i]) for i in used}
            return Encoder(column.name, 0.5, spread, ranks=ranks)
        kept = used[np.argsort(-counts[used], kind="stable")][:MOST_LEVELS]
        weight = 1 / np.sqrt(float(np.sum(share[kept] * (1 - share[kept]))))
        levels = {column.levels[i]: (k, float(share[i])) for k, i in enumerate(kept.tolist())}
        return Encoder(column.name, levels=levels, weight=weight)
    values = column.numbers
    assert values is not None
    present = values[~np.isnan(values)]
    if len(present) < 2 or present.min() == present.max():
        return None
    first = float(present[0])
    away, unit = in_unit(present - first)
    centre, spread = first + unit * float(np.mean(away)), spread_of(present)
    return Encoder(column.name, centre, spread if scaled and spread > 0 else 1.0)


def matrix_of(columns: list[Column], encoders: list[Encoder]) -> Floats:
    """Return the matrix of columns, shape (n, d)."""
    parts = []
    for column, encoder in zip(columns, encoders, strict=True):
        labels = column.labels() if isinstance(column, CategoryColumn) else None
        parts.append(encoder.of(column.numbers, labels))
    return np.concatenate(parts, axis=1)
