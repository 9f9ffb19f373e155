"""Samplings and tables that several test files make."""

import numpy as np

from envelt import Study
from envelt.core.stats.crossing import Crossing
from envelt.core.stats.heldout import HeldOutRows
from envelt.core.stats.sampling import Sampling


def rows(values):
    """The sampling in which each row is a case, of as many rows as there are values."""
    return Sampling.of_rows(len(values))


def table_of(counts):
    """A table of counts whose rows are cases."""
    none = np.zeros(0, np.int64)
    counts = np.asarray(counts)
    return Crossing.of(none, none, counts.shape, Sampling.of_rows(int(counts.sum())), counts)


def found(frame, code, step="inventory", **options):
    """What a step finds under one code."""
    return [f for f in getattr(Study(frame, **options), step)().findings if f.code == code]


def told_of(target, folds=None):
    """Rows that all have an outcome and are cases of their own, in given folds or dealt by what they say."""
    return HeldOutRows(np.ones(len(target), bool), target, Sampling.of_rows(len(target)), 0, folds)
