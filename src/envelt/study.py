"""A study: a table, an outcome, and what was decided about them. One method a step."""

from __future__ import annotations

import copy
from collections.abc import Callable, Iterable, Mapping
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Any, Unpack

import numpy as np

from .core.columns.axes import Cuts
from .core.columns.derive import derive, in_order, origins
from .core.columns.encode import NO_PLAN, encode, encode_table
from .core.columns.expression import rows_where
from .core.columns.outcome import Outcome, resolve_outcome
from .core.columns.plan import ColumnPlan, DerivedPlan, column_plan, derived_plan
from .core.columns.table import Table
from .core.distribution.look import Look, LookOptions
from .core.finding import Finding, marked
from .core.inventory.inventory import take_inventory
from .core.rank.rank import rank_candidates
from .errors import EnveltError, ExpressionError, OptionError, OutcomeError, StudyFileError, unknown_column
from .steps.against import set_against, show_glance
from .steps.balance import show_balance
from .steps.context import Context
from .steps.contingency import Asked, tabulate
from .steps.distribution import show_distribution, show_sheet
from .views.captions import Captions, outcome_line
from .views.contingency import ContingencyView
from .views.inventory import inventory_view
from .views.rank import rank_view
from .write.digits import count
from .write.progress import slow_progress

if TYPE_CHECKING:
    from .view import View


class Study:
    """A table, an outcome, and the decisions about them.

    Parameters
    ----------
    data
        A path to a CSV, TSV, Parquet, Arrow, JSON Lines or .xlsx file, a pattern or a list of paths, the word
        ``"demo"``, a pandas data frame, a dict of arrays, or anything that offers the Arrow C stream.
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
    columns
        More decisions about columns, by name, with the keys of a study file: kind, label, unit, range,
        labels, order.

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
        columns: Mapping[str, Mapping[str, Any]] | None = None,
    ) -> None:
        plans = {n: column_plan(n, given) for n, given in (columns or {}).items()}
        plans = _with_kinds(plans, kinds or {})
        ignore = (ignore,) if isinstance(ignore, str) else tuple(ignore)
        self._begin(data, outcome, event, unit, plans, ignore, where, seed, {})

    def _begin(
        self,
        data: Any,
        outcome: str | None,
        event: str | None,
        unit: str | None,
        plans: Mapping[str, ColumnPlan],
        ignore: tuple[str, ...],
        where: str | None,
        seed: int,
        derived: Mapping[str, DerivedPlan],
    ) -> None:
        from .data.read import read_source

        _check_roles(outcome, unit, ignore, seed)
        of_data = {n: p for n, p in plans.items() if n not in derived}
        self._read = read_source(data, {n: p.kind for n, p in of_data.items()}, ignore)
        self.source, self.seed, self.unit = self._read.name, seed, unit
        self._plans, self._event, self._outcome_name = dict(plans), event, outcome
        self._whole = encode_table(self._read.columns, self._read.rows, self._plans)
        self._origins: dict[str, set[str]] = {}
        for name in derived:
            self._check_new(name)
        for name in in_order(derived):
            self._add(name, derived[name])
        if unit is not None and unit not in self._whole.columns:
            raise unknown_column(unit, self._whole.columns)
        self.subset: tuple[str, ...] = (where,) if where is not None else ()
        self._choose()

    @classmethod
    def open(cls, path: str | Path, **options: Any) -> Study:
        """Open a study file.

        Parameters
        ----------
        path
            A study file, as `begin` writes it.
        **options
            Any of outcome, event, unit, kinds, ignore, where and seed; they win over the file. ``where``
            narrows further what the file keeps.

        Raises
        ------
        StudyFileError
            With the line, and the nearest name where one is unknown.
        """
        from .data.studyfile import line_of, read_study_file

        file = read_study_file(Path(path))
        options = {k: v for k, v in options.items() if v is not None and v != () and v != {}}
        kinds, extra = options.pop("kinds", {}), options.pop("where", None)
        plans = _with_kinds(file.columns, kinds)
        given = {
            "outcome": file.outcome,
            "event": file.event if options.get("outcome") in (None, file.outcome) else None,
            "unit": file.unit,
            "ignore": file.ignore,
            "seed": file.seed,
            **options,
        }
        study = cls.__new__(cls)
        try:
            study._begin(file.data, **given, plans=plans, where=file.where, derived=file.derived)
        except EnveltError as error:
            if isinstance(error, StudyFileError):
                raise
            where = line_of(file.path, str(error))
            if where == str(file.path):
                raise
            raise type(error)(f"{where}: {error}") from error
        study.source += f" ({file.path.name}{''.join(f'; {n}' for n in file.notes)})"
        return study.where(extra) if extra is not None else study

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

        return begin_study(self, Path(path), labels)

    def derive(
        self,
        name: str,
        expression: str = "",
        *,
        cut: str = "",
        at: Iterable[float] = (),
        names: Iterable[str] = (),
        regroup: str = "",
        into: Mapping[str, Iterable[str]] | None = None,
    ) -> Study:
        """Return a new study with one more column.

        Parameters
        ----------
        name
            Of the new column.
        expression
            Of columns: arithmetic, comparisons, and/or/not, log, log1p, sqrt, abs, min, max, where,
            is_missing, year, month, weekday (1 is Monday), hour, date(year, month, day).
        cut, at, names
            A numeric column, the points to cut it at (a value equal to one goes right), the parts' names.
        regroup, into
            A category column, and for each new level the old ones it joins; what is not named stays.

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
        given = {"expression": expression, "cut": cut, "at": list(at), "names": list(names), "regroup": regroup}
        plan = derived_plan(name, {**given, "into": {k: list(v) for k, v in (into or {}).items()}})
        derived = copy.copy(self)
        derived._origins = dict(self._origins)
        derived._add(name, plan)
        derived._choose()
        return derived

    def _add(self, name: str, plan: DerivedPlan) -> None:
        """Make a derived column and note which columns it comes from."""
        self._check_new(name)
        raw = derive(self._whole, plan)
        column = encode(name, raw, self._plans.get(name, NO_PLAN), self._whole.rows)
        recipe = plan.expression or f"{plan.cut or plan.regroup}, {'cut' if plan.cut else 'regrouped'}"
        column = replace(column, reason=f"{column.reason}; made from {recipe}")
        direct = origins(plan)
        self._origins[name] = direct.union(*(self._origins.get(o, set()) for o in direct))
        self._whole = Table({**self._whole.columns, name: column}, self._whole.rows)

    def _check_new(self, name: str) -> None:
        if name in self._whole.columns:
            raise OptionError(f"There is a column {name!r} already: give the derived one another name.")

    def _choose(self) -> None:
        """Keep the rows that were asked for, and read the outcome from them."""
        self._views: dict[str, View] = {}
        self.table: Table = self._whole
        for expression in self.subset:
            keep = rows_where(self.table, expression)
            if not keep.any():
                raise ExpressionError(
                    f"No row is left where {expression}. Loosen it, or look at the columns with inventory."
                )
            self.table = self.table.take(keep)
        name = self._outcome_name
        self.outcome: Outcome | None = resolve_outcome(self.table, name, self._event) if name is not None else None
        self._names = Captions({c.name: c.title for c in self.table if c.label or c.unit})

    def _once(self, key: str, make: Callable[[], View]) -> View:
        """Return the view of a step, made once: a study does not change."""
        if key not in self._views:
            self._views[key] = make()
        return self._views[key]

    def where(self, expression: str) -> Study:
        """Return a new study of the rows where an expression holds.

        Raises
        ------
        ExpressionError
            It cannot be read, names no column, or leaves no row.
        """
        narrowed = copy.copy(self)
        narrowed.subset = (*self.subset, expression)
        narrowed._choose()
        return narrowed

    @property
    def data_paths(self) -> tuple[Path, ...]:
        """The files the table was read from; none for a table in memory."""
        return self._read.paths

    @property
    def candidates(self) -> list[str]:
        """The columns that could be features: all but the outcome, the unit, and what is made from the outcome."""
        roles = (self._outcome_name, self.unit)
        made = {n for n, sources in self._origins.items() if self._outcome_name in sources}
        return [n for n in self.table.columns if n not in roles and n not in made]

    def inventory(self, *, rows: int = 0) -> View:
        """Say what each column is and why, what is missing, and what is wrong or odd.

        Parameters
        ----------
        rows
            Show so many of the first rows, as read.

        Returns
        -------
        View
            ``table``: one row a column; kind, reason, present, missing, missing_share, distinct, examples,
            label, unit, findings (how many name it). ``kinds``: the count of columns a kind.

        Raises
        ------
        OptionError
            ``rows`` is not a whole number from 0 up.
        """
        if isinstance(rows, bool) or not isinstance(rows, int) or rows < 0:
            raise OptionError(f"The number of first rows must be a whole number from 0 up, not {rows!r}.")
        about = (f"{count(len(self.table))} rows of {self.source}", *self._read.notes, *self._kept())
        return self._once(f"inventory {rows}", lambda: self._inventory(about, rows))

    def _inventory(self, about: tuple[str, ...], rows: int) -> View:
        ranges = {n: p.range for n, p in self._plans.items() if p.range is not None}
        with slow_progress("Inventory") as report:
            result = take_inventory(self.table, self.outcome, self.unit, ranges, report)
        nested = [_nested(name, what) for name, what in self._read.nested]
        result = replace(result, findings=(*nested, *result.findings))
        return inventory_view(result, about, self._names, self._first(rows) if rows else None)

    def _first(self, rows: int) -> Any:
        import pandas as pd

        at = np.arange(min(rows, len(self.table)))
        first = [c.take(at).labels() for c in self.table]
        labels = [f"row {r}" for r in self.table.rows[at]]
        return pd.DataFrame(
            first, index=pd.Index(list(self.table.columns), name="column"), columns=labels, dtype=object
        )

    def balance(self, *, by: str | Iterable[str] = ()) -> View:
        """Say how the outcome's classes (or values) are spread, and whether it drifts over a date.

        Parameters
        ----------
        by
            Columns whose groups are set beside each other.

        Returns
        -------
        View
            ``table``: one row a class with count and share (with ``by``, counts of the classes in each group, and
            their shares); ``largest_share`` is the accuracy of always saying the largest class, ``rows_a_candidate``
            the rows of the smallest class for each candidate. For a numeric outcome the table describes its
            distribution.

        Raises
        ------
        OutcomeError, OptionError
            The study has no outcome; it is grouped by itself.
        """
        self._need_outcome()
        names = _names(by)
        return self._once(f"balance {names}", lambda: show_balance(self._context(), self.candidates, names))

    def distribution(
        self,
        *columns: str,
        by: str | Iterable[str] = (),
        sort: str = "skewness",
        top: int = 10,
        **look: Unpack[LookOptions],
    ) -> View:
        """Show how one column is distributed, or several of one unit on one axis; without a name, all of them.

        Parameters
        ----------
        *columns
            One column, or several numeric ones (or dates) of one unit of measure. None gives the sheet of all.
        by
            Up to two columns whose groups are compared; a number is cut near its quarters.
        sort
            Of the sheet: "skewness", "missing" or "name".
        top
            How many of the most frequent values to list.
        **look
            picture ("auto", "histogram", "density", "box", "violin", "dots", "qq", "interval", "cumulative", "bars"),
            scale ("linear", "log", "log1p"), bins, width, start, measure ("count", "share", "density"), arrange
            ("line", "overlaid", "stacked", "shares"), bandwidth, numbers, normal, box, limits, calendar; see
            `envelt.core.distribution.look.Look`.

        Returns
        -------
        View
            ``table``: one row a group (``all`` without ``by``); n, missing, mean with its 95 % interval, sd, min,
            quartiles, max, mode, skewness (G1), excess_kurtosis (G2), outliers. ``bins``: left, right, count, share.
            ``density``: at, density. ``top_values``: value, count, share. ``outliers``: row, value, group, side.
            With several groups these have a column ``group`` first.

        Raises
        ------
        OptionError, UnknownColumnError

        Examples
        --------
        >>> from envelt import Study
        >>> Study("demo").distribution("mites").top_values.head(3)["value"].tolist()
        [0.0, 5.0, 10.0]
        """
        looked = Look.of(look)
        names = (by,) if isinstance(by, str) else tuple(by)
        if isinstance(top, bool) or not isinstance(top, int) or top < 1:
            raise OptionError(f"The number of most frequent values must be a whole number from 1 up, not {top!r}.")
        key = f"distribution {columns} {names} {sort} {top} {looked}"
        if not columns:
            if names or look:
                raise OptionError(
                    "Name a column: by and the options of the picture are not for the sheet of all columns."
                )
            return self._once(key, lambda: show_sheet(self._context(), sort))
        return self._once(key, lambda: show_distribution(self._context(), list(columns), names, top, looked))

    def against(
        self, column: str | None = None, *, by: str | Iterable[str] = (), top: int = 10, **look: Unpack[LookOptions]
    ) -> View:
        """Say whether the outcome differs along one candidate, by how much, and how surely.

        Parameters
        ----------
        column
            The candidate. Without it, all candidates at a glance: ``table`` has one row each, strongest first.
        by
            Up to two columns that divide the rows: the picture shows the parts side by side, ``by`` has one row each.
        top, **look
            As in `distribution`; ``residuals`` draws what the line leaves of a numeric outcome.

        Returns
        -------
        View
            ``table``: for a number one row a class, for a category the counts of its levels by class;
            ``rates`` of the event, ``cut`` (the cut that separates best, with its interval, and how well it does on
            rows not used to find it), ``tests`` (statistic, p) and ``effects`` (estimate, low, high). With a
            numeric outcome the table describes the outcome at each level, or in quantile bins of a number;
            ``pairs`` are the Holm-adjusted differences of levels, ``form`` of two numbers is linear, monotone, curved
            or none.

        Raises
        ------
        OutcomeError, UnknownColumnError, OptionError
        """
        outcome = self._need_outcome()
        looked = Look.of(look)
        names = (by,) if isinstance(by, str) else tuple(by)
        if column is None:
            if names or look:
                raise OptionError("Name a candidate: by and the options of the picture are for one at a time.")
            return self._once("against", lambda: show_glance(self._context(), self.candidates))
        for name in (column, *names):
            if name == outcome.name:
                raise OutcomeError(f"{name!r} is the outcome itself. Name a candidate to set against it.")
        key = f"against {column} {names} {top} {looked}"
        return self._once(key, lambda: set_against(self._context(), column, self.candidates, names, top, looked))

    def contingency(
        self,
        rows: str | Iterable[str],
        columns: str | Iterable[str] | None = None,
        *,
        by: str | Iterable[str] = (),
        shares: str = "row",
        picture: str = "auto",
        colour: str = "share",
        order: str = "level",
        counts: str | None = None,
        bins: int | None = None,
        width: float | None = None,
        start: float | None = None,
        cuts: Iterable[float] = (),
        calendar: str | None = None,
        largest: int | None = None,
        missing: bool = False,
    ) -> ContingencyView:
        """Tabulate one or two columns, or combinations of columns: counts, shares, and the outcome's rates.

        Parameters
        ----------
        rows, columns
            One column each, or several whose combinations are tabulated. Numbers are cut into bins, dates into units
            of the calendar. Without ``columns``: counts and shares of one axis.
        by
            Up to two columns: one table for each of their groups.
        shares
            Of a "row", a "column" or "all".
        picture
            "bars", "stacked", "shares", "cells", "rates", "mosaic"; "auto" chooses.
        colour
            Of cells: by "share" or by "residual".
        order
            Of the rows: "level" (their own), "count" or "rate".
        counts
            The column that says how many rows each row stands for, of a table that is already counted.
        bins, width, start, cuts, calendar
            How numbers are cut (``cuts`` are points; a value on one goes right), and the unit for dates.
        largest
            How many levels stay apart; the others become "other". By default 200.
        missing
            Whether missing is a level of its own.

        Returns
        -------
        ContingencyView
            ``table``: counts, levels of the rows as index, no totals in it. ``shares(of)`` has its shape. ``totals``,
            ``expected``, ``residuals`` (adjusted). ``rates``: the outcome at each level, with Wilson's interval (the
            mean with its interval of a numeric outcome), and shrunken. ``tests``: chi_square, fisher_exact, trend.
            ``effects``: cramers_v, gamma, and of 2 × 2 risk_difference, risk_ratio, odds_ratio. ``units``: different
            units in each cell, where one is declared.

        Raises
        ------
        OptionError, UnknownColumnError

        Examples
        --------
        >>> from envelt import Study
        >>> Study("demo", outcome="wintered").contingency("fed", "wintered").table.to_numpy().tolist()
        [[222, 923], [444, 1387]]
        """
        asked = Asked(
            _names(rows), _names(columns or ()), _names(by), shares, picture, colour, order, counts,
            Cuts(bins, width, start, tuple(float(c) for c in cuts), calendar, largest, missing),
        )  # fmt: skip
        made = self._once(f"contingency {asked}", lambda: tabulate(self._context(), asked, self.candidates))
        assert isinstance(made, ContingencyView)
        return made

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
        return rank_view(ranking, self._about(outcome), self._names)

    def _context(self) -> Context:
        ranges = {n: p.range for n, p in self._plans.items() if p.range is not None}
        return Context(self.table, self.outcome, self.unit, self.seed, self._names, self._kept(), ranges)

    def report(self, path: str | Path) -> Path:
        """Write one self-contained HTML page in the order of the work, and return its path.

        Raises
        ------
        OutcomeError, OutputError
        """
        from .steps.report import write_report

        return write_report(self, Path(path))

    def _need_outcome(self) -> Outcome:
        if self.outcome is None:
            names = ", ".join(list(self.table.columns)[:8])
            raise OutcomeError(f"Name the outcome: outcome=… (--outcome at the command line), one of {names}, ….")
        return self.outcome

    def _kept(self) -> tuple[str, ...]:
        return tuple(f"only rows where {e}" for e in self.subset)

    def _about(self, outcome: Outcome) -> tuple[str, ...]:
        return (outcome_line(outcome, len(self.table), self._names), *self._kept())


def _names(given: str | Iterable[str]) -> tuple[str, ...]:
    return (given,) if isinstance(given, str) else tuple(given)


def _nested(name: str, what: str) -> Finding:
    return Finding(
        "nested-values",
        "caution",
        (name,),
        f"{marked(name)} holds {what}, which no step can use: it is set aside.",
        "Write what you need of it as columns of its own.",
        {"what": what},
    )


def _with_kinds(plans: Mapping[str, ColumnPlan], kinds: Mapping[str, str]) -> dict[str, ColumnPlan]:
    """Return plans in which the kinds given win."""
    checked = {name: column_plan(name, {"kind": kind}).kind for name, kind in kinds.items()}
    return {**plans, **{name: replace(plans.get(name, NO_PLAN), kind=kind) for name, kind in checked.items()}}


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
