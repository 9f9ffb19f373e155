"""One candidate against the outcome, and all of them at a glance."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import Any, NamedTuple

import numpy as np
import pandas as pd

from ..core import thresholds as T
from ..core.against.by_class import LevelsByClass, NumberByClass
from ..core.against.by_number import NumberByLevels, NumberByNumber, NumberOverTime, reading_order
from ..core.against.glance import Glance
from ..core.columns.outcome import ClassOutcome
from ..core.columns.table import CategoryColumn
from ..core.estimate import Estimate, Significance
from ..core.finding import Finding
from ..view import View
from ..write.digits import count
from .captions import PLAIN, Captions, missing_line
from .distribution import MOST_OUTLIERS_SHOWN, bin_range, captioned, distribution_lines, distribution_tables
from .tables import effects_table, group_table, group_tables, rates_table, ratio_note, tests_table

Result = NumberByClass | LevelsByClass | NumberByLevels | NumberByNumber | NumberOverTime
FOLDED = {"density": 0, "bins": 0, "top_values": 0, "outliers": MOST_OUTLIERS_SHOWN, "pairs": T.PAIRS_SHOWN}
ASIDE = ("outliers",)


class Part(NamedTuple):
    """What a candidate does within one level of a column that divides the rows."""

    label: str
    n: int
    effect: str
    estimate: Estimate
    p: float


def principal(result: Result) -> tuple[str, Estimate, float]:
    """Return the effect and p by which parts of the rows are compared."""
    tests: dict[str, Significance]
    effects: dict[str, Estimate]
    if isinstance(result, LevelsByClass):
        tests, effects = result.tests, result.effects
    else:
        tests, effects = result.comparison.tests, result.comparison.effects
    for effect, test in (
        ("spearman", "spearman"),
        ("mean_difference", "welch_t"),
        ("risk_difference", "chi_square"),
        ("omega_squared", "welch_anova"),
        ("cramers_v", "chi_square"),
    ):
        if effect in effects and test in tests:
            return effect, effects[effect], tests[test].p
    raise AssertionError("every result has one of these")


def _view(
    result: Result,
    title: str,
    about: tuple[str, ...],
    tables: dict[str, pd.DataFrame],
    draw: Callable[[View], Any],
    names: Captions,
    parts: Sequence[Part],
    values: dict[str, Any] | None = None,
) -> View:
    if parts:
        tables["by"] = pd.DataFrame(
            {
                "n": [p.n for p in parts],
                "effect": [p.effect for p in parts],
                "estimate": [p.estimate.estimate for p in parts],
                "low": [p.estimate.low for p in parts],
                "high": [p.estimate.high for p in parts],
                "p": [p.p for p in parts],
            },
            index=pd.Index([p.label for p in parts], name="part"),
        )
    lines = about + missing_line(result.missing, names(result.name))
    findings: tuple[Finding, ...] = result.findings
    return View(
        "against", title, lines, tables, findings, draw, values, captions=names.given, folded=FOLDED, aside=ASIDE
    )


def number_by_class_view(
    result: NumberByClass,
    about: tuple[str, ...],
    row_labels: pd.Index[Any],
    top: int = 10,
    dates: bool = False,
    names: Captions = PLAIN,
    parts: Sequence[Part] = (),
) -> View:
    """A numeric (or date) candidate against classes."""
    outcome, bins, distribution = result.outcome, result.bins, result.distribution
    index = pd.Index([bin_range(a, b, dates) for a, b in zip(bins.left, bins.right, strict=True)], name=result.name)
    if dates:
        index = pd.Index([str(np.datetime64(int(a), "D")) for a in bins.left], name=result.name)
    tables = {
        "table": group_table(distribution.summary, " × ".join(distribution.grouping.names), dates),
        "rates": rates_table(result.rates, index),
    }
    if result.cut is not None:
        cut = result.cut
        tables["cut"] = pd.DataFrame(
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
            index=pd.Index([outcome.event], name="event"),
        )
    tables |= {"tests": tests_table(result.comparison.tests), "effects": effects_table(result.comparison.effects)}
    tables |= distribution_tables(distribution, row_labels, top, dates)

    def draw(view: View) -> Any:
        from ..draw.against.number import draw_number_by_class
        from ..draw.distribution.distribution import draw_distribution

        line = " · ".join(view.about)
        if distribution.look.picture == "auto" and not parts:
            return draw_number_by_class(names.of(result), view.title, line, dates=dates)
        return draw_distribution(captioned(distribution, names), view.title, line, dates)

    title = f"{names(result.name)} by {names(outcome.name)}"
    if parts:
        title += f" and {' and '.join(names(n) for n in distribution.grouping.names[:-1])}"
    if len(outcome.levels) == 2:
        about = (*about, f"differences are {outcome.levels[1]} minus {outcome.levels[0]}")
    lines = distribution_lines(replace(distribution, summary=replace(distribution.summary, missing=np.zeros(1))), dates)
    if distribution.look.picture == "auto" and not parts:
        lines = tuple(line for line in lines if line.startswith("tail cut"))
    return _view(result, title, (*about, *lines), tables, draw, names, parts, {"overlap": distribution.overlap})


def levels_by_class_view(
    result: LevelsByClass,
    about: tuple[str, ...],
    column: CategoryColumn,
    names: Captions = PLAIN,
    parts: Sequence[Part] = (),
) -> View:
    """A category candidate against classes."""
    outcome = result.outcome
    index = pd.Index(result.levels, name=result.name)
    tables = {
        "table": pd.DataFrame(result.counts, index=index, columns=pd.Index(outcome.levels, name=outcome.name)),
        "rates": rates_table(result.rates, index),
        "tests": tests_table(result.tests),
        "effects": effects_table(result.effects),
    }
    ordered = column.ordered or column.kind == "binary"

    def draw(view: View) -> Any:
        from ..draw.against.levels import draw_levels_by_class

        return draw_levels_by_class(names.of(result), view.title, " · ".join(view.about), ordered)

    title = f"Rate of {names(outcome.name)} = {outcome.event} by {names(result.name)}"
    if len(result.levels) == 2:
        about = (*about, f"differences and ratios are {result.levels[1]} against {result.levels[0]}")
        about += ratio_note(result.counts) if "odds_ratio" in result.effects else ()
    return _view(result, title, about, tables, draw, names, parts)


def number_by_levels_view(
    result: NumberByLevels,
    about: tuple[str, ...],
    row_labels: pd.Index[Any],
    top: int = 10,
    names: Captions = PLAIN,
    parts: Sequence[Part] = (),
) -> View:
    """A category candidate against a numeric outcome."""
    table = group_table(result.comparison.summary, result.name)
    table["shrunken_mean"] = result.shrunken
    pairs, labels = result.pairs, np.array(result.comparison.summary.labels, dtype=object)
    tables = {
        "table": table,
        "tests": tests_table(result.comparison.tests),
        "effects": effects_table(result.comparison.effects),
        "pairs": pd.DataFrame(
            {
                "first": labels[pairs.first],
                "second": labels[pairs.second],
                "difference": pairs.difference,
                "low": pairs.low,
                "high": pairs.high,
                "p": pairs.p,
                "p_holm": pairs.p_holm,
            }
        ),
        **distribution_tables(result.distribution, row_labels, top),
    }

    def draw(view: View) -> Any:
        from ..draw.against.levels_number import draw_number_by_levels
        from ..draw.distribution.distribution import draw_distribution

        line = " · ".join(view.about)
        if result.distribution.look.picture == "auto":
            return draw_number_by_levels(names.of(result), view.title, line)
        return draw_distribution(captioned(result.distribution, names), view.title, line)

    title = f"{names(result.outcome.name)} by {names(result.name)}"
    small = int(np.sum(result.comparison.summary.moments.n < T.FEW_ROWS))
    if small:
        about = (*about, f"{count(small)} levels of under {T.FEW_ROWS} rows come last, hollow, at their shrunken mean")
    view = _view(result, title, about, tables, draw, names, parts)
    if not result.ordered:  # as drawn
        view.sorted_by(reading_order(result.comparison.summary.moments.n, result.shrunken).tolist())
    return view


def number_by_number_view(
    result: NumberByNumber, about: tuple[str, ...], names: Captions = PLAIN, parts: Sequence[Part] = ()
) -> View:
    """A numeric candidate against a numeric outcome."""
    tables = {
        "table": group_table(result.comparison.summary, result.name),
        "tests": tests_table(result.comparison.tests),
        "effects": effects_table(result.comparison.effects),
    }
    if result.trend is not None:
        trend = result.trend
        tables["trend"] = pd.DataFrame({"at": trend.at, "mean": trend.mean, "low": trend.low, "high": trend.high})
    line, effects = result.line, result.comparison.effects
    said = {
        "none": "form: no relation can be seen",
        "linear": "form: linear",
        "monotone": "form: monotone, not a straight line",
        "curved": "form: curved, which no line and no correlation sums up",
    }[result.form.form]
    r, rho = effects["pearson"].estimate, effects["spearman"].estimate
    gap = f"Pearson {r:.2f}, Spearman {rho:.2f}"
    if abs(r - rho) > 0.1:
        gap += ": they disagree, so look at the picture before using either"
    about = (*about, f"{said}; {gap}")

    def draw(view: View) -> Any:
        from ..draw.against.scatter import draw_number_by_number

        return draw_number_by_number(names.of(result), view.title, " · ".join(view.about))

    title = f"{names(result.outcome.name)} along {names(result.name)}"
    values = {"form": result.form.form, "intercept": line.intercept, "slope": line.slope}
    view = _view(result, title, about, tables, draw, names, parts, values)
    view.fold("trend", 0)
    return view


def number_over_time_view(
    result: NumberOverTime, about: tuple[str, ...], names: Captions = PLAIN, parts: Sequence[Part] = ()
) -> View:
    """A date candidate against a numeric outcome."""
    tables = {
        "table": group_table(result.comparison.summary, result.name),
        "tests": tests_table(result.comparison.tests),
        "effects": effects_table(result.comparison.effects),
    }

    def draw(view: View) -> Any:
        from ..draw.against.over_time import draw_number_over_time

        return draw_number_over_time(names.of(result), view.title, " · ".join(view.about))

    return _view(result, f"{names(result.outcome.name)} over {names(result.name)}", about, tables, draw, names, parts)


def glance_view(result: Glance, about: tuple[str, ...], names: Captions = PLAIN) -> View:
    """All candidates against the outcome, strongest association first."""
    rows = result.rows
    table = pd.DataFrame(
        {
            "kind": [g.kind for g in rows],
            "n": [g.n for g in rows],
            "missing": [g.missing for g in rows],
            "association": [g.association for g in rows],
            "measure": [g.measure for g in rows],
            "estimate": [g.estimate for g in rows],
            "low": [g.low for g in rows],
            "high": [g.high for g in rows],
            "lowest": [g.lowest or None for g in rows],
            "highest": [g.highest or None for g in rows],
            "p": [g.p for g in rows],
            "q": [g.q for g in rows],
        },
        index=pd.Index([g.name for g in rows], name="candidate"),
    )
    tables = {"table": table}
    summaries = {g.name: g.groups for g in rows if g.groups is not None}
    if summaries:
        dates = {g.name for g in rows if g.kind == "datetime"}
        tables["groups"] = group_tables(summaries, dates, "candidate", "class")

    def draw(view: View) -> Any:
        from ..draw.against.glance import draw_glance

        drawn = replace(result, rows=tuple(replace(g, name=names(g.name)) for g in rows))
        return draw_glance(names.of(drawn), view.title, " · ".join(view.about))

    outcome = result.outcome
    scale = "Cramér's V" if isinstance(outcome, ClassOutcome) else "the correlation ratio"
    about = (*about, f"association: {scale} over levels, or tenths of the rows of a number, bias-corrected")
    if result.first:
        about = (*about, f"open first: {', '.join(names(n) for n in result.first)}")
    brief = ("kind", "association", "measure", "estimate", "low", "high", "lowest", "highest", "q")
    title = f"All candidates against {names(outcome.name)}"
    return View(
        "against", title, about, tables, result.findings, draw, {"first": list(result.first)}, brief, names.given,
        folded={"groups": 0},
    )  # fmt: skip
