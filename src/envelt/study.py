"""A study: a table, an outcome, and what was decided about them. One method a step."""

from __future__ import annotations

import copy
from collections.abc import Callable, Iterable, Mapping
from pathlib import Path
from typing import TYPE_CHECKING, Any

from .core import against as ag
from .core.balance import class_balance, numeric_balance
from .core.clustered import unit_codes
from .core.expression import rows_where
from .core.folds import unit_keys
from .core.inventory import take_inventory
from .core.outcome import ClassOutcome, Outcome, resolve_outcome
from .core.rank import rank_candidates
from .core.table import CategoryColumn, Column, NumericColumn, Table, TimeColumn
from .errors import ExpressionError, OptionError, OutcomeError, unknown_column
from .views import (
    balance_view,
    inventory_view,
    levels_by_class_view,
    number_by_class_view,
    number_by_group_view,
    outcome_line,
    rank_view,
)
from .write.digits import count
from .write.progress import slow_progress

if TYPE_CHECKING:
    from .view import View


class Study:
    """A table, an outcome, and the decisions about them.

    Parameters
    ----------
    data
        A path to a CSV, TSV or Parquet file, the word ``"demo"``, or a pandas data frame.
    outcome
        The column to be told from the others; only `inventory` does without.
    event
        The level of a class outcome that rates speak of. By default the one that says yes, true or 1, else
        the rarest.
    unit
        The column that says which rows are one case. Folds never split one, and intervals and tests count
        units, not rows.
    kinds
        What columns are, by name, where detection is wrong: ``{"zone": "nominal"}``.
    ignore
        Columns to leave out.
    where
        Rows to keep, as an expression: ``"altitude_m > 300 and hive_type == 'skep'"``.
    seed
        Of everything random; the same seed gives the same numbers.

    Raises
    ------
    EnveltError
        A subclass named after the reason: see `envelt.errors`.

    Examples
    --------
    >>> from envelt import Study
    >>> study = Study("demo", outcome="wintered")
    >>> study.balance().table["count"].to_dict()
    {'no': 669, 'yes': 2307}
    """

    def __init__(
        self,
        data: Any,
        *,
        outcome: str | None = None,
        event: str | None = None,
        unit: str | None = None,
        kinds: Mapping[str, str] | None = None,
        ignore: Iterable[str] = (),
        where: str | None = None,
        seed: int = 0,
    ) -> None:
        from .data.read import read_table

        ignore = (ignore,) if isinstance(ignore, str) else tuple(ignore)
        _check_roles(outcome, unit, ignore, seed)
        self._whole, self.source = read_table(data, dict(kinds or {}), ignore)
        self.seed, self._event, self._outcome_name, self.unit = seed, event, outcome, unit
        if unit is not None and unit not in self._whole.columns:
            raise unknown_column(unit, self._whole.columns)
        self.subset: tuple[str, ...] = ()
        self._keep_all()
        if where is not None:
            self._narrow(where)

    def _keep_all(self) -> None:
        self.table: Table = self._whole
        self._resolve()

    def _once(self, key: str, make: Callable[[], View]) -> View:
        """Return the view of a step, made once: a study does not change."""
        if key not in self._views:
            self._views[key] = make()
        return self._views[key]

    def _resolve(self) -> None:
        self._views: dict[str, View] = {}
        name = self._outcome_name
        self.outcome: Outcome | None = resolve_outcome(self.table, name, self._event) if name is not None else None

    def _narrow(self, expression: str) -> None:
        keep = rows_where(self.table, expression)
        if not keep.any():
            raise ExpressionError(
                f"No row is left where {expression}. Loosen it, or look at the columns with inventory."
            )
        self.table = self.table.take(keep)
        self.subset = (*self.subset, expression)
        self._resolve()

    def where(self, expression: str) -> Study:
        """Return a new study of the rows where an expression holds.

        Raises
        ------
        ExpressionError
            It cannot be read, names no column, or leaves no row.
        """
        narrowed = copy.copy(self)
        narrowed._narrow(expression)
        return narrowed

    @property
    def candidates(self) -> list[str]:
        """The columns that could be features: all but the outcome and the unit."""
        return [n for n in self.table.columns if n not in (self._outcome_name, self.unit)]

    def inventory(self) -> View:
        """Say what each column is and why, what is missing, and what is odd.

        Returns
        -------
        View
            ``table``: one row a column; kind, reason, present, missing, missing_share, distinct, examples.
        """
        about = (f"{count(len(self.table))} rows of {self.source}", *self._kept())
        return self._once("inventory", lambda: inventory_view(take_inventory(self.table), about))

    def balance(self) -> View:
        """Say how the outcome's classes (or values) are spread.

        Returns
        -------
        View
            ``table``: one row a class with count and share; ``largest_share`` is the accuracy of always
            saying the largest class. For a numeric outcome the row describes its distribution.

        Raises
        ------
        OutcomeError
            The study has no outcome.
        """
        outcome = self._need_outcome()
        return self._once("balance", lambda: self._balance(outcome))

    def _balance(self, outcome: Outcome) -> View:
        if isinstance(outcome, ClassOutcome):
            candidates = [n for n in self.candidates if self.table[n].kind not in ("identifier", "constant")]
            return balance_view(class_balance(outcome, len(candidates)), self._about(outcome))
        return balance_view(numeric_balance(outcome), self._about(outcome))

    def against(self, column: str) -> View:
        """Say whether the outcome differs along one candidate, by how much, and how surely.

        Returns
        -------
        View
            ``table``: for a number one row a class, for a category the counts of its levels by class;
            ``rates`` of the event, ``tests`` (statistic, p) and ``effects`` (estimate, low, high). With a
            numeric outcome the table describes the outcome at each level, or in quantile bins of a number.

        Raises
        ------
        OutcomeError, UnknownColumnError
        """
        outcome = self._need_outcome()
        if column == outcome.name:
            raise OutcomeError(f"{column!r} is the outcome itself. Name a candidate to set against it.")
        return self._once(f"against {column}", lambda: self._against(self.table[column], outcome))

    def _against(self, candidate: Column, outcome: Outcome) -> View:
        column = candidate.name
        about, units = self._about(outcome), None
        if self.unit is not None:
            units = unit_codes(unit_keys(self.table[self.unit]))
            about = (*about, f"intervals and tests count {self.unit}, not rows")
        values = _numbers(candidate)
        if isinstance(outcome, ClassOutcome):
            if values is not None:
                dates = isinstance(candidate, TimeColumn)
                return number_by_class_view(ag.number_by_class(column, values, outcome, dates, units), about, dates)
            assert isinstance(candidate, CategoryColumn)
            return levels_by_class_view(ag.levels_by_class(candidate, outcome, units), about, candidate)
        if values is not None:
            return number_by_group_view(ag.number_by_number(column, values, outcome, units), about, True)
        assert isinstance(candidate, CategoryColumn)
        ordered = candidate.ordered or candidate.kind == "binary"
        return number_by_group_view(ag.number_by_levels(candidate, outcome, units), about, ordered)

    def rank(self) -> View:
        """Score every candidate alone, on rows it was not fitted on.

        Returns
        -------
        View
            ``table``: one row a candidate, best first; kind, held_out_share with its 95 % interval (low,
            high), auc for a binary outcome, p, q (Benjamini–Hochberg), missing_share, advice. With a unit,
            ``units`` says what keeping units whole changed.

        Raises
        ------
        OutcomeError
            The study has no outcome, or no column besides.
        """
        outcome = self._need_outcome()
        if not self.candidates:
            raise OutcomeError(f"There is no column besides {outcome.name!r} to rank.")
        return self._once("rank", lambda: self._rank(outcome))

    def _rank(self, outcome: Outcome) -> View:
        with slow_progress("Ranking") as report:
            ranking = rank_candidates(
                self.table, outcome, self.candidates, unit=self.unit, seed=self.seed, progress=report
            )
        return rank_view(ranking, self._about(outcome))

    def report(self, path: str | Path) -> Path:
        """Write one self-contained HTML page in the order of the work, and return its path.

        Raises
        ------
        OutcomeError, OutputError
        """
        from .report import write_report

        return write_report(self, Path(path))

    def _need_outcome(self) -> Outcome:
        if self.outcome is None:
            names = ", ".join(list(self.table.columns)[:8])
            raise OutcomeError(f"Name the outcome: outcome=… (--outcome at the command line), one of {names}, ….")
        return self.outcome

    def _kept(self) -> tuple[str, ...]:
        return tuple(f"only rows where {e}" for e in self.subset)

    def _about(self, outcome: Outcome) -> tuple[str, ...]:
        return (outcome_line(outcome, len(self.table)), *self._kept())


def _numbers(column: Column) -> Any:
    if isinstance(column, NumericColumn):
        return column.values
    return column.days if isinstance(column, TimeColumn) else None


def _check_roles(outcome: str | None, unit: str | None, ignore: tuple[str, ...], seed: int) -> None:
    """Refuse a column given two roles that exclude each other."""
    if outcome is not None and outcome in ignore:
        raise OutcomeError(f"The outcome {outcome!r} is also to be ignored. Drop one of the two.")
    if unit is not None and unit == outcome:
        raise OutcomeError(f"{unit!r} cannot be both the outcome and the unit.")
    if unit is not None and unit in ignore:
        raise OptionError(f"The unit {unit!r} is also to be ignored. Drop one of the two.")
    if not isinstance(seed, int) or isinstance(seed, bool) or not 0 <= seed < 2**63:
        raise OptionError(f"The seed must be a whole number from 0 up, not {seed!r}.")
