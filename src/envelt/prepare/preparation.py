"""A preparation: operations in order, fitted on training rows and applied to any later ones."""

from __future__ import annotations

import sys
import textwrap
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from ..core.asked import whole_number
from ..core.columns.outcome import ClassOutcome, NumericOutcome, Outcome
from ..core.finding import Finding
from ..core.stats.folds import deal, hash_blocks
from ..core.words import plural
from ..errors import NotFittedError, OptionError, PreparationError, did_you_mean
from .intake import (
    aligned,
    changed_rows,
    from_one_row,
    one_row,
    outcome_in,
    outcome_of,
    row_reader,
    type_here,
    working_of,
)
from .operation import Bound, Operation, State, Training
from .operations import OPERATIONS
from .schema import VERSION, check_form, refuse_infinite
from .working import Working, missing_of

if TYPE_CHECKING:
    import pandas as pd

RETURNS = ("pandas", "arrow")
ABSENT = ("error", "missing")
MOST_BYTES = 64_000_000
"""Of a preparation file: one with thousands of levels in every column has a few megabytes."""


@dataclass(frozen=True)
class Fitted:
    """What was learned.

    Parameters
    ----------
    rows
        Training rows.
    columns
        Of the training table, each with its type.
    features
        The columns that come out.
    states
        What each operation learned, JSON-ready.
    bound
        The operations with what they learned.
    """

    rows: int
    columns: dict[str, str]
    features: list[str]
    states: list[State]
    bound: list[Bound]


@dataclass
class Watched:
    """What an operation changed, one by one."""

    operation: Operation
    rows_changed: int = 0
    missing_before: int = 0
    missing_after: int = 0
    columns_in: list[str] = field(default_factory=list)
    columns_out: list[str] = field(default_factory=list)


class Preparation:
    """An ordered list of operations, each with its reason.

    Parameters
    ----------
    operations
        Each an operation, or a dict as in the JSON form: ``{"operation": "fill", "columns": ["mites"], "using":
        "median", "reason": "…"}``. `then` adds one at a time.
    outcome
        The column that rates are learned from, where the table holds it. It is no feature, and never comes out.
    unit
        The column that says which rows are one case; folds never divide one, and it is no feature.
    seed
        Of the folds.
    absent
        What becomes of a column that is gone from later rows: "error", or "missing" in every row.
    returns
        "pandas" or "arrow".

    Raises
    ------
    OptionError

    Notes
    -----
    It has the methods that pipelines of estimators call: `fit`, `transform`, `fit_transform`, `get_params`,
    `set_params`, `get_feature_names_out`, `set_output`. `fit_transform` is not `fit` and then `transform`: with
    `encode(using="rate")` each training row gets a rate learned from the folds it is not in, so that a model fitted on
    the result is not misled by rows that helped to make their own features.

    Examples
    --------
    >>> import pandas as pd
    >>> from envelt import Preparation
    >>> rows = pd.DataFrame({"mites": [0.0, 3.0, None, 40.0], "zone": ["a", "b", "a", "b"]})
    >>> preparation = Preparation().then("fill", "mites", using="median").then("reexpress", "mites", transform="log1p")
    >>> preparation = preparation.then("encode", "zone", using="levels")
    >>> preparation.fit(rows).transform(rows).round(2).to_numpy().tolist()
    [[0.0, 1.0, 0.0], [1.39, 0.0, 1.0], [1.39, 1.0, 0.0], [3.71, 0.0, 1.0]]
    """

    def __init__(
        self,
        operations: Sequence[Operation | Mapping[str, Any]] = (),
        *,
        outcome: str | None = None,
        unit: str | None = None,
        seed: int = 0,
        absent: str = "error",
        returns: str = "pandas",
    ) -> None:
        self.operations = operations
        self.outcome, self.unit, self.seed, self.absent, self.returns = outcome, unit, seed, absent, returns
        self._fitted: Fitted | None = None
        self._check()

    def _check(self) -> None:
        if isinstance(self.operations, (str, Mapping)) or not isinstance(self.operations, Iterable):
            raise OptionError(f"Operations come as a list, not as {type(self.operations).__name__}.")
        for what, value, known in (("absent", self.absent, ABSENT), ("returns", self.returns, RETURNS)):
            if value not in known:
                raise OptionError(f"No {what} {value!r}.{did_you_mean(str(value), known)}")
        if isinstance(self.seed, bool) or not isinstance(self.seed, int) or self.seed < 0:
            raise OptionError(f"The seed must be a whole number from 0 up, not {self.seed!r}.")
        self._steps = tuple(_operation(o) for o in self.operations)
        if self.outcome is not None:
            self.refuse_from({self.outcome})

    def refuse_from(self, outcome: Collection[str]) -> None:
        """Refuse operations that read the outcome, or what is made from it: a feature would know what it is to tell.

        Only `encode` learns from it, by itself and out of fold.

        Raises
        ------
        OptionError
        """
        for place, operation in enumerate(self._steps, start=1):
            read = [n for n in operation.inputs if n in outcome]
            if read and operation.name != "drop":
                raise OptionError(
                    f"Operation {place}, {operation.name}, reads {read[0]!r}, which is the outcome or made from it: "
                    "what is made of it would tell a model what it is to find out. Leave it out; encode(using='rate') "
                    "learns from the outcome out of fold."
                )

    def __getstate__(self) -> dict[str, Any]:
        fitted = self._fitted
        return {**self.__dict__, "_fitted": None if fitted is None else replace(fitted, bound=[])}

    def __setstate__(self, kept: dict[str, Any]) -> None:
        self.__dict__.update(kept)
        if self._fitted is not None:
            bound = [o.bind(s) for o, s in zip(self._steps, self._fitted.states, strict=True)]
            self._fitted = replace(self._fitted, bound=bound)

    # --- building ------------------------------------------------------------------------------------

    def then(self, operation: str, *columns: str, reason: str = "", finding: str = "", **options: Any) -> Preparation:
        """Return a preparation with one more operation, not fitted.

        Parameters
        ----------
        operation
            One of drop, rename, retype, relabel, derive, replace, fill, clip, reexpress, bin, merge_rare,
            group_feature, parts_of_date, rescale, encode; docs/preparation.md lists their options.
        *columns
            It works on; of derive, the new column.
        reason, finding
            Why, and the code of the finding that led to it.
        **options
            Of the operation.

        Raises
        ------
        OptionError
        """
        made = _operation(
            {"operation": operation, "columns": list(columns), "reason": reason, "finding": finding, **options}
        )
        return self._with(operations=(*self._steps, made))

    def without(self, *places: int) -> Preparation:
        """Return a preparation without the operations at these places, counted from 1, not fitted.

        Raises
        ------
        OptionError
        """
        for place in places:
            whole_number(place, 1, "place of an operation")
            if not 1 <= place <= len(self._steps):
                raise OptionError(f"There are {plural(len(self._steps), 'operation')}: none is number {place}.")
        return self._with(operations=tuple(o for i, o in enumerate(self._steps, 1) if i not in places))

    def _with(self, **changes: Any) -> Preparation:
        return type(self)(**{**self.get_params(), **changes})

    def __len__(self) -> int:
        return len(self._steps)

    def __iter__(self) -> Any:
        return iter(self._steps)

    @property
    def is_fitted(self) -> bool:
        """Whether it can be applied."""
        return self._fitted is not None

    def __sklearn_is_fitted__(self) -> bool:
        return self.is_fitted

    # --- fitting and applying ------------------------------------------------------------------------

    def fit(self, table: Any, outcome: Any = None) -> Preparation:
        """Learn from training rows.

        Parameters
        ----------
        table
            Training rows: a data frame, a path, anything the reader reads. It is not changed.
        outcome
            One value a row, where rates are learned and the table does not hold the outcome.

        Returns
        -------
        Preparation
            Itself.

        Raises
        ------
        PreparationError, DataError, OutcomeError
        """
        self._learn(working_of(table), outcome)
        return self

    def fit_transform(self, table: Any, outcome: Any = None) -> Any:
        """Learn from training rows and return them prepared, rates out of fold; see the class.

        Raises
        ------
        PreparationError, DataError, OutcomeError
        """
        at = working_of(table)
        self._learn(at, outcome)
        return self._given_back(at)

    def transform(self, table: Any) -> Any:
        """Return rows prepared by what was learned, as a data frame with the rows' labels.

        Raises
        ------
        NotFittedError, PreparationError, DataError
        """
        return self._given_back(self.applied(table))

    def applied(self, table: Any, watched: list[Watched] | None = None) -> Working:
        """Return rows prepared, as columns; with what each operation changed where a list is given for it."""
        fitted = self._known()
        at = aligned(working_of(table), fitted.columns, self._needed(fitted), self.absent, self._retyped)
        for operation, bound in zip(self._steps, fitted.bound, strict=True):
            self._guarded(operation, bound.table, at, watched)
        return at

    def learned(self, table: Any, outcome: Any = None, watched: list[Watched] | None = None) -> Working:
        """Learn from training rows and return them prepared, as columns."""
        at = working_of(table)
        self._learn(at, outcome, watched)
        return at

    def frame_of(self, at: Working) -> pd.DataFrame:
        """Return the features of prepared columns as a data frame.

        Raises
        ------
        PreparationError
            The operations gave other columns than on the training rows.
        """
        features = self._known().features
        gone = [f for f in features if f not in at]
        if gone:
            raise PreparationError(f"The feature {gone[0]!r} of the training rows was not made from these rows.")
        return at.to_frame(features)

    def _given_back(self, at: Working) -> Any:
        frame = self.frame_of(at)
        if self.returns == "arrow":
            import pyarrow as pa

            return pa.Table.from_pandas(frame, preserve_index=False)
        return frame

    def transform_row(self, row: Mapping[str, Any]) -> dict[str, Any]:
        """Return one row prepared, as a dict of features: for a service that answers one request at a time.

        Parameters
        ----------
        row
            Values by column; a column that is not there is taken as missing where ``absent="missing"``.

        Raises
        ------
        NotFittedError, PreparationError
        """
        fitted = self._known()
        retyped, given = self._retyped, {}
        for name in self._needed(fitted):
            if name not in row and self.absent == "error":
                raise PreparationError(f"The row has no {name!r}: give it, if only as missing.")
            given[name] = row_reader("any" if name in retyped else fitted.columns[name])(name, row.get(name))
        at = one_row(row, given, fitted.columns)
        for bound in fitted.bound:
            bound.table(at)
        gone = [f for f in fitted.features if f not in at]
        if gone:
            raise PreparationError(f"The feature {gone[0]!r} of the training rows was not made from this row.")
        return from_one_row(at, fitted.features)

    def _learn(self, at: Working, outcome: Any, watched: list[Watched] | None = None) -> None:
        if not len(at):
            raise PreparationError("There is no training row to learn from.")
        if self.unit is not None and self.unit not in at:
            raise PreparationError(
                f"The unit {self.unit!r} is not among the columns, so folds could divide it: add it, or make the "
                "preparation without unit=."
            )
        columns = {n: type_here(at, n) for n in at.names}
        training = self._training(at, outcome)
        states: list[State] = []
        for operation in self._steps:
            self._guarded(operation, lambda w, o=operation: states.append(o.fit_apply(w, training)), at, watched)
        features = [n for n in at.names if n not in (self.outcome, self.unit)]
        bound = [o.bind(s) for o, s in zip(self._steps, states, strict=True)]
        self._fitted = Fitted(len(at), columns, features, states, bound)

    def _training(self, at: Working, outcome: Any) -> Training:
        known: Outcome | None = None
        if any(o.needs_outcome for o in self._steps):
            if isinstance(outcome, (ClassOutcome, NumericOutcome)):
                known = outcome
            elif outcome is not None:
                known = outcome_of(outcome, len(at))
            elif self.outcome is not None and self.outcome in at:
                known = outcome_in(at, self.outcome)
            else:
                raise PreparationError(
                    "encode learns rates from the outcome: give it to fit, or name its column, outcome=…."
                )
        if known is None:
            return Training(None, np.zeros(0, np.int64))
        return Training(known, self._folds(at, known))

    def _folds(self, at: Working, outcome: Outcome) -> NDArray[np.int64]:
        keys = np.arange(len(at))
        if self.unit is not None and self.unit in at:
            codes = at.words(self.unit).codes.astype(np.int64)
            keys = np.where(codes < 0, codes.max(initial=0) + 1 + keys, codes)
        load = np.zeros(len(at))
        load[outcome.known] = outcome.target().load
        folds = deal(hash_blocks(keys, self.seed), load, self.seed)
        return np.asarray(folds.fold_of_block[0][folds.blocks])

    def _guarded(self, operation: Operation, apply: Any, at: Working, watched: list[Watched] | None) -> None:
        if watched is None:
            apply(at)
            return
        before = {n: at.source(n) for n in at.names}
        apply(at)
        watched.append(_seen(operation, Working(before, at.rows), at))

    def _known(self) -> Fitted:
        if self._fitted is None:
            raise NotFittedError("The preparation is not fitted: fit it on training rows first (--fit when typed).")
        return self._fitted

    @property
    def _retyped(self) -> set[str]:
        """The columns of which the first thing done is to say what they are read as."""
        seen: set[str] = set()
        found: set[str] = set()
        for operation in self._steps:
            new = set(operation.inputs) - seen
            seen |= new
            found |= new if operation.name == "retype" else set()
        return found

    def _needed(self, fitted: Fitted) -> list[str]:
        """Return the columns without which it cannot be applied: all that are not dropped before they are used."""
        used: set[str] = set()
        dropped: set[str] = set()
        for operation in self._steps:
            if operation.name == "drop":
                dropped |= set(operation.columns) - used
            else:
                used |= set(operation.inputs)
        aside = {self.outcome, self.unit} - used
        return [n for n in fitted.columns if n not in dropped and n not in aside]

    def inverse(self, column: pd.Series[Any]) -> pd.Series[Any]:
        """Return values of a feature as they were before, where there is a way back.

        Values that were filled or clipped come back as what they were filled or clipped with.

        Parameters
        ----------
        column
            Values, with the feature's name.

        Raises
        ------
        PreparationError
            The feature is unknown, or an operation on its way has no inverse.
        """
        import pandas as pd

        fitted = self._known()
        name = getattr(column, "name", None)
        if not isinstance(name, str) or name not in fitted.features:
            hint = did_you_mean(str(name), fitted.features)
            raise PreparationError(f"inverse takes a column with a feature's name, and {name!r} is none.{hint}")
        values: Any = column.to_numpy()
        for bound in reversed(fitted.bound):
            found = bound.back(name, values)
            if found is not None:
                name, values = found
        return pd.Series(values, index=column.index, name=name)

    # --- what pipelines of estimators ask ------------------------------------------------------------

    def get_feature_names_out(self, input_features: Any = None) -> NDArray[np.object_]:
        """Return the names of the columns that come out, in order.

        Raises
        ------
        NotFittedError
        """
        return np.array(self._known().features, dtype=object)

    def get_params(self, deep: bool = True) -> dict[str, Any]:
        """Return what it was made with."""
        return {n: getattr(self, n) for n in ("operations", "outcome", "unit", "seed", "absent", "returns")}

    def set_params(self, **params: Any) -> Preparation:
        """Change what it was made with, and return it; what it learned is forgotten.

        Raises
        ------
        OptionError
        """
        known = self.get_params()
        for name, value in params.items():
            if name not in known:
                raise OptionError(f"A preparation has no parameter {name!r}.{did_you_mean(name, known)}")
            setattr(self, name, value)
        if set(params) - {"returns"}:
            self._fitted = None
        self._check()
        return self

    def __sklearn_tags__(self) -> Any:
        utils = sys.modules["sklearn.utils"]  # who asks has it
        return utils.Tags(
            estimator_type=None,
            target_tags=utils.TargetTags(required=any(o.needs_outcome for o in self._steps)),
            transformer_tags=utils.TransformerTags(),
            input_tags=utils.InputTags(string=True, categorical=True, allow_nan=True),
        )

    def set_output(self, *, transform: str | None = None) -> Preparation:
        """Say what `transform` returns: "pandas" (also "default") or "arrow".

        Raises
        ------
        OptionError
        """
        if transform is not None:
            self.set_params(returns="pandas" if transform == "default" else transform)
        return self

    # --- its form ------------------------------------------------------------------------------------

    def to_dict(self) -> dict[str, Any]:
        """Return it JSON-ready, with all that was learned; see docs/preparation.schema.json."""
        fitted = self._fitted
        operations = [o.to_dict() for o in self._steps]
        out: dict[str, Any] = {
            "envelt": "preparation", "version": VERSION, "outcome": self.outcome, "unit": self.unit,
            "seed": self.seed, "absent": self.absent, "operations": operations,
        }  # fmt: skip
        if fitted is not None:
            for operation, state in zip(operations, fitted.states, strict=True):
                operation["fitted"] = state
            out["fitted"] = {
                "rows": fitted.rows,
                "columns": [{"name": n, "type": t} for n, t in fitted.columns.items()],
                "features": list(fitted.features),
            }
        return out

    @classmethod
    def from_dict(cls, form: Mapping[str, Any]) -> Preparation:
        """Return the preparation that a JSON form describes.

        Raises
        ------
        PreparationError
            It is no such form, or of a later version; or what was learned does not fit the operations.
        """
        if not isinstance(form, Mapping) or form.get("envelt") != "preparation":
            raise PreparationError('This is no preparation: it does not say "envelt": "preparation".')
        version = form.get("version")
        if isinstance(version, int) and version > VERSION:
            raise PreparationError(
                f"The preparation is of version {version} and this Envelt reads up to {VERSION}: bring Envelt up to "
                "date."
            )
        refuse_infinite("preparation", form)
        check_form(form)
        given = {k: form[k] for k in ("outcome", "unit", "seed", "absent") if k in form}
        plain = [{k: v for k, v in o.items() if k != "fitted"} for o in form["operations"]]
        try:
            made = cls(tuple(_operation(o) for o in plain), **given)
        except OptionError as error:
            raise PreparationError(f"The preparation cannot be used: {error.args[0]}") from error
        if "fitted" in form:
            made._take_fitted(form)
        return made

    def _take_fitted(self, form: Mapping[str, Any]) -> None:
        head = form["fitted"]
        columns = {c["name"]: c["type"] for c in head["columns"]}
        states = [o.get("fitted") for o in form["operations"]]
        bound = []
        try_on = _no_rows(columns)
        for i, (operation, state) in enumerate(zip(self._steps, states, strict=True), 1):
            try:
                if state is None:
                    raise KeyError("fitted")
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
        self._fitted = Fitted(head["rows"], columns, list(head["features"]), states, bound)

    def save(self, path: str | Path) -> None:
        """Write it as JSON, whole or not at all.

        Raises
        ------
        OutputError
        """
        import json

        from ..write.files import path_given, write_bytes

        text = json.dumps(self.to_dict(), ensure_ascii=False, allow_nan=False, indent=1)
        write_bytes(path_given(path), (text + "\n").encode("utf-8"))

    @classmethod
    def load(cls, path: str | Path) -> Preparation:
        """Read it from a file that `save` wrote, by this version or an earlier one.

        Raises
        ------
        PreparationError
            With what is wrong, and where.
        """
        from ..write.files import path_given

        return cls.from_dict(_read_json(path_given(path)))

    @property
    def table(self) -> pd.DataFrame:
        """One row an operation: operation, columns, options, reason, finding."""
        import pandas as pd

        return pd.DataFrame(
            {
                "operation": [o.name for o in self._steps],
                "columns": [list(o.columns) for o in self._steps],
                "options": [o.in_words() for o in self._steps],
                "reason": [o.reason for o in self._steps],
                "finding": [o.finding for o in self._steps],
            },
            index=pd.RangeIndex(1, len(self._steps) + 1, name="place"),
        )

    def _headline(self) -> str:
        head = f"Preparation of {plural(len(self._steps), 'operation')}"
        if self._fitted is None:
            return f"{head}, not fitted"
        f = self._fitted
        return f"{head}, fitted on {plural(f.rows, 'row')}: {len(f.columns)} columns in, {len(f.features)} features out"

    def __repr__(self) -> str:
        lines = [self._headline()]
        for i, o in enumerate(self._steps, 1):
            names = ", ".join(o.columns[:6]) + (f", … ({len(o.columns)})" if len(o.columns) > 6 else "")
            what = f"{i:3d}  {o.name}: {names}" + (f"; {o.in_words()}" if o.in_words() else "")
            lines += textwrap.wrap(
                what, 100, subsequent_indent="       ", max_lines=3, placeholder=" …", break_on_hyphens=False
            )
            if o.reason:
                code = f" [{o.finding}]" if o.finding else ""
                lines += textwrap.wrap(f"because {o.reason}{code}", 93, initial_indent=" " * 7,
                                       subsequent_indent=" " * 7, break_on_hyphens=False)  # fmt: skip
        return "\n".join(lines)

    def _repr_html_(self) -> str:
        from ..write.html import fragment
        from ..write.shown import ShownTable

        frame = self.table.assign(columns=[", ".join(o.columns) for o in self._steps])
        return fragment(self._headline(), (), {"table": ShownTable(frame)}, ())


def _operation(given: Any) -> Operation:
    """Return an operation given as one, or as a dict.

    Raises
    ------
    OptionError
    """
    if isinstance(given, Operation):
        return given
    if not isinstance(given, Mapping) or "operation" not in given:
        raise OptionError(f"An operation is a dict such as {{'operation': 'drop', 'columns': ['x']}}, not {given!r}.")
    rest = dict(given)
    name, columns = rest.pop("operation"), rest.pop("columns", ())
    if not isinstance(name, str) or name not in OPERATIONS:
        raise OptionError(f"There is no operation {name!r}.{did_you_mean(str(name), OPERATIONS)}")
    columns = [columns] if isinstance(columns, str) else list(columns)
    return OPERATIONS[name](*columns, **rest)


def _seen(operation: Operation, before: Working, after: Working) -> Watched:
    """Compare columns before and after an operation."""
    out = Watched(operation)
    gone = [n for n in before.names if n not in after]
    new = [n for n in after.names if n not in before]
    out.columns_in, out.columns_out = [n for n in operation.columns if n in before], new
    changed = np.zeros(len(after), bool)
    touched = [n for n in operation.columns if n in before and n in after]
    for name in touched:
        was, now = before.raw(name), after.raw(name)
        if was is not now:
            changed |= changed_rows(was, now)
    for name in {*touched, *gone}:
        out.missing_before += int(missing_of(before.raw(name)).sum())
    for name in {*touched, *new}:
        out.missing_after += int(missing_of(after.raw(name)).sum())
    out.rows_changed = len(after) if (new or gone) and operation.name not in ("drop", "rename") else int(changed.sum())
    if new and not gone and operation.name == "fill":
        out.rows_changed = int(changed.sum())
    return out


def _no_rows(columns: Mapping[str, str]) -> Working:
    import pandas as pd

    from .working import empty_like

    return Working({n: empty_like(t, 0) for n, t in columns.items()}, pd.RangeIndex(0))


def _read_json(path: Path) -> Any:
    import json

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


def findings_of(at: Working) -> tuple[Finding, ...]:
    """Return what was found while rows were prepared."""
    from ..core.finding import by_weight

    return by_weight(list(at.found))
