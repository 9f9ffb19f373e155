"""Columns that, by their names, were taken after the outcome or with it: spans, how they ended, what was adjusted."""

from __future__ import annotations

import re
from collections.abc import Sized

import numpy as np

from ... import thresholds as T
from ...columns.names import spelt_apart
from ...columns.outcome import ClassOutcome, NumericOutcome, Outcome
from ...columns.table import CategoryColumn, Column, NumericColumn, Table
from ...finding import Finding, marked
from ...shapes.ranks import ranks_of
from ...stats.correlation import pearson_coefficient, spearman
from ...stats.sampling import Sampling
from ...words import be, listed

_SPAN = re.compile(
    r"(^|[_.\W])(spell|duration|survival|surv|lifetime|tenure|dwell|stay|los|fu|fu_?time|[fs]time|followup|follow_up|"
    r"((surv(ival)?|fu|follow_?up|event|death|failure|exit|obs(erved)?|end|stop)[_. ]|^)times?)s?($|[_.\W\d])"
)
"""A span, or a time that is no other's: of `diag.time` nobody knows where it ends."""
_ENDS = re.compile(r"(^|[_.\W])(censor\w*|cens|event|status|died|dead|death|failed|failure|ended|exit)[\d_]*$")
_WHEN = re.compile(
    r"^(?P<what>.*?)[_. ]?(?P<when>(?:19|20)\d\d|[5-9]\d|\d{1,3}(?=[dwmyh]$))(?P<unit>[dwmyh]?)$", re.IGNORECASE
)
"""A year, with or without its century, or a number of days, weeks, months, years or hours, at the end of a name."""
_NUMBERED = re.compile(r"^(?P<what>.*[A-Za-z_.])(?P<k>\d{1,2})$")
_MENDED = re.compile(
    r"(?:^|(?<=[_.\W]))(?:raw|unadj(?:usted)?|uncorrected|orig(?:inal)?|adj(?:usted)?|corrected|cleaned|smoothed|imputed)"
    r"[_.]?|[_.](?:raw|unadj(?:usted)?|uncorrected|orig(?:inal)?|adj(?:usted)?|corrected|cleaned|smoothed|imputed)$"
)
"""A word by which a name says that values are as they came, or were mended."""
_POST, _PRE = (re.compile(rf"(^|[_.\W])({word})(test|score)?([_.\W\d]|$)") for word in ("post|after", "pre|before"))


def later_by_name(table: Table, outcome: Outcome, sampling: Sampling) -> list[Finding]:
    """Say which columns are later than the outcome, or as late, by their names: the finding says that these are all."""
    taken = [*_taken_then(table, outcome), *_after(table, outcome), *_of_one_set(table, outcome)]
    return [*_ended(table, outcome, sampling), *taken, *_mended(table, outcome)]


def _by_names(names: list[str], outcome: str, said: str, advice: str = "", **more: object) -> Finding:
    """Say of columns, by their names alone, what follows; ``said`` goes on after them."""
    one = len(names) == 1
    return Finding(
        "known-later",
        "caution",
        (*names, outcome),
        f"By {'its name' if one else 'their names'}, {listed([*map(marked, names)])} {said}.",
        f"Leave {'it' if one else 'them'} out of what is known before"
        + (advice or f" {marked(outcome)}, or know why not."),
        {"by_name": True, **more},
    )


def _ended(table: Table, outcome: Outcome, sampling: Sampling) -> list[Finding]:
    """Say, by their names, that a span was asked about beside what ended it, or the reverse."""
    span = isinstance(outcome, NumericOutcome) and bool(_SPAN.search(spelt_apart(outcome.name)))
    status = isinstance(outcome, ClassOutcome) and bool(_ENDS.search(spelt_apart(outcome.name)))
    others = [c for c in table if c.name != outcome.name]
    ends = [c.name for c in others if _ENDS.search(spelt_apart(c.name)) and c.distinct == 2]
    spans = [
        c.name for c in others
        if _SPAN.search(spelt_apart(c.name)) and isinstance(c, NumericColumn) and c.distinct > T.BY_VALUE
    ]  # fmt: skip
    if span:
        names = ends
        what, many = (
            f"{say} how a span ended, and {are} known only when it has" for say, are in (("says", "is"), ("say", "are"))
        )
    elif status:
        names = spans
        what, many = "is a span that lasts until the outcome is known", "are spans that last until the outcome is known"
    else:
        return _followed(table, spans, ends, sampling)
    if not names:
        return []
    bounds = ". Spans that had not ended are lower bounds: use methods for censored spans, not a mean or a rate."
    return [_by_names(names, outcome.name, what if len(names) == 1 else many, bounds)]


def _followed(table: Table, spans: list[str], ends: list[str], sampling: Sampling) -> list[Finding]:
    """Say which two columns, by their names, say how long cases were followed and how it ended, where they agree."""
    for span in spans:
        for end in ends:
            x, status = table[span].numbers, table[end]
            assert x is not None
            codes = status.codes if isinstance(status, CategoryColumn) else status.numbers
            both = ~(np.isnan(x) | status.missing)
            if codes is None or both.sum() < T.ROWS_IN_TIME:
                continue
            rho, test = spearman(x[both], codes[both].astype(np.float64), sampling.take(both))
            if not test.p < T.FOLLOWED_P:
                continue
            return [
                Finding(
                    "known-later",
                    "caution",
                    (span, end),
                    f"By their names, {marked(span)} says how long cases were followed and {marked(end)} how that "
                    f"ended (rank correlation {rho.estimate:.2f}): both are known only afterwards.",
                    "Leave both out of what is known before, or ask when each was written down.",
                    {"by_name": True, "r": rho.estimate},
                )
            ]
    return []


def _taken_then(table: Table, outcome: Outcome) -> list[Finding]:
    """Say, by their names, which columns were taken after the outcome, or with it and say much of it.

    ``weight_8m`` is later than ``weight_3m``, and ``girth97`` as late as ``height97``. Numbers in names are times where
    one thing was taken at two of them.
    """
    own = _when(outcome.name)
    if own is None:
        return []
    named = {c.name: w for c in table if c.name != outcome.name and (w := _when(c.name)) and w[2] == own[2]}
    taken: dict[str, set[int]] = {}
    for what, when, _ in [own, *named.values()]:
        taken.setdefault(what, set()).add(when)
    if max(map(len, taken.values())) < 2:
        return []
    later = [name for name, w in named.items() if w[1] > own[1]]
    with_it = {
        name: r for name, w in named.items() if w[1] == own[1] and abs(r := _along(table[name], outcome)) >= T.SAME_TIME
    }
    y, found = outcome.name, []
    if later:
        found.append(_by_names(later, y, f"{_was(later)} taken after {marked(y)}"))
    if with_it:
        found.append(
            _by_names([*with_it], y, f"{_was(with_it)} taken when {marked(y)} was, and {_go_with_it(with_it)}")
        )
    return found


def _was(names: Sized) -> str:
    return "was" if len(names) == 1 else "were"


def _go_with_it(r: dict[str, float]) -> str:
    """Say how closely columns go with the outcome."""
    return f"go{'es' if len(r) == 1 else ''} with it at {', '.join(f'{v:.2f}' for v in list(r.values())[:4])}"


def _after(table: Table, outcome: Outcome) -> list[Finding]:
    """Say which columns, by their names, were taken afterwards, as the outcome was."""
    if not _POST.search(spelt_apart(outcome.name)) or _when(outcome.name) is not None:
        return []
    names = [c.name for c in table if c.name != outcome.name and _POST.search(spelt_apart(c.name))]
    if not names or not any(_PRE.search(spelt_apart(c.name)) for c in table):
        return []
    return [_by_names(names, outcome.name, f"{_was(names)} taken afterwards, as {marked(outcome.name)} was")]


def _of_one_set(table: Table, outcome: Outcome) -> list[Finding]:
    """Say which columns are numbered after the outcome, as one set with it, and go with it: r2 and r3 beside r1.

    What has a smaller number may have been there before it.
    """
    own = _NUMBERED.match(outcome.name)
    if own is None or _when(outcome.name) is not None:
        return []  # numbers that are times are told as such
    numbered = {c.name: m for c in table if (m := _NUMBERED.match(c.name)) and m["what"] == own["what"]}
    after = [name for name, m in numbered.items() if int(m["k"]) > int(own["k"])]
    with_it = {name: r for name in after if abs(r := _along(table[name], outcome)) >= T.SAME_TIME}
    if not with_it:
        return []
    said = (
        f"{be(len(with_it))} of one set with {marked(outcome.name)} and numbered after it, and {_go_with_it(with_it)}"
    )
    return [_by_names([*with_it], outcome.name, said, r=with_it)]


def _mended(table: Table, outcome: Outcome) -> list[Finding]:
    """Say which columns, by their names and values, are the outcome before or after it was adjusted."""
    bare = {name: _MENDED.sub("", name.casefold()) for name in table.columns}
    own, found = bare[outcome.name], []
    for c in table:
        says_so = c.name.casefold() != bare[c.name] or outcome.name.casefold() != own
        if c.name == outcome.name or not own or bare[c.name] != own or not says_so:
            continue
        r = _along(c, outcome)
        if r >= T.SAME_TIME:
            found.append(
                Finding(
                    "known-later",
                    "caution",
                    (c.name, outcome.name),
                    f"By its name, {marked(c.name)} is {marked(outcome.name)} as it was before or after something was "
                    f"adjusted: they go together at {r:.2f}.",
                    "Leave it out, or ask which of the two is what you want to tell beforehand.",
                    {"by_name": True, "r": r},
                )
            )
    return found


def _when(name: str) -> tuple[str, int, str] | None:
    """Return what a name says was taken, when, and in which unit."""
    m = _WHEN.match(name)
    if m is None or not m["what"]:
        return None
    when = int(m["when"])
    return m["what"].casefold(), when + 1900 if not m["unit"] and when < 100 else when, m["unit"].casefold()


def _along(c: Column, outcome: Outcome) -> float:
    """Return the rank correlation with a numeric outcome; 0 of what has none."""
    x = c.numbers
    if x is None or not isinstance(outcome, NumericOutcome):
        return 0.0
    there = outcome.known & ~np.isnan(x)
    if there.sum() < T.ROWS_IN_TIME:
        return 0.0
    r = pearson_coefficient(ranks_of(x[there]), ranks_of(outcome.values[there]))
    return 0.0 if np.isnan(r) else float(r)
