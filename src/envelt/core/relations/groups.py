"""Columns that say nearly the same, and which of them to keep; how far numbers are explained by others."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy
from numpy.typing import NDArray

from .. import thresholds as T
from .side import Side, numbers_of

Floats = NDArray[np.float64]

INFINITE = 1e8
"""A variance inflation above this is of a column that others make up exactly."""
ROUNDED = 1e-3
"""Of a deviation, that rounding may leave in a row of a column that others make up."""
NAMED = 3


@dataclass(frozen=True)
class Alike:
    """Columns of which each goes with each other at 0.8 or more.

    Parameters
    ----------
    members, keep
        Their places, and the place of the one to keep.
    weakest
        The smallest strength within the group.
    why
        Why that one.
    """

    members: tuple[int, ...]
    keep: int
    weakest: float
    why: str


def similarity_order(strength: Floats) -> list[int]:
    """Return columns so that those that go together stand together: average linkage, the ends as close as can be."""
    p = len(strength)
    if p < 3:
        return list(range(p))
    tree = scipy.cluster.hierarchy.linkage(
        scipy.spatial.distance.squareform(_distance(strength), checks=False), "average", optimal_ordering=p <= 200
    )
    return [int(i) for i in scipy.cluster.hierarchy.leaves_list(tree)]


def _distance(strength: Floats) -> Floats:
    away = 1 - np.nan_to_num(strength, nan=0.0)
    away = (away + away.T) / 2
    np.fill_diagonal(away, 0.0)
    return np.clip(away, 0.0, 1.0)


def alike(sides: tuple[Side, ...], strength: Floats, about_outcome: Floats, some: list[int]) -> list[Alike]:
    """Group columns that say nearly the same: complete linkage, so that every two of a group do.

    Parameters
    ----------
    strength
        Of every two columns, from 0 to 1.
    about_outcome
        How strongly each goes with the outcome; NaN where there is none.
    some
        The columns to group.
    """
    if len(some) < 2:
        return []
    within = strength[np.ix_(some, some)]
    tree = scipy.cluster.hierarchy.linkage(
        scipy.spatial.distance.squareform(_distance(within), checks=False), "complete"
    )
    label = scipy.cluster.hierarchy.fcluster(tree, 1 - T.NEARLY_SAME + 1e-12, "distance")
    found = []
    for k in np.unique(label):
        members = [some[i] for i in np.flatnonzero(label == k)]
        if len(members) > 1:
            found.append(_kept(sides, members, strength, about_outcome))
    return sorted(found, key=lambda g: (-len(g.members), -g.weakest))


def _kept(sides: tuple[Side, ...], members: list[int], strength: Floats, about: Floats) -> Alike:
    missing = {i: sides[i].missing for i in members}
    fewest = min(missing.values())
    complete = [i for i in members if missing[i] <= fewest]
    told = {i: float(np.nan_to_num(about[i], nan=-1.0)) for i in complete}
    keep = max(complete, key=lambda i: told[i])
    why = []
    if len(complete) < len(members):
        why.append("fewest missing")
    if len(complete) > 1:
        why.append("most about the outcome" if told[keep] >= 0 else "the first of equals")
    inside = strength[np.ix_(members, members)]
    weakest = float(np.nanmin(inside[~np.eye(len(members), dtype=bool)]))
    return Alike(tuple(members), keep, weakest, ", ".join(why))


@dataclass(frozen=True)
class Inflation:
    """How far one number is explained by the others together, on the rows where all are present.

    ``by`` has the places of those that explain it most, each with its partial correlation; ``exact`` says that no row
    lies further from what they make of it than rounding.
    """

    at: int
    vif: float
    n: int
    by: tuple[tuple[int, float], ...]
    exact: bool = False


def inflation(sides: tuple[Side, ...], some: list[int]) -> list[Inflation]:
    """Return the variance inflation 1 / (1 − R²) of each number against the others, the largest first.

    Parameters
    ----------
    some
        The columns that take part: numbers, ordered and two levels; constant ones do not.

    References
    ----------
    Marquardt (1970), Technometrics 12, 591–612: the diagonal of the inverse correlation matrix.
    """
    some = [i for i in some if sides[i].numbers is not None and not sides[i].constant]
    if len(some) < 2:
        return []
    x = np.stack([numbers_of(sides[i]) for i in some])
    whole = ~np.isnan(x).any(axis=0)
    n = int(whole.sum())
    if n <= len(some) + 1:
        return []
    x = x[:, whole]
    x = x - x[:, :1]
    with np.errstate(over="ignore", invalid="ignore"):
        z = x - x.mean(axis=1, keepdims=True)
        spread = np.sqrt((z * z).sum(axis=1, keepdims=True))
    usable = np.flatnonzero((spread[:, 0] > 0) & np.isfinite(spread[:, 0]))
    if len(usable) < 2:
        return []
    z = z[usable] / spread[usable]
    values, vectors = np.linalg.eigh(z @ z.T)
    floor = max(float(values[-1]), 1.0) * 1e-12
    inverse = (vectors / np.maximum(values, floor)) @ vectors.T
    found = []
    for k, place in enumerate(usable):
        vif = float(inverse[k, k])
        share = -inverse[k] / np.sqrt(inverse[k, k] * np.diag(inverse))  # partial correlations
        order = [int(i) for i in np.argsort(-np.abs(share)) if i != k][:NAMED]
        by = tuple((some[usable[i]], float(share[i])) for i in order if abs(share[i]) > 0.05)
        infinite = vif > INFINITE
        left = np.abs(inverse[k] @ z).max() / vif * np.sqrt(n) if infinite else np.inf  # in deviations
        found.append(Inflation(some[place], np.inf if infinite else max(vif, 1.0), n, by, bool(left < ROUNDED)))
    return sorted(found, key=lambda f: -f.vif)
