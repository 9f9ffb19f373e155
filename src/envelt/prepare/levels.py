"""Operations on levels: joining rare ones, and turning levels into numbers."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, ClassVar

import numpy as np
from numpy.typing import NDArray

from ..core import thresholds as T
from ..core.columns.grades import grade_order
from ..core.columns.outcome import ClassOutcome, NumericOutcome
from ..core.columns.raw import RawColumn, RawNumbers, RawWords
from ..core.columns.yes_no import natural_key
from ..core.magnitude import spread_of
from ..core.stats.groups import GroupedRows
from ..core.stats.shrinkage import shrunken_levels
from ..errors import OptionError, PreparationError, entry
from .keys import UNSEEN, places
from .operation import (
    NAME,
    Bound,
    Operation,
    Option,
    Options,
    State,
    Training,
    list_of,
    no_way_back,
    one_of,
    refuse_unseen,
    say_unseen,
)
from .operation import UNSEEN as UNSEEN_POLICIES
from .working import Working

Floats = NDArray[np.float64]
NAN = float("nan")
MOST_COLUMNS = 10_000
"""That one column becomes: names of cases, and no machine holds a column for each."""


class MergeRare(Operation):
    """Levels with few rows become one."""

    name = "merge_rare"
    main = "under"
    says = "Join levels with few training rows; what is new later joins them."
    OPTIONS: ClassVar[Options] = {
        "under": Option({"type": "number", "exclusiveMinimum": 0}, 0.01,
                        "the share of the training rows, or from 1 up their number, below which a level is rare"),
        "into": Option(NAME, "other", "what to call them"),
        "unseen": Option(one_of(*UNSEEN_POLICIES), "other", "what becomes of a level that is new"),
    }  # fmt: skip

    def learn(self, at: Working, training: Training) -> State:
        """Learn which levels are kept, and which are rare."""
        return {c: self._parted(at.words(c)) for c in self.columns}

    def _parted(self, words: RawWords) -> State:
        counts = np.bincount(words.codes[words.codes >= 0], minlength=len(words.words))
        least = self["under"] if self["under"] >= 1 else self["under"] * counts.sum()
        there = [(w, int(n)) for w, n in zip(words.words, counts, strict=True) if n]
        return {"levels": [w for w, n in there if n >= least], "rare": [w for w, n in there if n < least]}

    def bind(self, state: State) -> Bound:
        """Join."""
        unseen, into = self["unseen"], self["into"]
        kept = {c: list(dict.fromkeys((*state[c]["levels"], into))) for c in self.columns}
        place = {
            c: {w: k for k, w in enumerate(kept[c])} | dict.fromkeys(state[c]["rare"], kept[c].index(into))
            for c in self.columns
        }

        def table(at: Working) -> None:
            for name, known in place.items():
                words = at.words(name)
                codes, new, rows = places(words, known)
                if new:
                    if unseen == "error":
                        raise refuse_unseen("merge_rare", name, new)
                    say_unseen(at, name, new, rows, into if unseen == "other" else "missing")
                    codes = np.where(codes == UNSEEN, known[into] if unseen == "other" else -1, codes)
                at.set(name, RawWords(codes.astype(np.int32), kept[name], words.order))

        return Bound(table, lambda name, values: (name, values) if name in kept else None)


class Encode(Operation):
    """Levels become numbers: a column each, ordered codes, or shrunken outcome rates."""

    name = "encode"
    main = "using"
    says = "Turn levels into numbers."
    OPTIONS: ClassVar[Options] = {
        "using": Option(one_of("levels", "ordered", "rate"), "levels",
                        "a column of 0 and 1 for each level; 0, 1, 2, … in order; or the outcome's rate (or mean) at "
                        "the level, drawn towards that of all rows"),
        "order": Option(list_of(NAME), [], "the levels in order, for ordered codes"),
        "unseen": Option(one_of(*UNSEEN_POLICIES), "other",
                         "a level that is new: no level at all, the middle code, the rate of all rows; missing; error"),
    }  # fmt: skip

    def check(self) -> None:
        """Refuse an order without ordered codes."""
        if self["order"] and self["using"] != "ordered":
            raise OptionError(f"encode: an order goes with {entry('using', 'ordered')}.")

    @property
    def needs_outcome(self) -> bool:
        """Whether it learns from the outcome."""
        return bool(self["using"] == "rate")

    def learn(self, at: Working, training: Training) -> State:
        """Learn the levels, their order or their rates."""
        return {c: self._learn_one(at, c, training) for c in self.columns}

    def _learn_one(self, at: Working, name: str, training: Training) -> State:
        words = at.words(name)
        counts = np.bincount(words.codes[words.codes >= 0], minlength=len(words.words))
        there = [w for w, n in zip(words.words, counts, strict=True) if n]
        if not there:
            raise PreparationError(f"encode learns from {name!r}, which is missing in every training row: drop it.")
        gaps = bool((words.codes < 0).any())
        if self["using"] == "levels":
            if len(there) > MOST_COLUMNS:
                raise PreparationError(
                    f"encode would make a column for each of the {len(there):,} levels of {name!r}, at most "
                    f"{MOST_COLUMNS:,}: join those of few rows first (merge_rare), or take {entry('using', 'rate')}."
                )
            return {"levels": sorted(there) if not words.order else there, "missing": gaps}
        if self["using"] == "ordered":
            return self._in_order(name, there, words)
        rates, base = _rates(words, training, None)
        parts = _parts(training)
        return {
            "rates": {w: r for w, r, n in zip(words.words, rates[:-1].tolist(), counts.tolist(), strict=True) if n},
            "missing": rates[-1].tolist() if gaps else base.tolist(), "base": base.tolist(), "of": parts,
            "event": _event(training),
        }  # fmt: skip

    def _in_order(self, name: str, there: list[str], words: RawWords) -> State:
        order = list(self["order"])
        if not order:
            order = there if words.order else list(grade_order(there) or sorted(there, key=natural_key))
        place = {w: k for k, w in enumerate(order)}
        new = [w for w in there if w not in place]
        if new:
            raise refuse_unseen("encode (ordered)", name, new)
        places_of = np.array([place[w] for w in there])
        return {"order": order, "middle": float(np.median(places_of))}

    def fit_apply(self, at: Working, training: Training) -> State:
        """Learn from all training rows, and encode each by the folds it is not in."""
        if self["using"] != "rate":
            return super().fit_apply(at, training)
        state = self.learn(at, training)
        for name in self.columns:
            words = at.words(name)
            held = np.empty((len(at), len(state[name]["base"])))
            for fold in range(T.FOLDS):
                inside = training.fold == fold
                rates, _ = _rates(words, training, ~inside)
                held[inside] = rates[words.codes[inside]]
            at.instead(name, _named(name, state[name]["of"], held))
        return state

    def bind(self, state: State) -> Bound:
        """Encode."""
        using = self["using"]
        known = {c: _places(using, state[c]) for c in self.columns}
        tables = {c: _values(using, state[c]) for c in self.columns}
        one_column: dict[str, Callable[[Working, str, State, dict[str, int], Floats], Any]] = {
            "levels": self._levels, "ordered": self._codes, "rate": self._rated,
        }  # fmt: skip

        def table(at: Working) -> None:
            for name in self.columns:
                at.instead(name, one_column[using](at, name, state[name], known[name], tables[name]))

        def back(name: str, values: Any) -> tuple[str, Any] | None:
            if name not in self.columns:
                return None
            order = state[name]["order"]
            codes = np.asarray(values, np.float64)
            whole = ~np.isnan(codes) & (codes == np.round(codes)) & (codes >= 0) & (codes < len(order))
            named = np.array([*order, None], dtype=object)
            return name, named[np.where(whole, np.nan_to_num(codes), len(order)).astype(np.int64)]

        if using == "ordered":
            return Bound(table, back)
        made = {n for c in self.columns for n in _made(c, using, state[c])}
        why = (
            "a rate does not say which level it was"
            if using == "rate"
            else "one column does not say which level it was"
        )
        return Bound(table, no_way_back(self, why, made))

    def _found(self, at: Working, name: str, known: dict[str, int], as_what: str) -> NDArray[np.int64]:
        codes, new, rows = places(at.words(name), known)
        if new:
            if self["unseen"] == "error":
                raise refuse_unseen(f"encode ({self['using']})", name, new)
            say_unseen(at, name, new, rows, "missing" if self["unseen"] == "missing" else as_what)
            if self["unseen"] == "missing":
                codes = np.where(codes == UNSEEN, -1, codes)
        return codes

    def _levels(
        self, at: Working, name: str, state: State, known: dict[str, int], table: Floats
    ) -> dict[str, RawColumn]:
        levels = state["levels"]
        codes = self._found(at, name, known, "none of the levels")
        out: dict[str, RawColumn] = {
            f"{name}={w}": RawNumbers((codes == k).astype(np.float64)) for k, w in enumerate(levels)
        }
        if state["missing"]:
            out[_gap_name(name, levels)] = RawNumbers((codes == -1).astype(np.float64))
        return out

    def _codes(
        self, at: Working, name: str, state: State, known: dict[str, int], table: Floats
    ) -> dict[str, RawColumn]:
        return {name: RawNumbers(table[self._found(at, name, known, "the middle code")])}

    def _rated(
        self, at: Working, name: str, state: State, known: dict[str, int], table: Floats
    ) -> dict[str, RawColumn]:
        codes = self._found(at, name, known, "the rate of all rows")
        return _named(name, state["of"], table[codes])


def _places(using: str, learned: State) -> dict[str, int]:
    """Return the place of each level that was learned."""
    levels = learned[{"levels": "levels", "ordered": "order", "rate": "rates"}[using]]
    return {w: k for k, w in enumerate(levels)}


def _values(using: str, learned: State) -> Floats:
    """Return what each level becomes; what is unseen the last but one, what is missing the last."""
    if using == "ordered":
        return np.array([*map(float, range(len(learned["order"]))), learned["middle"], NAN])
    if using == "rate":
        return np.array([*learned["rates"].values(), learned["base"], learned["missing"]])
    return np.zeros(0)


def _made(name: str, using: str, learned: State) -> list[str]:
    """Return the columns that a column becomes."""
    if using == "rate":
        return _names(name, learned["of"])
    levels = learned["levels"]
    return [*(f"{name}={w}" for w in levels), *([_gap_name(name, levels)] if learned["missing"] else [])]


def _gap_name(name: str, levels: list[str]) -> str:
    gap = "missing"
    while gap in levels:
        gap = f"({gap})"
    return f"{name}={gap}"


def _parts(training: Training) -> list[str]:
    """Return what the rates are of: nothing for one column, the classes where there are more than two."""
    outcome = training.outcome
    return list(outcome.levels) if isinstance(outcome, ClassOutcome) and len(outcome.levels) > 2 else []


def _event(training: Training) -> str | None:
    """Return the class that one rate is of; nothing where it is a mean, or there is a rate of each class."""
    outcome = training.outcome
    return outcome.event if isinstance(outcome, ClassOutcome) and len(outcome.levels) == 2 else None


def _names(name: str, parts: list[str]) -> list[str]:
    return [f"{name}: rate of {p}" for p in parts] or [name]


def _named(name: str, parts: list[str], values: Floats) -> dict[str, RawColumn]:
    return {n: RawNumbers(np.ascontiguousarray(values[:, k])) for k, n in enumerate(_names(name, parts))}


def _rates(words: RawWords, training: Training, rows: NDArray[np.bool_] | None) -> tuple[Floats, Floats]:
    """Return the shrunken rate at every level, that of missing last, and that of all rows; shapes (L + 1, D), (D,).

    The rates are those of `shrunken_levels`, learned from ``rows`` only, over units with their design effect; the base
    they are drawn to is that of all training rows, so that a fold's own base says nothing of its rows.
    """
    outcome = training.outcome
    assert outcome is not None
    used = outcome.known if rows is None else outcome.known & rows
    codes = np.where(words.codes < 0, len(words.words), words.codes)
    size = len(words.words) + 1
    n = np.bincount(codes[used], minlength=size)
    sampling, labels = training.sampling.take(used), (*words.words, "missing")
    columns, bases = [], []
    for y in _indicators(outcome):
        known = y[outcome.known]
        base, sd = float(known.mean()), spread_of(known)
        sums = np.bincount(codes[used], weights=y[used], minlength=size)
        means = np.divide(sums, n, out=np.full(size, base), where=n > 0)
        effect = GroupedRows(y[used], codes[used], labels, sampling).design_effect
        columns.append(shrunken_levels(n, means, base, sd, effect))
        bases.append(base)
    rates = np.stack(columns, axis=1)
    if len(bases) > 1:  # of all classes: drawn to the base each by itself, they need not sum to one
        rates = rates / rates.sum(axis=1, keepdims=True)
    return rates, np.array(bases)


def _indicators(outcome: ClassOutcome | NumericOutcome) -> list[Floats]:
    """Return the outcome as numbers: itself, whether a row is the event, or whether it is of each of the classes."""
    if isinstance(outcome, NumericOutcome):
        return [outcome.values]
    if len(outcome.levels) == 2:
        return [outcome.is_event.astype(np.float64)]
    return [(outcome.codes == k).astype(np.float64) for k in range(len(outcome.levels))]
