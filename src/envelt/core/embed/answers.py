"""What `embed` answers."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property
from typing import Any, NamedTuple

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from ..columns.table import Column
from ..finding import Finding, by_weight
from ..kept import Remade
from ..parallel import Slowly
from ..stats.sampling import Sampling
from . import findings as said
from .classes import Separation, Suspects, pieces_of, separation_of, suspects_of
from .embed import Map, OnStep, make_map
from .inputs import Encoder, matrix_of
from .nearest import Index, Nearest, nearest_rows
from .quality import Quality, quality_of

LOOKED_AT = 15
"""Neighbours by which classes and pieces are judged."""
MEASURED = 10
"""Neighbours of which quality speaks."""


class MapGroups(NamedTuple):
    """What colours the rows: the levels of a column and each row's, or numbers; neither where nothing does."""

    name: str | None
    levels: tuple[str, ...]
    codes: NDArray[np.int64] | None
    numbers: NDArray[np.float64] | None


@dataclass(frozen=True)
class MapAnswers(Remade):
    """Rows in two dimensions, and how far that can be trusted; each part is made when it is asked for.

    Parameters
    ----------
    columns, encoders
        What the map is made of, and how each becomes columns of the matrix.
    known
        All columns that pieces of the map may be told apart by.
    rows, groups, sampling
        The labels of the rows, what colours them, and what they are a sample of.
    method, nearest, distance, seed, frames
        As in `make_map`.
    index
        Gives what finds nearest rows where there are many, or nothing.
    on_step
        Told each step and where the rows lie.
    """

    columns: tuple[Column, ...]
    encoders: tuple[Encoder, ...]
    known: tuple[Column, ...]
    rows: pd.Index[Any]
    groups: MapGroups
    sampling: Sampling
    method: str
    nearest: int | None
    distance: str
    seed: int
    frames: int
    index: Callable[[], Index | None]
    on_step: OnStep | None
    slowly: Slowly

    @cached_property
    def map(self) -> Map:
        """Where the rows lie."""
        values = matrix_of(list(self.columns), list(self.encoders))
        with self.slowly("Map") as report:

            def seen(step: int, of: int, at: NDArray[np.float64]) -> None:
                report(step, of, "")
                if self.on_step is not None:
                    self.on_step(step, of, at.copy())

            index = self.index() if self.method == "neighbours" else None
            return make_map(values, self.method, self.nearest, self.distance, self.seed, index, seen, self.frames)

    @property
    def k(self) -> int:
        """How many neighbours quality speaks of."""
        return min(MEASURED, max(1, (len(self.rows) - 1) // 2 - 1))

    @property
    def _looked_at(self) -> int:
        return min(LOOKED_AT, len(self.rows) - 1)

    @cached_property
    def _in_full(self) -> Nearest:
        """The nearest rows among all columns."""
        m = self.map
        return nearest_rows(m.reduced, self._looked_at, m.distance, self.index()) if m.nearest is None else m.nearest

    @cached_property
    def _on_map(self) -> Nearest:
        return nearest_rows(self.map.at, self._looked_at)

    @cached_property
    def quality(self) -> Quality:
        """How far neighbours are kept."""
        return quality_of(self.map.values, self.map.at, self.k, self.seed)

    @cached_property
    def of_pca(self) -> Quality:
        """The same of the first two principal components."""
        scores = self.map.components.scores[:, :2]
        two = scores if scores.shape[1] == 2 else np.column_stack((scores, np.zeros(len(scores))))
        return quality_of(self.map.values, two, self.k, self.seed)

    @property
    def has_classes(self) -> bool:
        """Whether classes colour the rows."""
        return self.groups.codes is not None and len(self.groups.levels) > 1

    @cached_property
    def separation(self) -> Separation:
        """How far classes lie apart."""
        assert self.groups.codes is not None
        size = len(self.groups.levels)
        return separation_of(self.groups.codes, size, self._in_full.at, self._on_map.at, self.sampling)

    @cached_property
    def suspects(self) -> Suspects:
        """Rows among another class."""
        assert self.groups.codes is not None
        return suspects_of(self.groups.codes, len(self.groups.levels), self._in_full.at, self._in_full.distance)

    @cached_property
    def findings(self) -> tuple[Finding, ...]:
        """What a careful colleague would say."""
        groups, named = self.groups, [c.name for c in self.columns if c.kind == "identifier"]
        among = groups.name if groups.name in {c.name for c in self.columns} else None
        out = said.said_of_inputs(among, named) + said.said_of_quality(self.quality)
        apart: list[int] = []
        if self.has_classes and groups.name is not None:
            out += said.said_of_separation(groups.name, groups.levels, self.separation)
            labels = [str(r) for r in self.rows]
            out += said.said_of_suspects(groups.name, groups.levels, self.suspects, self.separation, labels)
            apart = said.kept_apart(self.separation)
        pieces = pieces_of(self._on_map.at, max(10, len(self.rows) // 50))
        of_classes = (groups.codes, groups.name or "", groups.levels, apart)
        out += said.said_of_pieces(pieces, list(self.known), *of_classes, self.sampling)
        return by_weight(out)
