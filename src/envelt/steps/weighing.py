"""What a proposal costs or gains on rows held out, before it is proposed."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from ..core.columns.raw import RawNumbers, RawWords
from ..core.columns.table import CategoryColumn
from ..core.proposal.blocks import MOST_INDICATORS, bent, gap, indicators, rates, straight
from ..core.proposal.rows import folds_of, some_rows
from ..core.proposal.trial import GAINS, Change, Key, Trial, without
from ..core.transforms.compare import compare
from ..core.transforms.forms import Transform, fit_transform, why_not
from ..core.transforms.suggest import suggest
from ..prepare.preparation import Preparation
from ..prepare.working import Working, missing_of
from .context import Context
from .prepare import raw_of

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


class Weighing:
    """The rows of a study, mended by a preparation, and models of them.

    Parameters
    ----------
    context
        With an outcome.
    mended
        What mends values and takes dates apart, and fills nothing.
    """

    def __init__(self, context: Context, mended: Preparation) -> None:
        held = context.held_out
        columns = [c for c in context.table if c.name not in context.from_outcome and c.name != context.plan.outcome]
        rows = some_rows(columns, held)
        some = [c.take(rows) for c in columns]
        of_known = np.searchsorted(np.flatnonzero(held.known), rows)
        keep = np.zeros(len(held.target), bool)
        keep[of_known] = True
        held = held.take(keep)
        self.target, self.sampling = held.target, held.sampling
        self.fold = folds_of([c for c in some if c.name != context.unit], held)
        made = {c for o in mended for c in o.columns if o.name == "derive"}
        given = Working({c.name: raw_of(c) for c in some if c.name not in made}, context.table.rows[rows])
        self.at = mended.learned(given)
        self.columns, self.unit = {c.name: c for c in some}, context.unit

    @property
    def names(self) -> list[str]:
        """Of the features."""
        return [n for n in self.at.names if n != self.unit and (n in self._numbers or n in self._levels)]

    @cached_property
    def _numbers(self) -> dict[str, tuple[Floats, NDArray[np.bool_]]]:
        """Values with the median where one is missing, and where that is."""
        out = {}
        for name in self.at.names:
            raw = self.at.raw(name)
            if isinstance(raw, RawWords) and self._in_order(name):
                raw = RawNumbers(self._grades(name, raw))
            if isinstance(raw, RawNumbers):
                missing = missing_of(raw)
                if not missing.all():
                    out[name] = np.where(missing, np.median(raw.values[~missing]), raw.values), missing
        return out

    def _in_order(self, name: str) -> bool:
        column = self.columns.get(name)
        return isinstance(column, CategoryColumn) and column.kind in ("ordinal", "binary")

    def _grades(self, name: str, raw: RawWords) -> Floats:
        column = self.columns[name]
        assert isinstance(column, CategoryColumn)
        place = {w: float(k) for k, w in enumerate((*column.written, *column.levels))}
        size = len(column.written)
        return np.array([*(place.get(w, np.nan) % size for w in raw.words), np.nan])[raw.codes]

    @cached_property
    def _levels(self) -> dict[str, RawWords]:
        raws = {n: self.at.raw(n) for n in self.at.names}
        return {n: r for n, r in raws.items() if isinstance(r, RawWords) and not self._in_order(n)}

    def _level_block(self, name: str, using: str) -> Floats:
        raw = self.at.raw(name)
        assert isinstance(raw, RawWords)
        if using == "levels":
            return indicators(raw.codes, len(raw.words))
        return rates(raw.codes, len(raw.words), self.target, self.fold)

    def _blocks(self, names: Collection[str], many: Collection[str], bends: int) -> dict[Key, Floats]:
        """Return two blocks a number, its values and its gaps, and one a column of levels."""
        out: dict[Key, Floats] = {}
        for name in names:
            if name in self._numbers:
                values, missing = self._numbers[name]
                out[name, "values"] = bent(values, bends)
                out[name, "gaps"] = gap(missing)
            elif name in self._levels:
                out[name, "values"] = self._level_block(name, "rate" if name in many else "levels")
        return out

    def leave_out(
        self, doubtful: Mapping[str, Collection[str]], many: Collection[str]
    ) -> tuple[list[str], dict[str, Change]]:
        """Return which of some columns can go, and what each costs; each with the features it has become.

        Parameters
        ----------
        many
            Those of more levels than get a column each.
        """
        groups = {n: [(f, w) for f in features for w in PARTS] for n, features in doubtful.items() if features}
        if not groups:
            return [], {}
        levels = sum(min(len(r.words), MOST_INDICATORS) for n, r in self._levels.items() if n not in many)
        bends = int(np.clip((MOST_COLUMNS - levels) // max(len(self._numbers), 1) - 2, 0, BENDS))
        blocks = self._blocks(self.names, many, bends)
        trial = Trial(blocks, self.target, self.fold, self.sampling, list(blocks))
        return without(trial, list(blocks), groups)

    def forms(self, kept: Collection[str], many: Collection[str], numbers: Collection[str]) -> Forms:
        """Return how the features that are kept are better written for a model of straight lines.

        Parameters
        ----------
        many
            Those of more levels than get a column each.
        numbers
            Those of which transforms are tried.
        """
        blocks = self._blocks([n for n in self.names if n in kept], many, 0)
        now = list(blocks)
        graded = [n for n in self._numbers if n in kept and self._in_order(n) and self.columns[n].distinct > 2]
        for name in (*many, *graded):
            blocks[name, "levels"] = self._level_block(name, "levels")
        tried: dict[str, list[str]] = {}
        curved = {n: forms for n in numbers if (forms := _curved_forms(self._numbers[n][0]))}
        for name in sorted(curved, key=lambda n: min(r for r, _ in curved[n].values()))[:MOST_TRIED]:
            blocks |= {(name, form): made for form, (_, made) in curved[name].items()}
            tried[name] = list(curved[name])
        trial = Trial(blocks, self.target, self.fold, self.sampling, now)
        by_levels = []
        for name in (*many, *graded):
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
        if not tried:
            return {}
        every = [(n, f) for n, forms in tried.items() for f in forms]
        most = dict(zip(every, trial.most_gained(now, every).tolist(), strict=True))
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
        values = self._numbers[name][0]
        return suggest(compare(name, values, self.sampling), (values, self.sampling)).name


def _with(now: list[Key], name: str, form: str) -> list[Key]:
    return [(name, form) if k == (name, "values") else k for k in now]


def _curved_forms(values: Floats) -> dict[str, tuple[float, Floats]]:
    """Return the transforms that are no straight line of a number, each with its correlation with it and its block."""
    out = {}
    plain = straight(values)
    for form in TRIED:
        made = _transformed(form, values)
        if made is not None and plain.shape[1]:
            block = straight(made)
            r = abs(float(np.mean(block[:, 0] * plain[:, 0]))) if block.shape[1] else 1.0
            if r < STRAIGHT:
                out[form] = r, block
    return out


def _transformed(form: str, values: Floats) -> Floats | None:
    ends = float(values.min()), float(values.max())
    if why_not(form, *ends):
        return None
    made: Transform = fit_transform(form, values, 1.0)
    images = made.apply(values)
    return images if np.isfinite(images).all() and images.std() > 0 else None
