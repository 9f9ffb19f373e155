"""The features that a study's rows become, for a proposal to be weighed by."""

from __future__ import annotations

from collections.abc import Collection

import numpy as np

from ..core.columns.raw import RawColumn, RawNumbers, RawTimes, RawWords
from ..core.columns.table import CategoryColumn, Column
from ..core.proposal.features import Feature, Features
from ..core.proposal.rows import folds_of, some_rows
from ..prepare.levels import Encode
from ..prepare.operation import Training
from ..prepare.preparation import Preparation
from ..prepare.working import Working, missing_of
from .context import Context
from .prepare import raw_of


def weighed_features(context: Context, mended: Preparation, many: Collection[str]) -> Features:
    """Return features of the rows with an outcome, an even choice of many.

    Parameters
    ----------
    mended
        What mends values and takes dates apart, and fills nothing.
    many
        Columns of many levels, that become the outcome's rates as a preparation learns them.
    """
    held, outcome = context.held_out, context.known_outcome
    columns = [c for c in context.table if c.name not in context.from_outcome and c.name != outcome.name]
    places = some_rows(columns, held)
    some = {c.name: c.take(places) for c in columns}
    held = held.take(np.isin(np.flatnonzero(held.known), places))
    fold = folds_of([c for c in some.values() if c.name != context.unit], held)
    made = set(context.plan.derived)
    rows = context.table.rows[places]
    at = mended.learned(Working({n: raw_of(c) for n, c in some.items() if n not in made}, rows))
    training = Training(outcome.take(places), fold, held.sampling)
    every = {}
    for name in at.names:
        raw = at.raw(name)
        if name == context.unit or isinstance(raw, RawTimes) or missing_of(raw).all():
            continue
        every[name] = _feature(raw, some.get(name))
        if name in many:
            rated = Working({name: raw}, rows)
            Encode(name, using="rate").fit_apply(rated, training)
            rates = np.stack([rated.numbers(n, "encode") for n in rated.names], axis=1)
            every[name] = Feature(codes=every[name].codes, levels=every[name].levels, rates=rates)
    return Features(every, held.target, fold, held.sampling)


def _feature(raw: RawColumn, column: Column | None) -> Feature:
    if isinstance(raw, RawNumbers):
        return Feature(raw.values)
    assert isinstance(raw, RawWords)
    if not (isinstance(column, CategoryColumn) and column.kind in ("ordinal", "binary")):
        return Feature(None, raw.codes, len(raw.words))
    size = len(column.written)
    place = {w: k % size for k, w in enumerate((*column.written, *column.levels))}
    grades = np.array([*(place.get(w, np.nan) for w in raw.words), np.nan], np.float64)
    return Feature(grades[raw.codes], raw.codes, len(raw.words))
