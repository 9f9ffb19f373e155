"""The repulsion of all points on each, by interpolation on a grid and fast Fourier transforms.

Rows spread their charges over the sixteen grid points around them by cubic interpolation, the grid is convolved with
the kernels 1 / (1 + d²) and 1 / (1 + d²)², and rows read off what stands at their place (after Linderman, Rachh,
Hoskins, Steinerberger & Kluger 2019, Nature Methods 16, 243–245).
"""

from __future__ import annotations

import numpy as np
import scipy
from numpy.typing import NDArray

Singles = NDArray[np.float32]

SPACING = 0.5
MOST_GRID = 420
EXACT = 700
"""Points of which all pairs are as quick."""


class Repulsion:
    """Of points on a map."""

    def forces(self, at: Singles) -> tuple[Singles, float]:
        """Return Σ_j (1 + d²)⁻² (y_i − y_j) of every point, shape (n, 2), and Z = Σ_{i ≠ j} (1 + d²)⁻¹."""
        return _of_all_pairs(at) if len(at) <= EXACT else self._by_grid(at)

    def _by_grid(self, at: Singles) -> tuple[Singles, float]:
        low = at.min(axis=0)
        reach = float((at.max(axis=0) - low).max())
        size = int(np.clip(np.ceil(reach / SPACING) + 4, 24, MOST_GRID))
        size = scipy.fft.next_fast_len(size, real=True)
        spacing = max(reach / (size - 4), 1e-6)
        spread = _spread(at, low, spacing, size)
        charges = np.column_stack((np.ones(len(at), np.float32), at))
        grid = (spread.T @ charges).T.reshape(3, size, size)
        wide = scipy.fft.next_fast_len(2 * size - 1, real=True)
        first, second = self._kernel(size, wide, spacing)
        shape = (wide, wide)
        turned = scipy.fft.rfft2(grid, s=shape)
        potential = np.empty((4, size, size), np.float32)
        potential[0] = scipy.fft.irfft2(turned[0] * first, s=shape)[:size, :size]
        potential[1:] = scipy.fft.irfft2(turned * second, s=shape)[:, :size, :size]
        read = spread @ potential.reshape(4, -1).T
        total = float(read[:, 0].sum(dtype=np.float64)) - len(at)
        force = at * read[:, 1:2] - read[:, 2:4]
        return force.astype(np.float32), max(total, 1e-12)

    def _kernel(self, size: int, wide: int, spacing: float) -> tuple[NDArray[np.complex64], NDArray[np.complex64]]:
        step = np.minimum(np.arange(wide), wide - np.arange(wide)) * spacing
        square = (step[:, None] ** 2 + step[None, :] ** 2).astype(np.float32)
        first = 1 / (1 + square)
        return scipy.fft.rfft2(first).astype(np.complex64), scipy.fft.rfft2(first * first).astype(np.complex64)


def _spread(at: Singles, low: Singles, spacing: float, size: int) -> scipy.sparse.csr_matrix:
    """Return the weights of every point on the grid, shape (n, size²): sixteen a point."""
    place = (at - low) / np.float32(spacing) + np.float32(1.0)
    whole = np.minimum(place.astype(np.int32), size - 3)
    across, up = (_weights(place[:, axis] - whole[:, axis]) for axis in (0, 1))
    data = (across[:, :, None] * up[:, None, :]).reshape(-1)
    corner = (whole[:, 0] - 1) * np.int32(size) + whole[:, 1] - 1
    stencil = (np.arange(4, dtype=np.int32)[:, None] * size + np.arange(4, dtype=np.int32)).reshape(-1)
    indices = (corner[:, None] + stencil).reshape(-1)
    n = len(at)
    return scipy.sparse.csr_matrix(
        (data, indices, np.arange(0, 16 * n + 1, 16, dtype=np.int32)), shape=(n, size * size)
    )


def _weights(t: Singles) -> Singles:
    """Return the weights of the four grid points about a place between the second and the third, shape (n, 4)."""
    a, b, c = t + 1, t - 1, t - 2
    tc, ab = t * c, a * b
    out = np.empty((len(t), 4), np.float32)
    out[:, 0] = tc * b / -6
    out[:, 1] = ab * c / 2
    out[:, 2] = tc * a / -2
    out[:, 3] = ab * t / 6
    return out


def _of_all_pairs(at: Singles) -> tuple[Singles, float]:
    apart = at[:, None] - at[None]
    near = 1 / (1 + np.sum(apart**2, axis=2))
    np.fill_diagonal(near, 0)
    return np.einsum("ij,ijk->ik", near**2, apart), float(near.sum(dtype=np.float64)) or 1e-12
