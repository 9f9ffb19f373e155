"""What a careful colleague would say of one column of numbers."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from ...errors import option
from .. import thresholds as T
from ..columns.labels import number_label, short_label
from ..columns.names import is_sum
from ..columns.table import CategoryColumn
from ..columns.times import is_quantity
from ..estimate import UNDEFINED_TEST, Significance
from ..finding import Finding, marked
from ..magnitude import spread_of
from ..shapes.bins import Bins
from ..shapes.dip import dip_test
from ..shapes.peaks import TwoPeaks, peaks_by_width, two_peaks
from ..shapes.ranks import ranks_of, run_lengths
from ..shapes.resolution import recorded_step, step_in_words
from ..shapes.spikes import Atom, RoundSpikes, atom_at, round_spikes
from ..stats.correlation import pearson_coefficient
from ..stats.group_summary import GroupSummary
from ..stats.groups import GroupedRows
from ..words import be, p_text, plural
from .apart import who_tells
from .lone import lone_value, said_of_lone
from .tails import Advise, RowsBeyond, centre_disagrees, far_limits, gross_outliers, long_tail, many_outliers

Floats = NDArray[np.float64]
DIP_ROWS = 20_000
"""An even choice of so many sorted values has the dip of all to 1 in 40,000, and a dip of 0.01 is sure by far."""


@dataclass(frozen=True)
class ColumnShape:
    """What was seen in one column of numbers.

    Parameters
    ----------
    step
        In which the values were recorded; 0 for none.
    spikes, zeros, bound
        Rows heaped at round numbers, at zero, and at an end of the range.
    dip
        The dip test; ``spread_over`` is the step ties were spread over for it.
    """

    name: str
    step: float
    spikes: RoundSpikes | None
    zeros: Atom | None
    bound: Atom | None
    dip: Significance
    spread_over: float
    findings: tuple[Finding, ...]


def column_shape_of(
    name: str,
    column: GroupedRows,
    rows: RowsBeyond,
    bins: Bins,
    step: float | None = None,
    advise: Advise | None = None,
    beside: Sequence[CategoryColumn] = (),
) -> ColumnShape:
    """Look at one column.

    Parameters
    ----------
    column
        The rows of the column, as one group.
    rows
        Returns the labels of the rows whose value lies below the first or above the second number.
    bins
        The bins it is shown in.
    step
        In which the values were recorded, where it is known.
    advise
        Suggests a transform.
    beside
        Columns of the same rows, that may tell peaks apart.
    """
    ordered, summary = column.ordered[0], column.summary
    step = recorded_step(ordered) if step is None else step
    effect = column.distribution_effect
    spikes, atoms = round_spikes(ordered, step, effect), [atom_at(ordered, step, end, effect) for end in (0, -1)]
    zeros = next((a for a in atoms if a and a.value == 0), None)
    bound = next((a for a in atoms if a and a.value != 0 and a.rows > T.BOUND_RATIO * a.expected), None)
    if bound and not _is_limit(bound, ordered):
        bound = None
    far = far_limits(ordered, summary.quartiles[0])
    core = ordered[(ordered >= far[0]) & (ordered <= far[1])]
    body = core[core != 0] if zeros else core
    if bound:
        body = body[body != bound.value]
    some = body[:: max(1, len(body) // DIP_ROWS)]
    distinct_few = len(ordered) > 0 and _distinct(ordered) <= T.FEW_DISTINCT
    between = spikes.spacing if spikes else step
    dip, spread = (UNDEFINED_TEST, 0.0) if distinct_few else dip_test(some, effect, between)
    found: list[Finding] = []
    if len(ordered) == 0 or not is_quantity(name, ordered):
        few = _few_values(name, ordered) if len(ordered) >= T.LEAST_SHAPE and ordered[0] < ordered[-1] else []
        few += said_of_lone(name, lone_value(ordered, step, effect) if len(ordered) else None, len(ordered))
        return ColumnShape(name, step, None, None, None, dip, spread, tuple(few))
    if len(ordered) >= T.LEAST_SHAPE and ordered[0] < ordered[-1]:
        found += _few_values(name, ordered)
        found += gross_outliers(name, ordered, far, rows)
        found += _zeros(name, zeros, len(ordered))
        found += _top_value(name, ordered) if bound is None else []
        found += _bound(name, bound, len(ordered), "lowest" if bound and bound.value == ordered[0] else "highest")
        if not distinct_few:
            tail = long_tail(name, core, column, advise)
            beyond = many_outliers(name, ordered, summary, rows)
            found += [f for f in beyond if not (tail and f.code == "many-outliers")] + tail
            found += centre_disagrees(name, summary)
            found += _spikes(name, spikes)
            found += said_of_lone(name, None if spikes else lone_value(ordered, step, effect), len(ordered))
            peaks = _peaks(name, body, dip, spread, (column.values, beside))
            found += peaks
            found += [] if peaks or spikes else _widths(name, body, bins, step)
            found += _steps(name, ordered, step, summary)
    return ColumnShape(name, step, spikes, zeros, bound, dip, spread, tuple(found))


def _distinct(ordered: Floats) -> int:
    return int(np.count_nonzero(np.diff(ordered))) + 1


def heaped_ends(ordered: Floats, effect: float) -> tuple[float, float]:
    """Return between which values a column was cut off: its ends where rows heap there, else infinities.

    Parameters
    ----------
    ordered, effect
        Sorted values, shape (n,), and what units inflate their variances by.
    """
    step = recorded_step(ordered) if len(ordered) else 0.0
    ends = []
    for end, none in ((0, -np.inf), (-1, np.inf)):
        atom = atom_at(ordered, step, end, effect)
        heaped = atom is not None and atom.rows > T.BOUND_RATIO * atom.expected and _is_limit(atom, ordered)
        ends.append(float(ordered[end]) if heaped else none)
    return ends[0], ends[1]


def _is_limit(bound: Atom, ordered: Floats) -> bool:
    """Say whether a heap at the end is the largest of many values, as where an instrument stops."""
    rest = ordered[ordered != bound.value]
    ratio = T.BOUND_MODE if _distinct(rest) >= T.BOUND_DISTINCT else T.BOUND_MODE_OF_FEW
    if bound.rows > T.BOUND_SHARE * len(ordered):
        return False
    return _distinct(rest) > T.FEW_DISTINCT and bound.rows >= ratio * int(run_lengths(rest).max(initial=1))


def _spikes(name: str, spikes: RoundSpikes | None) -> list[Finding]:
    if spikes is None:
        return []
    spacing = number_label(spikes.spacing)
    nearly_all = spikes.share >= T.SPIKE_RESOLUTION
    habit = "people ask for, or tell, round sums" if is_sum(name) else "numbers were rounded or guessed"
    why = f"they are recorded to {spacing}, with a few between" if nearly_all and not is_sum(name) else habit
    return [
        Finding(
            "round-number-spikes",
            "note" if nearly_all else "caution",
            (name,),
            f"{spikes.share:.0%} of the rows of {marked(name)} are multiples of {spacing}, where their surroundings "
            f"lead to expect {spikes.expected:.0%}: {why}.",
            f"Use bins of {spacing} or a multiple of it, and read no peak finer than that.",
            {
                "spacing": spikes.spacing,
                "share": spikes.share,
                "expected": spikes.expected,
                "values": list(spikes.values),
            },
        )
    ]


def _zeros(name: str, zeros: Atom | None, n: int) -> list[Finding]:
    if zeros is None:
        return []
    return [
        Finding(
            "excess-zeros",
            "note",
            (name,),
            f"{plural(zeros.rows, 'row')} of {marked(name)} ({zeros.rows / n:.0%}) {be(zeros.rows)} exactly 0, "
            "where the values beside it "
            f"lead to expect about {zeros.expected:,.0f}.",
            "Zero may mean none, not looked, or below what can be measured: consider a column of its own for it.",
            {"rows": zeros.rows, "expected": zeros.expected},
        )
    ]


def _bound(name: str, bound: Atom | None, n: int, which: str) -> list[Finding]:
    if bound is None:
        return []
    return [
        Finding(
            "values-at-bound",
            "caution",
            (name,),
            f"{plural(bound.rows, 'row')} of {marked(name)} ({bound.rows / n:.1%}) {be(bound.rows)} exactly "
            f"{number_label(bound.value)}, "
            f"its {which} value, where about {bound.expected:,.0f} would be expected: the instrument or the form "
            "stops there.",
            "Their true values lie beyond: treat them as “this or more extreme”, and expect means to be off.",
            {"value": bound.value, "rows": bound.rows, "expected": bound.expected},
        )
    ]


def peaks_of(body: Floats, dip: Significance) -> TwoPeaks | None:
    """Return two peaks that are surely there and can be seen; none where there is one, or popular values.

    Parameters
    ----------
    body
        Sorted values without those that heap at zero or at a bound, shape (n,).
    dip
        Their dip test.
    """
    if not (dip.p < T.DIP_P and dip.statistic > T.DIP_LEAST) or _distinct(body) < T.PEAKED_DISTINCT:
        return None
    popular = -np.partition(-run_lengths(body), T.PEAKED_POPULAR)[: T.PEAKED_POPULAR]
    if 2 * int(popular.sum()) >= len(body):
        return None
    peaks = two_peaks(body)
    if peaks is None or peaks.depth > T.VALLEY or peaks.lower < T.PEAK_LEAST:
        return None
    return None if peaks.second - peaks.first < T.PEAKS_APART * spread_of(body) else peaks


def _peaks(
    name: str, body: Floats, dip: Significance, spread: float, rows: tuple[Floats, Sequence[CategoryColumn]]
) -> list[Finding]:
    peaks = peaks_of(body, dip)
    if peaks is None:
        return []
    where = ", ".join(short_label(float(f"{p:.3g}")) for p in (peaks.first, peaks.second))
    jitter = f", ties spread over their step of {number_label(spread)}" if spread else ""
    columns: tuple[str, ...] = (name,)
    told = "."
    advice = "Two kinds of row are mixed: find the column that tells them apart. A mean, and a box, describe neither."
    teller = who_tells(rows[0], peaks.valley, rows[1])
    if teller is None and _is_series(rows[0], peaks.valley):
        return []  # where a series lingered: the dip test's rows are cases, and these are not
    if teller is not None:
        columns, by = (name, teller.name), marked(teller.name)
        below, above = (", ".join(map(repr, levels[:3])) + ", …" * (len(levels) > 3) for levels in teller[1:3])
        told = f". {by} tells them apart, {below} below and {above} above, in {teller.share:.1%} of the rows."
        advice = f"Two kinds of row are mixed: look at each, {option('by', teller.name)}. A mean describes neither."
    return [
        Finding(
            "two-peaks",
            "caution",
            columns,
            f"{marked(name)} has more than one peak, near {where}, with a valley at {float(f'{peaks.valley:.3g}'):g} "
            f"(dip {dip.statistic:.3f}, {p_text(dip.p)}{jitter}){told}",
            advice,
            {"dip": dip.statistic, "p": dip.p, "peaks": [peaks.first, peaks.second], "valley": peaks.valley}
            | ({"told_by": teller.name, "share": teller.share} if teller else {}),
        )
    ]


def _is_series(values: Floats, valley: float) -> bool:
    """Say whether each row resembles the one before it on either side of a valley, and rows are not sorted by values.

    Of rows in two blocks of a kind each does not, within a block.
    """
    x = values[~np.isnan(values)]
    before, after = x[:-1], x[1:]
    sides = [(before > valley) & (after > valley), (before <= valley) & (after <= valley)]
    alike = [pearson_coefficient(before[s], after[s]) for s in sides if s.sum() >= T.FEW_ROWS]
    if len(alike) < 2 or min(alike) < T.NEIGHBOURS_AGREE:
        return False
    return abs(pearson_coefficient(ranks_of(x), np.arange(float(len(x))))) < T.IN_ORDER


def _top_value(name: str, ordered: Floats) -> list[Finding]:
    """Find a largest number that heaps where the values before it thin out: "that, or more".

    Of few values with uneven gaps, as middles of ranges have, it is the one with most rows.
    """
    if len(ordered) < T.ROWS_FOR_TOP or _distinct(ordered) < T.TOP_DISTINCT:
        return []
    unique, rows = np.unique(ordered[ordered >= ordered[-1] - 3], return_counts=True)
    last, n = float(ordered[-1]), len(ordered)
    if np.array_equal(unique, last - np.arange(4)[::-1]) and (ordered == np.floor(ordered)).all():
        *before, top = (int(k) for k in rows)
        expected = max(before[-1], 2 * before[-1] - before[-2])
        if (
            before[-1] > before[0]
            or top < T.TOP_RATIO * expected
            or top - expected < T.TOP_SURE * np.sqrt(expected + 1)
        ):
            return []
    else:
        unique, rows = np.unique(ordered, return_counts=True)
        *before, top = (int(k) for k in rows)
        gaps = np.diff(unique)
        uneven = len(unique) <= T.BY_VALUE and gaps[-1] > T.TOP_GAP * np.median(gaps)
        if not uneven or top < T.TOP_RATIO * before[-1] or top < max(before) or top < T.TOP_SHARE * n:
            return []
    share = top / n
    return [
        Finding(
            "top-value",
            "note",
            (name,),
            f"{number_label(last)} is the largest value of {marked(name)} and holds {plural(top, 'row')} "
            f"({share:.1%}), more than the value before it ({plural(before[-1], 'row')} at "
            f"{number_label(unique[-2])}): it may stand for {number_label(last)} or more.",
            "Read it as a class of its own; means and slopes past it are too small.",
            {"value": last, "rows": top, "before": before},
        )
    ]


def _widths(name: str, core: Floats, bins: Bins, step: float) -> list[Finding]:
    if _distinct(core) < T.PEAKED_DISTINCT or (step and bins.edges[1] - bins.edges[0] < 4 * step):
        return []  # few values, or ties, explain it
    counts = peaks_by_width(core, bins, step)
    if len(set(counts.values())) < 2:
        return []
    told = ", ".join(f"{k} in bins of {short_label(w)}" for w, k in counts.items())
    return [
        Finding(
            "bins-change-story",
            "note",
            (name,),
            f"How many peaks {marked(name)} seems to have depends on the width of the bins: {told}.",
            "Try other widths before reading a peak: --width at the command line, width= in Python.",
            {"peaks": {short_label(w): k for w, k in counts.items()}},
        )
    ]


def _few_values(name: str, ordered: Floats) -> list[Finding]:
    distinct = _distinct(ordered)
    if distinct > T.FEW_DISTINCT or len(ordered) < T.ROWS_PER_STEP * distinct:
        return []
    if is_quantity(name, ordered) and (distinct == 2 or ordered[-1] - ordered[0] == distinct - 1):
        return []  # counts one by one
    values = ", ".join(number_label(v) for v in pd.unique(ordered)[:10])
    return [
        Finding(
            "few-values",
            "note",
            (name,),
            f"{marked(name)} has only {distinct} different values ({values}) in {plural(len(ordered), 'row')}: "
            "really levels.",
            f"If they are grades or names, say so: --kind {name}=ordinal (or nominal); rates then come by value.",
            {"distinct": distinct},
        )
    ]


def _steps(name: str, ordered: Floats, step: float, summary: GroupSummary) -> list[Finding]:
    q1, _, q3 = summary.quartiles[0]
    width = float(q3 - q1) / 1.349 if q3 > q1 else float(summary.moments.sd[0])
    if not (step and step > T.STEP_SHARE * width and _distinct(ordered) < len(ordered) / 2):
        return []
    if step == 1:
        return []  # that whole numbers are whole is seen in every table of them
    return [
        Finding(
            "recorded-resolution",
            "note",
            (name,),
            f"{marked(name)} was recorded in {step_in_words(step)}, {step / width:.2f} of a standard deviation: a "
            "density, a Q–Q plot and a cumulative curve show that as steps, ranks as ties.",
            f"Do not read the steps as structure; bins are of {number_label(step)} or its multiples.",
            {"step": step, "of_sd": step / width},
        )
    ]
