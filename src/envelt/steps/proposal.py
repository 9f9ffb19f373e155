"""A preparation that follows from what a study found: each operation carries the finding that led to it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

import numpy as np

from ..core.columns.outcome import NumericOutcome
from ..core.columns.table import CategoryColumn, Column, NumericColumn, TimeColumn
from ..core.columns.units import unit_keys
from ..core.distribution.tails import beyond, far_limits
from ..core.proposal.blocks import RARE
from ..core.proposal.rows import even_choice
from ..core.proposal.trial import Change
from ..core.shapes.quantiles import sorted_quantiles
from ..core.stats.draws import scattered
from ..core.words import plural
from ..errors import OptionError, option
from ..prepare.operation_list import PreparationSuggestion
from ..prepare.preparation import Preparation
from ..write.progress import slow_progress
from .builder import MOST_INDICATORS, Builder, parts_of
from .context import Context
from .leaving_out import FLAGGED, Why
from .opening import chosen_from
from .transforms import judged
from .weighing import weighed_features

MODELS = ("linear", "trees")
LEAST_ROWS = 40
"""With an outcome, under which five folds of them tell nothing."""
MANY_ROWS = 100_000
"""Of more a proposal is made from so many."""


def propose(context: Context, for_model: str = "linear") -> Preparation:
    """Return a preparation, not fitted, of a study's candidates."""
    if for_model not in MODELS:
        raise OptionError(f"There is no proposal for {for_model!r}: take {option('for_model', *MODELS)}.")
    with slow_progress("Proposing a preparation") as report:
        report(0, 4, "columns")
        whole, context = len(context.listed), _some_of_many(context)
        builder = _Proposal(context, for_model)
        if len(context.listed) < whole:
            said = f"This was proposed from {len(context.listed):,} of {whole:,} rows: fit it on all of them."
            builder.suggestions.append(PreparationSuggestion("fit", (), said))
        report(1, 4, "what rows held out lose")
        builder.weigh()
        builder.ask_for_the_unit()
        report(2, 4, "values")
        builder.begin()
        builder.mend()
        builder.fill()
        report(3, 4, "how they are written")
        builder.express()
    return builder.made.suggesting(builder.suggestions)


def _some_of_many(context: Context) -> Context:
    """Return a study of an even choice of the rows, or of the units, where there are many: more say little more."""
    if len(context.listed) <= MANY_ROWS or context.plan.counts is not None:
        return context
    columns = list(context.listed)
    if context.unit is None:
        places = even_choice(columns, np.arange(len(context.listed)), context.seed, MANY_ROWS)
    else:
        keys = unit_keys(context.listed[context.unit])
        places = np.flatnonzero(scattered(keys, context.seed) < np.uint64(2**64 - 1) // len(keys) * MANY_ROWS)
    keep = np.zeros(len(context.listed), bool)
    keep[places] = True
    return chosen_from(replace(context, whole=context.listed.take(keep)))


class _Proposal(Builder):
    """Weighs what could cost something, and then mends, fills and writes values."""

    # --- which columns -------------------------------------------------------------------------------

    def weigh(self) -> None:
        """Try on rows held out what could cost something: leaving out, marks of missing, transforms, encodings."""
        if self.context.outcome is None or not self.kept:
            self._suggest_untried()
            return
        self.mend()
        features = weighed_features(self.context, self.made, self.many)
        if len(features.target) < LEAST_ROWS or not features.every:
            self._suggest_untried()
            return
        doubtful = {n: [f for f in (n, *self._parts(n)) if f in features.every] for n in self.left.doubtful}
        gone, costs = features.leave_out(doubtful)
        for name in gone:
            self.dropped[name] = self.left.doubtful[name]
        for name, change in costs.items():
            if name not in gone:
                self._suggest_drop(name, change)
        kept = [f for f in features.every if f not in {p for n in gone for p in (n, *self._parts(n))}]
        numbers = [c.name for c in self.kept if isinstance(c, NumericColumn) and c.name in kept and c.distinct > 2]
        forms = features.forms(kept, () if self.trees else numbers)
        self.by_levels = forms.by_levels
        self._mark_gaps(forms.gaps)
        for name, (form, change, shape) in forms.transforms.items():
            other = "" if shape in (form, "as_is") else f" (its shape alone asks for {shape})"
            self.transforms[name] = form, f"{-change.cost:.1%}{other}"

    def ask_for_the_unit(self) -> None:
        """Say of a likely unit, which is a feature as long as nobody says otherwise, what hangs on it."""
        for c in self.kept:
            if self.context.unit is None and self.said(c.name, "likely-unit"):
                says = f"{c.name} looks like the unit: if later rows are of others than these, say so, unit={c.name}; "
                says += "then it is no feature, and folds keep its rows together."
                self.suggestions.append(PreparationSuggestion("drop", (c.name,), says, "likely-unit"))

    def _by_shape(self) -> None:
        """Without an outcome that tells, take the transforms that shapes ask for."""
        for c in self.kept:
            if isinstance(c, NumericColumn) and not self.trees:
                one = judged(self.context, c.name)
                if one.suggestion.name != "as_is":
                    self.transforms[c.name] = one.suggestion.name, ""

    def _mark_gaps(self, gains: Mapping[str, Change]) -> None:
        for name, change in gains.items():
            f = self.said(name, *FLAGGED)
            self.flagged[name] = f"{change.cost:.1%}", "" if f is None else f.code

    def _parts(self, name: str) -> list[str]:
        column = self.columns[name]
        return [f"{name}_{p}" for p in parts_of(column)] if isinstance(column, TimeColumn) else []

    def _suggest_untried(self) -> None:
        self._by_shape()
        for name, why in self.left.doubtful.items():
            self.suggestions.append(
                PreparationSuggestion("drop", (name,), f"{_sentence(name, why)} Drop it?", why.code)
            )

    def _suggest_drop(self, name: str, change: Change) -> None:
        why = self.left.doubtful[name]
        says = f"{_sentence(name, why)} Dropping it would cost {self._share(change)}."
        self.suggestions.append(PreparationSuggestion("drop", (name,), says, why.code))

    def _share(self, change: Change) -> str:
        """Return a cost as R² for a number, in percent of the uncertainty for classes, with its standard error."""
        outcome = self.context.known_outcome
        if isinstance(outcome, NumericOutcome):
            return f"{change.cost:.3f} of R² (± {change.error:.3f})"
        return f"{change.cost:.1%} of what there is to tell of {outcome.name} (± {change.error:.1%})"

    # --- their values --------------------------------------------------------------------------------

    def mend(self) -> None:
        """Take codes and impossible values as missing, join spellings, take dates apart, fill what is missing."""
        for c in self.kept:
            self._sentinels(c)
            self._limits(c)
            self._spellings(c)
        self._dates()

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
                     high=high)  # fmt: skip
        elif f is not None:
            self.add("clip", [c.name], f"{plural(f.evidence['count'], 'value')} that cannot be", f.code, to="limits",
                     low=f.evidence["low"], high=f.evidence["high"])  # fmt: skip
        else:
            self._slips(c)

    def _slips(self, c: NumericColumn) -> None:
        ordered = np.sort(c.values[~c.missing])
        far = far_limits(ordered, sorted_quantiles(ordered, np.array([0.25, 0.5, 0.75]))) if len(ordered) else ()
        sentinel = self.said(c.name, "sentinel-value")
        slips = sum(beyond(ordered, far)) - (int(sentinel.evidence["rows"]) if sentinel else 0) if far else 0
        if slips > 0:
            low, high = (v if np.isfinite(v) else None for v in far)
            self.add("clip", [c.name], f"{plural(slips, 'value')} over ten interquartile ranges out",
                     "gross-outliers", to="limits", low=low, high=high)  # fmt: skip

    def _spellings(self, c: Column) -> None:
        f = self.said(c.name, "level-spelling")
        if f is None or not isinstance(c, CategoryColumn):
            return
        n = dict(zip(c.written, c.counts.tolist(), strict=True))
        values: dict[str, str] = {}
        for group in f.evidence["levels"]:
            known = [w for w in group if w in n]
            if any(ch.isdigit() for w in known for ch in w) and len({w.strip().casefold() for w in known}) > 1:
                continue  # codes a letter apart are two codes
            best = max(known, key=lambda w: n[w], default=None)
            values |= {w: best for w in known if w != best and best is not None}
        if values:
            shown = ", ".join(f"{k!r} is {v!r}" for k, v in list(values.items())[:3])
            self.add("replace", [c.name], f"spellings of one level: {shown}", f.code, values=values)

    def _dates(self) -> None:
        by_parts: dict[tuple[str, ...], list[str]] = {}
        for c in self.kept:
            if isinstance(c, TimeColumn):
                by_parts.setdefault(tuple(parts_of(c)), []).append(c.name)
        for parts, names in by_parts.items():
            self.add("parts_of_date", names, "a model takes numbers: the season, and how long ago", parts=list(parts))
        far = [c for c in self.kept if isinstance(c, TimeColumn) and self.said(c.name, "date-apart")]
        for c in far:
            self.add("clip", [f"{c.name}_days_since"], "dates far from all others", "date-apart")

    def fill(self) -> None:
        """Put values where they are missing."""
        numbers = [c for c in self.kept if isinstance(c, NumericColumn)]
        yes_no = [c for c in self.kept if isinstance(c, CategoryColumn) and c.kind == "binary"]
        self._fill(numbers, "median", [p for c in self.kept for p in self._parts(c.name)])
        self._fill(yes_no, "most_frequent", [])

    def _fill(self, columns: Sequence[Column], using: str, more: list[str]) -> None:
        """Put a value where one is missing, and a mark beside it where that tells something."""
        flagged = [c.name for c in columns if c.name in self.flagged]
        for code in dict.fromkeys(self.flagged[n][1] for n in flagged):
            names = [n for n in flagged if self.flagged[n][1] == code]
            gains = ", ".join(self.flagged[n][0] for n in names[:4]) + (", …" if len(names) > 4 else "")
            self.add("fill", names, f"that it is missing tells more of the outcome ({gains}): it gets a column of its "
                     "own", code, using=using, flag=True)  # fmt: skip
        plain = [c for c in columns if c.name not in flagged]
        what = "the median" if using == "median" else "the most frequent"
        self.add("fill", [*(c.name for c in plain), *more], _gaps(plain, what), using=using)

    # --- how they are written ------------------------------------------------------------------------

    def express(self) -> None:
        """Transform, rescale and encode."""
        by_transform: dict[str, list[str]] = {}
        for name, (form, _) in self.transforms.items():
            by_transform.setdefault(form, []).append(name)
        for form, names in by_transform.items():
            gains = [self.transforms[n][1] for n in names[:6]]
            more = ", ".join(gains) + (", …" if len(names) > 6 else "")
            why = f"a straight line of it tells more of the outcome, by {more}" if all(gains) else "a long tail"
            self.add("reexpress", names, why, "long-tail", transform=form)
        self._encode()
        if not self.trees:
            numbers = [c.name for c in self.kept if isinstance(c, NumericColumn)]
            parts = [p for c in self.kept for p in self._parts(c.name)]
            self.add("rescale", [*numbers, *parts], "one scale, for models that weigh sizes or distances")

    def _encode(self) -> None:
        levels = [c for c in self.kept if isinstance(c, CategoryColumn)]
        by_order: dict[tuple[str, ...], list[str]] = {}
        for c in levels:
            if c.kind in ("ordinal", "binary") and c.name not in self.by_levels:
                by_order.setdefault(c.levels, []).append(c.name)
        for order, alike in by_order.items():
            why = "grades in their order" if len(order) > 2 else f"0 for {order[0]}, 1 for {order[-1]}"
            self.add("encode", alike, why, using="ordered", order=list(order))
        self._fill([c for c in levels if c.kind == "ordinal" and c.name not in self.by_levels], "median", [])
        names = [c for c in levels if c.kind not in ("ordinal", "binary") or c.name in self.by_levels]
        many = [c for c in names if c.distinct > MOST_INDICATORS and c.name not in self.by_levels]
        few = [c for c in names if c not in many]
        rare = [c for c in few if c.counts[c.counts > 0].min() < RARE and c.distinct > 2]
        self.add("merge_rare", [c.name for c in rare], f"levels with under {RARE} rows; what is new joins them",
                 "rare-levels", under=RARE)  # fmt: skip
        grades = [c.name for c in few if c.kind == "ordinal"]
        self.add("encode", grades, "grades, but one step is not worth as much as the next: a column each")
        self.add("encode", [c.name for c in few if c.kind != "ordinal"], "names without an order: a column each")
        if self.rated:
            self.add("encode", [c.name for c in many], f"over {MOST_INDICATORS} levels: the outcome's rate at each, "
                     "drawn towards that of all rows", "many-levels", using="rate")  # fmt: skip
        else:
            self.add("merge_rare", [c.name for c in many], "many levels: the largest get a column each",
                     "many-levels", under=0.02)  # fmt: skip
            self.add("encode", [c.name for c in many], "names without an order: a column each")


def _gaps(columns: list[Any], what: str) -> str:
    gaps = [c.name for c in columns if c.missing.any()]
    if not gaps:
        return f"none is missing here; in later rows {what} of the training rows stands in"
    shown = ", ".join(gaps[:4]) + (", …" if len(gaps) > 4 else "")
    return f"missing in {plural(len(gaps), 'column')} ({shown}): {what} of the training rows stands in"


def _sentence(name: str, why: Why) -> str:
    """Return a reason as a sentence about a column."""
    told = why.reason if why.reason.startswith("says") else f"is {why.reason}"
    return f"{name} {told}" + ("" if told.endswith("?") else ".")
