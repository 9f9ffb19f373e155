"""What a careful colleague would say of how columns go together."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
import scipy
from numpy.typing import NDArray
from scipy import special

from .. import thresholds as T
from ..columns.labels import number_label
from ..finding import Finding, marked
from ..magnitude import in_unit, spread_of
from ..shapes.ranks import ranks_of, run_lengths
from ..stats.correlation import pearson_coefficient
from ..stats.matrices import pearson_matrix
from ..stats.sampling import Sampling
from ..within.correlations import correlation_findings, correlations_within
from ..within.rule import TURNS
from ..words import listed, p_text, plural
from .forms import FORMS
from .groups import NAMED, Alike, Inflation
from .relations import Relations
from .side import Side, numbers_of
from .together import Joint

Floats = NDArray[np.float64]

MOST_LOOKED_AT = 300
"""Pairs whose rows are looked at, the strongest first."""
MOST_COLUMNS = 200
"""Columns of which all pairs are compared within groups."""
MOST_COMPARED = 1_000
"""Pairs of equal summaries whose shapes are compared."""
THINNED = 2_000
"""Values of a column that are compared first, evenly taken."""


def said_of_groups(groups: list[Alike], relations: Relations, copies: list[Finding]) -> list[Finding]:
    """Say which columns say nearly the same, but for those that are said to be copies of each other."""
    names = relations.names
    found = []
    known = [set(f.columns) for f in copies]
    for g in [g for g in groups if not any({names[i] for i in g.members} <= k for k in known)][:3]:
        kept = marked(names[g.keep])
        numbers = all(relations.sides[i].what == "number" for i in g.members)
        found.append(
            Finding(
                "say-nearly-the-same",
                "caution" if g.weakest >= T.ALL_BUT_SAME else "note",
                tuple(names[i] for i in g.members),
                f"{listed([marked(names[i]) for i in g.members], 6)} say nearly the same: {_together(g)}.",
                f"Keep one: {kept} ({g.why})"
                + ("; or their mean, if each measures the same with an error of its own." if numbers else "."),
                {"weakest": g.weakest, "keep": names[g.keep], "why": g.why},
            )
        )
    return found


def _together(group: Alike) -> str:
    """Say how closely columns go together, never as closely as copies do."""
    w = group.weakest
    written = f"{w:.2f}" if w < 0.995 else f"{min(np.floor(w * 1e4) / 1e4, 0.9999):.4f}"
    return f"they go together at {written}" if len(group.members) == 2 else f"each with each at {written} or more"


def said_of_inflation(
    inflation: list[Inflation], names: tuple[str, ...], groups: list[Alike], made: list[Finding]
) -> list[Finding]:
    """Say which number others make up in every row: a sum of parts; copies, and what is said already, aside."""
    copies = [set(g.members) for g in groups if g.weakest > T.SCREEN_CORRELATION]
    copies += [{k for k, name in enumerate(names) if name in f.columns} for f in made]
    told: list[Finding] = []
    seen: set[int] = set()
    for f in inflation:
        whole = {f.at, *(i for i, _ in f.by)}
        if not f.exact or f.at in seen or len(f.by) < 2 or any({f.at, i} <= c for c in copies for i, _ in f.by):
            continue
        seen |= whole
        parts = " and ".join(marked(names[i]) for i, _ in f.by)
        told.append(
            Finding(
                "made-up-of-others",
                "caution",
                (names[f.at], *(names[i] for i, _ in f.by)),
                f"{marked(names[f.at])} follows exactly from {parts}{' and more' * (len(f.by) == NAMED)}: a sum, a "
                "difference or a total.",
                "Leave one of them out: a correlation between a part and its whole is there by construction, and no "
                "linear model can tell them apart.",
                {"by": {names[i]: b for i, b in f.by}, "rows": f.n},
            )
        )
    return told[:2]


class _Pair(NamedTuple):
    """Two numbers on the rows where both are present."""

    i: int
    j: int
    x: Floats
    y: Floats
    rows: NDArray[np.intp]


def _numeric_pairs(relations: Relations, at_least: float, *also: str) -> list[_Pair]:
    i, j = relations.upper()
    out: list[_Pair] = []
    for a, b in zip(i[: 20 * MOST_LOOKED_AT], j[: 20 * MOST_LOOKED_AT], strict=True):
        first, second = relations.sides[a], relations.sides[b]
        if len(out) >= MOST_LOOKED_AT or relations.strength[a, b] < at_least:
            break
        if "number" in (first.what, second.what) and {first.what, second.what} <= {"number", *also}:
            out += _common(relations, int(a), int(b))
    return out


def _common(relations: Relations, i: int, j: int) -> list[_Pair]:
    """Return a pair on its common rows; nothing where they are too few."""
    x, y = numbers_of(relations.sides[i]), numbers_of(relations.sides[j])
    rows = np.flatnonzero(~(np.isnan(x) | np.isnan(y)))
    return [_Pair(i, j, x[rows], y[rows], rows)] if len(rows) >= T.FORM_ROWS else []


def said_of_curves(relations: Relations, outcome: str | None = None) -> list[Finding]:
    """Name the curves that a straight line misses most, those along which the outcome bends first.

    Of two levels there is none: along a number they have a rate (`against`).
    """
    names, form = relations.names, relations.form
    found = []
    for pair in _numeric_pairs(relations, T.CURVE_LEAST):
        if FORMS[form[pair.i, pair.j]] != "curved":
            continue
        r = pearson_coefficient(pair.x, pair.y)
        curve = float(relations.strength[pair.i, pair.j])
        if curve**2 - r * r < T.CURVE_GAIN:
            continue
        a, b = names[pair.i], names[pair.j]
        found.append(
            Finding(
                "curved-relation",
                "note",
                (a, b),
                f"{marked(a)} and {marked(b)} go together along a curve ({curve:.2f} as a correlation ratio) that a "
                f"straight line misses (Pearson {r:.2f}).",
                f"Look at it: pairwise({a!r}, {b!r}). Use bins or a spline, not the correlation.",
                {"pearson": r, "correlation_ratio": curve, "gain": curve**2 - r * r},
            )
        )
    return sorted(found, key=lambda f: (outcome not in f.columns, -f.evidence["gain"]))[:3]


def carried_by_few(relations: Relations, labels: list[str], outcome: str | None = None) -> list[Finding]:
    """Find correlations that a few rows make, or hide: without them they halve or turn, or are twice as large.

    So do rows that lie apart from all others, up to a sixth of them. With the outcome it is a caution, and comes first.
    The influence of a row on r is z_x z_y − r (z_x² + z_y²) / 2 (Devlin, Gnanadesikan & Kettenring 1975, Biometrika 62,
    531–545).
    """
    names, found = relations.names, []
    for pair in _correlated(relations):
        n = len(pair.x)
        zx, zy = (_standardized(v) for v in (pair.x, pair.y))
        r = float(np.mean(zx * zy))
        most = max(1, min(T.FEW_CARRY_MOST, int(T.FEW_CARRY_SHARE * n)))
        influence = np.sign(r) * (zx * zy - r * (zx**2 + zy**2) / 2)
        for side, most_rows in ((-1, most), (1, min(most, T.FEW_HIDE_MOST))):
            told = _fewest(pair, side * influence, most_rows, r, side)
            if told is not None:
                out, left = told
                at = [labels[k] for k in np.sort(pair.rows[out])]
                found.append(_carried((names[pair.i], names[pair.j]), (r, left), at, n, side < 0, outcome))
                break
        else:
            found += _carried_apart(pair, (names[pair.i], names[pair.j]), r, labels, outcome)
    return sorted(found, key=lambda f: outcome not in f.columns)[:2]


def _fewest(pair: _Pair, influence: Floats, most: int, r: float, side: int) -> tuple[NDArray[np.intp], float] | None:
    """Return the fewest rows that make a correlation (side −1), or hide it (1), and what it is without them."""
    order = np.argpartition(influence, most)[:most]
    order = order[np.argsort(influence[order], kind="stable")]
    keep = np.ones(len(pair.x), bool)
    for few in range(1, most + 1):
        keep[order[few - 1]] = False
        left = pearson_coefficient(pair.x[keep], pair.y[keep])
        made = side < 0 and abs(r) >= T.FEW_CARRY_LEAST and (abs(left) <= abs(r) / 2 or left * r <= 0)
        hidden = side > 0 and abs(left) >= T.FEW_CARRY_LEAST and abs(r) <= abs(left) / 2
        if made or hidden:
            return order[:few], left
    return None


def _carried_apart(
    pair: _Pair, both: tuple[str, str], r: float, labels: list[str], outcome: str | None
) -> list[Finding]:
    """Say where rows beyond a wide gap of either number make a correlation that the others have not."""
    n = len(pair.x)
    for name, values in zip(both, (pair.x, pair.y), strict=True):
        out = _beyond_a_gap(values)
        if out is None or abs(r) < T.FEW_CARRY_LEAST:
            continue
        left = pearson_coefficient(pair.x[~out], pair.y[~out])
        if abs(left) <= abs(r) / 2 or left * r <= 0:
            at = [labels[k] for k in np.sort(pair.rows[out])]
            ends = dict.fromkeys(number_label(float(v)) for v in (values[out].min(), values[out].max()))
            where = f"they have {marked(name)} of {' to '.join(ends)}, apart from all others"
            return [_carried(both, (r, left), at, n, True, outcome, where)]
    return []


def _beyond_a_gap(values: Floats) -> NDArray[np.bool_] | None:
    """Return the rows, a sixth at most, beyond a gap as wide as all others reach; nothing where there are none."""
    order = np.sort(values)
    n, most = len(order), max(1, int(T.APART_SHARE * len(order)))
    steps = np.diff(order)
    least = T.GAP_STEPS * float(np.min(steps, where=steps > 0, initial=np.inf))  # a next value of a count is no gap
    low, high = steps[:most], steps[n - 1 - most :]
    k = int(np.argmax(high)) + n - 1 - most
    if steps[k] > least and steps[k] >= order[k] - order[0] > 0:
        return np.asarray(values > order[k])
    j = int(np.argmax(low))
    if steps[j] > least and steps[j] >= order[-1] - order[j + 1] > 0:
        return np.asarray(values < order[j + 1])
    return None


def _carried(
    pair: tuple[str, str], r: tuple[float, float], at: list[str], n: int, made: bool, outcome: str | None,
    where: str = "",
) -> Finding:  # fmt: skip
    (a, b), few = pair, len(at)
    one = few == 1
    verb = ("carries" if one else "carry") if made else ("hides" if one else "hide")
    what = "it" if made else "how they go together"
    return Finding(
        "few-rows-correlate",
        "caution" if outcome is None or outcome in pair else "note",
        (a, b),
        f"{marked(a)} and {marked(b)} correlate at {r[0]:.2f}, but {plural(few, 'row')} of {n:,} {verb} {what}: "
        f"without {'it' if one else 'them'} {r[1]:.2f} (row{'' if one else 's'} {', '.join(at[:5])}"
        f"{', …' if few > 5 else ''}){'; ' if where else ''}{where}.",
        "Look at these rows before believing the number; Spearman's is less at their mercy.",
        {"r": r[0], "without": r[1], "rows": at},
    )


def _correlated(relations: Relations) -> list[_Pair]:
    """Return the pairs of numbers of the largest correlations, of values or of ranks, whatever their form."""
    at = [i for i, s in enumerate(relations.sides) if s.what == "number" and not s.constant][:MOST_COLUMNS]
    at = [i for i in at if not _mostly_one(numbers_of(relations.sides[i]))]
    columns = [numbers_of(relations.sides[i]) for i in at]
    if len(at) < 2:
        return []
    ranked = [_ranks(v) for v in columns]
    r = np.maximum(*(np.abs(np.nan_to_num(pearson_matrix(of).r, nan=0.0)) for of in (columns, ranked)))
    first, second = np.nonzero(np.triu(r >= T.FEW_CARRY_LEAST, 1))
    order = np.argsort(-r[first, second], kind="stable")[:MOST_LOOKED_AT]
    pairs = zip(first[order], second[order], strict=True)
    return [pair for a, b in pairs for pair in _common(relations, at[a], at[b])]


def _mostly_one(v: Floats) -> bool:
    there = v[~np.isnan(v)]
    return len(there) == 0 or int(run_lengths(np.sort(there)).max()) > T.MOSTLY_EQUAL * len(there)


def _ranks(v: Floats) -> Floats:
    """Return ranks of a column's own rows, NaN where it is missing."""
    out = np.full(len(v), np.nan)
    there = ~np.isnan(v)
    out[there] = ranks_of(v[there])
    return out


def _standardized(v: Floats) -> Floats:
    away, _ = in_unit(v - v.mean())
    spread = float(np.sqrt(np.mean(away**2)))
    return np.asarray(away / spread) if spread > 0 else away


def said_of_levels(relations: Relations, sampling: Sampling, outcome: str | None) -> list[Finding]:
    """Say which correlations of numbers turn round, vanish, or show only within the levels of a third column."""
    at = [i for i, s in enumerate(relations.sides) if s.what == "number" and not s.constant][:MOST_COLUMNS]
    names = relations.names
    numbers = [(names[i], numbers_of(relations.sides[i])) for i in at]
    thirds = [(s.name, s.codes, s.size) for s in relations.sides if s.codes is not None and s.size >= 2]
    thirds = [t for t in thirds if t[2] <= T.MOST_GAP_LEVELS]
    seen = correlations_within(numbers, [t for t in thirds if t[0] != outcome], sampling)
    # what is asked about divides nothing: between its classes all that tells them apart correlates, but does not turn
    of_classes = correlations_within(numbers, [t for t in thirds if t[0] == outcome], sampling)
    return correlation_findings(seen + [c for c in of_classes if c.code == TURNS], outcome)


def _thinned(values: Floats) -> Floats:
    """Return so many values, evenly taken from all in order: their distribution is that of all to 1 in so many."""
    ordered = np.sort(values[~np.isnan(values)])
    return ordered[:: max(1, len(ordered) // THINNED)]


def equal_summaries(relations: Relations, outcome: str | None, sampling: Sampling) -> list[Finding]:
    """Find columns whose mean, deviation and correlation with a numeric outcome agree, and shapes do not."""
    sides = [s for s in relations.sides if s.what == "number" and not s.constant and s.name != outcome]
    target = next((s for s in relations.sides if s.name == outcome and s.what == "number"), None)
    summary = [_summary(s, target) for s in sides]
    found = []
    agreeing = _agreeing(np.array(summary))[:MOST_COMPARED]
    thinned = {k: _thinned(numbers_of(sides[k])) for k in {k for pair in agreeing for k in pair}}
    for i, j in agreeing:
        if scipy.stats.ks_2samp(thinned[i], thinned[j], method="asymp").statistic < T.SHAPES_APART - 4 / THINNED:
            continue
        x, y = (v[~np.isnan(v)] for v in (numbers_of(sides[i]), numbers_of(sides[j])))
        gap = float(scipy.stats.ks_2samp(x, y, method="asymp").statistic)
        effect = max(sampling.distribution_effect(numbers_of(sides[k])) for k in (i, j))
        p = float(special.kolmogorov(gap * np.sqrt(len(x) * len(y) / (len(x) + len(y)) / effect)))
        if gap < T.SHAPES_APART or p > T.GROUP_P:
            continue
        a, b = sides[i].name, sides[j].name
        mean, sd, r = summary[i]
        also = f" and the same correlation with {marked(str(outcome))} ({r:.2f})" if target is not None else ""
        found.append(
            Finding(
                "equal-summaries",
                "caution",
                (a, b),
                f"{marked(a)} and {marked(b)} have the same mean ({mean:.3g}) and deviation ({sd:.3g}){also}, yet "
                f"their shapes differ: at some value {gap:.0%} of the rows lie on different sides "
                f"({p_text(p)}).",
                f"Do not judge by the numbers: look at both, distribution([{a!r}, {b!r}]).",
                {"mean": mean, "sd": sd, "largest_gap": gap},
            )
        )
    return found[:2]


def _summary(side: Side, target: Side | None) -> tuple[float, float, float]:
    """Return mean, deviation and correlation with the target; NaN where there are too few rows to compare shapes."""
    values = numbers_of(side)
    present = values[~np.isnan(values)]
    if len(present) < T.LEAST_SHAPE:
        return float("nan"), float("nan"), float("nan")
    with np.errstate(over="ignore", invalid="ignore"):
        mean, sd = float(present.mean()), spread_of(present, 1)
    if not (np.isfinite(sd) and sd > 0):
        return float("nan"), float("nan"), float("nan")
    if target is None:
        return mean, sd, 0.0
    y = numbers_of(target)
    both = ~(np.isnan(values) | np.isnan(y))
    return mean, sd, pearson_coefficient(values[both], y[both])


def _agreeing(summary: Floats) -> list[tuple[int, int]]:
    """Return pairs whose means and deviations agree to two digits, of the deviation, and correlations to 0.02."""
    pairs = []
    for i, (mean, sd, r) in enumerate(summary[:-1]):
        means, sds, rs = summary[i + 1 :].T
        scale = np.maximum(sd, sds)
        near = np.maximum(np.abs(means - mean), np.abs(sds - sd)) <= 0.01 * scale
        pairs += [(i, i + 1 + int(j)) for j in np.flatnonzero(near & (np.abs(rs - r) <= 0.02))]
    return pairs


def said_together(joint: list[Joint], outcome: str) -> list[Finding]:
    """Name pairs that matter only, or much more, together."""
    found = []
    for j in joint:
        if j.excess[1] <= T.TOGETHER_LEAST:
            continue
        a, b = marked(j.first), marked(j.second)
        found.append(
            Finding(
                "more-together",
                "note",
                (j.first, j.second, outcome),
                f"{a} and {b} say more about {marked(outcome)} together than each alone: {j.share.share:.1%} of the "
                f"uncertainty against {max(j.alone[0], 0):.1%} and {max(j.alone[1], 0):.1%}.",
                f"Give a model both and their product, or cross them: contingency([{j.first!r}, {j.second!r}]).",
                {"share": j.share.share, "alone": list(j.alone), "excess": list(j.excess)},
            )
        )
    return found[:3]
