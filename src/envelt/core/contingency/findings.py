"""What a careful colleague would say of a table of counts."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from .. import thresholds as T
from ..columns.axes import AxisLevels
from ..columns.outcome import Classes, Said
from ..finding import Finding, marked
from ..stats.expected import expected_are_small, expected_counts, without_empty
from ..stats.rates import Rates
from ..words import plural
from .crosstab import CrossTable
from .level_rates import RateSteps

Ints = NDArray[np.int64]


def table_findings(table: CrossTable, outcome: Said | None) -> list[Finding]:
    """Look at a table and, where there is a class outcome, at its rates."""
    found: list[Finding] = []
    if table.columns is not None:
        names = (*table.rows.names, *table.columns.names)
        found += small_expected(names, table.counts, table.simulated)
        found += _empty_cells(table)
    if table.outcome is not None and table.outcome.rates is not None:
        assert isinstance(outcome, Classes)
        rates, along = table.outcome.rates, table.outcome.along
        assert along is not None
        found += counts_mislead(table.rows, rates, along, outcome)
        found += small_levels(table.rows.labels, _and(table.rows.names), outcome.name, rates)
        found += _step(table.rows, rates, along, outcome)
    return found


def _and(names: tuple[str, ...]) -> str:
    return " and ".join(map(marked, names))


def small_expected(names: tuple[str, ...], counts: Ints, simulated: bool) -> list[Finding]:
    """Say which test stands in where the usual one is in doubt."""
    if not expected_are_small(counts):
        return []
    share = float((expected_counts(without_empty(counts)) < 5).mean())
    how = "tables drawn at random with the same margins" if simulated else "the statistic's exact mean and variance"
    exact = ", and Fisher's exact test stands beside it" if counts.shape == (2, 2) else ""
    return [
        Finding(
            "small-expected-counts",
            "note",
            names,
            f"{share:.0%} of the cells of {' by '.join(map(marked, names))} expect fewer than 5 rows, so the usual "
            f"chi-square p would be off; the one shown uses {how}{exact}.",
            "Join rare levels before reading single cells.",
            {"share_of_cells": share},
        )
    ]


def small_levels(labels: tuple[str, ...], name: str, outcome: str, rates: Rates) -> list[Finding]:
    """Name levels too small to rank when one of them would top or close the list."""
    full = rates.n >= T.FEW_ROWS
    small = (rates.n > 0) & ~full
    if not small.any() or not full.any():
        return []
    tops = rates.rate[small].max() > rates.rate[full].max() or rates.rate[small].min() < rates.rate[full].min()
    if not tops:
        return []
    order = np.flatnonzero(small)[np.argsort(-rates.rate[small])]
    shown = ", ".join(f"{labels[i]!r} ({rates.events[i]:,} of {rates.n[i]:,})" for i in order[:3])
    return [
        Finding(
            "small-levels",
            "caution",
            (name, outcome),
            f"{int(small.sum())} of {plural(len(labels), 'level')} of {name} "
            f"{'has' if small.sum() == 1 else 'have'} under {T.FEW_ROWS} rows, and "
            f"the most extreme rates are theirs: {shown}.",
            "Do not rank levels by these rates; read the intervals or the shrunken rates, or join the small levels.",
            {"levels": int(small.sum()), "rows": int(rates.n[small].sum())},
        )
    ]


def counts_mislead(rows: AxisLevels, rates: Rates, along: RateSteps, outcome: Classes) -> list[Finding]:
    """Say so where the level with most cases is surely not the one where they are commonest."""
    enough = np.flatnonzero(rates.n >= T.SPREAD_ROWS)
    if len(enough) < 2:
        return []
    most, highest = int(enough[np.argmax(rates.events[enough])]), int(enough[np.argmax(rates.rate[enough])])
    if most == highest or not (rates.low[highest] > rates.high[most] and along.differs.p < T.GROUP_P):
        return []
    name, event = _and(rows.names), outcome.event
    return [
        Finding(
            "counts-mislead",
            "note",
            (*rows.names, outcome.name),
            f"Most rows of {event!r} are in {rows.labels[most]!r} of {name} ({rates.events[most]:,}), but they are "
            f"commonest in {rows.labels[highest]!r}: {rates.rate[highest]:.1%} of {rates.n[highest]:,} against "
            f"{rates.rate[most]:.1%} of {rates.n[most]:,}.",
            "Compare rates, not counts: the groups are not of one size.",
            {"most": rows.labels[most], "highest": rows.labels[highest]},
        )
    ]


def _empty_cells(table: CrossTable) -> list[Finding]:
    assert table.columns is not None
    expected = expected_counts(table.counts)
    empty = np.argwhere((table.counts == 0) & (expected >= T.EMPTY_EXPECTED * table.rows_a_case))
    if not len(empty):
        return []
    order = np.argsort(-expected[empty[:, 0], empty[:, 1]], kind="stable")[:3]
    named = "; ".join(
        f"{table.rows.labels[i]!r} with {table.columns.labels[j]!r}, {expected[i, j]:,.0f} expected"
        for i, j in empty[order]
    )
    names = (*table.rows.names, *table.columns.names)
    lead = f"{plural(len(empty), 'combination')} of {_and(names)} have" if len(empty) > 1 else (
        f"A combination of {_and(names)} has"
    )  # fmt: skip
    return [
        Finding(
            "empty-cell",
            "note",
            names,
            f"{lead} no row: {named}.",
            "Find out whether it cannot be, or was left out; a model cannot learn what happens there.",
            {"cells": len(empty)},
        )
    ]


def _step(rows: AxisLevels, rates: Rates, along: RateSteps, outcome: Classes) -> list[Finding]:
    """Say that along an ordered column the rate jumps once instead of rising."""
    if along.step is None:
        return []
    filled, k = np.flatnonzero(rates.n > 0), along.step
    table = np.stack([rates.n - rates.events, rates.events], axis=1)[filled]
    before, after = (float(part[:, 1].sum() / part.sum()) for part in (table[: k + 1], table[k + 1 :]))
    a, b = rows.labels[filled[k]], rows.labels[filled[k + 1]]
    return [
        Finding(
            "step-not-trend",
            "note",
            (*rows.names, outcome.name),
            f"Along {_and(rows.names)} the rate of {outcome.event!r} does not rise or fall step by step: it is "
            f"{before:.1%} up to {a!r} and {after:.1%} from {b!r}.",
            "Two levels say it all: cut there, rather than use the grades as numbers.",
            {"cut_between": [a, b], "before": before, "after": after},
        )
    ]
