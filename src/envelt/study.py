"""A study: a table, an outcome, and what was decided about them. What it can be asked is in `questions`."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from pathlib import Path
from typing import TYPE_CHECKING, Any

from .core.asked import (
    by_column,
    check_options,
    checked,
    column_name,
    finite_number,
    listed,
    lists,
    refuse_unknown,
    single,
    text,
    yes_no,
)
from .questions import Questions
from .questions_of_rows import Names
from .steps import opening
from .steps.checks import names_of
from .write.files import path_given

if TYPE_CHECKING:
    import pandas as pd

    from .core.columns.outcome import Outcome
    from .core.columns.table import Table
    from .prepare.preparation import Preparation
    from .steps.context import Context
    from .views.prepare import PrepareView

_STUDY = {
    "outcome": column_name, "event": single, "unit": column_name, "counts": column_name, "kinds": by_column,
    "where": text, "columns": by_column,
    "missing": lambda value, what: value, "ignore": names_of, "seed": lambda value, what: value,
}  # fmt: skip
"""How the options of a study are checked; what marks and the seed may be is asked where a study file's are."""


class Study(Questions):
    """A table, an outcome, and the decisions about them.

    Parameters
    ----------
    data
        A path to a CSV, TSV, Parquet, Arrow, JSON Lines or .xlsx file, a pattern or a list of paths, the word
        ``"demo"``, a pandas data frame, a dict of arrays, or anything that offers the Arrow C stream; or a study
        file, over which the options given win.
    outcome
        The column to be told from the others; only `inventory`, `distribution` and `contingency` do without.
    event
        The level of a class outcome that rates speak of. By default the one that says yes, true or 1, else
        the rarest.
    unit
        The column that says which rows are one case. Folds never split one, and intervals and tests count
        units, not rows.
    counts
        The column that says how many rows each row stands for, of a table that is already counted; every step then
        gives what the full rows would. It is no candidate.
    missing
        Marks that stand for a missing value, in every column: ``["."]``, ``[".", -9]``. Texts that usually mean it
        (NA, N/A, NULL, NaN) are taken so too, and that is said; an empty list keeps them as levels of their own.
    kinds
        What columns are, by name, where detection is wrong: ``{"zone": "nominal"}``.
    ignore
        Columns to leave out.
    where
        Rows to keep, as an expression: ``"altitude_m > 300 and hive_type == 'skep'"``.
    seed
        Of everything random, 0 by default; the same seed gives the same numbers.
    columns
        More decisions about columns, by name, with the keys of a study file: kind, label, unit, range,
        labels, order, missing.

    Raises
    ------
    EnveltError
        A subclass named after the reason: see `envelt.errors`.

    Examples
    --------
    >>> from envelt import Study
    >>> study = Study("demo", outcome="wintered")
    >>> study.balance().table["count"].to_dict()
    {'no': 666, 'yes': 2310}
    """

    @checked(**_STUDY)
    def __init__(
        self,
        data: Any,
        *,
        outcome: str | None = None, event: str | None = None, unit: str | None = None,
        counts: str | None = None, missing: Iterable[str | float] | None = None,
        kinds: Mapping[str, str] | None = None, ignore: Names | None = None, where: str | None = None,
        seed: int | None = None, columns: Mapping[str, Mapping[str, Any]] | None = None,
    ) -> None:  # fmt: skip
        options = {
            "outcome": outcome, "event": event, "unit": unit, "counts": counts, "missing": missing, "kinds": kinds,
            "ignore": ignore, "where": where, "seed": seed, "columns": columns,
        }  # fmt: skip
        self._context: Context = opening.open_data(data, options)

    @classmethod
    def open(cls, path: str | Path, **options: Any) -> Study:
        """Open a study file.

        Parameters
        ----------
        path
            A study file, as `begin` writes it.
        **options
            As for a new study; they win over the file. ``where`` narrows further what the file keeps.

        Raises
        ------
        StudyFileError
            With the line, and the nearest name where one is unknown.
        """
        refuse_unknown(options, _STUDY, "A study")
        return cls._of(opening.open_file(path_given(path, "study file"), check_options(options, _STUDY)))

    @classmethod
    def _of(cls, context: Context) -> Study:
        study = object.__new__(cls)
        study._context = context
        return study

    def __repr__(self) -> str:
        c = self._context
        outcome = f", outcome {c.plan.outcome!r}" if c.plan.outcome else ""
        return f"<Study of {c.source_name}: {len(c.table):,} rows × {len(c.table.columns):,} columns{outcome}>"

    @property
    def table(self) -> Table:
        """The rows that are kept, encoded."""
        return self._context.table

    def to_frame(self) -> pd.DataFrame:
        """Return the rows that are kept as a data frame, as read and with derived columns.

        Numbers are float64, categories pandas categoricals in their order, dates datetime64.
        """
        return self._context.table.to_frame()

    @property
    def outcome(self) -> Outcome | None:
        """The outcome of the rows that are kept."""
        return self._context.outcome

    @property
    def source(self) -> str:
        """What the table came from."""
        return self._context.source_name

    @property
    def unit(self) -> str | None:
        """The column that says which rows are one case."""
        return self._context.unit

    @property
    def seed(self) -> int:
        """Of everything random."""
        return self._context.seed

    @property
    def candidates(self) -> list[str]:
        """The columns that could be features: all but the outcome, the unit, and what is made from the outcome."""
        return self._context.candidates

    @checked(path=path_given)
    def begin(
        self, path: str | Path = "study.toml", *, labels: str | Path | None = None
    ) -> tuple[list[str], list[str]]:
        """Write a commented study file from what was detected, or bring one up to date.

        Parameters
        ----------
        path
            The study file. If it is there, new columns are added to it and vanished ones marked, and nothing
            that a person wrote is changed.
        labels
            A code book to take labels of levels from: a table with the columns column, value and label.

        Returns
        -------
        list, list
            The columns added to an existing file, and those marked as vanished.

        Raises
        ------
        OutputError, StudyFileError, DataError
        """
        from .steps.begin import begin_study

        return begin_study(self._context, Path(path), labels)

    @checked(expression=text)
    def where(self, expression: str) -> Study:
        """Return a new study of the rows where an expression holds.

        Raises
        ------
        ExpressionError
            It cannot be read, names no column, or leaves no row.
        """
        return self._of(opening.narrowed(self._context, expression))

    @checked(
        name=text, expression=text, cut=column_name, at=listed, names=listed, regroup=column_name, into=lists,
        kind=text, label=text, unit=text,
    )  # fmt: skip
    def derive(
        self,
        name: str,
        expression: str = "",
        *,
        cut: str = "", at: Iterable[float] = (), names: Iterable[str] = (),
        regroup: str = "", into: Mapping[str, Iterable[str]] | None = None,
        kind: str = "", label: str = "", unit: str = "",
    ) -> Study:  # fmt: skip
        """Return a new study with one more column.

        Parameters
        ----------
        name
            What to call the new column; it must not be taken.
        expression
            Of columns: arithmetic, comparisons, and/or/not, exp, log, log1p, sqrt, abs, min, max, where,
            is_missing, year, month, weekday (1 is Monday), hour, date(year, month, day). Over rows, of all or with
            ``by`` of each group: mean(x, by=g), median, sum, count, share(x > 3, by=[g, h]); before ``where``.
        cut, at, names
            A numeric column, the points to cut it at (a value equal to one goes right), the parts' names.
        regroup, into
            A category column, and for each new level the old ones it joins; what is not named stays.
        kind, label, unit
            What it is, where detection is wrong; what to call it; its unit of measure.

        Raises
        ------
        ExpressionError, OptionError, UnknownColumnError, KindConflictError

        Examples
        --------
        >>> from envelt import Study
        >>> study = Study("demo").derive("heavy", "weight_kg > 35 or weight_lb > 80")
        >>> study.derive("size", cut="weight_kg", at=[25, 35], names=["light", "middle", "heavy"]).table["size"].levels
        ('light', 'middle', 'heavy')
        """
        recipe = {
            "expression": expression, "cut": cut, "at": list(at), "names": list(names), "regroup": regroup,
            "into": dict(into or {}),
        }  # fmt: skip
        about = {"kind": kind, "label": label, "unit": unit}
        return self._of(opening.derived_with(self._context, name, recipe, about))

    @checked(share=finite_number, by=column_name)
    def split(self, share: float = 0.25, *, by: str | None = None) -> tuple[Study, Study]:
        """Return a study of training rows and one of test rows.

        Parameters
        ----------
        share
            Of the rows, that are kept for the test.
        by
            A date, or a number that rises with time: the last rows in it are the test. Or a column of levels that
            are never divided. By default rows are drawn at random, as many of each class of the outcome (each fifth
            of a numeric one) as its share, and units are never divided.

        Raises
        ------
        OptionError, UnknownColumnError

        Examples
        --------
        >>> from envelt import Study
        >>> training, test = Study("demo", outcome="wintered", unit="colony").split(0.2)
        >>> len(training.table), len(test.table)
        (2401, 599)
        """
        from .steps.prepare import divided

        training, test = divided(self._context, share, by)
        return self._of(training), self._of(test)

    def preparation(self, *, for_model: str = "linear") -> Preparation:
        """Propose a preparation from what was declared and found; each operation says why.

        What could cost something is tried on rows held out, with a small additive model: a column is left out only
        where that costs nothing, a transform is taken only where a straight line gains by it. What would cost more is
        no operation, but stands in ``suggestions`` with its figures.

        Parameters
        ----------
        for_model
            "linear", for models that weigh numbers or distances, or "trees", which need no transforms and no scaling.

        It is not fitted, and nothing is applied: `then` and `without` change it, `prepare` applies it.
        """
        from .steps.proposal import propose

        return propose(self._context, for_model)

    @checked(fit=yes_no)
    def prepare(self, preparation: Preparation, *, fit: bool = False, keep: Names = ()) -> PrepareView:
        """Apply a preparation to the rows of the study, and say what each operation changed.

        Parameters
        ----------
        preparation
            Fitted, unless it is to be fitted here; the one given is not changed.
        fit
            Fit it on these rows first: ``view.preparation`` is the fitted one, ``view.prepared`` the rows, with rates
            out of fold; see `envelt.Preparation`.
        keep
            Columns to set beside the features as they are, such as the outcome.

        Raises
        ------
        NotFittedError, PreparationError, OptionError, UnknownColumnError
        """
        from .steps.prepare import apply_preparation

        return apply_preparation(self._context, preparation, fit, names_of(keep, "keep"))

    @checked(path=path_given)
    def report(self, path: str | Path) -> Path:
        """Write one self-contained HTML page in the order of the work, and return its path.

        Raises
        ------
        OutcomeError, OutputError
        """
        from .steps.report import write_report

        return write_report(self._context, Path(path))
