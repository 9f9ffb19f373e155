"""What a distribution looks like, in a sentence or two."""

from __future__ import annotations

import math
from collections.abc import Iterable
from typing import TYPE_CHECKING, Any

from ...core import thresholds as T
from ...core.finding import Finding
from ...core.words import plural
from ...write.digits import cell
from .words import Table, alike, all_of, ends, estimated, number, share, told, with_n

if TYPE_CHECKING:
    from ..distribution import DistributionView, SheetView

SKEWED = 0.8
"""Of skewness G1, from which the longer tail is worth a word."""


def distribution_answer(view: DistributionView, name: str) -> str:
    """Return the answer for one column: where its values lie, its longest tail, its spikes; of groups the means."""
    table: Table = type(view).table.of(view)
    if view._numbers is None:
        return _of_levels(table, view.top_values, name)
    if len(table) > 1:
        return _of_groups(table, name, view._numbers.dates)
    return of_numbers(table.iloc[0], name, view.found, view._numbers.dates)


def of_numbers(row: Any, name: str, found: tuple[Finding, ...], dates: bool) -> str:
    """Return where the values of one column lie."""
    n = int(row["n"])
    if n == 0:
        return f"{name} has no value."
    if dates:
        first, low, middle, high, last = (cell(row[k], str) for k in ("min", "q1", "median", "q3", "max"))
        return (
            f"{name} runs from {first} to {last} ({with_n(n)}); half lie between {low} and {high}, the middle one is "
            f"{middle}."
        )
    if row["min"] == row["max"]:
        return f"Every value of {name} is {number(row['min'])} ({with_n(n)})."
    if n < T.FEW_ROWS:
        return f"{plural(n, 'value')} of {name}, {number(row['min'])} to {number(row['max'])}: too few to say more."
    low, middle, high = alike(row["q1"], row["median"], row["q3"])
    whole = all(float(row[k]).is_integer() for k in ("q1", "median", "q3"))
    low, middle, high = (number(row[k]) for k in ("q1", "median", "q3")) if whole else (low, middle, high)
    out = f"Half of the values of {name} lie between {low} and {high}, the middle one is {middle} ({with_n(n)})"
    skewness = row["skewness"]
    if not math.isnan(skewness) and abs(skewness) > SKEWED:
        side, end = ("right", row["max"]) if skewness > 0 else ("left", row["min"])
        out += f"; the longest tail goes {side} to {number(end)}"
    return f"{out}.{_apart(found)}"


def _apart(found: tuple[Finding, ...]) -> str:
    """Return what a picture of all values has besides: spikes at round numbers, more than one peak."""
    out = ""
    for finding in found:
        if finding.code == "round-number-spikes":
            told_of = finding.evidence
            out += (
                f" {share(told_of['share'])} are multiples of {number(told_of['spacing'])}, where "
                f"{share(told_of['expected'])} would be expected."
            )
        elif finding.code == "two-peaks":
            out += " There is more than one peak."
    return out


def _of_groups(table: Table, name: str, dates: bool) -> str:
    if dates:
        lines = [f"{told(k)} {cell(m, str)}" for k, m in table["median"].items()]
        return f"The middle {name} of each group: {all_of(lines, 6)}."
    end = ends(table, "mean")
    if end is None:
        return f"{name} has values in fewer than two groups."
    high, low = table.loc[end.most], table.loc[end.least]
    said = (
        f"On average {name} is {estimated(high['mean'], high['mean_low'], high['mean_high'])} in {told(end.most)} "
        f"({with_n(high['n'])}) and {estimated(low['mean'], low['mean_low'], low['mean_high'])} in {told(end.least)} "
        f"({with_n(low['n'])})"
    )
    return f"{said}." if len(table) == 2 else f"{said}, the highest and the lowest of {len(table)} groups."


def _of_levels(table: Table, top: Table, name: str) -> str:
    if len(table) > 1:
        most = [f"{told(k)} {r['mode']} ({share(r['mode_share'])}, {with_n(r['n'])})" for k, r in table.iterrows()]
        return f"The most frequent {name} of each group: {all_of(most, 4)}."
    row = table.iloc[0]
    if row["n"] == 0:
        return f"{name} has no value."
    return levels_answer(name, top["value"], top["share"], int(row["distinct"]), int(row["n"]))


def levels_answer(name: str, levels: Iterable[Any], shares: Iterable[float], distinct: int, rows: int) -> str:
    """Return the most frequent levels with their shares, the most frequent first."""
    first, *rest = [(told(v), share(s)) for v, s in zip(levels, shares, strict=True)][:3]
    if distinct == 1:
        return f"{name} is {first[0]} in all {plural(rows, 'row')}."
    said = ", ".join(f"{s} {v}" for v, s in rest)
    of = "" if distinct <= 1 + len(rest) else f", of {distinct} levels"
    return f"{first[1]} of {name} are {first[0]}, {said}{of} (n {rows:,})."


def _have(n: int) -> str:
    return "has" if n == 1 else "have"


def sheet_answer(view: SheetView) -> str:
    """Return the answer for many columns: how many there are, of which findings speak, which have gaps."""
    table: Table = type(view).table.of(view)
    names = view._names
    kinds = table["kind"].isin(("continuous", "discrete"))
    skewed = table[kinds & (table["skewness"].abs() > SKEWED)]["skewness"].astype(float)
    said = [f"{plural(len(table), 'column')}, {int(kinds.sum())} of them quantities"]
    if len(skewed):
        most = str(skewed.abs().idxmax())
        side = "right" if skewed[most] > 0 else "left"
        said.append(
            f"{len(skewed)} {_have(len(skewed))} a long tail, {names(most)} the longest (to the {side}, skewness "
            f"{number(skewed[most])})"
        )
    gaps = table[table["missing"] > 0]
    if len(gaps):
        most = str(gaps["missing_share"].astype(float).idxmax())
        said.append(
            f"{len(gaps)} {_have(len(gaps))} gaps, {names(most)} most ({share(gaps.loc[most, 'missing_share'])})"
        )
    return "; ".join(said) + "."
