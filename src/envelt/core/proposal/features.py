"""Features of a proposal: which can be left out, and how each is better written, by what rows held out lose."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from ..stats.sampling import Sampling
from ..stats.targets import Target
from ..transforms.compare import compare
from ..transforms.forms import fit_transform, why_not
from ..transforms.suggest import suggest
from .blocks import MOST_LEVELS, bent, gap, indicators, straight
from .trial import GAINS, Change, Key, Trial, without

Floats = NDArray[np.float64]

BENDS = 5
MOST_COLUMNS = 400
"""Of all blocks of the additive model; where there are more, numbers get fewer bends."""
TRIED = ("log", "sqrt", "log1p", "cube_root", "square", "reciprocal", "log_offset", "yeo_johnson")
"""Transforms, the ones that people read first before the others."""
READ_BY_ALL = TRIED[:3]
STRAIGHT = 0.995
"""The correlation of a transform with the number from which it gains nothing."""
MOST_TRIED = 80
"""Numbers of which transforms are tried: those that they bend most."""
SELDOM_READ = 3
"""Times the gain that another transform must bring."""
SEARCHED = 2.0
"""Standard errors that the best of so many transforms must gain."""
PARTS = ("values", "gaps")
"""Of a number; a column of levels has only the first."""


@dataclass(frozen=True)
class Feature:
    """A feature of n rows: a number, grades in their order, or levels.

    Parameters
    ----------
    values
        Shape (n,), NaN where missing; nothing for levels without an order.
    codes, levels
        The level of each row, −1 where missing, and how many there are; nothing for a number.
    rates
        Of many levels the outcome's rate at each row's, out of fold, shape (n, D).
    """

    values: Floats | None = None
    codes: NDArray[np.int32] | None = None
    levels: int = 0
    rates: Floats | None = None

    @cached_property
    def missing(self) -> NDArray[np.bool_]:
        """Which values are missing."""
        assert self.values is not None
        return np.isnan(self.values)

    @cached_property
    def filled(self) -> Floats:
        """The values, with their median where one is missing."""
        assert self.values is not None
        return np.where(self.missing, np.median(self.values[~self.missing]), self.values)

    @property
    def by_levels(self) -> Floats:
        """An indicator of each level."""
        assert self.codes is not None
        return indicators(self.codes, self.levels)

    @property
    def as_rates(self) -> Floats:
        """The rates in units of their deviation."""
        assert self.rates is not None
        return np.concatenate([straight(r) for r in self.rates.T], axis=1)


@dataclass(frozen=True)
class Forms:
    """How features are better written for a model of straight lines, with what each gains on rows held out.

    Parameters
    ----------
    by_levels
        Columns of many levels, or of grades, that are better given by a column for each level than by the outcome's
        rates or by their order.
    gaps
        Numbers of which being missing tells something that the others do not.
    transforms
        By number, with what its shape alone asks for.
    """

    by_levels: list[str]
    gaps: dict[str, Change]
    transforms: dict[str, tuple[str, Change, str]]


@dataclass(frozen=True)
class Features:
    """Features of the same rows, with their outcome.

    Parameters
    ----------
    every
        By name; none missing in all rows.
    target, sampling
        Of the rows.
    fold
        Of each row, 0 … 4, shape (n,).
    """

    every: Mapping[str, Feature]
    target: Target
    fold: NDArray[np.int64]
    sampling: Sampling

    def _blocks(self, names: Collection[str], bends: int) -> dict[Key, Floats]:
        """Return two blocks a number, its values and its gaps, and one a column of levels."""
        out: dict[Key, Floats] = {}
        for name, f in self.every.items():
            if name not in names:
                continue
            if f.values is not None:
                out[name, "values"], out[name, "gaps"] = bent(f.filled, bends), gap(f.missing)
            else:
                out[name, "values"] = f.by_levels if f.rates is None else f.as_rates
        return out

    def leave_out(self, doubtful: Mapping[str, Collection[str]]) -> tuple[list[str], dict[str, Change]]:
        """Return which of some columns can go, and what each costs; each with the features it has become."""
        groups = {n: [(f, w) for f in features for w in PARTS] for n, features in doubtful.items() if features}
        if not groups:
            return [], {}
        plain = [f for f in self.every.values() if f.values is None and f.rates is None]
        numbers = sum(f.values is not None for f in self.every.values())
        room = MOST_COLUMNS - sum(min(f.levels, MOST_LEVELS) for f in plain)
        blocks = self._blocks(self.every, int(np.clip(room // max(numbers, 1) - 2, 0, BENDS)))
        trial = Trial(blocks, self.target, self.fold, self.sampling, list(blocks))
        return without(trial, list(blocks), groups)

    def forms(self, kept: Collection[str], numbers: Collection[str]) -> Forms:
        """Return how the features that are kept are better written for a model of straight lines.

        Parameters
        ----------
        numbers
            Those of which transforms are tried.
        """
        blocks = self._blocks(kept, 0)
        now = list(blocks)
        either = [n for n in kept if (f := self.every[n]).rates is not None or (f.values is not None and f.levels > 2)]
        for name in either:
            blocks[name, "levels"] = self.every[name].by_levels
        tried: dict[str, list[str]] = {}
        curved = {n: forms for n in numbers if (forms := _curved_forms(self.every[n].filled))}
        for name in sorted(curved, key=lambda n: min(r for r, _ in curved[n].values()))[:MOST_TRIED]:
            blocks |= {(name, form): made for form, (_, made) in curved[name].items()}
            tried[name] = list(curved[name])
        trial = Trial(blocks, self.target, self.fold, self.sampling, now)
        by_levels = []
        for name in either:
            other = _with(now, name, "levels")
            change = trial.change(now, other)
            if -change.cost > max(GAINS, change.error / 2):
                by_levels.append(name)
                now = other
        gaps = [k for k in now if k[1] == "gaps" and blocks[k].shape[1]]
        lost = {k[0]: trial.change(now, [o for o in now if o != k]) for k in gaps}
        told = {n: c for n, c in lost.items() if c.cost > max(GAINS, c.error)}
        return Forms(by_levels, told, self._reexpressed(trial, now, tried))

    def _reexpressed(
        self, trial: Trial, now: list[Key], tried: Mapping[str, list[str]]
    ) -> dict[str, tuple[str, Change, str]]:
        """Return the transforms by which straight lines tell more of the outcome, beside all other features.

        The one that the shape asks for where it gains anything, so that one is recommended everywhere; else the best,
        or one that people read at sight where that gains about as much.
        """
        every = [(n, f) for n, forms in tried.items() for f in forms]
        most = dict(zip(every, trial.most_gained(now, every).tolist(), strict=True)) if every else {}
        gain = {n: max(most[n, f] for f in forms) for n, forms in tried.items()}
        chosen = {}
        for name in sorted((n for n in tried if gain[n] > GAINS), key=lambda n: -gain[n]):
            changes = {f: trial.change(now, _with(now, name, f)) for f in tried[name]}
            shape = self._by_shape(name)
            best = min(changes, key=lambda f: changes[f].cost)
            enough = changes[best].cost + max(GAINS, changes[best].error)
            good = [f for f in READ_BY_ALL if f in changes and changes[f].cost < enough]
            if shape in changes and -changes[shape].cost > max(GAINS, SEARCHED * changes[shape].error):
                good = [shape]
            least = GAINS if good else SELDOM_READ * GAINS
            best = next(iter(good), best)
            if -changes[best].cost > max(least, SEARCHED * changes[best].error):
                chosen[name] = best, changes[best], shape
                now = _with(now, name, best)
        return chosen

    def _by_shape(self, name: str) -> str:
        values = self.every[name].filled
        return suggest(compare(name, values, self.sampling), (values, self.sampling)).name


def _with(now: list[Key], name: str, form: str) -> list[Key]:
    return [(name, form) if k == (name, "values") else k for k in now]


def _curved_forms(values: Floats) -> dict[str, tuple[float, Floats]]:
    """Return the transforms that are no straight line of a number, each with its correlation with it and its block."""
    out = {}
    plain = straight(values)
    for form in TRIED if plain.shape[1] else ():
        if why_not(form, float(values.min()), float(values.max())):
            continue
        images = fit_transform(form, values, 1.0).apply(values)
        block = straight(images) if np.isfinite(images).all() else plain[:, :0]
        r = abs(float(np.mean(block[:, 0] * plain[:, 0]))) if block.shape[1] else 1.0
        if r < STRAIGHT:
            out[form] = r, block
    return out
