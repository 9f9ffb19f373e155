"""An outcome as the held-out share sees it: sufficient counts of cells, base rates and losses.

A *cell* holds rows that are treated alike. Of each cell only a few sums are kept: the count of each class,
or the power sums of a numeric outcome. Everything the share needs comes from them.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from ..magnitude import in_unit
from ..shapes.ranks import ranks_of_ordinals

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]


@dataclass(frozen=True)
class ClassTarget:
    """A class outcome under log loss.

    Parameters
    ----------
    codes
        The class of each row, shape (n,), 0 … K − 1, none missing; the event is the last class.
    classes
        K.
    """

    codes: NDArray[np.int64]
    classes: int

    def take(self, keep: NDArray[np.bool_]) -> ClassTarget:
        """Return the outcome of some of the rows."""
        return ClassTarget(self.codes[keep], self.classes)

    def __len__(self) -> int:
        return len(self.codes)

    @cached_property
    def ordinals(self) -> Ints:
        """A number for each class, from the rarest up, shape (n,): what classes are called is left out of it."""
        place = np.empty(self.classes, np.int64)
        place[np.argsort(np.bincount(self.codes, minlength=self.classes), kind="stable")] = np.arange(self.classes)
        return np.asarray(place[self.codes])

    @property
    def load(self) -> Floats:
        """What folds balance: 1 for a row of the rarest class."""
        rarest = np.argmin(np.bincount(self.codes, minlength=self.classes))
        return np.asarray(self.codes == rarest, np.float64)

    def sums(self, cell: NDArray[np.integer], size: int) -> Floats:
        """Return the count of each class in each cell, shape (size, K)."""
        counted = np.bincount(cell * self.classes + self.codes, minlength=size * self.classes)
        return counted.reshape(size, self.classes).astype(np.float64)

    def rows(self, sums: Floats) -> Floats:
        """Return the number of rows behind sums of shape (…, K)."""
        return np.asarray(sums.sum(axis=-1))

    def means(self, sums: Floats) -> Floats:
        """Return class shares, shape (…, K); 0 where there is no row."""
        n = sums.sum(axis=-1, keepdims=True)
        return np.asarray(sums / np.maximum(n, 1))

    def base(self, total: Floats) -> Floats:
        """Return base rates (n_k + ½) / (n + K / 2), shape (…, K)."""
        return np.asarray((total + 0.5) / (total.sum(axis=-1, keepdims=True) + self.classes / 2))

    def variance(self, total: Floats, base: Floats) -> Floats:
        """Return the variance of each class indicator, shape (K,)."""
        return base * (1 - base)

    def bounded(self, rates: Floats, n: Floats, base: Floats, least: float) -> Floats:
        """Keep rates off zero, as a base rate of ``least`` rows' weight would, and summing to one."""
        floor = least * base[..., None, :] / (n[..., None] + least)
        rates = np.maximum(rates, floor)
        return np.asarray(rates / rates.sum(axis=-1, keepdims=True))

    def loss(self, sums: Floats, rates: Floats) -> Floats:
        """Return the total log loss in nats of cells under rates, both of shape (…, cells, K)."""
        return np.asarray(-np.sum(sums * np.log(rates), axis=(-2, -1)))

    def entropy(self, base_loss: Floats) -> Floats:
        """Return the base loss a row, in nats."""
        return base_loss

    def gain(self, rates: Floats, base: Floats, share: Floats, scale: Floats) -> Floats:
        """Return z = ((b − l) − S b) / mean(b) of a row, for each cell and class; share and scale of shape (…)."""
        b, loss = -np.log(base)[..., None, :], -np.log(rates)
        return np.asarray(((b - loss) - share[..., None, None] * b) / scale[..., None, None])

    def gain_moments(self, sums: Floats, gain: Floats) -> tuple[Floats, Floats]:
        """Return the sum of z and of z² over all rows."""
        return np.sum(sums * gain, axis=(-2, -1)), np.sum(sums * gain**2, axis=(-2, -1))

    def gain_of_rows(self, gain: Floats, cell: NDArray[np.integer]) -> Floats:
        """Return z of each row, given its cell in ``gain``."""
        return np.asarray(gain[cell, self.codes])

    @property
    def ranks(self) -> Floats | None:
        """A class outcome has no ranks."""
        return None


@dataclass(frozen=True)
class NumberTarget:
    """A numeric outcome under squared error.

    Parameters
    ----------
    values
        The outcome, standardized to mean 0 and deviation 1, shape (n,), none missing.
    ordinals
        Dense codes of the values in order, shape (n,): what rank tests need.
    """

    values: Floats
    ordinals: NDArray[np.int64]

    @classmethod
    def of(cls, values: Floats) -> NumberTarget:
        """Standardize an outcome."""
        scaled = in_unit(values)[0]
        centred = scaled - scaled[0]
        centred = centred - centred.mean()
        return cls(centred / centred.std(), np.unique(values, return_inverse=True)[1].astype(np.int64))

    def take(self, keep: NDArray[np.bool_]) -> NumberTarget:
        """Return the outcome of some of the rows."""
        return NumberTarget(self.values[keep], self.ordinals[keep])

    def __len__(self) -> int:
        return len(self.values)

    @property
    def load(self) -> Floats:
        """What folds balance: the outcome itself."""
        return self.values

    def sums(self, cell: NDArray[np.integer], size: int) -> Floats:
        """Return the power sums 0 to 4 of each cell, shape (size, 5)."""
        out = np.empty((size, 5))
        power = np.ones(len(self.values))
        for k in range(5):
            out[:, k] = np.bincount(cell, weights=power, minlength=size)
            power = power * self.values
        return out

    def rows(self, sums: Floats) -> Floats:
        """Return the number of rows behind sums of shape (…, 5)."""
        return sums[..., 0]

    def means(self, sums: Floats) -> Floats:
        """Return the mean, shape (…, 1); 0 where there is no row."""
        return np.asarray(sums[..., 1:2] / np.maximum(sums[..., :1], 1))

    def base(self, total: Floats) -> Floats:
        """Return the overall mean, shape (…, 1)."""
        return np.asarray(total[..., 1:2] / np.maximum(total[..., :1], 1))

    def variance(self, total: Floats, base: Floats) -> Floats:
        """Return the overall variance, shape (…, 1)."""
        return np.asarray(np.maximum(total[..., 2:3] / np.maximum(total[..., :1], 1) - base**2, 0.0))

    def bounded(self, rates: Floats, n: Floats, base: Floats, least: float) -> Floats:
        """Return means as they are: squared error needs no bound."""
        return rates

    def loss(self, sums: Floats, rates: Floats) -> Floats:
        """Return the total squared error of cells under means of shape (…, cells, 1)."""
        r = rates[..., 0]
        return np.asarray(np.sum(sums[..., 2] - 2 * r * sums[..., 1] + r * r * sums[..., 0], axis=-1))

    def entropy(self, base_loss: Floats) -> Floats:
        """Return ½: a normal outcome's squared error in units of nats is half its variance over itself."""
        return np.full_like(base_loss, 0.5)

    def gain(self, rates: Floats, base: Floats, share: Floats, scale: Floats) -> Floats:
        """Return the coefficients of z as a polynomial in the outcome, shape (…, cells, 3)."""
        r, m, s = rates[..., 0], base[..., 0][..., None], share[..., None]
        parts = [m * m * (1 - s) - r * r, 2 * (r - m) + 2 * s * m, np.broadcast_to(-s, r.shape)]
        return np.asarray(np.stack(parts, axis=-1) / scale[..., None, None])

    def gain_moments(self, sums: Floats, gain: Floats) -> tuple[Floats, Floats]:
        """Return the sum of z and of z² over all rows."""
        c0, c1, c2 = np.moveaxis(gain, -1, 0)
        s = np.moveaxis(sums, -1, 0)
        first = c0 * s[0] + c1 * s[1] + c2 * s[2]
        second = c0**2 * s[0] + 2 * c0 * c1 * s[1] + (c1**2 + 2 * c0 * c2) * s[2]
        second = second + 2 * c1 * c2 * s[3] + c2**2 * s[4]
        return first.sum(axis=-1), second.sum(axis=-1)

    def gain_of_rows(self, gain: Floats, cell: NDArray[np.integer]) -> Floats:
        """Return z of each row, given its cell in ``gain``."""
        c = gain[cell]
        return np.asarray(c[:, 0] + self.values * (c[:, 1] + self.values * c[:, 2]))

    @property
    def ranks(self) -> Floats:
        """Mid-ranks of the outcome, from 1."""
        return ranks_of_ordinals(self.ordinals)


Target = ClassTarget | NumberTarget
