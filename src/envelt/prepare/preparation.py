"""A preparation: operations in order, fitted on training rows and applied to any later ones."""

from __future__ import annotations

import warnings
from collections.abc import Iterable, Mapping
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from ..core.columns.outcome import ClassOutcome, NumericOutcome, Outcome
from ..core.columns.raw import RawTimes
from ..core.finding import by_weight
from ..core.stats.folds import deal, hash_blocks
from ..core.stats.sampling import Sampling
from ..errors import LaterRowsWarning, OptionError, PreparationError, did_you_mean
from .estimator import Estimator
from .fitted import Fitted, form_of, operations_in, read_form, unusable
from .frame import frame_of, unlike
from .inputs import compared_as, needed_by, retyped_by
from .intake import (
    aligned,
    as_asked,
    frame_of_row,
    from_one_row,
    one_row,
    outcome_in,
    outcome_of,
    type_here,
    unwrapped,
    working_of,
)
from .operation import Operation, State, Training
from .operation_list import PreparationSuggestion
from .watched import Watched, seen
from .working import Working, flags_of

if TYPE_CHECKING:
    import pandas as pd

WRITTEN = ("outcome", "event", "unit", "seed", "absent")
"""What a file keeps of what a preparation was made with, beside its operations."""


class Preparation(Estimator):
    """An ordered list of operations, each with its reason.

    Parameters
    ----------
    operations
        Each an operation, or a dict as in the JSON form: ``{"operation": "fill", "columns": ["mites"], "using":
        "median", "reason": "…"}``. `then` adds one at a time.
    outcome
        The column that rates are learned from, where the table holds it. It is no feature, and never comes out.
    event
        The level that rates are of, where the outcome has two; by default the one that says yes, true or 1, else the
        rarest.
    unit
        The column that says which rows are one case; folds never divide one, and it is no feature.
    seed
        Of the hash that deals rows into folds: the same seed, the same folds.
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

    def __getstate__(self) -> dict[str, Any]:
        fitted = self._fitted
        return {**self.__dict__, "_fitted": None if fitted is None else fitted.unbound()}

    def __setstate__(self, kept: dict[str, Any]) -> None:
        self.__dict__.update(kept)
        if self._fitted is not None:
            self._fitted = self._fitted.rebound(self._steps)

    # --- fitting and applying ------------------------------------------------------------------------

    def fit(self, X: Any, y: Any = None) -> Preparation:
        """Learn from training rows.

        Parameters
        ----------
        X
            Training rows, shape (n, columns): a data frame, an array, a path, anything the reader reads. It is not
            changed.
        y
            The outcome, shape (n,), where rates are learned and the table does not hold it.

        Returns
        -------
        Preparation
            Itself.

        Raises
        ------
        PreparationError, DataError, OutcomeError
        """
        self._learn(working_of(X), y)
        return self

    def fit_transform(self, X: Any, y: Any = None) -> Any:
        """Learn from training rows and return them prepared, rates out of fold; see the class.

        Raises
        ------
        PreparationError, DataError, OutcomeError
        """
        X = unwrapped(X)
        at = working_of(X)
        self._learn(at, y)
        return self._given_back(at, X)

    def transform(self, X: Any) -> Any:
        """Return rows prepared by what was learned: an array for an array, else a data frame with the rows' labels.

        `set_output`, and scikit-learn's own setting, choose another form.

        What is otherwise in these rows than in the training rows is said in one `LaterRowsWarning`, which a pipeline
        can turn into an error.

        Raises
        ------
        NotFittedError, PreparationError, DataError
        """
        X = unwrapped(X)
        at = self.applied(X)
        said = [f.statement for f in by_weight(at.found) if f.weight != "note"]
        if said:
            warnings.warn(LaterRowsWarning(" ".join(said)), stacklevel=2)
        return self._given_back(at, X)

    def applied(self, table: Any, watched: list[Watched] | None = None) -> Working:
        """Return rows prepared, as columns; with what each operation changed where a list is given for it."""
        fitted = self._known()
        needed = self._needed(fitted.columns)
        table = unwrapped(table)
        at = working_of(table)
        if isinstance(table, np.ndarray) and len(at.names) != len(fitted.columns):
            wanted = f"Preparation is expecting {len(fitted.columns)} features as input"
            raise PreparationError(f"X has {len(at.names)} features, but {wanted}.")
        at = aligned(at, fitted.trained, needed, self.absent, retyped_by(self._steps))
        gone = {n for f in at.found if f.code == "columns-gone" for n in f.columns}
        there = {n: compared_as(n, at.raw(n), self._steps, fitted.states) for n in needed if n not in gone}
        at.cases = self._cases(at)
        at.found += unlike(there, fitted.frames, at.cases)
        for operation, bound in zip(self._steps, fitted.bound, strict=True):
            self._guarded(operation, bound.table, at, watched)
        return at

    def learned(
        self,
        table: Any,
        outcome: Any = None,
        watched: list[Watched] | None = None,
        copies: NDArray[np.int64] | None = None,
    ) -> Working:
        """Learn from training rows and return them prepared, as columns; folds do not part copies of one row."""
        at = working_of(table)
        self._learn(at, outcome, watched, copies)
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

    def _given_back(self, at: Working, given: Any) -> Any:
        return as_asked(self.frame_of(at), self.returns, isinstance(given, np.ndarray))

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
        needed = self._needed(fitted.columns)
        if self.absent == "error":
            gone = next((n for n in needed if n not in row), None)
            if gone is not None:
                raise PreparationError(f"The row has no {gone!r}: give it, if only as missing.")
        at = one_row(row, {n: fitted.columns[n] for n in needed}, retyped_by(self._steps), fitted.spelt)
        if at is None:  # a value that must be read first is read as in a table
            at = self.applied(frame_of_row(row, list(fitted.columns)))
        else:
            for bound in fitted.bound:
                bound.table(at)
        absent = [f for f in fitted.features if f not in at]
        if absent:
            raise PreparationError(f"The feature {absent[0]!r} of the training rows was not made from this row.")
        return from_one_row(at, fitted.features)

    def _learn(
        self,
        at: Working,
        outcome: Any,
        watched: list[Watched] | None = None,
        copies: NDArray[np.int64] | None = None,
    ) -> None:
        if not len(at):
            raise PreparationError("There is no training row to learn from.")
        if self.unit is not None and self.unit not in at:
            raise PreparationError(
                f"The unit {self.unit!r} is not among the columns, so folds could divide it: add it, or make the "
                "preparation without unit=."
            )
        at.cases = self._cases(at)
        columns, given = {n: type_here(at, n) for n in at.names}, at.keep_apart()
        for name in self._needed(columns):
            flags = flags_of(at.raw(name), at.rows) if columns[name] == "text" else None
            at.set(name, flags or at.source(name))
        training = self._training(at, outcome, copies)
        states: list[State] = []
        for operation in self._steps:
            self._guarded(operation, lambda w, o=operation: states.append(o.fit_apply(w, training)), at, watched)
        features = [n for n in at.names if n not in (self.outcome, self.unit)]
        bound = [o.bind(s) for o, s in zip(self._steps, states, strict=True)]
        self._fitted = Fitted(len(at), columns, {}, {}, features, states, bound)
        for name in self._needed(self._fitted.columns):
            raw = given.raw(name)
            self._fitted.frames[name] = frame_of(compared_as(name, raw, self._steps, states), at.cases)
            if isinstance(raw, RawTimes) and raw.zone:
                self._fitted.zones[name] = raw.zone

    def _training(self, at: Working, outcome: Any, copies: NDArray[np.int64] | None) -> Training:
        known: Outcome | None = None
        if any(o.needs_outcome for o in self._steps):
            if isinstance(outcome, (ClassOutcome, NumericOutcome)):
                known = outcome
            elif outcome is not None:
                known = outcome_of(outcome, len(at), self.event)
            elif self.outcome is not None and self.outcome in at:
                known = outcome_in(at, self.outcome, self.event)
            else:
                raise PreparationError(
                    "encode learns rates from the outcome: give it to fit, or name its column, outcome=…."
                )
        if known is None:
            return Training(None, np.zeros(0, np.int64), Sampling.of_rows(len(at)))
        keys, sampling = np.arange(len(at)) if copies is None else copies, Sampling.of_rows(len(at))
        if self.unit is not None and self.unit in at:
            codes = at.words(self.unit).codes.astype(np.int64)
            keys = np.where(codes < 0, codes.max(initial=0) + 1 + keys, codes)
            sampling = Sampling.of_units(keys)
        load = np.zeros(len(at))
        load[known.known] = known.target().load
        folds = deal(hash_blocks(keys, self.seed), load, self.seed)
        return Training(known, np.asarray(folds.fold_of_block[0][folds.blocks]), sampling)

    def _guarded(self, operation: Operation, apply: Any, at: Working, watched: list[Watched] | None) -> None:
        if watched is None:
            apply(at)
            return
        before = {n: at.source(n) for n in at.names}
        apply(at)
        watched.append(seen(operation, Working(before, at.rows), at))

    def _cases(self, at: Working) -> int:
        """Return of how many cases rows are: of the units, where they say it."""
        if self.unit is None or self.unit not in at:
            return len(at)
        codes = at.words(self.unit).codes
        return len(np.unique(codes[codes >= 0])) + int(np.count_nonzero(codes < 0))

    def _needed(self, columns: Iterable[str]) -> list[str]:
        return needed_by(self._steps, columns, {self.outcome, self.unit})

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

    # --- its form ------------------------------------------------------------------------------------

    def to_dict(self) -> dict[str, Any]:
        """Return it JSON-ready, with all that was learned; see docs/preparation.schema.json."""
        given = {n: getattr(self, n) for n in WRITTEN}
        return form_of(self._steps, self._fitted, given, [s.to_dict() for s in self.suggestions])

    @classmethod
    def from_dict(cls, form: Mapping[str, Any]) -> Preparation:
        """Return the preparation that a JSON form describes.

        Raises
        ------
        PreparationError
            It is no such form, or of a later version; or what was learned does not fit the operations.
        """
        operations = operations_in(form)
        try:
            made = cls(operations, **{n: form[n] for n in WRITTEN if n in form})
        except OptionError as error:
            raise unusable(error) from error
        made._suggestions = tuple(
            PreparationSuggestion(**{**s, "columns": tuple(s["columns"])}) for s in form.get("suggestions", ())
        )
        if "fitted" in form:
            made._fitted = Fitted.of(form, made._steps)
        return made

    def save(self, path: str | Path) -> None:
        """Write it as JSON, whole or not at all.

        Raises
        ------
        OutputError
        """
        from ..write.files import path_given, write_bytes
        from ..write.folded import folded_json

        text = folded_json(self.to_dict())
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

        return cls.from_dict(read_form(path_given(path)))
