"""Applying a preparation to a study's rows, and dividing these into training and test rows."""

from __future__ import annotations

from collections.abc import Iterable
from contextlib import suppress
from dataclasses import replace
from typing import Any, cast

import numpy as np
import scipy
from numpy.typing import NDArray

from ..core.columns.derive import over_other_rows
from ..core.columns.encode import NO_PLAN, encode
from ..core.columns.outcome import ClassOutcome
from ..core.columns.raw import RawColumn, RawNumbers, RawTimes, RawWords
from ..core.columns.readings import read_numbers
from ..core.columns.table import CategoryColumn, Column, NumericColumn, Table, TimeColumn
from ..core.columns.units import unit_keys
from ..core.finding import by_weight
from ..core.words import have, plural
from ..errors import KindConflictError, OptionError, OutcomeError, unknown_column
from ..prepare.made import GroupFeature
from ..prepare.operation import Operation
from ..prepare.preparation import Preparation
from ..prepare.watched import Watched
from ..prepare.working import Working
from ..views.prepare import Prepared, PrepareView
from ..write.progress import slow_progress
from .context import Context


def apply_preparation(context: Context, preparation: Any, fit: bool, keep: tuple[str, ...]) -> PrepareView:
    """Apply a preparation to the rows of a study, fitted on them first where asked."""
    if not isinstance(preparation, Preparation):
        raise OptionError(f"A preparation is needed, such as study.preparation() gives, not {preparation!r}.")
    for name in keep:
        if name not in context.listed.columns:
            raise unknown_column(name, context.listed.columns)
    told = {context.outcome.name, *context.from_outcome} if context.outcome is not None else set()
    preparation.refuse_from(told)
    at = as_read(context, preparation)
    watched: list[Watched] = []
    with slow_progress("Preparing") as report:
        report(0, 2, "fitting" if fit else "applying")
        if fit:
            preparation = _with_marks(context, preparation._with())
            made = _learned(context, preparation, at, watched)
        else:
            made = preparation.applied(at, watched)
        report(1, 2, "the table")
        frame = preparation.frame_of(made)
    beside = [n for n in keep if n not in frame.columns]
    if beside:
        whole = at.to_frame(beside)
        frame = whole.join(frame)
    about = (f"{plural(len(frame), 'row')} of {context.source_name}", *context.kept)
    if preparation.outcome in context.listed.columns and preparation.outcome not in frame.columns:
        about = (*about, f"{preparation.outcome} is the outcome, no feature: keep it beside them by its name")
    prepared = Prepared(preparation, frame, tuple(watched), by_weight(list(made.found)), fit, len(at.names))
    return PrepareView(prepared, about, context.names)


def _learned(context: Context, preparation: Preparation, at: Working, watched: list[Watched]) -> Working:
    """Fit a preparation on a study's rows, each as often as it counts, and return them prepared.

    Of a counted table the rows that count stand in it as often as they do, in one fold; those counted 0 are only
    prepared.
    """
    if context.plan.counts is None:
        return preparation.learned(at, _outcome(context, preparation), watched)
    counts = context.listed[context.plan.counts].numbers
    assert counts is not None
    times = counts.astype(np.int64)
    row = np.repeat(np.arange(len(times)), times)
    prepared = preparation.learned(at.at(row), _outcome(context, preparation), watched, copies=row)
    first = np.minimum(np.searchsorted(row, np.arange(len(times))), len(row) - 1)
    once = prepared.at(first, at.rows)
    return once if times.all() else preparation.applied(at).where(times > 0, once)


def _with_marks(context: Context, preparation: Preparation) -> Preparation:
    """Put first what the study takes as missing, where the preparation does not say it itself: later rows have it."""
    own = {c for o in preparation if o.name == "retype" for c in o.columns}
    made = _made_by(preparation)
    groups: dict[tuple[str, tuple[str, ...]], list[str]] = {}
    for c in context.listed:
        marks = context.marks_of(c)
        if marks and c.name not in own | made | {context.plan.outcome, context.unit, context.plan.counts}:
            kind = {NumericColumn: "number", TimeColumn: "date"}.get(type(c), "category")
            groups.setdefault((kind, marks), []).append(c.name)
    first = [
        {"operation": "retype", "columns": names, "to": to, "marks": list(marks),
         "reason": "marks for missing, as the study has them"}
        for (to, marks), names in groups.items()
    ]  # fmt: skip
    return preparation._with(operations=(*first, *preparation)) if first else preparation


def _made_by(operations: Iterable[Operation]) -> set[str]:
    """Return the columns that operations make from others."""
    derived = {c for o in operations if o.name == "derive" for c in o.columns}
    return derived | {o.made for o in operations if isinstance(o, GroupFeature)}


def _outcome(context: Context, preparation: Preparation) -> Any:
    """Return the outcome where the preparation learns from it under the study's own reading of it."""
    outcome = context.outcome
    return None if outcome is None or preparation.outcome not in (None, outcome.name) else outcome


def as_read(context: Context, preparation: Preparation | None = None) -> Working:
    """Return a study's columns as they stand in its data.

    Without those that the preparation makes itself, those that are made from the outcome, and those that speak of
    other rows, which later rows have not.
    """
    made = _made_by(preparation or ()) | context.from_outcome
    made |= {*context.with_kin({n for n, p in context.plan.derived.items() if over_other_rows(p)})}
    counts = {context.plan.counts} - {None}
    columns = {c.name: raw_of(c) for c in context.listed if c.name not in made | counts}
    return Working(columns, context.listed.rows)


def raw_of(column: Column) -> RawColumn:
    """Return a column of a table as preparations take it: levels as they are written in the data."""
    if isinstance(column, NumericColumn):
        return RawNumbers(column.values)
    if isinstance(column, TimeColumn):
        return RawTimes(column.values, column.absent, column.zone, offset=column.offset)
    assert isinstance(column, CategoryColumn)
    return RawWords(column.codes, list(column.written))


def divided(context: Context, share: float, by: str | None) -> tuple[Context, Context]:
    """Divide the rows of a study in training and test rows."""
    if isinstance(share, bool) or not isinstance(share, (int, float)) or not 0 < share < 1:
        raise OptionError(f"The share of test rows must lie between 0 and 1, such as 0.25, not be {share!r}.")
    kept = None if context.unit is None else _numbered(unit_keys(context.listed[context.unit]))
    if by is not None and context.listed[by].numbers is not None:
        test = _latest(context.listed[by], share)
        _refuse_divided(context, kept, test, by)
    else:
        keys = np.arange(len(context.listed))
        if by is not None:
            keys = _numbered(cast("CategoryColumn", context.listed[by]).codes)  # rows without one are a level too
            keys = keys if kept is None else _hanging_together(keys, kept)
        elif kept is not None:
            keys = kept
        if by is not None and int(keys.max()) == 0:
            also = "" if context.unit is None else f", of which none may be divided from the others by {context.unit!r}"
            raise OptionError(f"The levels of {by!r} cannot be parted: all rows hang together{also}.")
        test = _drawn(keys, _strata(context), share, context.seed)
    if not test.any() or test.all():
        cases = 0 if kept is None else int(kept.max()) + 1
        stay = f", of which the {plural(cases, 'case')} of {context.unit!r} {'stays' if cases == 1 else 'stay'} whole"
        whole = stay if cases else ""
        raise OptionError(f"With {plural(len(test), 'row')}{whole}, a share of {share:g} leaves no row on one side.")
    training = _rows(context, ~test, "training")
    again = _kinds_of(training, context.listed)
    return _read_as(training, again), _read_as(_rows(context, test, "test"), again)


def _kinds_of(context: Context, every: Table) -> dict[str, str]:
    """Return the kinds that training rows alone give, of undeclared columns to which all rows together give others."""
    plans, out = context.plan, {}
    for c in context.whole:
        whole = every[c.name]
        coded = isinstance(whole, CategoryColumn) and read_numbers(list(whole.written)) is not None  # numbers once
        if not (c.declared or coded or c.name in context.origins or c.name == plans.counts):
            plan = plans.columns.get(c.name, NO_PLAN)
            alone = encode(c.name, raw_of(c), plan, context.whole.rows, usual=plans.usual)
            if alone.kind != c.kind:
                out[c.name] = alone.kind
    return out


def _read_as(context: Context, kinds: dict[str, str]) -> Context:
    """Return a part of a study's rows with columns read as other kinds, where its rows can be."""
    from .opening import chosen_from

    columns = dict(context.whole.columns)
    for name, kind in kinds.items():
        plan = replace(context.plan.columns.get(name, NO_PLAN), kind=kind)
        with suppress(KindConflictError, OutcomeError):  # text among the numbers of the training rows stays text
            columns[name] = encode(name, raw_of(columns[name]), plan, context.whole.rows, usual=context.plan.usual)
    return chosen_from(replace(context, whole=Table(columns, context.whole.rows))) if kinds else context


def _numbered(keys: NDArray[np.generic]) -> NDArray[np.int64]:
    return np.asarray(np.unique(keys, return_inverse=True)[1], np.int64)


def _hanging_together(first: NDArray[np.int64], second: NDArray[np.int64]) -> NDArray[np.int64]:
    """Return the groups that neither of two groupings of rows divides."""
    size = int(first.max()) + 1
    total = size + int(second.max()) + 1
    links = scipy.sparse.coo_array((np.ones(len(first), np.int8), (first, size + second)), shape=(total, total))
    return _numbered(scipy.sparse.csgraph.connected_components(links, directed=False)[1][first])


def _refuse_divided(context: Context, kept: NDArray[np.int64] | None, test: NDArray[np.bool_], by: str) -> None:
    """Refuse to part rows by time where units have rows on both sides."""
    if kept is None:
        return
    early, late = np.bincount(kept, weights=~test) > 0, np.bincount(kept, weights=test, minlength=kept.max() + 1) > 0
    both = int(np.count_nonzero(early & late))
    if both:
        raise OptionError(
            f"{have(both, 'case')} (of {context.unit!r}) rows on both sides: the last rows in {by!r} cannot be kept "
            "apart while units stay whole. Leave by out, and units are drawn; or leave the unit out."
        )


def _latest(column: Column, share: float) -> NDArray[np.bool_]:
    """Return the rows of the last times, so that about a share of all is among them; a time is never divided."""
    values = column.numbers
    assert values is not None
    if np.isnan(values).any():
        raise OptionError(
            f"{column.name!r} is missing in {plural(np.isnan(values).sum(), 'row')}: keep those with a time."
        )
    ordered = np.sort(values)
    return np.asarray(values > ordered[max(int(np.ceil((1 - share) * len(values))) - 1, 0)])


def _strata(context: Context) -> NDArray[np.int64]:
    """Return the class of every row, the fifth of a numeric outcome, or one for all without an outcome."""
    outcome = context.outcome
    n = len(context.listed)
    if outcome is None or context.plan.counts is not None:
        return np.zeros(n, np.int64)
    if isinstance(outcome, ClassOutcome):
        return outcome.codes.astype(np.int64) + 1
    fifths = np.quantile(outcome.values[outcome.known], [0.2, 0.4, 0.6, 0.8])
    return np.where(outcome.known, np.searchsorted(fifths, outcome.values, "right") + 1, 0)


FEW_UNITS = 14
"""Of so many every choice is looked at for the share that is nearest."""


def _drawn(keys: NDArray[np.int64], strata: NDArray[np.int64], share: float, seed: int) -> NDArray[np.bool_]:
    """Draw units at random, a share of the rows of every stratum; a unit's stratum is that of most of its rows."""
    units, size = np.unique(keys, return_counts=True)
    levels = int(strata.max()) + 1
    table = np.zeros((len(units), levels))
    np.add.at(table, (np.searchsorted(units, keys), strata), 1)
    of_unit = np.argmax(table, axis=1)
    if len(units) * min(share, 1 - share) < 2 * levels:  # too few units for a share of each stratum
        of_unit, levels = np.zeros(len(units), np.int64), 1
    rng = np.random.default_rng([seed, 0x5B117])
    order = np.lexsort((rng.random(len(units)), of_unit))
    chosen = np.zeros(len(units), bool)
    for level in range(levels):
        mine = order[of_unit[order] == level]
        if len(mine):
            upto = np.cumsum(size[mine])
            wanted = share * upto[-1]
            count = int(np.argmin(np.abs(np.concatenate(([0], upto)) - wanted)))
            chosen[mine[:count]] = True
    # of few units the nearest share there is, and of several that are as near one at random
    if 1 < len(units) <= FEW_UNITS and levels == 1 and size.max() > 1:
        sets = np.arange(1, 2 ** len(units) - 1)
        away = np.abs(((sets[:, None] >> np.arange(len(units))) & 1) @ size - share * len(keys))
        best = sets[away == away.min()]
        chosen = ((rng.choice(best) >> np.arange(len(units))) & 1).astype(bool)
    elif len(units) > 1 and size.max() > 1 and (chosen.all() or not chosen.any()):
        chosen[:] = np.arange(len(units)) == np.argmin(np.abs(size - share * len(keys)))
    return chosen[np.searchsorted(units, keys)]


def _rows(context: Context, keep: NDArray[np.bool_], what: str) -> Context:
    from .opening import chosen_from

    part = f"the {what} rows: {keep.sum():,} of {len(keep):,} ({keep.mean():.1%})"
    return chosen_from(replace(context, whole=context.listed.take(keep), part=(*context.part, part)))
