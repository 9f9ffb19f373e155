"""Operations on values: filling what is missing, clipping what is far."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, ClassVar

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from ..core.columns.labels import number_label
from ..core.columns.raw import RawColumn, RawNumbers, RawTimes, RawWords
from ..core.shapes.quantiles import sorted_quantiles
from ..errors import OptionError, PreparationError, entry
from .frame import touches_more
from .keys import by_group, group_codes
from .operation import NAME, Bound, Operation, Option, Options, State, Training, list_of, one_of
from .working import Working, as_words, missing_of

Floats = NDArray[np.float64]
QUARTILES = np.array([0.25, 0.5, 0.75])


def present(values: Floats) -> Floats:
    """Return the values that are there."""
    missing = np.isnan(values)
    return values[~missing] if missing.any() else values


def refuse_nothing(operation: str, name: str, values: Floats) -> None:
    """Refuse to learn from a column without a value.

    Raises
    ------
    PreparationError
    """
    if len(values) == 0:
        raise PreparationError(f"{operation} learns from {name!r}, which is missing in every training row: drop it.")


def rising(name: str, what: str, values: Sequence[float], least: float | None = None) -> None:
    """Refuse learned numbers that do not rise, each above the one before, or as high where ``least`` is 0.

    Raises
    ------
    PreparationError
    """
    steps = np.diff(np.array(values, np.float64))
    if (steps < 0 if least == 0 else steps <= 0).any():
        raise PreparationError(f"The {what} of {name!r} must rise: fit it again.")


class Fill(Operation):
    """Missing values become a value learned from training rows, or a constant."""

    name = "fill"
    main = "using"
    says = "Put a value where one is missing."
    OPTIONS: ClassVar[Options] = {
        "using": Option(one_of("median", "mean", "most_frequent", "constant"), "median", "what to put there"),
        "value": Option({"type": ["string", "number", "null"]}, None, "the constant"),
        "by": Option(list_of(NAME), [], "columns in whose groups it is learned; where a group is new, over all rows"),
        "flag": Option({"type": "boolean"}, False, "add a column that is 1 where the value was missing"),
    }

    def check(self) -> None:
        """Refuse a constant without a value, and a value without a constant."""
        if (self["using"] == "constant") != (self["value"] is not None):
            raise OptionError(f"fill: a value goes with {entry('using', 'constant')}, and only with it.")
        if self["by"] and self["using"] not in ("median", "mean"):
            raise OptionError("fill: by learns a median or a mean in each group; leave it out with other rules.")

    @property
    def inputs(self) -> tuple[str, ...]:
        """The columns it reads."""
        return (*self.columns, *self["by"])

    def learn(self, at: Working, training: Training) -> State:
        """Learn the value of each column, and of each group."""
        gaps = {c: int(missing_of(at.raw(c)).sum()) for c in self.columns}
        return {c: {**self._learn_one(at, c), "touched": [gaps[c], len(at), at.cases]} for c in self.columns}

    def _learn_one(self, at: Working, name: str) -> State:
        using = self["using"]
        if using == "constant":
            return {"value": self["value"]}
        raw = at.raw(name)
        if using == "most_frequent" and not isinstance(raw, RawNumbers):
            words = as_words(raw)
            counts = np.bincount(words.codes[words.codes >= 0], minlength=len(words.words))
            if not counts.sum():
                refuse_nothing("fill", name, np.zeros(0))
            return {"value": words.words[int(np.argmax(counts))]}
        values = at.numbers(name, f"fill with the {using}")
        there = present(values)
        refuse_nothing("fill", name, there)
        out: State = {"value": centre_of(using, there)}
        if self["by"]:
            codes, labels = group_codes(at, self["by"])
            grouped = pd.Series(values).groupby(np.where(codes < 0, len(labels), codes))
            table = grouped.median() if using == "median" else grouped.mean()
            known = table[table.notna() & (table.index < len(labels))]
            out["groups"] = {labels[int(k)]: float(v) for k, v in known.items()}  # type: ignore[call-overload]
        return out

    def bind(self, state: State) -> Bound:
        """Fill, and flag what was filled."""
        by, flag = list(self["by"]), self["flag"]

        def table(at: Working) -> None:
            for name in self.columns:
                raw, learned = at.raw(name), state[name]
                missing = missing_of(raw)
                touches_more(at, name, int(missing.sum()), learned.get("touched"), "filled")
                if flag:
                    at.free([f"{name}_missing"])
                    at.set(f"{name}_missing", RawNumbers(missing.astype(np.float64)))
                if missing.any():
                    groups = learned.get("groups")
                    put = by_group(at, by, groups, learned["value"])[missing] if groups is not None else None
                    at.set(name, _filled(name, raw, missing, learned["value"], put))

        return Bound(table, lambda name, values: (name, values) if name in self.columns else None)


def centre_of(using: str, values: Floats) -> float:
    """Return the mean, the median or the most frequent of some values."""
    if using == "mean":
        return float(values[0] + np.mean(values - values[0]))
    if using == "median":
        return float(np.median(values))
    unique, counts = np.unique(values, return_counts=True)
    return float(unique[int(np.argmax(counts))])


def _filled(name: str, raw: RawColumn, missing: NDArray[np.bool_], value: Any, put: Floats | None) -> RawColumn:
    if isinstance(raw, RawNumbers):
        if isinstance(value, str):
            raise PreparationError(f"fill puts the text {value!r} into {name!r}, which holds numbers: give a number.")
        values = raw.values.copy()
        values[missing] = value if put is None else put
        return RawNumbers(values)
    if isinstance(raw, RawTimes):
        stamp = np.datetime64(str(value), "us").astype(np.int64)
        return RawTimes(np.where(missing, stamp, raw.values), np.zeros(len(missing), bool))
    level = value if isinstance(value, str) else number_label(value)
    words = raw.words if level in raw.words else [*raw.words, level]
    return RawWords(np.where(missing, words.index(level), raw.codes).astype(np.int32), words, raw.order)


class Clip(Operation):
    """Values beyond limits become the limit, or missing."""

    name = "clip"
    main = "to"
    says = "Bring far values in to a limit, or take them as missing."
    OPTIONS: ClassVar[Options] = {
        "to": Option(one_of("fences", "quantiles", "limits"), "fences",
                     "Tukey's fences, the quantiles low and high, or the limits low and high"),
        "low": Option({"type": ["number", "null"]}, None, "the lower limit or quantile; 0.01 for quantiles"),
        "high": Option({"type": ["number", "null"]}, None, "the upper; 0.99 for quantiles"),
        "outside": Option(one_of("nearest", "missing"), "nearest", "what becomes of the values beyond"),
    }  # fmt: skip

    def check(self) -> None:
        """Refuse limits that do not rise."""
        low, high, to = self["low"], self["high"], self["to"]
        if low is not None and high is not None and low >= high:
            raise OptionError(f"clip: low must lie below high, not {low} and {high}.")
        if to == "limits" and low is None and high is None:
            raise OptionError(f"clip: {entry('to', 'limits')} needs low, high or both.")
        if to == "fences" and (low is not None or high is not None):
            raise OptionError(f"clip: low and high go with {entry('to', 'quantiles', 'limits')}.")
        if to == "quantiles" and not all(0 <= v <= 1 for v in (low, high) if v is not None):
            raise OptionError("clip: quantiles lie between 0 and 1.")

    def learn(self, at: Working, training: Training) -> State:
        """Learn the limits of each column."""
        out: State = {}
        for name in self.columns:
            low, high = self._limits(at, name)
            out[name] = {"low": low, "high": high}
            beyond = _beyond(at.numbers(name, "clip"), *ends_of(out[name]))
            out[name]["touched"] = [int(beyond.sum()), len(at), at.cases]
        return out

    def _limits(self, at: Working, name: str) -> tuple[float | None, float | None]:
        if self["to"] == "limits":
            return self["low"], self["high"]
        values = np.sort(present(at.numbers(name, "clip")))
        refuse_nothing("clip", name, values)
        if self["to"] == "quantiles":
            ends = (0.01 if self["low"] is None else self["low"], 0.99 if self["high"] is None else self["high"])
            low, high = sorted_quantiles(values, np.array(ends))
            return float(low), float(high)
        q1, _, q3 = sorted_quantiles(values, QUARTILES)
        return (float(q1 - 1.5 * (q3 - q1)), float(q3 + 1.5 * (q3 - q1))) if q3 > q1 else (None, None)

    def check_learned(self, state: State) -> None:
        """Refuse limits that fall."""
        for name in self.columns:
            rising(name, "limits", [v for v in (state[name]["low"], state[name]["high"]) if v is not None], least=0.0)

    def bind(self, state: State) -> Bound:
        """Clip."""
        gone = self["outside"] == "missing"
        ends = {c: ends_of(state[c]) for c in self.columns}

        def table(at: Working) -> None:
            for name, (low, high) in ends.items():
                values = at.numbers(name, "clip")
                beyond = _beyond(values, low, high)
                touches_more(at, name, int(beyond.sum()), state[name].get("touched"), "clipped")
                if gone:
                    at.set(name, RawNumbers(np.where(beyond, np.nan, values)))
                else:
                    at.set(name, RawNumbers(np.clip(values, low, high)))

        return Bound(table, lambda name, values: (name, values) if name in self.columns else None)


def ends_of(learned: State) -> tuple[float, float]:
    """Return the limits that `clip` learned of a column; infinite where there is none."""
    low, high = learned["low"], learned["high"]
    return -np.inf if low is None else low, np.inf if high is None else high


def _beyond(values: Floats, low: float, high: float) -> NDArray[np.bool_]:
    return np.asarray((values < low) | (values > high))
