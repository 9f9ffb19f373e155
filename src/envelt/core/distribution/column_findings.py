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
from ..shapes.ranks import run_lengths
from ..shapes.resolution import recorded_step, said_of_step
from ..shapes.spikes import Atom, RoundSpikes, atom_at, round_spikes
from ..stats.correlation import pearson_coefficient
from ..stats.group_summary import GroupSummary
from ..stats.groups import GroupedRows
from ..words import p_text, plural
from .apart import parts_of, who_tells
from .ends import both_ends, distinct_in, is_limit, said_of_bound, said_of_zeros, top_value
from .lone import lone_value, said_of_lone
from .tails import (
    Advise,
    RowsBeyond,
    centre_disagrees,
    far_limits,
    gross_outliers,
    long_tail,
    many_outliers,
    values_apart,
)

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
    if bound and not is_limit(bound, ordered):
        bound = None
    far = far_limits(ordered, summary.quartiles[0])
    core = ordered[(ordered >= far[0]) & (ordered <= far[1])]
    body = core[core != 0] if zeros else core
    if bound:
        body = body[body != bound.value]
    some = body[:: max(1, len(body) // DIP_ROWS)]
    distinct_few = len(ordered) > 0 and distinct_in(ordered) <= T.FEW_DISTINCT
    between = spikes.spacing if spikes else step
    dip, spread = (UNDEFINED_TEST, 0.0) if distinct_few else dip_test(some, effect, between)
    found: list[Finding] = []
    if len(ordered) == 0 or not is_quantity(name, ordered):
        few = _few_values(name, ordered) if len(ordered) >= T.LEAST_SHAPE and ordered[0] < ordered[-1] else []
        few += said_of_lone(name, lone_value(ordered, step, effect) if len(ordered) else None, len(ordered))
        return ColumnShape(name, step, None, None, None, dip, spread, tuple(few))
    if len(ordered) >= T.LEAST_SHAPE and ordered[0] < ordered[-1]:
        found += _few_values(name, ordered)
        found += gross_outliers(name, ordered, far, rows) or values_apart(name, ordered, rows)
        which = "lowest" if bound and bound.value == ordered[0] else "highest"
        found += both_ends(name, ordered) or [
            *said_of_zeros(name, zeros, len(ordered)),
            *(top_value(name, ordered) if bound is None else []),
            *said_of_bound(name, bound, len(ordered), which),
        ]
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


def peaks_of(body: Floats, dip: Significance) -> TwoPeaks | None:
    """Return two peaks that are surely there and can be seen; none where there is one, or popular values.

    Parameters
    ----------
    body
        Sorted values without those that heap at zero or at a bound, shape (n,).
    dip
        Their dip test.
    """
    if not (dip.p < T.DIP_P and dip.statistic > T.DIP_LEAST) or distinct_in(body) < T.PEAKED_DISTINCT:
        return None
    popular = -np.partition(-run_lengths(body), T.PEAKED_POPULAR)[: T.PEAKED_POPULAR]
    if 2 * int(popular.sum()) >= len(body):
        return None
    peaks = two_peaks(body)
    if peaks is None or peaks.depth > T.VALLEY:
        return None
    if peaks.lower < (T.PEAK_LEAST if peaks.depth > T.VALLEY_DEEP else T.PEAK_LEAST_OF_DEEP):
        return None
    return None if peaks.second - peaks.first < T.PEAKS_APART * spread_of(body) else peaks


def _peaks(
    name: str, body: Floats, dip: Significance, spread: float, rows: tuple[Floats, Sequence[CategoryColumn]]
) -> list[Finding]:
    peaks = peaks_of(body, dip)
    if peaks is not None:
        where = ", ".join(short_label(float(f"{p:.3g}")) for p in (peaks.first, peaks.second))
        jitter = f", ties spread over their step of {number_label(spread)}" if spread else ""
        valley = peaks.valley
        said = (
            f"has more than one peak, near {where}, with a valley at {float(f'{valley:.3g}'):g} "
            f"(dip {dip.statistic:.3f}, {p_text(dip.p)}{jitter})"
        )
        evidence = {"dip": dip.statistic, "p": dip.p, "peaks": [peaks.first, peaks.second], "valley": valley}
    else:
        parts = parts_of(body)
        if parts is None:
            return []
        valley = (parts.below + parts.above) / 2
        said = (
            f"lies in two parts with nothing between {number_label(parts.below)} and {number_label(parts.above)}: "
            f"{plural(parts.rows[0], 'row')} below and {parts.rows[1]:,} above"
        )
        evidence = {"gap": [parts.below, parts.above], "rows": list(parts.rows), "valley": valley}
    columns: tuple[str, ...] = (name,)
    told = "."
    advice = "Two kinds of row are mixed: find the column that tells them apart. A mean, and a box, describe neither."
    teller = who_tells(rows[0], valley, rows[1])
    if teller is None and peaks is not None and _is_series(rows[0], valley):
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
            f"{marked(name)} {said}{told}",
            advice,
            evidence | ({"told_by": teller.name, "share": teller.share} if teller else {}),
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
    steps = np.diff(x)
    return bool((steps < 0).any() and (steps > 0).any())


def _widths(name: str, core: Floats, bins: Bins, step: float) -> list[Finding]:
    if distinct_in(core) < T.PEAKED_DISTINCT or (step and bins.edges[1] - bins.edges[0] < 4 * step):
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
    distinct = distinct_in(ordered)
    if distinct > T.FEW_DISTINCT or len(ordered) < T.ROWS_PER_STEP * distinct:
        return []
    if is_quantity(name, ordered) and (distinct == 2 or ordered[-1] - ordered[0] == distinct - 1):
        return []  # counts one by one
    values = ", ".join(short_label(v) for v in pd.unique(ordered)[:10])
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
    if not (step and step > T.STEP_SHARE * width and distinct_in(ordered) < len(ordered) / 2):
        return []
    if step == 1:
        return []  # that whole numbers are whole is seen in every table of them
    return [
        Finding(
            "recorded-resolution",
            "note",
            (name,),
            f"{marked(name)} was recorded in {said_of_step(step)}, {step / width:.2f} of a standard deviation: a "
            "density, a Q–Q plot and a cumulative curve show that as steps, ranks as ties.",
            "Do not read the steps as structure; bins are one step wide, or a whole number of steps.",
            {"step": step, "of_sd": step / width},
        )
    ]
