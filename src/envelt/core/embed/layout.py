"""A layout in which rows lie beside their neighbours.

The Kullback–Leibler divergence between the affinities of rows and those of a heavy-tailed kernel on the map (van der
Maaten & Hinton 2008) is taken down by gradient steps with momentum, from a start along the directions of most variance
(Kobak & Berens 2019, Nature Communications 10, 5416). Affinities count more at first, so that whole groups find their
places before rows do. Afterwards a weak pull towards the start, grown to the size of the map, keeps far groups in their
order; how weak, was measured (benchmarks/maps.py): it costs a twentieth of the neighbours and gives back what the
triplets lose.
"""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from dataclasses import dataclass

import numpy as np
import scipy
from numpy.typing import NDArray

from .repulsion import Repulsion

Floats = NDArray[np.float64]
Singles = NDArray[np.float32]
OnStep = Callable[[int, int, Singles], None]

PULL, PULLED_ROWS = 1.5, 1_800
STRONGER = 10.0
MOMENTUM, FASTER, SLOWER = (0.6, 0.85), 0.15, 0.85
"""Of the step before, early and late; how a coordinate's rate grows where it keeps on, and shrinks where it turns."""
START = 1e-2
"""The deviation of the start along its first axis."""


@dataclass(frozen=True)
class Schedule:
    """How the layout forms: steps with affinities counted ``stronger`` times, then steps as they are."""

    early: int
    late: int
    stronger: float
    rate: float
    pull: float


def schedule_of(n: int) -> Schedule:
    """Return the schedule for a number of rows.

    The pull falls off with the rows: a map of many needs room to keep near rows near.
    """
    few = n <= 20_000
    return Schedule(80 if few else 60, 200, STRONGER, max(n / STRONGER, 40.0), PULL * min(1.0, PULLED_ROWS / n))


def lay_out(p: scipy.sparse.csr_matrix, start: Floats, schedule: Schedule, on_step: OnStep | None = None) -> Singles:
    """Return a map, shape (n, 2), from affinities and a start.

    ``on_step`` is told of every step, of how many, and the map as it is; a KeyboardInterrupt keeps the last map.
    """
    plan = np.ascontiguousarray(start / (float(np.std(start[:, 0])) or 1.0), np.float32)
    at = plan * np.float32(START)
    attraction, repulsion = _Attraction(p), Repulsion()
    step, gain = np.zeros_like(at), np.ones_like(at)
    total = schedule.early + schedule.late
    with ThreadPoolExecutor(1) as beside, suppress(KeyboardInterrupt):
        for i in range(total):
            early = i < schedule.early
            other = beside.submit(repulsion.forces, at)
            pull = attraction.forces(at) * np.float32(schedule.stronger if early else 1.0)
            push, z = other.result()
            slope = 4 * (pull - push / np.float32(z))
            if not early:
                slope += _towards(plan, at) * np.float32(schedule.pull / len(at))
            same = np.sign(slope) == np.sign(step)
            gain = np.maximum(np.where(same, gain * SLOWER, gain + FASTER), 0.05).astype(np.float32)
            step = np.float32(MOMENTUM[0] if early else MOMENTUM[1]) * step - np.float32(schedule.rate) * gain * slope
            long = np.sqrt(np.sum(step**2, axis=1, keepdims=True))
            step /= np.maximum(long / 5, 1)
            at = at + step
            at -= at.mean(axis=0)
            if on_step is not None:
                on_step(i + 1, total, at)
    return at


def _towards(plan: Singles, at: Singles) -> Singles:
    """Return how far points lie from the start grown to the size of the map, in units of its growth."""
    grown = max(float(np.sum(at * plan)) / max(float(np.sum(plan * plan)), 1e-12), 1e-3)
    return at / np.float32(grown) - plan


class _Attraction:
    """The pull of neighbours on each other; each pair is looked at once."""

    def __init__(self, p: scipy.sparse.csr_matrix) -> None:
        half = scipy.sparse.triu(p, 1).tocsr().astype(np.float32)
        self._p, self._shape = half.data, half.shape
        self._to, self._starts = half.indices, half.indptr
        self._from = np.repeat(np.arange(half.shape[0], dtype=np.int32), np.diff(half.indptr))

    def forces(self, at: Singles) -> Singles:
        """Return Σ_j p_ij (1 + d²)⁻¹ (y_i − y_j) of every row."""
        x, y = np.ascontiguousarray(at[:, 0]), np.ascontiguousarray(at[:, 1])
        across = np.take(x, self._from) - np.take(x, self._to)
        up = np.take(y, self._from) - np.take(y, self._to)
        across *= across
        up *= up
        across += up
        across += 1
        weight = self._p / across
        held = scipy.sparse.csr_matrix((weight, self._to, self._starts), shape=self._shape)
        known = np.column_stack((x, y, np.ones_like(x)))
        drawn = held @ known + held.T @ known
        return np.asarray(at * drawn[:, 2:] - drawn[:, :2])
