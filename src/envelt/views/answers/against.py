"""Whether the outcome differs along a candidate, by how much and how surely, in a sentence or two."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Any

from ...core import thresholds as T
from ...core.against.by_class import LevelsByClass, NumberByClass
from ...core.against.by_number import NumberByLevels, NumberByNumber
from ...core.stats.correlation import CONFIDENCE
from ...core.words import plural
from ...write.digits import cell, count, places, probability
from .words import (
    Ends,
    Table,
    alike,
    all_of,
    ends,
    estimated,
    number,
    points,
    rows_to_tell,
    share,
    sized,
    the_same,
    told,
    with_n,
)

if TYPE_CHECKING:
    from collections.abc import Callable

    from ...core.relations.two_numbers import TwoNumbers
    from ..against import AgainstView
    from ..glance import GlanceView


MANY_LEVELS = 6
"""From which on it is said of how many the highest and the lowest are."""
MOST_LEADING = 3
"""Of the levels that were asked for, those that are told."""
MOST_MIDDLES = 4
"""Classes whose middle dates are told; of more the first and the last of them."""


def against_answer(view: AgainstView) -> str:
    """Return the answer for one candidate: the difference, its interval, how many; within groups where it differs."""
    result, by = view._result, view._answers.by
    name, outcome = view._names(result.name), view._names(result.outcome.name)
    if by is not None:
        who, what = (outcome, name) if isinstance(result, NumberByClass) else (name, outcome)
        what = f"{outcome} is {result.outcome.event}" if isinstance(result, LevelsByClass) else what
        within = within_answer(view.pooled, who, what, all_of([view._names(n) for n in by.names]))
        if within:
            return within
    if isinstance(result, NumberByClass):
        return _number_by_class(view, result, name, outcome, f"{outcome} is {result.outcome.event}")
    if by is not None and not isinstance(result, NumberByNumber):
        name = ", ".join((name, *(view._names(n) for n in by.names)))
    if isinstance(result, LevelsByClass | NumberByLevels) and result.shown is not None:
        return _leading(view, result, name, outcome)
    if isinstance(result, LevelsByClass):
        return rates_answer(view.rates, view.effects, f"{outcome} is {result.outcome.event}", name)
    if isinstance(result, NumberByNumber):
        return _number_by_number(view, result)
    return means_answer(view.table, view.effects, outcome, name)


def _number_by_class(view: AgainstView, result: NumberByClass, name: str, outcome: str, event: str) -> str:
    table: Table = view.table
    effects: Table = view.effects
    levels = result.outcome.levels
    if "mean_difference" in effects.index and len(table) == 2 and not result.distribution.dates:
        rest = next(k for k in levels if k != result.outcome.event)
        value, low, high = effects.loc["mean_difference"]
        if result.outcome.event == levels[0]:
            value, low, high = -value, -high, -low
        mine, others = table.loc[result.outcome.event], table.loc[rest]
        rows = f"n {count(mine['n'])} and {count(others['n'])}"
        means = f"{number(mine['mean'])} against {number(others['mean'])}"
        if math.isnan(low):
            return f"Too few values of {name} to compare: {means} on average ({rows})."
        if not (low <= 0 <= high):
            more = "higher" if value > 0 else "lower"
            size = sized(value, low, high, f"{more} on average")
            return f"Where {event}, {name} is {size}: {means} ({rows}).{_along(view, event)}"
        along = _along(view, event)
        said = f"Where {event}, {name} differs by {estimated(value, low, high)} on average, no more than chance makes"
        tell = "" if along else rows_to_tell(mine["n"] + others["n"], value, low, high)
        return f"{along} {said}: {means} ({rows}).{tell}".lstrip()
    if len(levels) > 2 and not result.distribution.dates:
        return _classes(table, effects, name, outcome)
    if view._answers.by is not None and not result.distribution.dates:
        return _classes(table, effects, name, outcome)
    middles = table["median"].dropna().sort_values(kind="stable")
    if len(middles) > MOST_MIDDLES:
        middles = middles.iloc[[0, -1]]
    told_of = [f"{cell(m, str)} where {outcome} is {told(k)}" for k, m in middles.items()]
    return f"The middle {name} is {all_of(told_of, MOST_MIDDLES)}.{_along(view, event)}"


def _classes(table: Table, effects: Table, name: str, outcome: str) -> str:
    end = ends(table, "mean")
    if end is None:
        return f"Too few values of {name} to compare the classes of {outcome}."
    high, low = table.loc[end.most], table.loc[end.least]
    said = (
        f"{name} is highest on average where {outcome} is {told(end.most)}, "
        f"{estimated(high['mean'], high['mean_low'], high['mean_high'])}, and lowest where it is {told(end.least)}, "
        f"{estimated(low['mean'], low['mean_low'], low['mean_high'])}"
    )
    return f"{said}.{_share_of_variance(effects)}"


def _share_of_variance(effects: Table) -> str:
    if "omega_squared" not in effects.index or math.isnan(effects.loc["omega_squared", "estimate"]):
        return ""
    value, low, high = effects.loc["omega_squared"]
    if not low > 0:
        return f" Groups may differ by chance alone: they make at most {share(high)} of the variance."
    return f" Groups make {share(value)} of the variance ({share(low)} to {share(high)})."


def _along(view: AgainstView, event: str) -> str:
    """Return where along a number the rate is highest and lowest, where its intervals part these."""
    rates: Table = view.rates
    end = ends(rates, "rate") if len(rates) > 1 else None
    if end is None or rates.loc[end.most, "low"] <= rates.loc[end.least, "high"]:
        return ""
    first, last = rates.index[0], rates.index[-1]
    at = {k: share(rates.loc[k, "rate"]) for k in (first, last, end.most, end.least)}
    if {end.most, end.least} == {first, last}:
        way = "falls" if end.most == first else "rises"
        return f" The rate {way} along it, from {at[first]} at {first} to {at[last]} at {last}."
    said = f" {event} most often at {end.most} ({at[end.most]}), least at {end.least} ({at[end.least]})"
    return f"{said}{_bent(rates, end)}."


def _bent(rates: Table, end: Ends) -> str:
    """Say that the highest, or the lowest, lies inside, where its interval is clear of those at both ends."""
    first, last = rates.iloc[0], rates.iloc[-1]
    if rates.loc[end.most, "low"] > max(first["high"], last["high"]):
        return ": highest on the way, so that no straight line shows it"
    if rates.loc[end.least, "high"] < min(first["low"], last["low"]):
        return ": lowest on the way, so that no straight line shows it"
    return ""


def rates_answer(rates: Table, effects: Table | None, event: str, name: str) -> str:
    """Return how an event's rate differs between levels."""
    there = rates[rates["n"] > 0]
    if effects is not None and len(there) == 2 and "risk_difference" in effects.index:
        low_level, high_level = there.index[0], there.index[1]
        value, low, high = effects.loc["risk_difference"]
        first, second = there.loc[high_level], there.loc[low_level]
        said = (
            f"{event} in {share(first['rate'])} where {name} is {told(high_level)} and in "
            f"{share(second['rate'])} where it is {told(low_level)}"
        )
        rows = f"n {count(first['n'])} and {count(second['n'])}"
        if math.isnan(low):
            return f"{said} ({rows})."
        if low <= 0 <= high:
            lowest, highest = places(100 * low, 1), places(100 * high, 1)
            tell = rows_to_tell(first["n"] + second["n"], value, low, high)
            return f"{said}: no difference can be seen, {lowest} to {highest} points ({rows}).{tell}"
        way = "more often" if value > 0 else "less often"
        return f"{said}: {points(value, low, high, way)}, {rows}."
    end, same = ends(there, "rate"), the_same(there, "rate")
    if same is not None:
        return f"{event} in {share(same)} at every level of {name} with rows enough ({with_n(there['n'].sum())})."
    if end is None:
        return _too_few(there, name)
    most, least = there.loc[end.most], there.loc[end.least]
    said = (
        f"{event} most often where {name} is {told(end.most)}, {share(most['rate'])} "
        f"({share(most['low'])} to {share(most['high'])}, {with_n(most['n'])}), and least where it is "
        f"{told(end.least)}, {share(least['rate'])} ({share(least['low'])} to {share(least['high'])}, "
        f"{with_n(least['n'])}){_of_many(there)}"
    )
    if effects is not None and "cramers_v" in effects.index and effects.loc["cramers_v", "low"] <= 0:
        return f"{said}: no more than chance makes."
    return f"{said}."


def means_answer(table: Table, effects: Table, outcome: str, name: str) -> str:
    """Return how an outcome's mean differs between levels, or bins."""
    there = table[table["n"] > 0]
    if len(there) == 2 and "mean_difference" in effects.index and not math.isnan(effects.loc["mean_difference", "low"]):
        value, low, high = effects.loc["mean_difference"]
        first, second = there.iloc[1], there.iloc[0]
        rows = f"n {count(first['n'])} and {count(second['n'])}"
        levels = f"where {name} is {told(there.index[1])} than where it is {told(there.index[0])}"
        means = f"{number(first['mean'])} against {number(second['mean'])}"
        if low <= 0 <= high:
            tell = rows_to_tell(first["n"] + second["n"], value, low, high)
            size = estimated(value, low, high)
            return f"{outcome} is no different {levels}: {means} on average, {size} ({rows}).{tell}"
        size = sized(value, low, high, "higher" if value > 0 else "lower")
        return f"{outcome} is {size} {levels}: {means} on average ({rows})."
    end, same = ends(there, "mean"), the_same(there, "mean")
    if same is not None:
        rows = with_n(there["n"].sum())
        return f"{outcome} is {number(same)} on average at every level of {name} with rows enough ({rows})."
    if end is None:
        return _too_few(there, name)
    most, least = there.loc[end.most], there.loc[end.least]
    said = (
        f"{outcome} is highest where {name} is {told(end.most)}, "
        f"{estimated(most['mean'], most['mean_low'], most['mean_high'])} on average ({with_n(most['n'])}), and lowest "
        f"where it is {told(end.least)}, {estimated(least['mean'], least['mean_low'], least['mean_high'])} "
        f"({with_n(least['n'])}){_of_many(there)}"
    )
    return f"{said}.{_share_of_variance(effects)}"


def _too_few(table: Table, name: str) -> str:
    if len(table) > 1:
        return f"{name} has {plural(len(table), 'level')}, hardly one with rows enough to compare."
    return f"{name} has rows in fewer than two levels."


def _of_many(table: Table) -> str:
    """Say of how many levels two are the ends: the more there are, the further chance alone takes them."""
    return f", of {len(table)} in all" if len(table) > MANY_LEVELS else ""


def _number_by_number(view: AgainstView, result: NumberByNumber) -> str:
    table: Table = view.table
    said = two_answer(result.two, view._names)
    if result.form == "curved":
        end = ends(table, "mean")
        if end is not None:
            said += (
                f" It is highest at {end.most} ({number(table.loc[end.most, 'mean'])} on average), lowest at "
                f"{end.least} ({number(table.loc[end.least, 'mean'])})."
            )
    return said


def _leading(view: AgainstView, result: LevelsByClass | NumberByLevels, name: str, outcome: str) -> str:
    """Return the levels that were asked for with their rates or means."""
    if isinstance(result, LevelsByClass):
        what, rates = f"{outcome} is {result.outcome.event} most often", view.rates.head(MOST_LEADING)
        told_of = [
            f"{told(k)} {share(r['rate'])} ({share(r['low'])} to {share(r['high'])}, {with_n(r['n'])})"
            for k, r in rates.iterrows()
        ]
    else:
        what, means = f"{outcome} is highest on average", view.table.head(MOST_LEADING)
        told_of = [
            f"{told(k)} {estimated(r['mean'], r['mean_low'], r['mean_high'])[:-1]}, {with_n(r['n'])})"
            if not math.isnan(r["mean_low"]) else f"{told(k)} {number(r['mean'])} ({with_n(r['n'])})"
            for k, r in means.iterrows()
        ]  # fmt: skip
    return f"Of the levels of {name} with rows enough {what} in {'; '.join(told_of)}."


NAMES = {"pearson": "r", "spearman": "rank correlation", "kendall": "Kendall's tau"}


def two_answer(two: TwoNumbers, names: Callable[[str], str]) -> str:
    """Return how two numbers go together: which way, in what form, by how much, how surely."""
    kind, asked = two.leading, two.asked
    n, r, p = two.coefficient(kind)
    rows = with_n(n)
    if asked.alternative != "two-sided":
        rows += f", one-sided p {probability(p)}"
    if asked.confidence != CONFIDENCE:
        rows += f", intervals of {100 * asked.confidence:g} %"
    slope = sized(*two.line.slope, "for one more") if two.form == "linear" else ""
    seen = {**r._asdict(), "p": p, "n": n}
    return pair_answer(names(two.first.name), names(two.second.name), two.form, kind, seen, rows, slope)


WORTH_ROWS = 0.3
"""A correlation that is not ruled out and would be worth more rows."""


def pair_answer(name: str, other: str, form: Any, kind: str, r: dict[str, Any], rows: str, slope: str = "") -> str:
    """Return how two numbers go together."""
    untold = math.isnan(r["low"])
    seen = r["p"] < T.Q_CARRIES if untold else r["low"] > 0 or r["high"] < 0
    if form in (None, "none", "not decided") and not seen:
        if math.isnan(r["estimate"]):
            return f"{name} and {other} are never both there with more than one value ({rows})."
        if untold:
            return f"Whether {other} goes along {name} cannot be told: {coefficient(kind, r, rows)}."
        more = ""
        if max(abs(r["low"]), abs(r["high"])) > WORTH_ROWS and -1 < r["low"] <= r["high"] < 1:
            more = rows_to_tell(r["n"], r["estimate"], r["low"], r["high"], "correlation")
        return f"{name} and {other} do not go together more than chance makes: {coefficient(kind, r, rows)}.{more}"
    if form == "curved":
        return f"{other} goes along {name} on a curve, which no line and no correlation sums up ({rows})."
    way = "rises" if r["estimate"] > 0 else "falls"
    by = f", {slope}" if slope else ""
    line = {"linear": "; a straight line does", "monotone": ", not in a straight line"}.get(str(form), "")
    return f"{other} {way} with {name}{by}{line}: {coefficient(kind, r, rows)}."


def coefficient(kind: str, r: dict[str, Any], rows: str) -> str:
    """Return a coefficient with its interval and the rows it is of."""
    e, low, high = (places(float(r[k]), 2) for k in ("estimate", "low", "high"))
    return f"{NAMES[kind]} {e} ({low} to {high}, {rows})" if not math.isnan(r["low"]) else f"{NAMES[kind]} {e} ({rows})"


def within_answer(pooled: Table, who: str, what: str, by: str) -> str:
    """Return a difference over all rows and within groups; nothing where there are several, or it cannot be told.

    Parameters
    ----------
    who, what
        The column whose levels are compared, and in what: "fed" in "wintered is yes".
    """
    if not len(pooled) or pooled["contrast"].nunique() > 1:
        return ""
    effect = next((e for e in ("risk_difference", "mean_difference", "slope") if e in pooled.index), None)
    if effect is None:
        return ""
    row = pooled.loc[effect]
    crude, value = float(row["crude"]), float(row["pooled"])
    if math.isnan(crude) or math.isnan(value) or math.isnan(row["low"]):
        return ""
    over_all = _difference(effect, crude, row["crude_low"], row["crude_high"])
    within = _difference(effect, value, row["low"], row["high"])
    seen, left = not row["crude_low"] <= 0 <= row["crude_high"], not row["low"] <= 0 <= row["high"]
    turns = ": it turns round" if seen and left and crude * value < 0 else ""
    turns = ": within them it is no longer clear" if seen and not left else turns
    return f"{who}, {row['contrast']}: {what} {over_all} over all rows, {within} within the groups of {by}{turns}."


def _difference(effect: str, value: float, low: float, high: float) -> str:
    """Return a difference by its size and its direction; by its interval where the direction is not known."""
    sure = not low <= 0 <= high
    if effect == "risk_difference":
        if sure:
            return points(value, low, high, "more often" if value > 0 else "less often")
        return f"not clearly more or less often ({places(100 * low, 1)} to {places(100 * high, 1)} points)"
    if sure:
        return sized(value, low, high, "higher" if value > 0 else "lower")
    _, lowest, highest = alike(value, low, high)
    return f"not clearly higher or lower ({lowest} to {highest})"


def glance_answer(view: GlanceView) -> str:
    """Return the answer for all candidates: how many go with the outcome, and which most."""
    table: Table = type(view).table.of(view)
    names = view._names
    outcome = names(view._answers.glance.outcome.name)
    sure = table[table["q"] < T.Q_CARRIES]
    if not len(sure):
        return f"None of {len(table)} candidates goes with {outcome} more than chance makes."
    lead = [f"{names(str(k))} ({places(v, 2)})" for k, v in sure["association"].head(3).items()]
    verb = "goes" if len(sure) == 1 else "go"
    return (
        f"{len(sure)} of {len(table)} candidates {verb} with {outcome} more than chance makes (q under "
        f"{T.Q_CARRIES:g}), most {all_of(lead)} on a scale from 0 to 1."
    )
