"""Rates of the event along a candidate: at each level, or in quantile bins of a number."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from .. import thresholds as T
from ..shapes.calendar import FITTING, calendar_bins, fitting_unit
from ..shapes.quantiles import quantile_edges, rate_edges
from .of_rows.proportions import wilson
from .of_units.tables import effective_rows
from .sampling import Sampling

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]


@dataclass(frozen=True)
class Rates:
    """Event rates with 95 % intervals, every array of shape (groups,)."""

    n: Ints
    events: Ints
    rate: Floats
    low: Floats
    high: Floats


@dataclass(frozen=True)
class BinEnds:
    """The smallest and largest value in each bin; of units of the calendar, the first day of each and of the next.

    ``middle`` is the median of the rows in each; of units of the calendar their middle.
    """

    left: Floats
    right: Floats
    middle: Floats

    def __len__(self) -> int:
        return len(self.left)


@dataclass(frozen=True)
class QuantileBins:
    """Bins of about equal numbers of rows: their ends, and the bin of each row, shape (n,), ``-1`` where missing."""

    codes: NDArray[np.int32]
    ends: BinEnds


def event_rates(codes: NDArray[np.integer], event: NDArray[np.bool_], groups: int, sampling: Sampling) -> Rates:
    """Return the event's rate in each group; ``-1`` codes are passed over.

    Intervals are Wilson's of as many rows as carry what units say, see `of_units.tables.effective_rows`.
    """
    inside = codes >= 0
    n = np.bincount(codes[inside], minlength=groups)
    events = np.bincount(codes[inside & event], minlength=groups)
    return rates_of(n, events, codes, event, sampling)


def rates_of(n: Ints, events: Ints, codes: NDArray[np.integer], event: NDArray[np.bool_], sampling: Sampling) -> Rates:
    """Return the event's rate in groups that have been counted; see `event_rates`."""
    rate, low, high = wilson(events, n)
    if sampling.tells_nothing:
        low = high = np.full(len(n), np.nan)
    elif sampling.units is not None:
        effective = effective_rows(codes.astype(np.int64), event, len(n), sampling.units, sampling.cases)
        _, low, high = wilson(np.nan_to_num(rate) * effective, effective)
    return Rates(n, events, rate, low, high)


def calendar_rate_bins(days: Floats, most: int = FITTING, unit: str | None = None) -> QuantileBins:
    """Cut days since 1970-01-01 at units of the calendar: the first day of each, and of the next."""
    present = np.sort(days[~np.isnan(days)])
    if len(present) == 0:
        return QuantileBins(np.full(len(days), -1, np.int32), BinEnds(*(np.zeros(0),) * 3))
    edges = calendar_bins(present, unit or fitting_unit(float(present[0]), float(present[-1]), most))[0].edges
    places = np.where(np.isnan(days), -1, np.searchsorted(edges, days, "right") - 1)
    used = np.unique(places[places >= 0])
    codes = np.where(places < 0, -1, np.searchsorted(used, places))
    return QuantileBins(
        codes.astype(np.int32), BinEnds(edges[used], edges[used + 1], (edges[used] + edges[used + 1]) / 2)
    )


def rate_bins(values: Floats) -> QuantileBins:
    """Cut a number into bins in which a rate can be read: each of few values apart, else tenths; see `rate_edges`."""
    ordered = np.sort(values[~np.isnan(values)])
    return _cut_at(values, ordered, rate_edges([ordered], T.RATE_BINS, T.BY_VALUE, T.FEW_ROWS))


def quantile_bins(values: Floats, bins: int) -> QuantileBins:
    """Cut a number at its unique type-7 quantiles; a value equal to an edge goes right."""
    ordered = np.sort(values[~np.isnan(values)])
    return _cut_at(values, ordered, quantile_edges(ordered, bins))


def _cut_at(values: Floats, ordered: Floats, edges: Floats) -> QuantileBins:
    present = ~np.isnan(values)
    codes = np.full(len(values), -1, np.int32)
    codes[present] = np.searchsorted(edges, values[present], "right")
    used = np.unique(codes[present])
    renumber = np.full(len(edges) + 2, -1, np.int32)
    renumber[used] = np.arange(len(used), dtype=np.int32)
    codes = renumber[codes]
    places = np.searchsorted(ordered, edges, "left")
    starts = np.unique(np.concatenate(([0], places[places < len(ordered)]))).astype(int)
    ends = np.append(starts[1:], len(ordered)) - 1
    if len(ordered) == 0:
        return QuantileBins(codes, BinEnds(*(np.zeros(0),) * 3))
    return QuantileBins(
        codes,
        BinEnds(
            ordered[starts], ordered[ends], (ordered[(starts + ends) // 2] + ordered[(starts + ends + 1) // 2]) / 2
        ),
    )
