"""What a careful colleague would say on seeing groups of numbers side by side."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from .. import thresholds as T
from ..finding import Finding, marked
from ..stats.group_pairs import Pairs
from ..stats.group_summary import GroupSummary
from ..stats.groups import GroupedRows, brown_forsythe
from ..words import p_text, plural


def few_rows(name: str, labels: tuple[str, ...], n: NDArray[np.integer], by: tuple[str, ...]) -> list[Finding]:
    """Name groups too small to read."""
    small = [(label, int(k)) for label, k in zip(labels, n, strict=True) if k < T.FEW_ROWS]
    if not small or len(labels) < 2:
        return []
    named = ", ".join(f"{label!r} ({k})" for label, k in small[:4]) + ", …" * (len(small) > 4)
    return [
        Finding(
            "few-rows",
            "caution",
            (name, *by),
            f"Under {T.FEW_ROWS} rows have a value of {marked(name)} in: {named}.",
            "Do not read a shape, a mean or a rate off so few rows.",
            {"groups": dict(small[:100]), "count": len(small)},
        )
    ]


def spread_differs(name: str, groups: GroupedRows, by: tuple[str, ...]) -> list[Finding]:
    """Say so where groups differ in spread, surely, and by more than their centres do."""
    summary = groups.summary
    m = summary.moments
    enough = np.flatnonzero((m.n >= T.SPREAD_ROWS) & (np.nan_to_num(m.sd) > 0))
    if len(enough) < 2:
        return []
    sd = m.sd[enough]
    narrow, wide = int(enough[np.argmin(sd)]), int(enough[np.argmax(sd)])
    ratio = float(m.sd[wide] / m.sd[narrow])
    if ratio < T.SPREAD_RATIO:
        return []
    centres = summary.quartiles[enough, 1]
    pooled = float(np.sqrt(np.mean(m.variance[enough])))
    apart = float(centres.max() - centres.min()) / pooled
    test = brown_forsythe(groups, enough)
    if not (test.p < T.GROUP_P and np.log(ratio) > apart):
        return []
    return [
        Finding(
            "spread-differs",
            "note",
            (name, *by),
            f"{marked(name)} varies {ratio:.1f} times as much in {summary.labels[wide]!r} (sd {m.sd[wide]:.3g}) as in "
            f"{summary.labels[narrow]!r} (sd {m.sd[narrow]:.3g}), while medians lie within {apart:.2f} deviations "
            f"(Brown–Forsythe {p_text(test.p)}).",
            "A comparison of means misses this: consider the distance from the centre as a feature.",
            {"ratio": ratio, "p": test.p, "medians_apart": apart},
        )
    ]


def small_difference(name: str, groups: GroupedRows, overlap: float, by: tuple[str, ...]) -> list[Finding]:
    """Say so where two means surely differ and the rows hardly do."""
    m = groups.moments
    if len(m.n) != 2 or m.n.min() < T.SPREAD_ROWS:
        return []
    test = groups.tests["welch_t"]
    if not test.p < T.GROUP_P:
        return []
    difference, g = groups.effects["mean_difference"], groups.effects["hedges_g"]
    a, b = groups.labels
    evidence = {"p": test.p, "hedges_g": g.estimate, "overlap": overlap, "difference": difference.estimate}
    size, side = abs(difference.estimate), "higher" if difference.estimate > 0 else "lower"
    told = f"The mean of {marked(name)} is {size:.3g} {side} in {b!r} than in {a!r} ({p_text(test.p)})"
    if abs(g.estimate) < T.TINY_G and int(m.n.sum()) >= T.TINY_ROWS:
        return [
            Finding(
                "significant-but-tiny",
                "note",
                (name, *by),
                f"{told}, which is {abs(g.estimate):.2f} of a standard deviation: sure only because there are "
                f"{plural(int(m.n.sum()), 'row')}.",
                "With so many rows everything is “significant”: judge by the size of the effect.",
                evidence,
            )
        ]
    if overlap >= T.SAME_OVERLAP:
        return [
            Finding(
                "means-differ-rows-overlap",
                "note",
                (name, *by),
                f"{told}, yet {overlap:.0%} of the two distributions coincide.",
                "The difference is sure for the means; a single row's value says little about its group.",
                evidence,
            )
        ]
    return []


def intervals_mislead(name: str, summary: GroupSummary, pairs: Pairs, by: tuple[str, ...]) -> list[Finding]:
    """Name pairs whose intervals of the mean overlap though the difference is sure, and the reverse.

    A claim about how the interval picture reads, at its own 5 % level, so made only where that picture was asked
    for.
    """
    low, high = summary.mean_interval
    a, b = pairs.first, pairs.second
    meet = (low[a] <= high[b]) & (low[b] <= high[a])
    sure = pairs.p_holm < T.INTERVAL_P
    found = []
    for wrong, how in ((meet & sure, "overlap, yet"), (~meet & ~sure, "do not overlap, yet")):
        if not wrong.any():
            continue
        k = int(np.flatnonzero(wrong)[0])
        first, second = summary.labels[a[k]], summary.labels[b[k]]
        more = f" ({int(wrong.sum()):,} such pairs)" if wrong.sum() > 1 else ""
        verdict = "differ" if sure[k] else "cannot be told apart once all pairs are counted"
        found.append(
            Finding(
                "intervals-mislead",
                "note",
                (name, *by),
                f"The 95 % intervals of the means of {marked(name)} in {second!r} and {first!r} {how} the means "
                f"{verdict}: {second!r} less {first!r} is {pairs.difference[k]:.3g} ({pairs.low[k]:.3g} to "
                f"{pairs.high[k]:.3g}), Holm-adjusted {p_text(float(pairs.p_holm[k]))}{more}.",
                "Judge two groups by the interval of their difference, not by whether two intervals meet.",
                {"first": first, "second": second, "p_holm": float(pairs.p_holm[k])},
            )
        )
    return found
