"""What every operation is: columns, options, a reason, something learned, and how it is applied."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable, Collection, Mapping
from dataclasses import dataclass, field
from typing import Any, ClassVar

import numpy as np
from numpy.typing import NDArray

from ..core.columns.labels import number_label
from ..core.columns.outcome import Outcome
from ..core.finding import Finding
from ..core.stats.sampling import Sampling
from ..core.words import plural
from ..errors import OptionError, PreparationError, did_you_mean, entry
from .values import check_value
from .working import Working

State = dict[str, Any]

NAME = {"type": "string", "minLength": 1}
NUMBER = {"type": "number"}
UNSEEN = ("other", "missing", "error")


def one_of(*values: str) -> dict[str, Any]:
    """Return the schema of a choice."""
    return {"enum": list(values)}


def list_of(what: Mapping[str, Any]) -> dict[str, Any]:
    """Return the schema of a list."""
    return {"type": "array", "items": dict(what)}


@dataclass(frozen=True)
class Option:
    """An option of an operation: the JSON Schema of its value, its default, and what it says."""

    schema: Mapping[str, Any]
    default: Any
    says: str


Options = Mapping[str, Option]


@dataclass(frozen=True)
class Training:
    """The training rows, beside their columns.

    Parameters
    ----------
    outcome
        Of these rows; none where it was not given.
    fold
        The fold of every row, shape (n,); a unit is never divided.
    sampling
        What these rows are a sample of.
    """

    outcome: Outcome | None
    fold: NDArray[np.int64]
    sampling: Sampling


@dataclass(frozen=True)
class Bound:
    """An operation with what it learned, ready to be applied.

    Parameters
    ----------
    table
        Changes columns, of many rows or of one.
    back
        Of a column's name after it and values: the name before it and the values there; nothing where it leaves
        that column alone.
    """

    table: Callable[[Working], None]
    back: Callable[[str, Any], tuple[str, Any] | None] = field(default=lambda name, values: None)


class Operation:
    """One step of a preparation.

    Parameters
    ----------
    *columns
        That it works on.
    reason
        Why, in a sentence a person can check.
    finding
        The code of the finding that led to it.
    **options
        See `OPTIONS` of each operation.

    Raises
    ------
    OptionError
        An option is unknown, or has a value that cannot be.
    """

    name: ClassVar[str] = ""
    says: ClassVar[str] = ""
    OPTIONS: ClassVar[Options] = {}
    most_columns: ClassVar[int] = 0
    """Columns it takes at most; any number with 0."""
    least_columns: ClassVar[int] = 1
    main: ClassVar[str] = ""
    """The option that is said even where it is the default."""

    def __init__(self, *columns: str, reason: str = "", finding: str = "", **options: Any) -> None:
        for name in columns:
            if not isinstance(name, str) or not name:
                raise OptionError(f"{self.name}: columns are named by text, not by {name!r}.")
        for key in options:
            if key not in self.OPTIONS:
                raise OptionError(f"{self.name} has no option {key!r}.{did_you_mean(key, self.OPTIONS)}")
        self.columns, self.reason, self.finding = columns, str(reason), str(finding)
        self.options = {k: options.get(k, o.default) for k, o in self.OPTIONS.items()}
        self._check_columns()
        self._check_values()
        self.check()

    def _check_columns(self) -> None:
        if len(set(self.columns)) < len(self.columns):
            raise OptionError(f"{self.name} names a column twice: {', '.join(self.columns)}.")
        if len(self.columns) < self.least_columns:
            raise OptionError(f"{self.name} needs a column to work on: name it.")
        if self.most_columns and len(self.columns) > self.most_columns:
            raise OptionError(f"{self.name} works on {plural(self.most_columns, 'column')}, not {len(self.columns)}.")

    def _check_values(self) -> None:
        for key, option in self.OPTIONS.items():
            value = self.options[key]
            if value is not option.default:
                check_value(f"{key} of {self.name}", value, option.schema)

    def check(self) -> None:
        """Refuse options that do not go together.

        Raises
        ------
        OptionError
        """

    def __getitem__(self, option: str) -> Any:
        return self.options[option]

    @property
    def needs_outcome(self) -> bool:
        """Whether it learns from the outcome."""
        return False

    @property
    def inputs(self) -> tuple[str, ...]:
        """The columns it reads."""
        return self.columns

    def learn(self, at: Working, training: Training) -> State:
        """Return what is learned from training rows, JSON-ready."""
        return {}

    def bind(self, state: State) -> Bound:
        """Return the operation ready to be applied."""
        raise NotImplementedError

    def fit_apply(self, at: Working, training: Training) -> State:
        """Learn from training rows and change them; out of fold where a row's own outcome would leak."""
        state = self.learn(at, training)
        self.bind(state).table(at)
        return state

    def to_dict(self) -> dict[str, Any]:
        """Return it JSON-ready, without what it learned; all options are written out."""
        out: dict[str, Any] = {"operation": self.name, "columns": list(self.columns), **self.options}
        if self.reason:
            out["reason"] = self.reason
        if self.finding:
            out["finding"] = self.finding
        return out

    @property
    def digest(self) -> str:
        """A short hash of what it learns by: its name, columns and options, and not its reason."""
        learns_by = json.dumps([self.name, self.columns, self.options], sort_keys=True, default=str)
        return hashlib.sha256(learns_by.encode()).hexdigest()[:12]

    def check_learned(self, state: State) -> None:
        """Refuse what cannot have been learned: limits that do not rise, scores that fall, widths of nothing.

        Raises
        ------
        PreparationError
        """

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Operation) and self.to_dict() == other.to_dict()

    def __hash__(self) -> int:
        return hash((self.name, self.columns))

    def __repr__(self) -> str:
        given = "".join(f", {k}={v!r}" for k, v in self.options.items() if v != self.OPTIONS[k].default)
        return f"{self.name}({', '.join(map(repr, self.columns))}{given})"

    def in_words(self) -> str:
        """Return what it does, without its reason."""
        given = {k: v for k, v in self.options.items() if k == self.main or v != self.OPTIONS[k].default}
        return ", ".join(k if v is True else f"{k} {_short(v)}" for k, v in given.items())


def _short(value: Any) -> str:
    if isinstance(value, Mapping):
        value = [f"{k} → {'missing' if v is None else v}" for k, v in value.items()]
    if isinstance(value, (list, tuple)):
        return ", ".join(map(str, value[:4])) + (", …" if len(value) > 4 else "")
    return number_label(value) if isinstance(value, float) else str(value)


def no_way_back(
    operation: Operation, why: str, made: Collection[str] = ()
) -> Callable[[str, Any], tuple[str, Any] | None]:
    """Return a way back that refuses the columns that an operation made; those it worked on by default."""

    def back(name: str, values: Any) -> tuple[str, Any] | None:
        if name in (made or operation.columns):
            raise PreparationError(f"{name!r} has no way back through {operation.name}: {why}.")
        return None

    return back


def refuse_unseen(operation: str, name: str, levels: list[str]) -> PreparationError:
    """Build the error for levels that were not there when the preparation was fitted."""
    shown = ", ".join(map(repr, levels[:3])) + (", …" if len(levels) > 3 else "")
    return PreparationError(
        f"{operation} of {name!r} met {'a level' if len(levels) == 1 else 'levels'} that the training rows do not "
        f"have: {shown}. Fit again with such rows, or declare {entry('unseen', 'other', 'missing')}."
    )


def say_unseen(at: Working, name: str, levels: list[str], rows: int, as_what: str) -> None:
    """Note levels that were not there when the preparation was fitted."""
    shown = ", ".join(map(repr, levels[:3])) + (", …" if len(levels) > 3 else "")
    at.found.append(
        Finding(
            "unseen-levels", "caution", (name,),
            f"{plural(rows, 'row')} of {name} {'has' if rows == 1 else 'have'} levels that the training rows do not "
            f"have ({shown}): taken as {as_what}.",
            "A few are normal; many say that these rows are of another kind: fit again with some of them.",
            {"levels": levels[:50], "rows": rows, "as": as_what},
        )
    )  # fmt: skip
