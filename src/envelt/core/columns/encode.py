"""From columns as read to encoded columns of a kind."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from ...errors import KindConflictError, did_you_mean, option, pointing
from ..parallel import in_threads
from ..words import plural
from .grades import grade_order
from .kinds import NUMERIC_KINDS, Detected, detect
from .labels import number_labels, time_labels
from .marks import KEPT_AS_TEXT, Reading, read_texts, usual_marks_aside, without_marks
from .plan import ColumnPlan
from .raw import LARGEST, RawColumn, RawNumbers, RawTimes, RawWords, check_finite, too_large
from .readings import dates_as, whole_days
from .table import CategoryColumn, Column, NumericColumn, Table, TimeColumn
from .times import YEARS_FROM, YEARS_TO, are_times_of_day, are_years
from .yes_no import BOOLEANS, folded, natural_order, ranked_by

NO_PLAN = ColumnPlan()
NUMBERS = (*NUMERIC_KINDS, "datetime")
"""Kinds that numbers are detected as and keep their values under: years are times."""
WORD_KINDS = ("nominal", "binary", "ordinal", "identifier", "text", "constant")
"""Declared kinds under which texts stay texts."""


def encode_table(
    raw: Mapping[str, RawColumn],
    rows: pd.Index[Any],
    plans: Mapping[str, ColumnPlan],
    missing: tuple[str, ...] = (),
    usual: bool = True,
) -> Table:
    """Encode every column once, by its declared kind where there is one, else by the detected one.

    Parameters
    ----------
    raw
        Columns as read, by name.
    rows
        The label of each row.
    plans
        What a person decided, by column name.
    missing
        Marks that stand for a missing value in every column.
    usual
        Whether the texts that usually do stand for it too.

    Raises
    ------
    UnknownKindError, KindConflictError
    """

    def one(name: str) -> Column:
        with pointing("columns", name):
            return encode(name, raw[name], plans.get(name, NO_PLAN), rows, missing, usual)

    return Table(dict(zip(raw, in_threads(one, list(raw), len(rows)), strict=True)), rows)


def encode(
    name: str,
    raw: RawColumn,
    plan: ColumnPlan,
    rows: pd.Index[Any],
    missing: tuple[str, ...] = (),
    usual: bool = True,
) -> Column:
    """Encode one column as the kind declared, or as the kind detected; options as in `encode_table`."""
    raw = without_marks(raw, (*missing, *plan.missing))
    if isinstance(raw, RawWords):
        seen = _of_words(name, raw, plan, usual)
    elif isinstance(raw, RawNumbers) and plan.kind in ("", "datetime"):
        seen = _days(name, raw)._replace(blanked=raw.blanked)
    else:
        seen = Reading(raw, "", raw.blanked)
    counted_in = seen.raw.counted_in if isinstance(seen.raw, RawNumbers) else ""
    check_finite(name, seen.raw, rows)
    if isinstance(seen.raw, RawNumbers) and plan.kind not in WORD_KINDS:
        seen = _computable(name, seen, plan.kind, rows)
    read, reading = seen.raw, seen.how or (f"lengths of time, in {counted_in}" if counted_in else "")
    found = detect(name, read)
    if seen.form == "clock" and isinstance(read, RawNumbers) and are_times_of_day(name, read.values):
        found = found._replace(kind="datetime")
    detected = found.kind
    if reading:
        found = found._replace(reason=f"{reading}; {found.reason}")
    kind, declared = plan.kind, bool(plan.kind)
    if not kind and (plan.order or (plan.labels and isinstance(read, RawNumbers) and found.kind in NUMBERS)):
        kind = "ordinal" if plan.order else "nominal"
        found = found._replace(reason=f"its levels were given {'an order' if plan.order else 'labels'}")
        declared = True
    if declared:
        asked = plan.kind and kind != found.kind
        reason = f"as declared (looked {found.kind}: {found.reason})" if asked else found.reason
        order = found.order if found.kind == "ordinal" else ()
        found = Detected(kind, reason, order, distinct=found.distinct)
    column = _build(name, read, found, declared, rows, seen.form)
    if isinstance(column, CategoryColumn) and (plan.labels or plan.order):
        column = _relabelled(column, plan)
    return replace(
        column, detected=detected, reading=reading, form=seen.form, blanked=seen.blanked, label=plan.label,
        unit=plan.unit or counted_in,
    )  # fmt: skip


def _of_words(name: str, raw: RawWords, plan: ColumnPlan, usual: bool) -> Reading:
    """Read texts as numbers or times where all can be, else as levels, marks for missing aside."""
    read_as = None if plan.kind in WORD_KINDS else read_texts(name, raw)
    seen = read_as or Reading(raw, "")
    if isinstance(seen.raw, RawNumbers) and plan.kind in ("", "datetime") and seen.form == "plain":
        days = _days(name, seen.raw)
        seen = seen._replace(raw=days.raw, how=days.how, form=days.form) if days.how else seen
    if not isinstance(seen.raw, RawWords):
        return seen
    aside = usual_marks_aside(seen.raw) if usual and plan.usual else seen
    assert isinstance(aside.raw, RawWords)
    words = _folded(aside.raw) if read_as is None and plan.kind not in WORD_KINDS else aside.raw
    return seen._replace(raw=words, how=seen.how or aside.how, blanked=aside.blanked)


def _relabelled(column: CategoryColumn, plan: ColumnPlan) -> CategoryColumn:
    """Give levels their labels and their order.

    Raises
    ------
    KindConflictError
        An order names no level, or two levels get one label.
    """
    shown = [plan.labels.get(w, level) for w, level in zip(column.written, column.levels, strict=True)]
    if len(set(shown)) < len(shown):
        raise KindConflictError(f"Two levels of column {column.name!r} have one label: {', '.join(shown)}.")
    known = {text: i for i, pair in enumerate(zip(shown, column.written, strict=True)) for text in pair}
    unknown = [o for o in plan.order if o not in known and o not in plan.labels]
    if unknown:
        hint = did_you_mean(unknown[0], known)
        raise KindConflictError(f"The order of column {column.name!r} names no level: {unknown[0]!r}.{hint}")
    listed = dict.fromkeys(known[o] for o in plan.order if o in known)
    order = [*listed, *(i for i in range(len(shown)) if i not in listed)]
    renumber = np.full(len(order) + 1, -1, np.int32)
    renumber[order] = np.arange(len(order), dtype=np.int32)
    return replace(
        column,
        codes=renumber[column.codes],
        levels=tuple(shown[i] for i in order),
        written=tuple(column.written[i] for i in order),
    )


def _computable(name: str, seen: Reading, kind: str, rows: pd.Index[Any]) -> Reading:
    """Return numbers; as text where some are so large that sums of them are beyond what floats hold.

    Raises
    ------
    KindConflictError
        They are declared numbers.
    """
    raw = seen.raw
    assert isinstance(raw, RawNumbers)
    beyond = np.abs(raw.values) > LARGEST
    if not beyond.any():
        return seen
    at = int(np.argmax(beyond))
    what = f"numbers beyond {LARGEST:.0e} ({raw.values[at]:.6g} in row {rows[at]}), at the end of what floats hold"
    if kind:
        raise KindConflictError(
            f"Column {name!r} cannot be {kind}: it holds {what}. Rescale it, or say which stand for missing, "
            f"{option('missing', str(raw.values[at]))}."
        )
    codes, unique = _factorize(raw.values, np.isnan(raw.values))
    return Reading(RawWords(codes, number_labels(unique)), f"{what}: {KEPT_AS_TEXT}", seen.blanked)


def _days(name: str, raw: RawNumbers) -> Reading:
    """Return whole numbers that write days as times, and how they were read; others as they are."""
    absent = np.isnan(raw.values)
    days = whole_days(name, raw.values[~absent])
    if days is None:
        return Reading(raw, "")
    values = np.zeros(len(absent), np.int64)
    values[~absent] = days.values
    return Reading(RawTimes(values, absent), days.how, form=days.form)


def _folded(raw: RawWords) -> RawWords:
    """Join spellings of one yes and one no (Yes, YES, no) into two levels, each spelt as most rows have it."""
    words = [folded(w) for w in raw.words]
    if not 2 < len(words) <= 10 or tuple(sorted(set(words))) not in BOOLEANS:
        return raw
    counts = np.bincount(raw.codes[raw.codes >= 0], minlength=len(words))
    best = {f: max((i for i, g in enumerate(words) if g == f), key=lambda i: counts[i]) for f in dict.fromkeys(words)}
    place = {f: k for k, f in enumerate(best)}
    renumber = np.array([*(place[f] for f in words), -1], np.int32)
    return RawWords(renumber[raw.codes], [raw.words[i] for i in best.values()])


def _build(name: str, raw: RawColumn, what: Detected, declared: bool, rows: pd.Index[Any], form: str) -> Column:
    head: dict[str, Any] = {"name": name, "kind": what.kind, "reason": what.reason, "declared": declared}
    head["other"] = "" if declared else what.other
    if what.kind in ("continuous", "discrete"):
        values = _as_numbers(name, raw, what.kind, rows)
        return NumericColumn(**head, values=values, counted=what.distinct)
    if what.kind == "datetime":
        if isinstance(raw, RawNumbers):
            _check_times(name, raw, form)
            return NumericColumn(**head, values=raw.values, counted=what.distinct)
        times = _as_times(name, raw, rows)
        return TimeColumn(**head, values=times.values, absent=times.absent, zone=times.zone, offset=times.offset)
    codes, levels = _as_levels(raw, what)
    _check_levels(name, what.kind, levels, codes)
    return CategoryColumn(**head, codes=codes, levels=levels, ordered=what.kind == "ordinal", written=levels)


def _as_numbers(name: str, raw: RawColumn, kind: str, rows: pd.Index[Any]) -> NDArray[np.float64]:
    if isinstance(raw, RawNumbers):
        return raw.values
    if isinstance(raw, RawTimes):
        raise KindConflictError(f"Column {name!r} holds dates and cannot be {kind}: declare it datetime.")
    if raw.exact:
        raise too_large(name, raw, rows)
    numbers = pd.to_numeric(pd.Series(raw.words, dtype=object), errors="coerce").to_numpy(np.float64)
    wrong = ~np.isfinite(numbers)
    if wrong[raw.codes[raw.codes >= 0]].any():
        bad = np.flatnonzero((raw.codes >= 0) & wrong[raw.codes])
        at = int(bad[0])
        raise KindConflictError(
            f"Column {name!r} cannot be {kind}: {raw.words[raw.codes[at]]!r} is not a number "
            f"(row {rows[at]}; {len(bad):,} such rows). Mend or blank those cells, or declare another kind."
        )
    return np.append(numbers, np.nan)[raw.codes]


def _check_times(name: str, raw: RawNumbers, form: str) -> None:
    """Check that numbers are years, or were read from times of day.

    Raises
    ------
    KindConflictError
    """
    unique = np.unique(raw.values[~np.isnan(raw.values)])
    if len(unique) == 0 or form == "clock":
        return
    whole = bool((unique == np.floor(unique)).all())
    if not whole or not (are_years(name, unique) or YEARS_FROM <= unique[0] <= unique[-1] <= YEARS_TO):
        raise KindConflictError(
            f"Column {name!r} holds plain numbers that are neither years nor days and cannot be a datetime: write "
            "dates as 2024-09-30."
        )


def _as_times(name: str, raw: RawTimes | RawWords, rows: pd.Index[Any]) -> RawTimes:
    if isinstance(raw, RawTimes):
        return raw
    dates, wrong = dates_as(raw.words, "ISO8601")
    if wrong[raw.codes[raw.codes >= 0]].any():
        at = int(np.flatnonzero((raw.codes >= 0) & wrong[raw.codes])[0])
        raise KindConflictError(
            f"Column {name!r} cannot be a datetime: {raw.words[raw.codes[at]]!r} is not a date like "
            f"2024-09-30 (row {rows[at]})."
        )
    return dates.of(raw.codes)


def _as_levels(raw: RawColumn, what: Detected) -> tuple[NDArray[np.int32], tuple[str, ...]]:
    """Return codes and levels in their order: declared or natural for grades, else by frequency."""
    if isinstance(raw, RawWords):
        codes, levels = raw.codes, raw.words
        order = what.order or (grade_order(levels) if what.kind == "ordinal" else ())
    elif isinstance(raw, RawNumbers):
        codes, unique = _factorize(raw.values, np.isnan(raw.values))
        levels = number_labels(unique)
        order = ()
    else:
        codes, unique = _factorize(raw.values, raw.absent)
        levels, order = time_labels(unique), ()
    counts = np.bincount(codes[codes >= 0], minlength=len(levels))
    if order:
        place = {level: i for i, level in enumerate(order)}
        rank = np.array([place.get(level, len(order)) for level in levels])
    elif what.kind == "nominal":
        rank = ranked_by(-counts, levels)
    elif what.kind == "text":
        rank = -counts
    elif what.kind == "identifier":
        rank = np.zeros(len(levels), np.int64)  # as they come: an order of names means nothing
    else:
        rank = natural_order(levels)
    new_order = np.lexsort((np.arange(len(levels)), rank))
    new_order = new_order[counts[new_order] > 0]
    renumber = np.full(len(levels) + 1, -1, np.int32)
    renumber[new_order] = np.arange(len(new_order), dtype=np.int32)
    return renumber[codes], tuple(levels[i] for i in new_order)


def _factorize(values: NDArray[Any], missing: NDArray[np.bool_]) -> tuple[NDArray[np.int32], NDArray[Any]]:
    unique, inverse = np.unique(values[~missing], return_inverse=True)
    codes = np.full(len(values), -1, np.int32)
    codes[~missing] = inverse
    return codes, unique


def _check_levels(name: str, kind: str, levels: tuple[str, ...], codes: NDArray[np.int32]) -> None:
    if kind == "binary" and len(levels) > 2:
        shown = ", ".join(levels[:4])
        raise KindConflictError(
            f"Column {name!r} cannot be binary: it has {plural(len(levels), 'value')} ({shown}, …). Declare it nominal."
        )
    if kind == "constant" and len(levels) > 1:
        raise KindConflictError(f"Column {name!r} cannot be constant: it has {plural(len(levels), 'value')}.")
