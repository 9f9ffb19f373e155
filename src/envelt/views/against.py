"""One candidate against the outcome."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING, Any

import numpy as np
import pandas as pd

from ..core import thresholds as T
from ..core.against.answers import AgainstAnswers
from ..core.against.by_class import LevelsByClass, NumberByClass
from ..core.against.by_number import NumberByLevels, NumberByNumber, NumberOverTime, reading_order
from ..core.against.parts import Result
from ..core.distribution.distribution import NumberDistribution
from ..core.finding import Finding
from ..core.relations.two_numbers import TwoNumbers
from ..core.stats.group_pairs import Pairs
from ..core.words import plural
from ..declared import TableOf, tabled, valued_if
from ..write.digits import day_label, measured
from . import written
from .answers.against import against_answer
from .captions import Captions, missing_line
from .distribution import (
    MOST_OUTLIERS_SHOWN,
    bins_table,
    captioned,
    density_table,
    distribution_lines,
    outliers_table,
    tail_line,
    top_table,
)
from .tables import effects_table, group_table, pooled_table, rates_table, ratio_note, tests_table
from .two_numbers import TwoNumbersView
from .written import FEW_OF_GROUPS, SPARE_OF_GROUPS

if TYPE_CHECKING:
    from matplotlib.figure import Figure

    from ..draw.parts.canvas import Page


def _one_of(*kinds: type[Result]) -> Callable[[AgainstView], bool]:
    return lambda view: isinstance(view._result, kinds)


def _distributed(view: AgainstView) -> bool:
    return view._distribution is not None


def _has_density(view: AgainstView) -> bool:
    d = view._distribution
    return d is not None and not d.dates and d.density is not None


class AgainstView(TwoNumbersView):
    """One candidate against the outcome, over all rows and in the parts that other columns make."""

    step = "against"

    def __init__(self, answers: AgainstAnswers, about: tuple[str, ...], top: int, names: Captions) -> None:
        super().__init__(_title(answers.result, names, answers.by is not None), names.given)
        self._answers, self._result, self._about, self._top, self._names = answers, answers.result, about, top, names

    @tabled(
        {**written.GROUPS, "shrunken_mean": measured}, spare=SPARE_OF_GROUPS,
        needed=lambda view: _described(view._result, view._answers.by is not None),
        few=lambda view: _few_of(view._result),
    )  # fmt: skip
    def table(self) -> pd.DataFrame:
        """For a number one row a class, for a category the counts of its levels by class.

        With a numeric outcome it describes the outcome at each level, or in quantile bins of a number.
        """
        result = self._result
        if isinstance(result, NumberByClass):
            d = result.distribution
            return group_table(d.summary, " × ".join(d.groups.names), d.dates)
        if isinstance(result, LevelsByClass):
            columns = pd.Index(result.outcome.levels, name=result.outcome.name)
            index = pd.Index(result.levels, name=self._levels_of)
            return _of_shown(result, pd.DataFrame(result.counts, index=index, columns=columns))
        table = group_table(result.summary, self._levels_of)
        if not isinstance(result, NumberByLevels):
            return table
        return _of_shown(result, table.assign(shrunken_mean=result.shrunken))

    @tabled(written.PARTS, there=lambda view: view._answers.by is not None, needed=True)
    def by(self) -> pd.DataFrame:
        """One row a part: n, effect, estimate, low, high and p; where columns divide the rows."""
        parts = self._answers.parts
        return pd.DataFrame(
            {
                "n": [p.n for p in parts],
                "effect": [p.effect for p in parts],
                "estimate": [p.estimate.estimate for p in parts],
                "low": [p.estimate.low for p in parts],
                "high": [p.estimate.high for p in parts],
                "p": [p.p for p in parts],
            },
            index=pd.Index([p.label for p in parts], name=" × ".join(self._by)),
        )

    @tabled(written.RATES, there=_one_of(NumberByClass, LevelsByClass), needed=True)
    def rates(self) -> pd.DataFrame:
        """N, events, rate, low and high of the event at each level, or in bins of a number; of a class outcome."""
        result = self._result
        if isinstance(result, LevelsByClass):
            return _of_shown(result, rates_table(result.rates, pd.Index(result.levels, name=self._levels_of)))
        assert isinstance(result, NumberByClass)
        return rates_table(result.rates, _bin_index(result))

    @tabled(written.CUT, there=lambda view: isinstance(view._result, NumberByClass) and view._result.cut is not None)
    def cut(self) -> pd.DataFrame:
        """The cut that separates best, its interval, and how well it does on rows not used to find it.

        Of a number against two classes.
        """
        assert isinstance(self._result, NumberByClass)
        cut = self._result.cut
        assert cut is not None
        return pd.DataFrame(
            {
                "cut": [cut.at],
                "cut_low": [cut.low],
                "cut_high": [cut.high],
                "event_is": ["above" if cut.above else "below"],
                "balanced_accuracy": [cut.balanced_accuracy],
                "accuracy_low": [cut.accuracy_low],
                "accuracy_high": [cut.accuracy_high],
                "sensitivity": [cut.sensitivity],
                "specificity": [cut.specificity],
            },
            index=pd.Index([self._result.outcome.event], name="event"),
        )

    @tabled(written.TESTS, gaps=False)
    def tests(self) -> pd.DataFrame:
        """Statistic and p of each test, over the declared units where there are any.

        Of two groups ``welch_t`` and ``mann_whitney``, of more ``welch_anova`` (of k > 4 groups without those of fewer
        than 2 √k rows, with which it rejects too often) and ``kruskal_wallis``; of two numbers also ``pearson``,
        ``spearman`` and ``not_straight``, what bins leave of a line; of levels with classes ``chi_square`` and, of
        2 × 2 over rows, ``fisher_exact``.

        References
        ----------
        Welch (1947), Biometrika 34, 28–35; Welch (1951), Biometrika 38, 330–336; Mann & Whitney (1947), Annals of
        Mathematical Statistics 18, 50–60; Kruskal & Wallis (1952), Journal of the American Statistical Association 47,
        583–621.
        """
        result = self._result
        return tests_table(result.tests)

    @tabled(written.EFFECTS, gaps=False)
    def effects(self) -> pd.DataFrame:
        """Estimate, low and high (95 %) of each effect, in the units of the outcome where it has any.

        Of two groups ``mean_difference`` (second less first), ``hedges_g`` (that difference over the root of the mean
        of the two variances, corrected for few rows) and ``superiority``, the probability that a row of the second
        lies above one of the first, ties by half. Of more ``omega_squared`` and ``epsilon_squared``, shares of variance
        and of ranks between groups. Of two numbers also ``pearson``, ``spearman`` and ``r_squared``. Of levels with
        classes ``cramers_v`` (Bergsma's, from 0 to 1) and, of two levels, ``risk_difference``, ``risk_ratio`` and
        ``odds_ratio``. Over units each interval has the width that units give it.

        References
        ----------
        Bonett (2008), Psychological Methods 13, 99–109; Perme & Manevski (2019), Statistical Methods in Medical
        Research 28, 3578–3590; Steiger (2004), Psychological Methods 9, 164–182; Bergsma (2013), Journal of the Korean
        Statistical Society 42, 323–328; Miettinen & Nurminen (1985), Statistics in Medicine 4, 213–226; Katz et al.
        (1978), Biometrics 34, 469–474; Woolf (1955), Annals of Human Genetics 19, 251–253.
        """
        result = self._result
        return effects_table(result.effects)

    @tabled(written.PAIRS, there=_one_of(NumberByLevels), folded=T.PAIRS_SHOWN, heads={"p_holm": "Holm p"})
    def pairs(self) -> pd.DataFrame:
        """First, second, difference, low, high, p and p_holm of all pairs of levels; of a numeric outcome."""
        assert isinstance(self._result, NumberByLevels)
        return _pairs_table(self._result.pairs, self._result.summary.labels)

    @tabled(written.COUNTED, there=_distributed, folded=0)
    def bins(self) -> pd.DataFrame:
        """Left, right, count and share of each bin of the distribution in each group."""
        return bins_table(self._distributed)

    @tabled(there=_has_density, folded=0)
    def density(self) -> pd.DataFrame:
        """The density in each group; of numbers."""
        return density_table(self._distributed)

    @tabled(written.COUNTED, there=_distributed, folded=0)
    def top_values(self) -> pd.DataFrame:
        """The most frequent values in each group."""
        return top_table(self._distributed, self._top)

    @tabled(written.OUTLIERS, there=_distributed, folded=MOST_OUTLIERS_SHOWN)
    def outliers(self) -> pd.DataFrame:
        """Row, value, group and side of the values beyond the fences of their group."""
        return outliers_table(self._distributed)

    @tabled(
        written.POOLED, there=lambda view: view._answers.by is not None, spare=written.SPARE_OF_POOLED,
        folded=T.PAIRS_SHOWN, heads={"low": "pooled low", "high": "pooled high", "agreement_p": "groups agree, p"},
    )  # fmt: skip
    def pooled(self) -> pd.DataFrame:
        """Each difference over all rows (crude) and pooled within the groups, with the p that the groups agree.

        Odds ratio and risk difference by Mantel and Haenszel; of numbers the difference of means, or the slope,
        weighted by inverse variances. Where columns divide the rows.
        """
        return pooled_table(self._answers.within)

    @valued_if(_one_of(NumberByClass))
    def overlap(self) -> float:
        """The share of the densities of two classes that coincides."""
        return self._distributed.overlap

    @property
    def _two(self) -> TwoNumbers | None:
        return self._result.two if isinstance(self._result, NumberByNumber) else None

    @property
    def _labels(self) -> pd.Index[Any]:
        return self._answers.asked.rows

    @property
    def _by(self) -> tuple[str, ...]:
        return () if self._answers.by is None else self._answers.by.names

    @property
    def _levels_of(self) -> str:
        """What the rows of the main table are levels of: of a category those within groups."""
        divided = isinstance(self._result, LevelsByClass | NumberByLevels)
        return " × ".join((self._result.name, *(self._by if divided else ())))

    @property
    def _distribution(self) -> NumberDistribution | None:
        return self._result.distribution if isinstance(self._result, NumberByClass | NumberByLevels) else None

    @property
    def _distributed(self) -> NumberDistribution:
        assert self._distribution is not None
        return self._distribution

    def _written(self, declared: TableOf) -> dict[str, Any]:
        counts = declared.name == "table" and isinstance(self._result, LevelsByClass)
        return {} if counts else declared.written

    def _lines(self) -> tuple[str, ...]:
        result = self._result
        lines = (*self._about, *_own_lines(result, self._answers.by is not None))
        return (*lines, *missing_line(result.missing, self._names(result.name)))

    def _answer(self) -> str:
        return against_answer(self)

    def _found(self) -> tuple[Finding, ...]:
        return self._answers.findings

    def _order(self) -> Sequence[int] | None:
        result = self._result
        if not isinstance(result, NumberByLevels) or result.ordered or result.shown is not None:
            return None
        order: list[int] = reading_order(result.summary.moments.n, result.shrunken).tolist()
        return order  # as drawn

    def _picture(self, page: Page) -> Figure:
        return _draw(self._result, page, self._names, self._answers.by is not None)


def _described(result: Result, divided: bool) -> bool:
    """Say whether the question needs the main table beside the rates, which count levels too."""
    return not isinstance(result, LevelsByClass) and not (divided and isinstance(result, NumberByClass))


def _of_shown(result: LevelsByClass | NumberByLevels, table: pd.DataFrame) -> pd.DataFrame:
    """Return the rows of the levels that are shown."""
    return table if result.shown is None else table.iloc[list(result.shown)]


def _few_of(result: Result) -> tuple[str, ...]:
    if isinstance(result, LevelsByClass):
        return ()
    return written.FEW_OF_DATES if isinstance(result, NumberByClass) and result.distribution.dates else FEW_OF_GROUPS


def _title(result: Result, names: Captions, divided: bool) -> str:
    name, outcome = names(result.name), names(result.outcome.name)
    if isinstance(result, NumberByClass):
        by = result.distribution.groups.names[:-1]
        return f"{name} by {outcome}" + (f" and {' and '.join(names(n) for n in by)}" if divided else "")
    if isinstance(result, LevelsByClass):
        return f"Rate of {outcome} = {result.outcome.event} by {name}"
    link = {NumberByLevels: "by", NumberByNumber: "along", NumberOverTime: "over"}[type(result)]
    return f"{outcome} {link} {name}"


def _own_lines(result: Result, divided: bool) -> tuple[str, ...]:
    """Say what belongs to this pair of kinds: which level is subtracted from which, the form, small levels."""
    if isinstance(result, NumberByClass):
        levels, d = result.outcome.levels, result.distribution
        minus = (f"differences are {levels[1]} minus {levels[0]}",) if len(levels) == 2 else ()
        plain = d.look.is_plain and not divided
        return (*minus, *(tail_line(d) if plain else distribution_lines(d, missing=False)))
    if isinstance(result, LevelsByClass):
        if len(result.levels) != 2:
            return ()
        note = ratio_note(result.counts) if "odds_ratio" in result.effects else ()
        return (f"differences and ratios are {result.levels[1]} against {result.levels[0]}", *note)
    if isinstance(result, NumberByLevels):
        small = int(np.sum(result.summary.moments.n < T.FEW_ROWS))
        few = f"last and hollow, at the shrunken mean: {plural(small, 'level')} of under {T.FEW_ROWS} rows"
        return (few,) if small else ()
    return (_form_line(result),) if isinstance(result, NumberByNumber) else ()


def _form_line(result: NumberByNumber) -> str:
    said = {
        "none": "form: no relation can be seen",
        "not decided": "form: not decided, for want of rows or of different values",
        "linear": "form: linear",
        "monotone": "form: monotone, not a straight line",
        "curved": "form: curved, which no line and no correlation sums up",
    }[result.form]
    effects = result.effects
    r, rho = effects["pearson"].estimate, effects["spearman"].estimate
    gap = f"Pearson {r:.2f}, Spearman {rho:.2f}"
    if abs(r - rho) > 0.1:
        gap += ": they disagree, so look at the picture before using either"
    return f"{said}; {gap}"


def _bin_index(result: NumberByClass) -> pd.Index[Any]:
    bins = result.bins
    if result.distribution.dates:
        return pd.Index([day_label(a) for a in bins.left], name=result.name)
    return pd.Index([bin_range(a, b) for a, b in zip(bins.left, bins.right, strict=True)], name=result.name)


def bin_range(left: float, right: float) -> str:
    """Return a range of values as text."""
    from ..core.against.shape import bin_label

    return bin_label(left, right)


def _pairs_table(pairs: Pairs, names: tuple[str, ...]) -> pd.DataFrame:
    labels = np.array(names, dtype=object)
    return pd.DataFrame(
        {
            "first": labels[pairs.first],
            "second": labels[pairs.second],
            "difference": pairs.difference,
            "low": pairs.low,
            "high": pairs.high,
            "p": pairs.p,
            "p_holm": pairs.p_holm,
        }
    )


def _draw(result: Result, page: Page, names: Captions, divided: bool) -> Figure:
    from ..draw.distribution.distribution import draw_distribution

    if isinstance(result, NumberByClass | NumberByLevels):
        d = result.distribution
        if not d.look.is_plain or (divided and isinstance(result, NumberByClass)):
            return draw_distribution(captioned(d, names), page)
    if isinstance(result, NumberByClass):
        from ..draw.against.number import draw_number_by_class

        return draw_number_by_class(names.of(result), page)
    if isinstance(result, LevelsByClass):
        from ..draw.against.levels import draw_levels_by_class

        return draw_levels_by_class(names.of(result), page)
    if isinstance(result, NumberByLevels):
        from ..draw.against.levels_number import draw_number_by_levels

        return draw_number_by_levels(names.of(result), page)
    if isinstance(result, NumberByNumber):
        from ..draw.against.scatter import draw_number_by_number

        return draw_number_by_number(names.of(result), page)
    from ..draw.against.over_time import draw_number_over_time

    return draw_number_over_time(names.of(result), page)
