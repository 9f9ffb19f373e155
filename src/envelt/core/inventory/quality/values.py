"""Values that cannot be: codes for missing, values outside the possible, dates apart from the others."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ....errors import option
from ... import thresholds as T
from ...columns.kinds import CLOCK, distinct_numbers
from ...columns.labels import number_label, time_label
from ...columns.names import hints, possible_values
from ...columns.table import CategoryColumn, NumericColumn, Table, TimeColumn
from ...columns.zones import compared
from ...finding import Finding, marked
from ...sentinels import SENTINELS, sentinel_finding
from ...shapes.quantiles import sorted_quantiles
from ...words import listed, plural

Floats = NDArray[np.float64]

SENTINEL_DATES = ("1900-01-01", "1899-12-30", "1970-01-01", "1901-01-01", "9999-12-31", "2099-12-31", "1753-01-01")


def value_findings(table: Table, ranges: dict[str, tuple[float, float]]) -> list[Finding]:
    """Find sentinel values, values outside a declared range, impossible ones, and dates that stand apart."""
    found = []
    clocks = [c for c in table if isinstance(c, NumericColumn) and c.kind == "continuous" and CLOCK in c.reason]
    found += [_clocks(clocks)] if clocks else []
    for c in table:
        if isinstance(c, NumericColumn):
            found += _number(table, c, ranges.get(c.name))
        elif isinstance(c, TimeColumn):
            found += _date(table, c)
        elif isinstance(c, CategoryColumn):
            found += _no_grade(c)
    return found


def _no_grade(c: CategoryColumn) -> list[Finding]:
    """Find a 0 below the grades of a scale that many rows have and few the next grade: it may be none at all."""
    if c.kind != "ordinal" or not hints(c.name, "grades") or c.levels[:2] != ("0", "1") or len(c.levels) < 4:
        return []
    n = np.bincount(c.codes[c.codes >= 0], minlength=len(c.levels))
    if n[0] < T.NO_GRADE_SHARE * n.sum() or n[0] < n.max() or 2 * n[1] > n[1:].max():
        return []
    return [
        Finding(
            "sentinel-value",
            "caution",
            (c.name,),
            f"{marked(c.name)} is 0 in {int(n[0]):,} of {plural(int(n.sum()), 'row')}, and the next grade, 1, in "
            f"{int(n[1]):,} only, where {c.levels[int(np.argmax(n[1:])) + 1]} has {int(n[1:].max()):,}: 0 may be no "
            "grade, but none given.",
            f"If so, say it: {option('missing', '0')} for this column; else it counts as the worst of all.",
            {"value": "0", "rows": int(n[0])},
        )
    ]


def _number(table: Table, c: NumericColumn, valid: tuple[float, float] | None) -> list[Finding]:
    present = len(c) - int(c.missing.sum())
    if present < T.ROWS_FOR_IDENTIFIER:
        return []
    there = c.values[~c.missing]
    sentinels = [v for v in c.ends if v in SENTINELS and _stands_apart(there, v)]
    few = c.ends[0] == 0 and c.distinct > T.MEASURED and np.mean(there == 0) <= T.ZERO_FEW
    if few and _stands_apart(there, 0.0) and there[there > 0].min() > T.ZERO_APART * np.median(there):
        sentinels.append(0.0)  # zero that no run of small values leads to: not written down
    found = [sentinel_finding(c.name, number_label(v), int(np.sum(c.values == v)), present) for v in sentinels]
    low, high, what = possible_values(c.name, valid)
    if low <= c.ends[0] and c.ends[1] <= high:
        return found or _before_the_others(table, c, there)
    outside = (c.values < low) | (c.values > high)
    for v in sentinels:
        outside &= c.values != v
    n = int(outside.sum())
    if n and (valid is not None or n <= T.FEW_IMPOSSIBLE * present):
        if valid is None and not _gap_between(there, low, high):
            return [*found, _another_unit(c, n, (low, high), what)]
        found.append(_outside(table, c, outside, (low, high), what, valid is not None))
    return found


def _gap_between(values: Floats, low: float, high: float) -> bool:
    """Say whether a gap parts values that can be from those that cannot: else the limit is of another unit."""
    inside, beyond = values[(values >= low) & (values <= high)], values[(values < low) | (values > high)]
    if len(inside) == 0:
        return True
    gap = np.min(np.where(beyond > high, beyond - inside.max(), inside.min() - beyond))
    q1, q99 = sorted_quantiles(np.sort(inside), np.array([0.01, 0.99]))
    return bool(gap > T.IMPOSSIBLE_GAP * (q99 - q1))


def _another_unit(c: NumericColumn, n: int, limits: tuple[float, float], what: str) -> Finding:
    end = number_label(c.ends[1] if c.ends[1] > limits[1] else c.ends[0])
    return Finding(
        "impossible-value",
        "note",
        (c.name,),
        f"{marked(c.name)} runs on without a gap beyond what {what} can be, to {end} ({plural(n, 'value')}): is it in "
        "another unit of measure?",
        "Say its unit; or declare the range that is possible, and what lies beyond is taken for an error.",
        {"count": n, **_ends(limits)},
    )


def _before_the_others(table: Table, c: NumericColumn, there: Floats) -> list[Finding]:
    """Find a few small values above zero, far below where most of the others begin at once: ages under 1 of adults."""
    ordered = np.sort(there)
    most = int(T.FEW_IMPOSSIBLE * len(ordered))
    if ordered[0] < 0 or most < 2:
        return []
    gaps = np.diff(ordered[: most + 1])
    k = int(np.argmax(gaps)) + 1
    gap, q1, q99 = float(gaps[k - 1]), *sorted_quantiles(ordered, np.array([0.01, 0.99]))
    begins = np.searchsorted(ordered, ordered[k] + gap, "right") - k
    if ordered[0] == ordered[k - 1] or gap <= T.SENTINEL_GAP * (q99 - q1) or begins < T.BEGINS_AT_ONCE * len(ordered):
        return []
    if ordered[k - 1] > T.ZERO_APART * ordered[k]:
        return []
    few = c.values < ordered[k]
    rows = [str(r) for r in table.rows[table.apart(np.flatnonzero(few))[:20]]]
    return [
        Finding(
            "impossible-value",
            "caution",
            (c.name,),
            f"{plural(k, 'value')} of {marked(c.name)} lie from {number_label(ordered[0])} to "
            f"{number_label(ordered[k - 1])}, and all others begin at {number_label(ordered[k])} (rows "
            f"{', '.join(rows[:5])}{', …' if len(rows) > 5 else ''}): they are not of the same kind, or errors.",
            "Mend or blank those cells, or declare the range that is possible.",
            {"rows": rows, "count": k, "low": float(ordered[k]), "high": None},
        )
    ]


def _stands_apart(values: Floats, sentinel: float) -> bool:
    """Say whether a value at the end of a column is far from all others, as no measurement would be."""
    rest = np.sort(values[values != sentinel])
    nines = abs(sentinel) >= 99 and set(number_label(abs(sentinel))) == {"9"}  # a mark whatever its share
    if len(rest) < T.ROWS_FOR_IDENTIFIER or (len(rest) < len(values) / 2 and not nines):
        return False
    q1, q3 = sorted_quantiles(rest, np.array([0.25, 0.75]))
    iqr = max(float(q3 - q1), 1e-12 * max(abs(float(q1)), 1.0))
    if sentinel < rest[0]:
        gap, beyond = rest[0] - sentinel, q1 - sentinel
    else:
        gap, beyond = sentinel - rest[-1], sentinel - q3
    if abs(sentinel) < 10 and gap <= T.MARK_GAP and (rest == np.floor(rest)).all():
        return False  # the next but one of whole numbers
    core = float(sorted_quantiles(rest, np.array([0.99]))[0] - sorted_quantiles(rest, np.array([0.01]))[0])
    return bool(beyond > T.SENTINEL_IQRS * iqr and gap > max(iqr, T.SENTINEL_GAP * core))


def _clocks(columns: list[NumericColumn]) -> Finding:
    """Say which numbers are hours and minutes in one: from 1359 to 1400 it is a minute."""
    names = [c.name for c in columns]
    first = np.unique(columns[0].values[~columns[0].missing])
    k = int(np.argmax(np.floor(first[1:] / 100) > np.floor(first[:-1] / 100)))
    return Finding(
        "mixed-units",
        "caution",
        tuple(names),
        f"{listed([*map(marked, names)])} {'holds' if len(names) == 1 else 'hold'} hours and minutes in one number "
        f"({number_label(first[k])}, and then {number_label(first[k + 1])}; no last two digits above 59): differences, "
        "means and bins of such numbers are no times.",
        "Make hours of them: the hundreds, and the rest over 60; and mind that 23:59 is next to 0:00.",
        {"columns": names},
    )


def _outside(
    table: Table, c: NumericColumn, outside: NDArray[np.bool_], limits: tuple[float, float], what: str, declared: bool
) -> Finding:
    at = table.apart(np.flatnonzero(outside))
    rows, n = [str(r) for r in table.rows[at[:20]]], int(np.count_nonzero(outside))
    listed = ", ".join(f"{number_label(c.values[i])} in row {table.rows[i]}" for i in at[:3])
    low, high = (number_label(v) if np.isfinite(v) else "any" for v in limits)
    code = "out-of-range" if declared else "impossible-value"
    why = f"the declared range {low} to {high}" if declared else f"what {what} can be"
    return Finding(
        code,
        "caution",
        (c.name,),
        f"{marked(c.name)} holds {plural(n, 'value')} outside {why}: {listed}{', …' if len(at) > 3 else ''}.",
        "Mend or blank those cells" + ("." if declared else ", or declare the range that is possible."),
        {"rows": rows, "count": n, **_ends(limits)},
    )


def _ends(limits: tuple[float, float]) -> dict[str, float | None]:
    low, high = (v if np.isfinite(v) else None for v in limits)
    return {"low": low, "high": high}


def _date(table: Table, c: TimeColumn) -> list[Finding]:
    days = np.sort(c.days[~c.absent])
    if len(days) < T.ROWS_FOR_IDENTIFIER:
        return []
    found = []
    unique, _ = distinct_numbers(np.floor(days))
    q1, q3 = sorted_quantiles(days, np.array([0.25, 0.75]))
    reach = max(float(q3 - q1), 1.0) * T.DATE_IQRS
    for end, apart in ((unique[0], q1 - unique[0]), (unique[-1], unique[-1] - q3)):
        label = time_label(int(end * 86_400_000_000))
        if apart > reach and label in SENTINEL_DATES:
            found.append(sentinel_finding(c.name, label, int(np.sum(np.floor(days) == end)), len(days)))
    low, high = _ends_of_tails(days, float(q1 - reach), float(q3 + reach), float(q3 - q1))
    far = (c.days > high) | (c.days < low)
    for f in found:
        far &= np.floor(c.days) != float(np.datetime64(f.evidence["value"]).astype("datetime64[D]").astype(int))
    n = int(far.sum())
    if n and n <= T.FEW_IMPOSSIBLE * len(days):
        at = table.apart(np.flatnonzero(far))
        listed = ", ".join(f"{time_label(int(c.values[i]))} in row {table.rows[i]}" for i in at[:3])
        found.append(
            Finding(
                "date-apart",
                "caution",
                (c.name,),
                f"{n:,} dates of {marked(c.name)} lie far from all others: {listed}{', …' if len(at) > 3 else ''}.",
                "Look for a mistyped year.",
                {"rows": [str(r) for r in table.rows[at[:20]]], "count": n},
            )
        )
    return found


def _ends_of_tails(days: Floats, low: float, high: float, gap: float) -> tuple[float, float]:
    """Return the days at which tails end that leave certain bounds: before the first gap so wide beyond them."""
    above, below = days[np.searchsorted(days, high, "right") - 1 :], days[: np.searchsorted(days, low) + 1][::-1]
    ends = []
    for tail in (below, above):
        wide = np.flatnonzero(np.abs(np.diff(tail)) > gap)
        ends.append(float(tail[wide[0] if len(wide) else -1]))
    return ends[0], ends[1]


def date_order_findings(table: Table) -> list[Finding]:
    """Find pairs of dates of which one nearly always comes first, and the rows where it does not."""
    dates = [c for c in table if isinstance(c, TimeColumn)][:20]
    found = []
    for i, a in enumerate(dates):
        for b in dates[i + 1 :]:
            both = ~(a.absent | b.absent)
            n = int(both.sum())
            if n < T.ROWS_FOR_ORDER:
                continue
            for first, second in ((a, b), (b, a)):
                before, after = compared(first, second)
                wrong = both & (after < before)
                k = int(wrong.sum())
                if 0 < k <= T.FEW_OUT_OF_ORDER * n and int((after > before)[both].sum()) > n / 2:
                    rows = [str(r) for r in table.rows[table.apart(np.flatnonzero(wrong))[:20]]]
                    found.append(
                        Finding(
                            "dates-out-of-order",
                            "caution",
                            (second.name, first.name),
                            f"{marked(second.name)} comes after {marked(first.name)}, but before it in {k:,} of {n:,} "
                            f"rows (rows {', '.join(rows[:5])}{', …' if len(rows) > 5 else ''}).",
                            "Check those rows: one of the two dates is wrong.",
                            {"rows": rows, "count": k},
                        )
                    )
    return found
