"""A preparation that follows from what a study found: each operation carries the finding that led to it."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

import numpy as np

from ..core.columns.derive import in_order, origins
from ..core.columns.encode import NO_PLAN
from ..core.columns.labels import number_label
from ..core.columns.table import CategoryColumn, Column, NumericColumn, TimeColumn
from ..core.columns.yes_no import BOOLEANS, folded
from ..core.finding import Finding
from ..core.words import plural
from ..prepare.preparation import Preparation
from ..write.digits import places
from ..write.progress import slow_progress
from .context import Context
from .inventory import take_inventory
from .rank import show_rank
from .relations import said_to_repeat
from .transforms import judged

MOST_INDICATORS = 12
"""Levels that get a column each; of more, the outcome's rate at each."""
RARE = 10
"""Rows under which a level is rare: as in the finding rare-levels."""
FLAGGED = ("missing-follows-outcome", "missing-follows-column")
NAMES_CASES = {
    "identifier": "names cases", "text": "free text", "constant": "one value only",
}  # fmt: skip


def propose(context: Context) -> Preparation:
    """Return a preparation, not fitted, of a study's candidates."""
    with slow_progress("Proposing a preparation") as report:
        report(0, 4, "columns")
        builder = _Builder(context)
        report(1, 4, "what repeats")
        builder.choose()
        report(2, 4, "values")
        builder.mend()
        report(3, 4, "transforms")
        builder.express()
    return builder.made


class _Builder:
    """Adds operation after operation."""

    def __init__(self, context: Context) -> None:
        self.context, self.plan = context, context.plan
        self.made = Preparation(outcome=context.plan.outcome, unit=context.unit, seed=context.seed)
        self.findings: dict[str, list[Finding]] = {}
        for f in take_inventory(context, 0).findings:
            for name in f.columns if f.code == "nearly-constant" else f.columns[:1] or ("",):
                self.findings.setdefault(name, []).append(f)
        self.dropped: dict[str, tuple[str, str]] = {}
        roles = (self.plan.outcome, context.unit, self.plan.counts)
        self.columns = {c.name: c for c in context.listed if c.name not in roles}

    def said(self, name: str, *codes: str) -> Finding | None:
        """Return the finding of a code that a column has."""
        return next((f for f in self.findings.get(name, []) if f.code in codes), None)

    def add(self, operation: str, columns: Iterable[str], reason: str, finding: str = "", **options: Any) -> None:
        """Add an operation, where there is a column for it."""
        names = list(columns)
        if names:
            self.made = self.made.then(operation, *names, reason=reason, finding=finding, **options)

    @property
    def kept(self) -> list[Column]:
        """The columns that are not dropped."""
        return [c for c in self.columns.values() if c.name not in self.dropped]

    # --- which columns -------------------------------------------------------------------------------

    def choose(self) -> None:
        """Settle which columns are left out, read the others as what they are, and make the derived ones."""
        for name in (*self.plan.ignore, *(n for n, _ in self.context.source.nested)):
            self.dropped[name] = ("ignored, as declared", "")
        for column in list(self.columns.values()):
            why = self._why_drop(column)
            if why is not None:
                self.dropped[column.name] = why
        self._drop_repeats()
        needed = self._needed_by_derived()
        self._drop([n for n in self.dropped if n not in needed and n not in self.plan.derived])
        self._read()
        self._derive()
        self._drop([n for n in self.dropped if n in needed or n in self._derived_here])

    def _why_drop(self, c: Column) -> tuple[str, str] | None:
        outcome = self.plan.outcome
        if outcome in self.context.origins.get(c.name, ()):
            return f"made from the outcome {outcome}", ""
        if c.kind in NAMES_CASES or c.empty:
            code = "mostly-missing" if c.empty else "constant-column" if c.kind == "constant" else ""
            return ("missing in every row" if c.empty else NAMES_CASES[c.kind]), code
        for code, why in (
            ("likely-unit", "says which rows are one case, and is no property of it"),
            ("nearly-constant", "nearly constant"),
        ):
            if self.said(c.name, code):
                return why, code
        if self.said(c.name, "mostly-missing") and not self.said(c.name, *FLAGGED):
            return f"{c.missing.mean():.0%} missing", "mostly-missing"
        return None

    def _drop_repeats(self) -> None:
        """Drop copies, what says too much of the outcome, and what says nearly the same as another column."""
        copies = (f for group in self.findings.values() for f in group if f.code == "same-column")
        for first, keep, *others in (names for f in copies for names in f.evidence.get("copies", [f.columns])):
            for name in (first, *others) if keep not in self.dropped else ():
                self.dropped.setdefault(name, (f"the same thing as {keep}", "same-column"))
        for f in self._ranking():
            if f.code == "too-good-to-be-true":
                why = "says all but the outcome itself: known too late?"
                self.dropped.setdefault(f.columns[0], (why, f.code))
        self._drop_known_later()
        for f in self._relations():
            keep = str(f.evidence.get("keep", ""))
            if f.code == "say-nearly-the-same" and keep not in self.dropped:
                why = f"says nearly the same as {keep}, which is kept: {f.evidence['why']}"
                for name in f.columns:
                    if name not in (keep, self.plan.outcome):
                        self.dropped.setdefault(name, (why, f.code))

    def _drop_known_later(self) -> None:
        """Drop what is written down with the outcome, and of what makes it up as much as gives it away."""
        outcome = self.plan.outcome
        for f in {id(f): f for group in self.findings.values() for f in group}.values():
            others = [n for n in f.columns if n != outcome]
            if f.code == "known-later" and not f.evidence.get("by_name"):
                for name in others:
                    self.dropped.setdefault(name, ("written down with the outcome, or after it", f.code))
            if f.code == "made-up-of-others" and f.weight == "stop":
                parts = f.evidence.get("parts", {})
                made = [n for n in others if n in parts] if parts else others
                for name in (*made, *parts.get(outcome, ())[-1:]):
                    self.dropped.setdefault(name, (f"with others it is {outcome} in other words", f.code))

    def _ranking(self) -> tuple[Finding, ...]:
        if self.context.outcome is None or not self.context.candidates:
            return ()
        return show_rank(self.context).findings

    def _relations(self) -> list[Finding]:
        return said_to_repeat(self.context)

    def _needed_by_derived(self) -> set[str]:
        return {o for n in self._derived_here for o in origins(self.plan.derived[n])}

    @property
    def _derived_here(self) -> list[str]:
        """The derived columns that are features, or that features are made from."""
        made = self.context.origins
        return [
            n for n in in_order(self.plan.derived)
            if self.plan.outcome not in made.get(n, ()) and n not in (self.plan.outcome, self.context.unit)
        ]  # fmt: skip

    def _drop(self, names: list[str]) -> None:
        groups: dict[str, list[str]] = {}
        for name in names:
            groups.setdefault(self.dropped[name][1] or self.dropped[name][0], []).append(name)
        for group in groups.values():
            why, code = self.dropped[group[0]]
            reasons = list(dict.fromkeys(self.dropped[n][0] for n in group))
            text = why if len(reasons) == 1 else "; ".join(f"{n}: {self.dropped[n][0]}" for n in group)
            self.add("drop", group, text, code)

    # --- what they are -------------------------------------------------------------------------------

    def _read(self) -> None:
        needed = self._needed_by_derived()
        columns = [c for c in self.columns.values() if c.name not in self.plan.derived]
        columns = [c for c in columns if c.name not in self.dropped or c.name in needed]
        self._retype(columns)
        for c in columns:
            labels = self.plan.columns.get(c.name, NO_PLAN).labels
            if labels and isinstance(c, CategoryColumn):
                self.add("relabel", [c.name], "labels as declared", labels=dict(labels))

    def _retype(self, columns: list[Column]) -> None:
        groups: dict[tuple[str, tuple[str, ...], str], list[Column]] = {}
        for c in columns:
            to = self._reads_as(c)
            marks = tuple(sorted({*self.plan.missing, *self.plan.columns.get(c.name, NO_PLAN).missing,
                                  *(text for text, _ in c.blanked)}))  # fmt: skip
            if to or marks:
                same = {"date": "date"}.get(to) or ("number" if isinstance(c, NumericColumn) else "category")
                groups.setdefault((to or same, marks, c.form if to in ("number", "date") else ""), []).append(c)
        for (to, marks, form), group in groups.items():
            found = next((f for c in group if (f := self.said(c.name, "coded-numbers", "read-from-text", "mixed-types",
                                                               "marks-for-missing"))), None)  # fmt: skip
            why = {
                "category": "codes, not quantities", "date": "dates", "number": "numbers, marks for missing aside",
            }[to]  # fmt: skip
            if any(c.declared for c in group):
                why += "; declared where detection was wrong"
            options: dict[str, Any] = {"marks": list(marks)} if marks else {}
            if form:
                options["form"] = form
            code = found.code if found else ""
            self.add("retype", [c.name for c in group], why, code, to=to, **options)
        folded = [c.name for c in columns if isinstance(c, CategoryColumn) and _is_boolean(c)]
        self.add("retype", folded, "Yes, YES and yes are one level", to="category", fold=True)

    def _reads_as(self, c: Column) -> str:
        """Return what a column must be read as, since files may hold it otherwise; nothing where they do not."""
        if isinstance(c, TimeColumn):
            return "date"
        if isinstance(c, NumericColumn):
            return "number" if c.reading or c.blanked else ""
        coded = isinstance(c, CategoryColumn) and bool(c.written) and all(_is_number(w) for w in c.written)
        return "category" if coded else ""

    def _derive(self) -> None:
        for name in self._derived_here:
            recipe = self.plan.derived[name]
            given = {k: v for k, v in vars(recipe).items() if v}
            options: dict[str, Any] = {k: list(v) if isinstance(v, tuple) else v for k, v in given.items()}
            if "into" in options:
                options["into"] = {k: list(v) for k, v in recipe.into.items()}
            self.add("derive", [name], "as declared", "", **options)

    # --- their values --------------------------------------------------------------------------------

    def mend(self) -> None:
        """Take codes and impossible values as missing, join spellings, take dates apart, fill what is missing."""
        for c in self.kept:
            self._sentinels(c)
            self._limits(c)
            self._spellings(c)
        self._dates()
        self._fill()

    def _sentinels(self, c: Column) -> None:
        f = self.said(c.name, "sentinel-value")
        if f is not None and f.weight != "note":
            value = str(f.evidence["value"])
            why = "which says that nothing is known" if isinstance(c, CategoryColumn) else "far from the rest"
            reason = f"{value} in {plural(f.evidence['rows'], 'row')}, {why}: a code for missing"
            self.add("replace", [c.name], reason, f.code, values={value: None})

    def _limits(self, c: Column) -> None:
        if not isinstance(c, NumericColumn):
            return
        declared = self.context.ranges.get(c.name)
        f = self.said(c.name, "out-of-range", "impossible-value")
        f = None if f is not None and f.weight == "note" else f
        if declared is not None:
            low, high = (v if np.isfinite(v) else None for v in declared)
            self.add("clip", [c.name], "the range declared", "out-of-range" if f else "", to="limits", low=low,
                     high=high, outside="missing")  # fmt: skip
        elif f is not None:
            self.add("clip", [c.name], f"{plural(f.evidence['count'], 'value')} that cannot be", f.code, to="limits",
                     low=f.evidence["low"], high=f.evidence["high"], outside="missing")  # fmt: skip
        compared = judged(self.context, c.name).compared
        sentinel = self.said(c.name, "sentinel-value")
        slips = compared.slips - (int(sentinel.evidence["rows"]) if sentinel else 0)
        if slips > 0 and f is None:
            low, high = (v if np.isfinite(v) else None for v in compared.far)
            self.add("clip", [c.name], f"{plural(slips, 'value')} over ten interquartile ranges out",
                     "gross-outliers", to="limits", low=low, high=high, outside="missing")  # fmt: skip

    def _spellings(self, c: Column) -> None:
        f = self.said(c.name, "level-spelling")
        if f is None or not isinstance(c, CategoryColumn):
            return
        n = dict(zip(c.written, c.counts.tolist(), strict=True))
        values: dict[str, str] = {}
        for group in f.evidence["levels"]:
            known = [w for w in group if w in n]
            best = max(known, key=lambda w: n[w], default=None)
            values |= {w: best for w in known if w != best and best is not None}
        if values:
            shown = ", ".join(f"{k!r} is {v!r}" for k, v in list(values.items())[:3])
            self.add("replace", [c.name], f"spellings of one level: {shown}", f.code, values=values)

    def _dates(self) -> None:
        for clock in (False, True):
            names = [c.name for c in self.kept if isinstance(c, TimeColumn) and _has_clock(c) == clock]
            parts = ["month", "days_since"] + (["weekday", "hour"] if clock else [])
            self.add("parts_of_date", names, "a model takes numbers: the season, and how long ago", parts=parts)
        far = [c for c in self.kept if isinstance(c, TimeColumn) and self.said(c.name, "date-apart")]
        for c in far:
            self.add("clip", [f"{c.name}_days_since"], "dates far from all others", "date-apart", to="fences",
                     outside="missing")  # fmt: skip

    def _fill(self) -> None:
        numbers = [c for c in self.kept if isinstance(c, NumericColumn)]
        flagged = {c.name: f for c in numbers if (f := self.said(c.name, *FLAGGED)) is not None}
        for code in FLAGGED:
            names = [n for n, f in flagged.items() if f.code == code]
            what = "the outcome" if code == FLAGGED[0] else "another column"
            self.add("fill", names, f"being missing goes with {what}: it gets a column of its own", code,
                     using="median", flag=True)  # fmt: skip
        dates = [c for c in self.kept if isinstance(c, TimeColumn)]
        parts = [f"{c.name}_{p}" for c in dates for p in self._parts_of(c)]
        plain = [c.name for c in numbers if c.name not in flagged]
        self.add("fill", [*plain, *parts], _gaps([c for c in numbers if c.name not in flagged], "the median"))
        ranked = [c for c in self.kept if isinstance(c, CategoryColumn) and (c.kind in ("ordinal", "binary"))]
        self.add("fill", [c.name for c in ranked], _gaps(ranked, "the most frequent"), using="most_frequent")

    def _parts_of(self, c: TimeColumn) -> list[str]:
        return ["month", "days_since"] + (["weekday", "hour"] if _has_clock(c) else [])

    # --- how they are written ------------------------------------------------------------------------

    def express(self) -> None:
        """Transform, rescale and encode."""
        numbers = [c for c in self.kept if isinstance(c, NumericColumn)]
        by_transform: dict[str, list[str]] = {}
        whys: dict[str, list[str]] = {}
        for c in numbers:
            one = judged(self.context, c.name)
            if one.suggestion.name != "as_is":
                by_transform.setdefault(one.suggestion.name, []).append(c.name)
                before, after = one.compared.seen["as_is"].skewness, one.compared.seen[one.suggestion.name].skewness
                whys.setdefault(one.suggestion.name, []).append(f"{places(before, 1)} → {places(after, 1)}")
        for name, columns in by_transform.items():
            reason = f"skewness {', '.join(whys[name][:6])}{', …' if len(columns) > 6 else ''}"
            self.add("reexpress", columns, reason, "long-tail", transform=name)
        self._encode()
        parts = [f"{c.name}_{p}" for c in self.kept if isinstance(c, TimeColumn) for p in self._parts_of(c)]
        reason = "one scale, for models that weigh sizes or distances; trees do not need it"
        self.add("rescale", [*(c.name for c in numbers), *parts], reason)

    def _encode(self) -> None:
        levels = [c for c in self.kept if isinstance(c, CategoryColumn)]
        for c in levels:
            if c.kind == "ordinal":
                self.add("encode", [c.name], "grades in their order", using="ordered", order=list(c.levels))
        binary = [c for c in levels if c.kind == "binary"]
        for c in binary:
            self.add("encode", [c.name], f"0 for {c.levels[0]}, 1 for {c.levels[-1]}", using="ordered",
                     order=list(c.levels))  # fmt: skip
        names = [c for c in levels if c.kind not in ("ordinal", "binary")]
        many = [c for c in names if c.distinct > MOST_INDICATORS]
        few = [c for c in names if c.distinct <= MOST_INDICATORS]
        rare = [c for c in few if c.counts[c.counts > 0].min() < RARE and c.distinct > 2]
        self.add("merge_rare", [c.name for c in rare], f"levels with under {RARE} rows; what is new joins them",
                 "rare-levels", under=RARE)  # fmt: skip
        self.add("encode", [c.name for c in few], f"names without an order, {MOST_INDICATORS} at most: a column each")
        if self.context.outcome is not None:
            self.add("encode", [c.name for c in many], f"over {MOST_INDICATORS} levels: the outcome's rate at each, "
                     "drawn towards that of all rows", "many-levels", using="rate")  # fmt: skip
        else:
            self.add("merge_rare", [c.name for c in many], "many levels, no outcome: the largest get a column each",
                     "many-levels", under=0.02)  # fmt: skip
            self.add("encode", [c.name for c in many], "names without an order: a column each")


def _gaps(columns: list[Any], what: str) -> str:
    gaps = [c.name for c in columns if c.missing.any()]
    if not gaps:
        return f"none is missing here; in later rows {what} of the training rows stands in"
    shown = ", ".join(gaps[:4]) + (", …" if len(gaps) > 4 else "")
    return f"missing in {plural(len(gaps), 'column')} ({shown}): {what} of the training rows stands in"


def _is_number(text: str) -> bool:
    try:
        return bool(np.isfinite(float(text))) and text == number_label(float(text))
    except ValueError:
        return False


def _is_boolean(c: CategoryColumn) -> bool:
    return tuple(sorted(folded(w) for w in c.written)) in BOOLEANS


def _has_clock(c: TimeColumn) -> bool:
    return bool((c.values[~c.absent] % 86_400_000_000 != 0).any())
