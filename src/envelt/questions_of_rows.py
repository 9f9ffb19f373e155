"""What a study can be asked of its rows: which they are, and where they lie in two dimensions."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import TYPE_CHECKING, Any

from .core.asked import checked, column_name, function, labels, one_of, single, text, whole_from, yes_no
from .core.choices import DISTANCES, MAPS, MEASURED, MOST_FRAMES
from .steps.checks import names_of

if TYPE_CHECKING:
    from .steps.context import Context
    from .views.embed import EmbedView
    from .views.rows import RowsView
    from .views.series import SeriesView

Names = str | Iterable[str]


class RowQuestions:
    """The steps that look at the rows themselves."""

    _context: Context

    @checked(expression=text, most=whole_from(1), at=labels)
    def rows(
        self, expression: str = "", *, sort: Names = (), columns: Names = (), most: int = 20,
        at: str | Iterable[Any] = (),
    ) -> RowsView:  # fmt: skip
        """Show the rows behind a number: those where an expression holds, or of the labels that a finding names.

        Parameters
        ----------
        expression
            As in `Study.where`; all rows by default.
        sort
            Columns to order them by, the first one first; ``"-weight_kg"`` is from the largest down.
        columns
            To be shown first; by default what names a case, those that the order and the expression name, and the
            outcome. The table has the others after them.
        most
            How many rows to show; the answer and ``rows`` count all.
        at
            Labels of rows instead, as tables and findings show them: ``[443, 642]`` or ``"443,642"``.

        Raises
        ------
        ExpressionError, UnknownColumnError, OptionError

        Examples
        --------
        >>> from envelt import Study
        >>> view = Study("demo").rows("weight_kg > 48", sort="-weight_kg", most=3)
        >>> view.rows, view.table["weight_kg"].tolist()
        (5, [51.2, 50.2, 49.4])
        """
        from .steps.rows import RowsOptions, show_rows

        options = RowsOptions(expression, names_of(sort, "sort"), names_of(columns), most, at)  # type: ignore[arg-type]
        return show_rows(self._context, options)

    @checked(time=column_name, value=column_name, measure=one_of(*MEASURED), level=single, calendar=text, grid=yes_no)
    def series(
        self, time: str, value: str | None = None, /, *, measure: str | None = None, level: Any = None,
        by: Names | None = None, calendar: str | None = None, grid: bool = False,
    ) -> SeriesView:  # fmt: skip
        """Show a mean, a rate, a sum or a count along time, in a connected line with its band.

        Parameters
        ----------
        time
            A date; a whole number that counts time, such as a year; or levels in an order.
        value
            The column that is measured; by default the outcome, and without one rows are counted.
        measure
            "mean" or "sum" of a number, "rate" of a level, or "count" of rows; by default a mean or a rate.
        level
            The level whose rate is shown; by default the event, see `Study`.
        by
            Up to two columns whose groups have a line each.
        calendar
            Of a date: day, week, month, quarter, year, decade or century; by default one of which sixty or fewer span
            it.
        grid
            Draw months as a grid, a row a year.

        Raises
        ------
        OptionError, UnknownColumnError, OutcomeError

        Examples
        --------
        >>> from envelt import Study
        >>> Study("demo").series("inspected_on", calendar="year").table["count"].tolist()
        [1525, 1475]
        """
        from .steps.series import SeriesOptions, show_series

        named = None if level is None else str(level)
        return show_series(
            self._context, SeriesOptions(time, value, measure, named, names_of(by, "by"), calendar, grid)
        )

    @checked(
        method=one_of(*MAPS), distance=one_of(*DISTANCES), nearest=whole_from(2), seed=whole_from(0),
        frames=whole_from(0, MOST_FRAMES), scaled=yes_no, panels=yes_no, on_step=function,
    )  # fmt: skip
    def embed(
        self,
        *columns: Names, method: str = "neighbours", by: Names | None = None, nearest: int | None = None,
        distance: str = "euclidean", scaled: bool = True, seed: int = 0, frames: int = 0, panels: bool = False,
        on_step: Callable[[int, int, Any], None] | None = None,
    ) -> EmbedView:  # fmt: skip
        """Lay rows out in two dimensions: do the classes separate, and which rows sit among another class?

        Parameters
        ----------
        *columns
            Without a name: all usable candidates. Numbers and dates are standardized, grades taken by rank, names get
            a column a level of together one number's weight; a missing value is the mean.
        method
            "neighbours" keeps near rows near; "pca" shows the two directions of most variance; "mds" keeps distances.
        by
            The column that colours the rows; the outcome by default.
        nearest
            How many neighbours the map holds; by default from the number of rows.
        distance
            "euclidean", "cosine" or "manhattan".
        scaled
            Whether numbers are standardized; not where all are of one unit.
        seed
            Of what is drawn at random; the same seed gives the same map.
        frames
            Keep so many small pictures of the map as it forms.
        panels
            Draw one panel a class.
        on_step
            Is told of every step, of how many, and given the places so far; an interrupt keeps the last map.

        Raises
        ------
        OptionError, UnknownColumnError
        """
        from .steps.embed import EmbedOptions, show_embed

        options = EmbedOptions(
            names_of(columns), method, names_of(by, "by"), nearest, distance, scaled, seed, frames, panels
        )
        return show_embed(self._context, options, on_step)
