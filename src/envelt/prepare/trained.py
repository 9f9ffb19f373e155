"""Columns of later rows, each read as the type that it had in the training rows."""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from ..core.columns.marks import USUAL
from ..core.columns.raw import RawColumn, RawNumbers, RawTimes, RawWords
from ..core.columns.readings import dates_as, numbers_as, read_dates, whole_days
from ..core.columns.yes_no import truth_of
from ..core.columns.zones import clock_in
from ..core.finding import Finding, marked
from ..errors import PreparationError
from .frame import Frame
from .working import FLAGS, Working, as_words, empty_like, flags_of, missing_of


class Trained(NamedTuple):
    """What a column was in the training rows: "number", "text" or "date", in which zone, and what it looked like."""

    kind: str
    zone: str = ""
    frame: Frame | None = None

    @property
    def levels(self) -> list[str]:
        """The levels that are kept."""
        return list((self.frame or {}).get("levels", ()))

    @property
    def yes_no(self) -> bool:
        """Whether its numbers are 0 and 1 only."""
        return {*(self.frame or {}).get("quantiles", ("none",))} <= {0.0, 1.0}


def as_trained(out: Working, name: str, at: Working, here: str, trained: Trained) -> Any:
    """Return a column as it was in the training rows: as given where it is so already.

    Parameters
    ----------
    out
        To which what was read otherwise is noted.
    here
        The type it has.

    Raises
    ------
    PreparationError
        It cannot be read so.
    """
    source = at.source(name)
    if here == trained.kind == "number" and isinstance(source, pd.Series) and source.dtype == np.float64:
        return source
    raw = at.raw(name)
    if here == trained.kind:
        if isinstance(raw, RawTimes):
            return _in_zone(raw, trained.zone) if raw.offset is not None else source
        if not isinstance(raw, RawWords):
            return source
        if trained.kind == "number":  # whole numbers beyond what floats hold come as texts
            return _converted(name, raw, trained)
        same = _same_words(raw, trained)
        if same is not None:
            _say(out, name, " and ".join(map(repr, raw.words[:2])), " and ".join(map(repr, trained.levels)))
        flags = flags_of(raw if same is None else same, at.rows) if FLAGS.issuperset(trained.levels) else None
        return flags or (source if same is None else same)
    if missing_of(raw).all():
        return empty_like(trained.kind, len(at))
    made = _converted(name, raw, trained)
    _say(out, name, here, trained.kind)
    return flags_of(made, at.rows) or made


def _say(out: Working, name: str, came: str, expected: str) -> None:
    """Note that a column was read otherwise than it came."""
    out.found.append(
        Finding(
            "another-type", "note", (name,),
            f"{marked(name)} came as {came}, where the training rows have {expected}: read as {expected}.",
            "Nothing to do if the values are the same; else mend the source.", {"came": came, "expected": expected},
        )
    )  # fmt: skip


def _in_zone(raw: RawTimes, zone: str) -> RawTimes:
    """Return times as clocks of the training rows' zone show them; as their own clocks do where that is not one."""
    assert raw.offset is not None
    clock = clock_in(raw.values - raw.offset, zone) if zone and zone != raw.zone else None
    return raw if clock is None else RawTimes(clock, raw.absent, zone, offset=clock - (raw.values - raw.offset))


def _same_words(raw: RawWords, trained: Trained) -> RawWords | None:
    """Return a yes and a no as the training rows write them; nothing where they are written so, or are none."""
    levels = trained.levels
    if not raw.words or {*raw.words} <= {*levels}:
        return None
    there, here = truth_of(levels), truth_of(raw.words)
    if there is None or here is None or len({*there}) < len(there):
        return None
    named = dict(zip(there, levels, strict=True))
    if any(h not in named for h in here):
        return None
    return RawWords(_renumbered(raw.codes, [levels.index(named[h]) for h in here]), levels)


def _renumbered(codes: NDArray[np.int32], places: list[int]) -> NDArray[np.int32]:
    return np.array([*places, -1], np.int32)[codes]


def _converted(name: str, raw: RawColumn, trained: Trained) -> RawColumn:
    kind = trained.kind
    if kind == "text":
        words = as_words(raw)
        return _same_words(words, trained) or words
    if isinstance(raw, RawWords):
        return _from_words(name, raw, trained)
    if kind == "date" and isinstance(raw, RawNumbers):
        absent = np.isnan(raw.values)
        days = whole_days("date", raw.values[~absent])
        if days is not None:
            values = np.zeros(len(absent), np.int64)
            values[~absent] = days.values
            return RawTimes(values, absent)
    came = "numbers" if isinstance(raw, RawNumbers) else "dates"
    first = f"{raw.values[~np.isnan(raw.values)][0]:g}" if isinstance(raw, RawNumbers) else ""
    raise _refused(name, kind, f"{came}{f' such as {first}' if first else ''}")


def _refused(name: str, kind: str, what: str) -> PreparationError:
    return PreparationError(f"{name!r} held {kind}s in the training rows, and holds {what} here.")


def _from_words(name: str, raw: RawWords, trained: Trained) -> RawColumn:
    marks = np.array([w.strip() in USUAL for w in raw.words], bool)
    used = np.bincount(raw.codes[raw.codes >= 0], minlength=len(raw.words)) > 0
    made: RawColumn
    if trained.kind == "number":
        truth = truth_of(raw.words) if trained.yes_no else None
        values = numbers_as(raw.words, "plain") if truth is None else np.array(truth, np.float64)
        bad = np.isnan(values) & ~marks
        made = RawNumbers(np.append(values, np.nan)[raw.codes])
    else:
        there = [w for w, m, u in zip(raw.words, marks, used, strict=True) if u and not m]
        known = read_dates(there)
        read, unread = dates_as(raw.words, "ISO8601" if known is None or known.ambiguous else known.form)
        gone, bad = np.append(unread, True)[raw.codes], unread & ~marks
        made = read.of(np.where(gone, -1, raw.codes))
        made = _in_zone(made, trained.zone) if made.offset is not None else made
    if (bad & used).any():
        raise _refused(name, trained.kind, repr(raw.words[int(np.flatnonzero(bad & used)[0])]))
    return made
