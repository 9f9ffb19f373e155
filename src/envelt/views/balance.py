"""How the outcome is spread."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any

import pandas as pd

from ..core.asked import one_of
from ..core.balance.balance import BalanceAnswers, ClassBalance, lopsidedness
from ..core.choices import SHARES
from ..core.distribution.distribution import NumberDistribution
from ..core.finding import Finding
from ..core.words import plural
from ..declared import tabled, valued_if
from ..errors import OptionError
from ..view import View
from ..write.digits import percent
from .answers.balance import balance_answer
from .captions import Captions
from .contingency import CrossedTables
from .distribution import (
    MOST_OUTLIERS_SHOWN,
    bins_table,
    captioned,
    density_table,
    distribution_lines,
    outliers_table,
    top_table,
)
from .tables import group_table
from .written import COUNTED, EFFECTS, FEW_OF_GROUPS, GROUPS, OUTLIERS, RATES, SPARE_OF_GROUPS, TESTS

if TYPE_CHECKING:
    from matplotlib.figure import Figure

    from ..draw.parts.canvas import Page


def _classes(view: BalanceView) -> bool:
    return view._classes is not None


def _numeric(view: BalanceView) -> bool:
    return view._numbers is not None


def _of_crossed(name: str) -> Callable[[BalanceView], bool]:
    return lambda view: view._crossed is not None and view._crossed.has(name)


class BalanceView(View):
    """How the outcome's classes (or values) are spread, in all rows or in groups."""

    step = "balance"

    def __init__(
        self,
        title: str,
        about: tuple[str, ...],
        answers: BalanceAnswers,
        names: Captions,
    ) -> None:
        super().__init__(title, names.given)
        self._about, self._answers, self._names = about, answers, names
        classes, crossed = answers.classes, answers.crossed
        self._classes, self._numbers = classes, answers.numbers
        self._crossed = (
            None if crossed is None else CrossedTables((crossed,), classes.outcome if classes else None, names)
        )

    @tabled({**GROUPS, **COUNTED}, spare=SPARE_OF_GROUPS, needed=lambda view: view._crossed is None,
            few=lambda view: FEW_OF_GROUPS if _numeric(view) else ())  # fmt: skip
    def table(self) -> pd.DataFrame:
        """One row a class with count and share; with ``by``, counts of the classes in each group.

        Of a numeric outcome its distribution, as `DistributionView.table`.
        """
        if self._crossed is not None:
            return self._crossed.counts()
        if self._numbers is not None:
            return group_table(self._numbers.summary, " × ".join(self._numbers.groups.names) or "outcome")
        result = self._class_result
        return pd.DataFrame(
            {"count": result.counts, "share": result.counts / result.counts.sum()},
            index=pd.Index(result.outcome.levels, name=result.outcome.name),
        )

    @tabled({"*": percent}, there=_of_crossed("shares"), needed=lambda view: not view._crossed.has("rates"))
    def shares_of_row(self) -> pd.DataFrame:
        """The share of each class in each group; with ``by``."""
        return self._cross.shares("row")

    @tabled(RATES, there=_of_crossed("rates"), needed=True)
    def rates(self) -> pd.DataFrame:
        """The event's rate in each group, with its interval; with ``by``."""
        return self._cross.rates()

    @tabled(there=_of_crossed("units"))
    def units(self) -> pd.DataFrame:
        """Different units in each cell; with ``by`` and a declared unit."""
        return self._cross.units()

    @tabled(TESTS, there=_of_crossed("tests"), gaps=False)
    def tests(self) -> pd.DataFrame:
        """Whether the classes differ between groups; with ``by``."""
        return self._cross.tests()

    @tabled(EFFECTS, there=_of_crossed("effects"), gaps=False)
    def effects(self) -> pd.DataFrame:
        """By how much; with ``by``."""
        return self._cross.effects()

    @tabled(COUNTED, there=_of_crossed("totals"), folded=60)
    def totals(self) -> pd.DataFrame:
        """The margins; with ``by``."""
        return self._cross.totals()

    @tabled(there=_of_crossed("expected"), folded=0)
    def expected(self) -> pd.DataFrame:
        """Counts expected if groups and classes were unrelated; with ``by``."""
        return self._cross.expected()

    @tabled(there=_of_crossed("residuals"), folded=60)
    def residuals(self) -> pd.DataFrame:
        """Haberman's adjusted residuals; with ``by``."""
        return self._cross.residuals()

    @tabled(COUNTED, there=_numeric, folded=0)
    def bins(self) -> pd.DataFrame:
        """Left, right, count and share of each bin of a numeric outcome."""
        return bins_table(self._number_result)

    @tabled(there=lambda view: _numeric(view) and view._numbers.density is not None, folded=0)
    def density(self) -> pd.DataFrame:
        """The density of a numeric outcome."""
        return density_table(self._number_result)

    @tabled(COUNTED, there=_numeric)
    def top_values(self) -> pd.DataFrame:
        """The most frequent values of a numeric outcome."""
        return top_table(self._number_result, 10)

    @tabled(OUTLIERS, there=_numeric, folded=MOST_OUTLIERS_SHOWN)
    def outliers(self) -> pd.DataFrame:
        """The outliers of a numeric outcome."""
        return outliers_table(self._number_result)

    @valued_if(_classes)
    def largest_share(self) -> float:
        """The accuracy of always saying the largest class."""
        return self._class_result.largest_share

    @valued_if(_classes)
    def rows(self) -> int:
        """Rows with an outcome."""
        return int(self._class_result.counts.sum())

    @valued_if(_classes)
    def unknown(self) -> int:
        """Rows without one."""
        return self._class_result.unknown

    @valued_if(_classes)
    def lopsidedness(self) -> str:
        """How lopsided the classes are, in words."""
        return lopsidedness(self._class_result.counts)

    @valued_if(_classes)
    def smallest(self) -> int:
        """Rows of the smallest class."""
        return int(self._class_result.counts.min())

    @valued_if(_classes)
    def one_in(self) -> float:
        """Of how many rows one is of the smallest class."""
        return self.rows / max(self.smallest, 1)

    @valued_if(_classes)
    def candidates(self) -> int:
        """How many candidates there are."""
        return self._class_result.candidates

    @valued_if(_classes)
    def rows_a_candidate(self) -> float:
        """Rows of the smallest class for each candidate."""
        return self.smallest / self.candidates if self.candidates else float("nan")

    def shares(self, of: str = "row") -> pd.DataFrame:
        """Return shares in the shape of the table; with ``by``.

        Parameters
        ----------
        of
            "row" (each row adds up to 1), "column", or "all".

        Raises
        ------
        OptionError
        """
        if self._crossed is None:
            raise OptionError("Shares of rows and columns need groups: balance(by=…).")
        return self._crossed.shares(one_of(*SHARES)(of, "share"))

    @property
    def _class_result(self) -> ClassBalance:
        assert self._classes is not None
        return self._classes

    @property
    def _number_result(self) -> NumberDistribution:
        assert self._numbers is not None
        return self._numbers

    @property
    def _cross(self) -> CrossedTables:
        assert self._crossed is not None
        return self._crossed

    def _lines(self) -> tuple[str, ...]:
        if self._numbers is not None:
            return (*self._about, *distribution_lines(self._numbers, why=False))
        if self._crossed is not None:
            return (*self._about, _in_words(self._class_result), *self._crossed.note)
        return (*self._about, _in_words(self._class_result))

    def _answer(self) -> str:
        return balance_answer(self)

    def _found(self) -> tuple[Finding, ...]:
        return self._answers.findings

    def _picture(self, page: Page) -> Figure:
        if self._numbers is not None:
            from ..draw.distribution.distribution import draw_distribution

            return draw_distribution(captioned(self._numbers, self._names), page)
        if self._crossed is not None:
            return self._crossed.draw(page, picture="shares")
        from ..draw.balance import draw_classes

        return draw_classes(self._names.of(self._class_result), page)


def _in_words(result: ClassBalance) -> str:
    n: Any = result.counts
    each = f", {n.min() / result.candidates:.1f} each" if result.candidates else ""
    return (
        f"{lopsidedness(n)}: one of the smallest class for {n.max() / max(int(n.min()), 1):.1f} of the largest; "
        f"{plural(n.min(), 'row')} of it for {plural(result.candidates, 'candidate')}{each}; always saying the "
        "largest is "
        f"right {percent(result.largest_share)} of the time"
    )
