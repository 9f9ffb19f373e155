"""What a preparation learned from its training rows, as it is kept and as it is written."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from pathlib import Path
from typing import Any

import pandas as pd

from ..core.columns.yes_no import truth_of
from ..errors import OptionError, PreparationError
from .frame import Frame
from .operation import Bound, Operation, State
from .operations import operation_of
from .schema import VERSION, check_form
from .trained import Trained
from .values import refuse_infinite
from .working import Working, empty_like

MOST_BYTES = 64_000_000
"""Of a preparation file: one with thousands of levels in every column has a few megabytes."""


STRAIGHT_FROM = 2
"""The version of the file's form from which transforms go on straight beyond the training values by default."""
FIRST_DEFAULTS = {"outside": "nearest"}


@dataclass(frozen=True)
class Fitted:
    """What was learned.

    Parameters
    ----------
    rows
        Training rows.
    columns
        Of the training table, each with its type.
    zones
        Of those that are times of a zone.
    frames
        What those looked like that the preparation works on.
    features
        The columns that come out.
    states
        What each operation learned, JSON-ready.
    bound
        The operations with what they learned.
    """

    rows: int
    columns: dict[str, str]
    zones: dict[str, str]
    frames: dict[str, Frame]
    features: list[str]
    states: list[State]
    bound: list[Bound]

    @classmethod
    def of(cls, form: Mapping[str, Any], operations: Sequence[Operation]) -> Fitted:
        """Return what the JSON form of a preparation holds.

        Raises
        ------
        PreparationError
            It does not fit the operations.
        """
        head = form["fitted"]
        columns = {c["name"]: c["type"] for c in head["columns"]}
        frames = {c["name"]: c["frame"] for c in head["columns"] if "frame" in c}
        states = [o.get("fitted") for o in form["operations"]]
        bound = []
        try_on = Working({n: empty_like(t, 0) for n, t in columns.items()}, pd.RangeIndex(0))
        for i, (operation, state) in enumerate(zip(operations, states, strict=True), 1):
            try:
                if state is None:
                    raise KeyError("fitted")
                without = operation.digest if form.get("version", 1) < STRAIGHT_FROM else None  # the first had none
                if form["operations"][i - 1].get("digest", without) != operation.digest:
                    raise PreparationError(
                        f"Operation {i} of the preparation ({operation.name}) was changed after it had learned: fit it "
                        "again on training rows (--fit), so that what it learned belongs to what it is to do."
                    )
                operation.check_learned(state)
                bound.append(operation.bind(state))
                bound[-1].table(try_on)
            except (KeyError, TypeError, ValueError, IndexError, AttributeError) as error:
                if isinstance(error, PreparationError):
                    raise
                raise PreparationError(
                    f"Operation {i} of the preparation ({operation.name}) does not hold what it learned: "
                    f"{type(error).__name__} at {error}. Fit it again."
                ) from error
        missing = [f for f in head["features"] if f not in try_on]
        if missing:
            raise PreparationError(f"The preparation names a feature that it does not make: {missing[0]!r}.")
        zones = {c["name"]: c["zone"] for c in head["columns"] if "zone" in c}
        return cls(head["rows"], columns, zones, frames, list(head["features"]), states, bound)

    @cached_property
    def trained(self) -> dict[str, Trained]:
        """What each column was in the training rows."""
        return {n: Trained(t, self.zones.get(n, ""), self.frames.get(n)) for n, t in self.columns.items()}

    @cached_property
    def spelt(self) -> dict[str, list[str]]:
        """How a yes and a no are written, in the columns whose levels are these."""
        levels = {n: t.levels for n, t in self.trained.items() if t.kind == "text"}
        return {n: found for n, found in levels.items() if truth_of(found) is not None}

    def to_dict(self) -> dict[str, Any]:
        """Return it JSON-ready, but for the states, which stand with their operations."""
        parts: dict[str, dict[str, Any]] = {"zone": self.zones, "frame": self.frames}
        return {
            "rows": self.rows,
            "columns": [
                {"name": n, "type": t, **{k: v[n] for k, v in parts.items() if n in v}} for n, t in self.columns.items()
            ],
            "features": list(self.features),
        }

    def unbound(self) -> Fitted:
        """Return it without what cannot be sent to another process."""
        return replace(self, bound=[])

    def rebound(self, operations: Sequence[Operation]) -> Fitted:
        """Return it ready to be applied by the operations it was learned for."""
        return replace(self, bound=[o.bind(s) for o, s in zip(operations, self.states, strict=True)])


def form_of(
    operations: Sequence[Operation], fitted: Fitted | None, given: Mapping[str, Any], suggestions: list[Any]
) -> dict[str, Any]:
    """Return a preparation JSON-ready: what it was made with, its operations, what each learned, what else could be."""
    written = [o.to_dict() for o in operations]
    out: dict[str, Any] = {"envelt": "preparation", "version": VERSION, **given, "operations": written}
    if suggestions:
        out["suggestions"] = suggestions
    if fitted is not None:
        for one, operation, state in zip(written, operations, fitted.states, strict=True):
            one["digest"], one["fitted"] = operation.digest, state
        out["fitted"] = fitted.to_dict()
    return out


def operations_in(form: Mapping[str, Any]) -> tuple[Operation, ...]:
    """Return the operations of a JSON form that a preparation can be made of.

    Raises
    ------
    PreparationError
        It is no such form, or of a later version.
    """
    if not isinstance(form, Mapping) or form.get("envelt") != "preparation":
        raise PreparationError('This is no preparation: it does not say "envelt": "preparation".')
    version = form.get("version")
    if isinstance(version, int) and version > VERSION:
        raise PreparationError(
            f"The preparation is of version {version} and this Envelt reads up to {VERSION}: bring Envelt up to date."
        )
    refuse_infinite("preparation", form)
    check_form(form)
    plain = [{k: v for k, v in o.items() if k not in ("fitted", "digest")} for o in form["operations"]]
    if isinstance(version, int) and version < STRAIGHT_FROM:
        plain = [{**FIRST_DEFAULTS, **o} if o["operation"] == "reexpress" else o for o in plain]
    try:
        return tuple(operation_of(o) for o in plain)
    except OptionError as error:
        raise unusable(error) from error


def unusable(error: OptionError) -> PreparationError:
    """Build the error for a form that says what cannot be."""
    return PreparationError(f"The preparation cannot be used: {error.args[0]}")


def read_form(path: Path) -> Any:
    """Read the JSON form of a preparation from a file.

    Raises
    ------
    PreparationError
        With what is wrong, and where.
    """

    def refused(text: str) -> Any:
        raise PreparationError(f"{path}: {text} is no number of JSON, and nothing can be made of it.")

    try:
        size = path.stat().st_size
        if size > MOST_BYTES:
            raise PreparationError(f"{path} has {size / 1e6:,.0f} MB: a preparation has {MOST_BYTES // 10**6} at most.")
        return json.loads(path.read_text("utf-8-sig"), parse_constant=refused)
    except FileNotFoundError:
        raise PreparationError(
            f"There is no file {str(path)!r}. Make one: envelt prepare DATA --propose {path}."
        ) from None
    except OSError as error:
        raise PreparationError(f"Cannot read {str(path)!r}: {error.strerror or error}.") from error
    except UnicodeDecodeError:
        raise PreparationError(f"{path} is not text in UTF-8, so it is no preparation.") from None
    except RecursionError:
        raise PreparationError(f"{path} is nested too deep to be a preparation.") from None
    except json.JSONDecodeError as error:
        raise PreparationError(f"{path}, line {error.lineno}: this is not JSON ({error.msg}).") from None
