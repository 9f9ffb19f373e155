"""What a study can be asked: one method a step, each of which gives a view."""

from __future__ import annotations

from collections.abc import Iterable
from numbers import Real
from typing import TYPE_CHECKING, Unpack, overload

from .core.against.asked import AgainstOptions, Leading
from .core.asked import checked, column_name, listed, number_within, one_of, text, whole_from, yes_no
from .core.choices import CROSSINGS, NO_ANGLES, SHARES, SORTS
from .core.distribution.look import Look, LookOptions
from .core.relations.correlating import COEFFICIENT, Correlating
from .errors import OptionError
from .questions_of_rows import Names, RowQuestions
from .steps.checks import names_of

if TYPE_CHECKING:
    from .core.columns.axes import CrossingOptions
    from .views.against import AgainstView
    from .views.balance import BalanceView
    from .views.contingency import ContingencyView
    from .views.distribution import DistributionView, SheetView
    from .views.given import GivenView
    from .views.glance import GlanceView
    from .views.inventory import InventoryView
    from .views.pairwise import PairwiseView
    from .views.profile import ProfileView
    from .views.rank import RankView
    from .views.relations import RelationsView
    from .views.transforms import TransformsSheetView, TransformsView


class Questions(RowQuestions):
    """The steps that look at a table and its outcome; a study is asked them.

    Each returns a view, made once for each way of asking: it is read, drawn and saved, and names what was found.
    """

    @checked(rows=whole_from(0))
    def inventory(self, *, rows: int = 0) -> InventoryView:
        """Say what each column is and why, what is missing, and what is wrong or odd.

        Parameters
        ----------
        rows
            Show so many of the first rows, as read.

        Raises
        ------
        OptionError
            ``rows`` is not a whole number from 0 up.
        """
        from .steps.inventory import take_inventory

        return take_inventory(self._context, rows)

    @checked()
    def balance(self, *, by: Names | None = None) -> BalanceView:
        """Say how the outcome's classes (or values) are spread, and whether it drifts over a date.

        Parameters
        ----------
        by
            Columns whose groups are set beside each other.

        Raises
        ------
        OutcomeError, OptionError
            The study has no outcome; it is grouped by itself.
        """
        from .steps.balance import show_balance

        return show_balance(self._context, names_of(by, "by"))

    @overload
    def distribution(self, *, sort: str = "skewness") -> SheetView: ...
    @overload
    def distribution(self, *, by: Names) -> ProfileView: ...
    @overload
    def distribution(
        self, column: Names, /, *columns: Names, by: Names | None = None, top: int = 10, **look: Unpack[LookOptions]
    ) -> DistributionView: ...
    @checked(sort=one_of(*SORTS), top=whole_from(1))
    def distribution(
        self,
        *columns: Names, by: Names | None = None, sort: str = "skewness", top: int = 10, **look: Unpack[LookOptions],
    ) -> DistributionView | SheetView | ProfileView:  # fmt: skip
        """Show how one column is distributed, or several of one unit on one axis; without a name, all of them.

        Parameters
        ----------
        *columns
            One column, or several numeric ones (or dates) of one unit of measure. None gives the sheet of all; with
            ``by`` the profile of its groups: every number and category in each, those that differ most first.
        by
            Up to two columns whose groups are compared; a number is cut near its quarters.
        sort
            Of the sheet: "skewness", "missing" or "name".
        top
            How many of the most frequent values to list.
        **look
            picture ("auto", "histogram", "density", "box", "violin", "dots", "qq", "interval", "cumulative", "bars"),
            scale ("linear", "log", "log1p"), bins, width, start, measure ("count", "share", "density"), arrange
            ("line", "overlaid", "stacked", "shares"), bandwidth, numbers, normal, curve, box, whiskers, limits,
            calendar; see `envelt.core.distribution.look.Look`.

        Raises
        ------
        OptionError, UnknownColumnError

        Examples
        --------
        >>> from envelt import Study
        >>> Study("demo").distribution("mites").top_values.head(3)["value"].tolist()
        [0.0, 5.0, 10.0]
        """
        from .steps.distribution import show_distribution, show_sheet

        names, groups, looked = names_of(columns), names_of(by, "by"), Look.of(look)
        if names:
            return show_distribution(self._context, names, groups, top, looked)
        if look:
            raise OptionError("Name a column: the options of the picture are for one, or several of one unit.")
        if groups:
            from .steps.profile import show_profile

            return show_profile(self._context, groups)
        return show_sheet(self._context, sort)

    @overload
    def against(self) -> GlanceView: ...
    @overload
    def against(self, column: str, /, **options: Unpack[AgainstOptions]) -> AgainstView: ...
    @overload
    def against(self, columns: list[str], /, **options: Unpack[AgainstOptions]) -> tuple[AgainstView, ...]: ...
    @overload
    def against(
        self, first: Names, second: Names, /, *more: Names, **options: Unpack[AgainstOptions]
    ) -> tuple[AgainstView, ...]: ...
    @checked(top=whole_from(1), least=whole_from(1), **COEFFICIENT)
    def against(
        self,
        *columns: Names, by: Names | None = None, top: int | None = None, least: int | None = None,
        method: str = "auto", confidence: float = 0.95, alternative: str = "two-sided", **look: Unpack[LookOptions],
    ) -> AgainstView | GlanceView | tuple[AgainstView, ...]:  # fmt: skip
        """Say whether the outcome differs along one candidate, by how much, and how surely.

        Parameters
        ----------
        *columns
            The candidate; of several, or of a list, a tuple of views, one each. Without any, all candidates at a
            glance: ``table`` has one row each, strongest first.
        by
            Up to two columns that divide the rows: the picture shows the parts side by side, ``by`` has one row each.
        top, least
            Of a category: only so many levels with the highest mean or rate, of at least ``least`` rows (ten, where
            ``top`` is given). Of a number ``top`` is how many of the most frequent values to list.
        **look
            As in `distribution`; of two numbers ``residuals`` draws what the line leaves, ``ranks`` rank against rank.
        method, confidence, alternative
            Of the coefficients of two numbers, as in `relations`.

        Raises
        ------
        OutcomeError, UnknownColumnError, OptionError
        """
        from .steps.against import set_against, show_glance

        names, groups, looked = names_of(columns), names_of(by, "by"), Look.of(look)
        if names:
            asked = Correlating(method, confidence, alternative)
            views = tuple(
                set_against(self._context, name, groups, Leading(top, least), looked, asked) for name in names
            )
            return views[0] if len(columns) == 1 and isinstance(columns[0], str | Real) else views
        if groups or look:
            raise OptionError("Name a candidate: by and the options of the picture are for one at a time.")
        return show_glance(self._context)

    @overload
    def contingency(
        self, rows: Names, columns: Names | None = None, *, values: str, **options: Unpack[CrossingOptions]
    ) -> GivenView: ...
    @overload
    def contingency(
        self, rows: Names, columns: Names | None = None, **options: Unpack[CrossingOptions]
    ) -> ContingencyView: ...
    @checked(
        shares=one_of(*SHARES),
        picture=one_of(*CROSSINGS, instead=NO_ANGLES),
        colour=one_of("share", "residual"),
        order=one_of("level", "count", "rate"),
        counts=column_name,
        values=column_name,
        cuts=listed,
        calendar=text,
        missing=yes_no,
    )
    def contingency(
        self,
        rows: Names,
        columns: Names | None = None,
        *,
        by: Names | None = None,
        shares: str = "row", picture: str = "auto", colour: str = "share", order: str = "level",
        counts: str | None = None,
        bins: int | None = None, width: float | None = None, start: float | None = None, cuts: Iterable[float] = (),
        calendar: str | None = None,
        largest: int | None = None, missing: bool = False, values: str | None = None,
    ) -> ContingencyView | GivenView:  # fmt: skip
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
        values
            The column that holds the figures of the cells, of a table of means, percentages or totals: they are shown
            as they are, one a cell, without an interval that nobody can know.

        Raises
        ------
        OptionError, UnknownColumnError

        Examples
        --------
        >>> from envelt import Study
        >>> Study("demo", outcome="wintered").contingency("fed", "wintered").table.to_numpy().tolist()
        [[222, 923], [444, 1387]]
        """
        from .core.columns.axes import Cuts
        from .steps.contingency import CrossingAsked, tabulate

        asked = CrossingAsked(
            names_of(rows, "rows"), names_of(columns), names_of(by, "by"), shares, picture, colour, order, counts,
            Cuts(bins, width, start, tuple(cuts), calendar, largest, missing),
        )  # fmt: skip
        if values is not None:
            from .steps.given import show_given

            return show_given(self._context, asked, values)
        return tabulate(self._context, asked)

    @checked(time=column_name)
    def rank(self, *columns: Names, time: str | None = None) -> RankView:
        """Score every candidate alone, or those named, on rows it was not fitted on.

        Parameters
        ----------
        *columns
            Candidates; none for all.
        time
            A date, or a number that rises with time: folds are then stretches of it, so that no candidate is scored
            among the neighbours it was fitted on.

        Raises
        ------
        OutcomeError
            The study has no outcome, or no column besides.
        UnknownColumnError, OptionError
        """
        from .steps.rank import show_rank

        return show_rank(self._context, names_of(columns), time)

    @checked(
        at_least=number_within(0, 1), order=one_of("similar", "file"), whole=yes_no, ranks=yes_no, residuals=yes_no,
        **COEFFICIENT,
    )  # fmt: skip
    def relations(
        self,
        *columns: Names, method: str = "auto", by: Names | None = None, at_least: float | None = None,
        confidence: float = 0.95, alternative: str = "two-sided", order: str = "similar", whole: bool = False,
        ranks: bool = False, residuals: bool = False,
    ) -> RelationsView:  # fmt: skip
        """Say which columns say the same thing, which move together, and in which form.

        Parameters
        ----------
        *columns
            Two or more; without a name all that hold numbers or levels.
        method
            "auto" puts every kind on one scale of strength from 0 to 1, with a sign where it has a meaning; or
            "pearson", "spearman", "kendall" of numbers and ordered levels.
        by
            Up to two columns: ``by`` has one matrix a group, ``differ`` the pairs that differ between groups.
        at_least
            Keep only pairs of this strength or more.
        confidence, alternative
            Of intervals and tests; "greater" or "less" with a named method.
        order
            Of the picture: "similar", so that blocks stand together, or as in the "file".
        whole
            Draw the whole square, not half of it.
        ranks, residuals
            Of two numbers, which are drawn as in `pairwise`: rank against rank, or what the line leaves of the second.

        Raises
        ------
        OptionError, UnknownColumnError
        """
        from .steps.relations import RelationsOptions, show_relations

        asked = Correlating(method, confidence, alternative)
        options = RelationsOptions(
            names_of(columns), asked, names_of(by, "by"), at_least, order, whole, ranks, residuals
        )
        return show_relations(self._context, options)

    @checked(most=whole_from(2), colour=column_name, ranks=yes_no, residuals=yes_no, panels=yes_no, **COEFFICIENT)
    def pairwise(
        self, *columns: Names, by: Names | None = None, most: int = 6, colour: str | None = None,
        ranks: bool = False, residuals: bool = False, panels: bool = False, method: str = "auto",
        confidence: float = 0.95, alternative: str = "two-sided",
    ) -> PairwiseView:  # fmt: skip
        """Show every pair of columns once, by class; of two columns named, that pair large.

        Parameters
        ----------
        *columns
            Without a name: the best-ranked candidates that do not repeat each other. Two give one pair, large.
        by
            The column whose groups are the classes; by default an outcome of classes.
        most
            How many columns to choose, where none is named.
        colour
            A third column by colour, of one pair.
        ranks, residuals, panels
            Of one pair: rank against rank; what the line leaves of the second; one panel a class, on shared axes.
        method, confidence, alternative
            Of the coefficients, as in `relations`.

        Raises
        ------
        OptionError, UnknownColumnError
        """
        from .steps.pairwise import PairwiseOptions, show_pairwise

        asked = Correlating(method, confidence, alternative)
        options = PairwiseOptions(names_of(columns), names_of(by, "by"), most, colour, ranks, residuals, panels, asked)
        return show_pairwise(self._context, options)

    @overload
    def transforms(self) -> TransformsSheetView: ...
    @overload
    def transforms(self, column: str, /, *, by: Names | None = None) -> TransformsView: ...
    @overload
    def transforms(self, column: Names, other: Names, /, *columns: Names, by: None = None) -> TransformsSheetView: ...
    @checked()
    def transforms(self, *columns: Names, by: Names | None = None) -> TransformsView | TransformsSheetView:
        """Say what transforms do to a number: its shape, its relation with the outcome, and which is worth its price.

        Parameters
        ----------
        *columns
            One number: a row a transform. Several, or none for every numeric candidate: a row each, with a suggestion.
        by
            Of one number: up to two columns whose groups are looked at each by itself.

        Raises
        ------
        OptionError, UnknownColumnError

        Examples
        --------
        >>> from envelt import Study
        >>> Study("demo").transforms("mites").suggested
        'log1p'
        """
        from .steps.transforms import show_transforms, show_transforms_sheet

        names, groups = names_of(columns), names_of(by, "by")
        if len(names) == 1:
            return show_transforms(self._context, names[0], groups)
        if groups:
            raise OptionError("Name one column: by divides the rows of one at a time.")
        return show_transforms_sheet(self._context, names)
