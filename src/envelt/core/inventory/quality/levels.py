"""Levels: spelt in two ways, too many, too rare; and texts among numbers."""

from __future__ import annotations

import re
from collections import defaultdict

import numpy as np

from ....errors import option
from ... import thresholds as T
from ...columns.kinds import NUMERIC_KINDS
from ...columns.marks import KEPT_AS_TEXT, KNOWN, says_nothing
from ...columns.names import names_rows
from ...columns.readings import read_numbers
from ...columns.table import CategoryColumn, Column, Table, TimeColumn
from ...finding import Finding, marked
from ...words import plural

SCALE_MARKS = (8, 9, 88, 97, 98, 99, 888, 999, -1, -7, -8, -9, -99)
"""Numbers that stand for no answer beside the grades of a scale."""
MEANT = "+<>#*±"
"""Signs that make another level of one: a master's and what is above it."""


def level_findings(table: Table) -> list[Finding]:
    """Look at every category column."""
    found = []
    for c in table:
        if isinstance(c, CategoryColumn) and c.kind != "constant":
            found += spelling_findings(c) if c.kind in ("nominal", "binary", "ordinal") else []
            found += _nothing_known(c) or _beside_a_scale(c)
        found += _borderline(c)
    mixed = [f for c in table for f in _mixed(c)]
    marks = [f for f in mixed if f.code == "marks-for-missing"]
    found += [f for f in mixed if f not in marks]
    return found + (marks if len(marks) <= T.MOST_GAPS_APART else [_marks_of_many(marks)])


def _nothing_known(c: CategoryColumn) -> list[Finding]:
    """Say which levels are no levels: unknown, not stated, a question mark."""
    found = [k for k in np.flatnonzero(c.counts >= T.SENTINEL_ROWS).tolist() if says_nothing(c.written[k])]
    rows = int(c.counts[found].sum()) if found else 0
    present = int(c.counts.sum())
    sure = all(c.written[k].strip() in ("", "\\N") for k in found)
    if not rows or len(found) > 2 or (rows > T.MOSTLY_MISSING * present and not sure):
        return []
    named, share = " and ".join(repr(c.written[k]) for k in found), rows / present
    return [
        Finding(
            "sentinel-value",
            "caution" if share >= T.LEAST_POINTS else "note",
            (c.name,),
            f"{marked(c.name)} is {named} in {rows:,} of {plural(present, 'row')} ({share:.1%}): that says nothing is "
            "known, and is no level.",
            f"If so, say it: {option('missing', c.written[found[0]])}; and ask who is not known, it may follow the "
            "outcome.",
            {"value": c.written[found[0]], "rows": rows},
        )
    ]


def _beside_a_scale(c: CategoryColumn) -> list[Finding]:
    """Find a 9, 99 or −1 beside grades that follow each other: 1 to 5, and 9."""
    texts = [c.levels[k] for k in np.flatnonzero(c.counts > 0)]
    if not 4 <= len(texts) <= T.FEW_GRADES or not all(re.fullmatch(r"-?\d{1,3}", t) for t in texts):
        return []
    grades = sorted(int(t) for t in texts)
    for mark, scale in ((grades[-1], grades[:-1]), (grades[0], grades[1:])):
        apart = min(abs(mark - scale[0]), abs(mark - scale[-1]))
        if scale[-1] - scale[0] == len(scale) - 1 and scale[0] in (0, 1) and mark in SCALE_MARKS and apart > T.MARK_GAP:
            rows = int(c.counts[c.levels.index(str(mark))])
            if mark > scale[-1] and rows <= T.SCALE_SLIPS:
                return []  # a slip, more likely than a mark: `off_scale` says so
            return [
                Finding(
                    "sentinel-value",
                    "caution" if rows >= T.SENTINEL_ROWS else "note",
                    (c.name,),
                    f"{marked(c.name)} is {mark} in {plural(rows, 'row')}, beside grades from {scale[0]} to "
                    f"{scale[-1]}: likely a code for missing.",
                    f"If so, say it: {option('missing', str(mark))}, for this column.",
                    {"value": str(mark), "rows": rows},
                )
            ]
    return []


def _mixed(c: Column) -> list[Finding]:
    """Say which texts were taken as missing."""
    if not c.blanked or (c.declared and not isinstance(c, CategoryColumn)):
        return []
    known = all(not text.strip() or text.strip().casefold() in KNOWN for text, _ in c.blanked)
    rows = sum(n for _, n in c.blanked)
    shown = ", ".join(f"{text!r} in {plural(n, 'row')}" for text, n in c.blanked[:3])
    shown += ", …" if len(c.blanked) > 3 else ""
    what, evidence = "dates" if isinstance(c, TimeColumn) else "numbers", {"texts": [list(t) for t in c.blanked[:20]]}
    if isinstance(c, CategoryColumn):
        evidence["rows"] = rows  # type: ignore[assignment]
        return [
            Finding(
                "marks-for-missing",
                "note",
                (c.name,),
                f"{marked(c.name)} holds {shown}: taken as missing.",
                "Where it is a level of its own (a country, a kind), say that nothing stands for missing: missing = [] "
                "of the column in the study file, or columns={name: {'missing': []}}.",
                evidence,
            )
        ]
    if known:
        mark = option("missing", c.blanked[0][0])
        return [
            Finding(
                "marks-for-missing",
                "note",
                (c.name,),
                f"{marked(c.name)} holds {what}, and {shown}: taken as missing.",
                f"Say so with {mark}; where it means something else, declare the column nominal.",
                evidence,
            )
        ]
    return [
        Finding(
            "mixed-types",
            "caution",
            (c.name,),
            f"{marked(c.name)} holds {what} but for texts in {plural(rows, 'row')}, taken as missing: {shown}.",
            "Mend those cells, name what means missing with missing, or declare the column nominal or text.",
            evidence,
        )
    ]


def _marks_of_many(found: list[Finding]) -> Finding:
    """Join what is said of many columns: marks for missing are the same all over a table."""
    texts: dict[str, int] = defaultdict(int)
    for f in found:
        for text, n in f.evidence["texts"]:
            texts[text] += n
    shown = ", ".join(f"{text!r} in {plural(n, 'cell')}" for text, n in sorted(texts.items(), key=lambda t: -t[1])[:4])
    names = [f.columns[0] for f in found]
    listed = ", ".join(map(marked, names[:3])) + f" and {len(names) - 3} more"
    return Finding(
        "marks-for-missing",
        "note",
        tuple(names),
        f"{plural(len(found), 'column')} ({listed}) hold marks, taken as missing: {shown}.",
        "Say so with missing; where one of them is a level of its own, missing = [] of that column keeps it.",
        {"texts": [[t, n] for t, n in texts.items()], "columns": {f.columns[0]: f.evidence for f in found}},
    )


def spelling_findings(c: CategoryColumn) -> list[Finding]:
    """Find levels that differ by case or space, or by one letter where one of the two is rare."""
    if len(c.levels) > T.MOST_LEVELS_SPELT:
        return []
    counts = c.counts
    alike: dict[str, list[int]] = defaultdict(list)
    for i, level in enumerate(c.levels):
        alike[re.sub(r"[\s_]+|(?<=\w)-+(?=\w)", " ", level).strip().casefold()].append(i)
    groups = [g for g in alike.values() if len(g) > 1]
    near = [] if _of_people_or_places(c.name) else _neighbours(list(alike))
    if len(near) > max(T.FEW_SPELLINGS, T.FEW_TEXTS * len(alike)):
        near = []  # names that are alike by nature
    for a, b in near:
        few, many = sorted(int(counts[alike[k]].sum()) for k in (a, b))
        if few <= max(T.RARE_SPELLING * many, 1):
            groups.append(alike[a] + alike[b])
    if not groups:
        return []
    shown = "; ".join(
        " and ".join(f"{c.levels[i]!r} ({counts[i]:,})" for i in sorted(g, key=lambda i: -counts[i]))
        for g in groups[:3]
    )
    return [
        Finding(
            "level-spelling",
            "caution",
            (c.name,),
            f"{marked(c.name)} has levels that look like one spelt in several ways: {shown}.",
            "Join them, or every rate is split between the spellings.",
            {"levels": [[c.levels[i] for i in g] for g in groups[:20]]},
        )
    ]


def _of_people_or_places(name: str) -> bool:
    """Say whether a column holds proper names, of which two may well be one letter apart."""
    return names_rows(name) or bool(re.search(r"name$|player|team|author|keeper|street|road", name.casefold()))


def _neighbours(keys: list[str]) -> list[tuple[str, str]]:
    """Return the pairs of texts one letter apart: such a pair shares a text with one letter left out."""
    same_digits: dict[str, list[int]] = defaultdict(list)
    for i, key in enumerate(keys):
        if len(key) >= T.SHORTEST_SPELT:
            same_digits[re.sub(r"\D", "", key)].append(i)
    without: dict[tuple[str, str], list[int]] = defaultdict(list)
    for digits, group in same_digits.items():
        for i in group if len(group) > 1 else ():
            key = keys[i]
            for shorter in {key, *(key[:k] + key[k + 1 :] for k in range(len(key)))}:
                without[digits, shorter].append(i)
    groups = [sorted(set(group)) for group in without.values() if len(set(group)) > 1]
    several = {i for group in groups if len(group) > 2 for i in group}  # one place takes three letters: other words
    pairs = {(i, j) for group in groups for i in group for j in group if i < j and not {i, j} <= several}
    return [(keys[i], keys[j]) for i, j in sorted(pairs) if _one_letter_apart(keys[i], keys[j])]


def _one_letter_apart(a: str, b: str) -> bool:
    """Say whether two texts differ by one letter put in, left out, changed or swapped; digits never count.

    The first letter is never the one: 'other' and 'mother' are two words.
    """
    if a[:1] != b[:1] or ({*a} ^ {*b}) & {*MEANT}:
        return False
    if min(len(a), len(b)) < T.SHORTEST_SPELT or abs(len(a) - len(b)) > 1 or a == b or _is_code(a) or _is_code(b):
        return False
    start = next((i for i, (x, y) in enumerate(zip(a, b, strict=False)) if x != y), min(len(a), len(b)))
    rest_a, rest_b = a[start:], b[start:]
    if any(ch.isdigit() for ch in rest_a[:2] + rest_b[:2]):
        return False
    if len(a) == len(b):
        swapped = len(rest_a) > 1 and rest_a[:2] == rest_b[1::-1] and rest_a[2:] == rest_b[2:]
        return rest_a[1:] == rest_b[1:] or swapped
    longer, shorter = (rest_a, rest_b) if len(a) > len(b) else (rest_b, rest_a)
    return longer[1:] == shorter


def _is_code(text: str) -> bool:
    """Say whether a text is a code and no word: it has digits among its letters, or no vowel."""
    letters = re.sub(r"[^a-z]", "", text)
    return any(ch.isdigit() for ch in text) or (len(letters) > 0 and not re.search(r"[aeiouyäöüéèáíóú]", text))


def _borderline(c: Column) -> list[Finding]:
    """Say which other kind a column may be, and how to settle it."""
    found = []
    if c.reading.endswith(KEPT_AS_TEXT):
        found.append(
            Finding(
                "kept-as-text",
                "caution",
                (c.name,),
                f"{marked(c.name)} holds {c.reading}.",
                "Bring it to one unit, or rescale it, or say which cells are missing; as it is, no mean is taken.",
                {"reading": c.reading},
            )
        )
    elif c.reading and not c.blanked:
        doubt = "may be swapped" in c.reading
        found.append(
            Finding(
                "read-from-text",
                "caution" if doubt else "note",
                (c.name,),
                f"{marked(c.name)}: {c.reading}.",
                "If that is wrong, declare it nominal or text, or write those cells plainly.",
                {"reading": c.reading},
            )
        )
    if not c.other:
        return found
    numbers = isinstance(c, CategoryColumn) and c.kind in ("nominal", "ordinal", "identifier")
    code = "coded-numbers" if numbers and read_numbers(list(c.levels[:50])) is not None else "borderline-kind"  # type: ignore[attr-defined]
    found.append(
        Finding(
            code,
            "caution" if code == "coded-numbers" and c.kind == "nominal" and c.other in NUMERIC_KINDS else "note",
            (c.name,),
            f"{marked(c.name)} is read as {c.kind}, but could be {c.other}: {c.reason}.",
            f"Say which: declare {marked(c.name)} {c.kind} or {c.other}, and this is settled.",
            {"kind": c.kind, "other": c.other, "reason": c.reason},
        )
    )
    return found
