"""Missing values: much, together, and following the outcome."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ... import thresholds as T
from ...columns.outcome import ClassOutcome, Outcome
from ...columns.table import Table
from ...finding import Finding, marked, of_many
from ...stats.crossing import Crossing
from ...stats.groups import GroupedRows, rank_test
from ...stats.sampling import Sampling
from ...words import listed, p_text, plural

Mask = NDArray[np.bool_]


def missing_findings(table: Table, outcome: Outcome | None, sampling: Sampling, explained: set[str]) -> list[Finding]:
    """Find columns mostly missing, columns missing on the same rows, and missing that follows the outcome.

    Parameters
    ----------
    explained
        Columns whose gaps another column explains, so that it is this one that goes with the outcome.
    """
    masks = {c.name: c.missing for c in table}
    counts = {name: int(m.sum()) for name, m in masks.items()}
    gaps = [n for n, k in counts.items() if 0 < k < len(table)]
    mostly = [n for n in gaps if counts[n] / len(table) >= T.MOSTLY_MISSING]
    found = _on_same_rows([_mostly(n, counts[n], len(table), table[n].kind) for n in mostly], masks)
    found += [_empty(n, len(table)) for n, k in counts.items() if 0 < k == len(table)]
    found += _nothing_there(table, masks) if len(counts) > 1 and all(counts.values()) else []
    target = None if outcome is None else outcome.name  # rows without it are lost anyway
    found += _costs(table, {n: masks[n] for n in gaps if n not in mostly and n != target and table[n].kind != "text"})
    found += _together({n: masks[n] for n in gaps if counts[n] >= T.FEWEST_GAPS}, counts)
    if outcome is not None:
        followed = [n for n in gaps if n != outcome.name and n not in explained and counts[n] >= T.FEWEST_GAPS]
        following = [f for n in followed for f in missing_follows(n, masks[n], outcome, sampling, len(followed))]
        following = _on_same_rows(following, masks)
        found += following if len(following) <= T.MOST_GAPS_APART else [_all_follow(following, outcome.name)]
    return found


def _nothing_there(table: Table, masks: dict[str, Mask]) -> list[Finding]:
    """Say which rows lack a value in every column."""
    at = np.flatnonzero(np.logical_and.reduce(list(masks.values())))
    if not 0 < len(at) < len(table):
        return []
    rows = [str(r) for r in table.rows[table.apart(at)[:20]]]
    one = len(at) == 1
    return [
        Finding(
            "empty-rows",
            "note",
            (),
            f"{plural(len(at), 'row')} {'has' if one else 'have'} no value in any column (row{'' if one else 's'} "
            f"{', '.join(rows[:5])}{', …' if len(at) > 5 else ''}).",
            "Drop them: lines at the end of a sheet, or forms that nobody filled in.",
            {"rows": rows, "count": len(at)},
        )
    ]


def _on_same_rows(found: list[Finding], masks: dict[str, Mask]) -> list[Finding]:
    """Say at once what is so of columns that are missing on the very same rows."""
    alike: dict[tuple[str, bytes], list[Finding]] = {}
    for f in found:
        alike.setdefault((f.weight, np.packbits(masks[f.columns[0]]).tobytes()), []).append(f)
    joined = []
    for first, *others in alike.values():
        if not others:
            joined.append(first)
            continue
        names = listed([marked(f.columns[0]) for f in others])
        same = f"{first.marked_statement} The same rows lack {names}."
        joined.append(of_many([first, *others], same, also=first.columns[1:], more=first.evidence))
    return joined


def _costs(table: Table, masks: dict[str, Mask]) -> list[Finding]:
    """Say how many rows are left where only those with every value are kept: gaps here and there add up."""
    if not masks:
        return []
    lost = np.logical_or.reduce(list(masks.values()))
    n, rows = int(lost.sum()), len(table)
    if n < T.MISSING_COSTS * rows:
        return []
    order = sorted(masks, key=lambda name: -int(masks[name].sum()))
    told = listed([f"{marked(name)} ({int(masks[name].sum()):,})" for name in order])
    return [
        Finding(
            "missing-costs-rows",
            "note",
            tuple(order),
            f"{n:,} of {plural(rows, 'row')} ({n / rows:.0%}) lack a value somewhere: {told}.",
            "To keep complete rows only would lose them all: fill with an indicator, or leave a column out.",
            {"rows": n, "missing": {name: int(masks[name].sum()) for name in order}},
        )
    ]


def _all_follow(following: list[Finding], outcome: str) -> Finding:
    """Join what has one cause: gaps of many columns that follow the outcome, the surest of them told."""
    surest = min(following, key=lambda f: f.evidence["p"])
    found = [surest, *(f for f in following if f is not surest)]
    names = [name for f in found for name in f.evidence.get("columns", f.columns[:1])]
    return of_many(
        found,
        f"{plural(len(names), 'column')} are missing more often at some {marked(outcome)} than at others: "
        f"{', '.join(map(marked, names[:5]))}{', …' if len(names) > 5 else ''}. The surest: {surest.marked_statement}",
        also=(*names, outcome),
    )


def _empty(name: str, rows: int) -> Finding:
    return Finding(
        "mostly-missing",
        "caution",
        (name,),
        f"{marked(name)} has no value in any of {plural(rows, 'row')}.",
        "Ask what became of it: lost on the way to this file, or never asked for? Until then leave it out.",
        {"missing": rows, "rows": rows},
    )


def _mostly(name: str, missing: int, rows: int, kind: str) -> Finding:
    return Finding(
        "mostly-missing",
        "note" if kind == "text" else "caution",  # remarks are made where there is something to remark
        (name,),
        f"{marked(name)} is missing in {missing:,} of {plural(rows, 'row')} ({missing / rows:.0%}).",
        "Ask why; whether it is there at all may say more than its values.",
        {"missing": missing, "rows": rows},
    )


def _together(masks: dict[str, Mask], counts: dict[str, int]) -> list[Finding]:
    """Group columns whose gaps fall on (nearly) the same rows, or of which each has those of the one before."""
    left = sorted(masks, key=lambda n: counts[n])
    chain = _nested(left, masks, counts)
    found = [_one_after_another(chain, counts)] if chain else []
    left = [n for n in left if n not in chain]
    while left:
        first = left.pop(0)
        near = [n for n in left if counts[n] * T.SAME_GAPS <= counts[first]]
        group = [n for n in near if _overlap(masks[first], masks[n]) >= T.SAME_GAPS]
        if not group:
            continue
        left = [n for n in left if n not in group]
        columns = (first, *group)
        both = int(np.logical_and.reduce([masks[n] for n in columns]).sum())
        alone = max(counts[n] for n in columns) - both
        but = f", up to {alone:,} more in one of them" if alone else ""
        found.append(
            Finding(
                "missing-together",
                "note",
                columns,
                f"{listed([marked(n) for n in columns])} go missing on the same rows ({plural(both, 'row')}{but}).",
                "They share one cause: treat them as one, and consider one column that says whether they are there.",
                {"rows": both, "missing": {n: counts[n] for n in columns}},
            )
        )
    return found


def _nested(names: list[str], masks: dict[str, Mask], counts: dict[str, int]) -> list[str]:
    """Return columns, fewest gaps first, of which each is missing wherever the one before is; none where few are so."""
    best: list[str] = []
    some = {name: masks[name][:: max(1, len(masks[name]) // T.SCREEN_GAPS)] for name in names}
    for k, first in enumerate(names):
        if first in best:
            continue
        chain = [first]
        for name in names[k + 1 :]:
            if not (some[chain[-1]] & ~some[name]).any() and not (masks[chain[-1]] & ~masks[name]).any():
                chain.append(name)
        if len(chain) > len(best):
            best = chain
    steps = sorted({counts[n] for n in best})
    enough = len(steps) >= T.NESTED_GAPS and steps[-1] <= T.MOSTLY_MISSING * len(masks[best[0]])
    return best if enough and sum(s >= T.FEWEST_GAPS for s in steps) >= T.NESTED_GAPS else []


def _one_after_another(chain: list[str], counts: dict[str, int]) -> Finding:
    told = listed([marked(n) for n in chain])
    return Finding(
        "missing-together",
        "note",
        tuple(chain),
        f"{told} go missing one after another: where one is missing, so are all that follow ({counts[chain[0]]:,} rows "
        f"of the first, {counts[chain[-1]]:,} of the last).",
        "Cases drop out and stay out: ask what ended them, and use of what comes later nothing that only those who "
        "stayed have.",
        {"rows": counts[chain[0]], "missing": {n: counts[n] for n in chain}},
    )


def _overlap(a: Mask, b: Mask) -> float:
    """Return in which share of the rows where either is missing both are; nothing where chance has them so too."""
    step = max(1, len(a) // T.SCREEN_GAPS)
    some, other = a[::step], b[::step]
    if 2 * np.count_nonzero(some & other) < np.count_nonzero(some | other):
        return 0.0
    either = np.count_nonzero(a | b)
    share = np.count_nonzero(a & b) / either if either else 0.0
    p, q = a.mean(), b.mean()
    by_chance = p * q / (p + q - p * q) if either else 0.0  # large where nearly all is missing
    return share if 2 * share >= 1 + by_chance else 0.0


def missing_follows(name: str, missing: Mask, outcome: Outcome, sampling: Sampling, looks: int) -> list[Finding]:
    """Say so where a column goes missing more often in one class, or with higher outcomes."""
    known = outcome.known
    absent, some = missing[known], sampling.take(known)
    if not 0 < absent.sum() < len(absent):
        return []
    if isinstance(outcome, ClassOutcome):
        codes = outcome.codes[known]
        crossed = Crossing.of(absent.astype(np.int8), codes, (2, len(outcome.levels)), some)
        table = crossed.counts
        exact = table.shape == (2, 2) and not some.clustered
        p = (crossed.fisher_exact() if exact else crossed.chi_square()).p
        shares = table[1] / table.sum(axis=0)
        low, high = int(shares.argmin()), int(shares.argmax())
        tiny = bool(shares[high] - shares[low] < T.LEAST_POINTS)
        text = (
            f"{marked(name)} is missing in {shares[high]:.0%} of the rows where {marked(outcome.name)} is "
            f"{outcome.levels[high]!r} and in {shares[low]:.0%} where it is {outcome.levels[low]!r}"
        )
        evidence = {"missing_share": {str(k): float(v) for k, v in zip(outcome.levels, shares, strict=True)}}
    else:
        groups = GroupedRows(outcome.values[known], absent.astype(np.int64), ("present", "missing"), some)
        p = rank_test(groups).p
        medians = [float(np.median(g)) for g in groups.ordered]
        tiny = abs(medians[1] - medians[0]) <= T.LEAST_SD * outcome.deviation
        text = (
            f"Where {marked(name)} is missing the median of {marked(outcome.name)} is {medians[1]:.4g}, elsewhere "
            f"{medians[0]:.4g}"
        )
        evidence = {"medians": {"present": medians[0], "missing": medians[1]}}
    if tiny or not p * looks < T.GAPS_P:
        return []
    return [
        Finding(
            "missing-follows-outcome",
            "caution",
            (name, outcome.name),
            f"{text} ({p_text(p)}).",
            "Do not drop these rows or fill them without a mark. Check that the gap does not arise after the outcome.",
            {**evidence, "p": p},
        )
    ]
