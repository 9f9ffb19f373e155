"""What training rows looked like, column by column, and how far later rows are from that."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, NamedTuple

import numpy as np
import scipy
from numpy.typing import NDArray

from ..core.columns.labels import short_label, time_label
from ..core.columns.raw import RawColumn, RawNumbers, RawTimes, RawWords
from ..core.finding import Finding, marked
from ..core.shapes.quantiles import sorted_quantiles
from ..core.words import plural
from .working import Working, missing_of

Floats = NDArray[np.float64]
Mask = NDArray[np.bool_]
Frame = dict[str, Any]

STEPS = np.array([0.0, 0.01, *(k / 20 for k in range(1, 20)), 0.99, 1.0])
MOST_VALUES = 30
"""Different ones of a number, of which the rows at each are kept too: quantiles of so few say little."""
MOST_LEVELS = 200
"""That a frame keeps, the most frequent."""
LOOKED_AT = 20_000
"""Later rows, an even choice of more, of which the distribution is compared."""
FAR = 0.5
"""Of the training range: a value so far beyond it is told, be it one."""
FAR_IN_TIME = 3.0
SURE = 1e-4
"""The chance at which as many rows lie beyond, or a distribution is as far off, where nothing has changed."""
LEAST_SHARE = 0.01
"""Of the rows, that must lie beyond the training values."""
DRIFT = 0.1
"""The share of rows that must have moved."""
MOST_NEW = 0.05
"""Of the rows, at levels that are new."""
FEWEST = 20
"""Later rows, under which a distribution is not compared."""
MOST_NAMED = 6


class Off(NamedTuple):
    """A column of later rows that is not as it was: how many rows of how many, and a share or a distance."""

    name: str
    rows: int
    of: int
    far: float
    says: str


def frame_of(raw: RawColumn, cases: int) -> Frame:
    """Return what a column of training rows looks like, JSON-ready.

    Its rows and the cases they are of, the share missing, and the quantiles of numbers and dates (of numbers of few
    values the rows at each too), or the rows at each level.
    """
    missing = missing_of(raw)
    gaps = float(missing.mean()) if len(missing) else 0.0
    out: Frame = {"rows": len(missing), "cases": cases, "missing": gaps}
    if isinstance(raw, RawWords):
        counts = np.bincount(raw.codes[raw.codes >= 0], minlength=len(raw.words))
        kept = np.argsort(-counts, kind="stable")[:MOST_LEVELS]
        out["levels"] = {raw.words[k]: int(counts[k]) for k in kept if counts[k]}
    elif not missing.all():
        ordered = np.sort(_as_numbers(raw)[~missing])
        first, *middle, last = sorted_quantiles(ordered, STEPS).tolist()
        steps = [first, *(float(f"{q:.9g}") for q in middle), last]
        out["quantiles"] = steps if isinstance(raw, RawNumbers) else [time_label(int(q)) for q in steps]
        first_of = np.flatnonzero(np.concatenate(([True], ordered[1:] > ordered[:-1])))
        if isinstance(raw, RawNumbers) and len(first_of) <= MOST_VALUES:
            counts = np.diff(np.append(first_of, len(ordered)))
            out["values"] = [[float(v), int(n)] for v, n in zip(ordered[first_of], counts, strict=True)]
    return out


def _quantiles(frame: Frame) -> Floats:
    """Return the quantiles as numbers, of times in microseconds."""
    kept = frame["quantiles"]
    if isinstance(kept[0], str):
        return np.array([np.datetime64(q, "us") for q in kept]).astype(np.int64).astype(np.float64)
    return np.array(kept, np.float64)


def _as_numbers(raw: RawNumbers | RawTimes) -> Floats:
    """Return numbers as they are, and times in microseconds since 1970."""
    return raw.values if isinstance(raw, RawNumbers) else raw.values.astype(np.float64)


def unlike(columns: Mapping[str, RawColumn], frames: Mapping[str, Frame], cases: int) -> list[Finding]:
    """Return what is otherwise in later rows: values beyond those of the training rows, and distributions that moved.

    Parameters
    ----------
    columns
        Of the later rows those that the preparation works on.
    cases
        Of which these rows are: units where the preparation has one, and they are there.
    """
    beyond: list[Off] = []
    moved: list[Off] = []
    for name, raw in columns.items():
        missing = missing_of(raw)
        if name not in frames or len(missing) == 0:
            continue
        out, off = _beyond(name, raw, missing, frames[name], cases), None
        if out is None:
            off = _moved(name, raw, missing, frames[name], cases)
        beyond += [out] if out is not None else []
        moved += [off] if off is not None else []
    found = []
    if beyond:
        found.append(_finding("outside-training", beyond, "values that no training row is near"))
    if moved:
        found.append(_finding("drifted", moved, "another distribution than in the training rows"))
    return found


def _finding(code: str, off: list[Off], what: str) -> Finding:
    off = sorted(off, key=lambda o: -o.far)
    shown = "; ".join(o.says for o in off[:MOST_NAMED]) + ("; …" if len(off) > MOST_NAMED else "")
    advice = {
        "outside-training": "Look whether a unit or a way of writing has changed. A model knows nothing of such "
        "values: mend them at the source, or fit again with rows that have them.",
        "drifted": "What was learned may no longer hold: look at these columns, and fit again with later rows.",
    }[code]
    evidence = {"columns": {o.name: {"rows": o.rows, "of": o.of, "far": o.far} for o in off}}
    has = "has" if len(off) == 1 else "have"
    statement = f"{plural(len(off), 'column')} {has} {what}: {shown}."
    return Finding(code, "caution", tuple(o.name for o in off), statement, advice, evidence)


def _beyond(name: str, raw: RawColumn, missing: Mask, frame: Frame, cases: int) -> Off | None:
    """Return a number or date of which rows lie beyond the training values: one far out, or more than by chance."""
    if isinstance(raw, RawWords) or "quantiles" not in frame:
        return None
    values = _as_numbers(raw)
    there = ~missing
    low, high = _quantiles(frame)[[0, -1]].tolist()
    width = high - low
    out = there & ((values < low) | (values > high))
    rows, of = int(out.sum()), int(there.sum())
    if rows == 0:
        return None
    away = np.where(values[out] < low, low - values[out], values[out] - high)
    far = float(away.max() / width) if width > 0 else np.inf
    trained, tells = frame["cases"] * (1 - frame["missing"]), cases / len(there)
    often = rows > LEAST_SHARE * of and chance_beyond(round(rows * tells), max(round(of * tells), 1), trained) < SURE
    later = isinstance(raw, RawTimes)  # that time goes on is no surprise
    if not (far > (FAR_IN_TIME if later else FAR) or (often and not later)):
        return None
    label = short_label if isinstance(raw, RawNumbers) else lambda v: time_label(int(v))
    most = values[out][int(np.argmax(away))]
    says = f"{marked(name)} in {rows:,} of {of:,} (to {label(float(most))}, trained on {label(low)} to {label(high)})"
    return Off(name, rows, of, far, says)


def chance_beyond(rows: int, of: int, trained: float) -> float:
    """Return the chance that so many of later cases lie beyond both ends of as many training cases, or more.

    What lies between the ends of n values has the share Beta(n − 1, 2) (Wilks 1941), so what lies beyond is
    beta-binomial.
    """
    return float(scipy.stats.betabinom.sf(rows - 1, of, 2, max(trained - 1, 1)))


def _moved(name: str, raw: RawColumn, missing: Mask, frame: Frame, cases: int) -> Off | None:
    """Return a column whose share of missing values, or whose distribution, is not what it was."""
    rows, trained = len(missing), frame["cases"]
    gone = float(missing.mean())
    apart = abs(gone - frame["missing"])
    if apart > max(DRIFT, _by_chance(cases, trained)):
        says = f"{marked(name)} is missing in {gone:.0%}, not {frame['missing']:.0%}"
        return Off(name, int(missing.sum()), rows, apart, says)
    some = np.flatnonzero(~missing)[:: max(1, int((~missing).sum()) // LOOKED_AT)]
    there = trained * (1 - frame["missing"])
    if len(some) < FEWEST or there < FEWEST:
        return None
    if isinstance(raw, RawTimes) or ("levels" if isinstance(raw, RawWords) else "quantiles") not in frame:
        return None
    if isinstance(raw, RawNumbers):
        distance, noise = _numbers_apart(raw, frame, some), 0.0
    else:
        distance, noise = _levels_apart(raw, frame, some, cases / rows)
    if not distance > max(DRIFT, noise + _by_chance(max(len(some) * cases / rows, 1), there)):
        return None
    return Off(name, rows, rows, distance, f"{marked(name)} by {distance:.0%} of its rows")


def _by_chance(rows: float, trained: float) -> float:
    """Return the distance of two empirical distributions that chance seldom makes (Smirnov 1939)."""
    return float(np.sqrt(-np.log(SURE / 2) / 2 * (1 / rows + 1 / trained)))


def _numbers_apart(raw: RawNumbers, frame: Frame, some: NDArray[np.intp]) -> float:
    """Return the largest distance of two cumulative shares: at each of few values, else at the quantiles that are kept.

    At these no more is said than is sure, since a value with many ties is at several.
    """
    values = np.sort(raw.values[some])
    n = len(values)
    if "values" in frame:
        at, counts = np.array(frame["values"]).T
        then = np.concatenate(([0.0], np.cumsum(counts) / counts.sum()))
        now = np.searchsorted(values, at, "right") / n, np.searchsorted(values, at, "left") / n
        return float(max(np.abs(now[0] - then[1:]).max(), np.abs(now[1] - then[:-1]).max()))
    cuts = _quantiles(frame)
    # at a value with many ties the cumulative share jumps, over all the steps that the value has
    first = STEPS[np.searchsorted(cuts, cuts, "left")]
    last = STEPS[np.searchsorted(cuts, cuts, "right") - 1]
    below, upto = np.searchsorted(values, cuts, "left") / n, np.searchsorted(values, cuts, "right") / n
    over = np.maximum(below - first, last - upto)
    return float(max(over.max(), 0.0))


def _levels_apart(words: RawWords, frame: Frame, some: NDArray[np.intp], tells: float) -> tuple[float, float]:
    """Return the share of rows that would have to change their level (total variation), and about what chance makes.

    Levels that are not kept count as one. Where more than a few rows have levels that are new nothing is asked: that is
    said by itself.
    """
    counts = np.bincount(words.codes[some][words.codes[some] >= 0], minlength=len(words.words))
    if len(frame["levels"]) < MOST_LEVELS:
        counts = np.where([w in frame["levels"] for w in words.words], counts, 0)
    total = max(int(counts.sum()), 1)
    if total < (1 - MOST_NEW) * len(some):
        return 0.0, 0.0
    now = {w: int(n) / total for w, n in zip(words.words, counts, strict=True) if n}
    there = frame["rows"] * (1 - frame["missing"])
    then = {w: n / there for w, n in frame["levels"].items()}
    rest_then = max(1 - sum(then.values()), 0.0)
    rest_now = sum(s for w, s in now.items() if w not in then)
    told = total * tells, frame["cases"] * (1 - frame["missing"])
    spread = 2 / np.pi * (1 / told[0] + 1 / told[1])  # of a normal difference, its mean size
    noise = 0.5 * sum(float(np.sqrt(s * (1 - s) * spread)) for s in then.values())
    return 0.5 * (sum(abs(now.get(w, 0.0) - s) for w, s in then.items()) + abs(rest_now - rest_then)), noise


def touches_more(at: Working, name: str, rows: int, touched: Sequence[int] | None, what: str) -> None:
    """Note where an operation changes far more rows of a column than it changed of the training rows.

    Parameters
    ----------
    rows
        That it changes here.
    touched
        How many it changed of how many training rows, and of how many cases these are, where that is kept.
    what
        Is done to them, in words: "filled".
    """
    if touched is None or len(at) < 2 or rows == 0:  # one row says nothing of a share
        return
    share, before = rows / len(at), touched[0] / max(touched[1], 1)
    cases = touched[-1]
    told = any(name in f.columns and f.code in ("outside-training", "drifted") for f in at.found)
    if told or share - before <= max(DRIFT, _by_chance(at.cases, cases)):
        return
    at.found.append(
        Finding(
            "touches-more", "caution", (name,),
            f"{marked(name)} is {what} in {rows:,} of {len(at):,} rows ({share:.0%}), of the training rows in "
            f"{before:.0%}.",
            "Look at the source: many values are missing, or are of another size than they were.",
            {"rows": rows, "of": len(at), "share": share, "trained": before},
        )
    )  # fmt: skip
