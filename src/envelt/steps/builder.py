"""A preparation in the making: which columns it leaves out, and what the others are read as."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

import numpy as np

from ..core.columns.derive import in_order, origins, over_other_rows
from ..core.columns.encode import NO_PLAN
from ..core.columns.expression_words import usual_in_group
from ..core.columns.labels import number_label
from ..core.columns.outcome import ClassOutcome
from ..core.columns.table import CategoryColumn, Column, NumericColumn, TimeColumn
from ..core.columns.yes_no import BOOLEANS, folded
from ..core.finding import Finding
from ..prepare.made import part_of_date
from ..prepare.operation_list import PreparationSuggestion
from ..prepare.preparation import Preparation
from .context import Context
from .leaving_out import columns_to_leave_out, findings_by_column

MOST_INDICATORS = 12
"""Levels that get a column each; of more, the outcome's rate at each."""


class Builder:
    """Adds operation after operation, beginning with the columns that are left out and what the others are."""

    def __init__(self, context: Context, for_model: str) -> None:
        self.context, self.plan, self.trees = context, context.plan, for_model == "trees"
        self.findings = findings_by_column(context)
        roles = (self.plan.outcome, context.unit, self.plan.counts)
        self.columns = {c.name: c for c in context.listed if c.name not in (*roles, *self._not_learned)}
        self.left = columns_to_leave_out(context, self.columns, self.findings)
        self.dropped = {n: w for n, w in self.left.sure.items() if n in self.columns}
        self.suggestions: list[PreparationSuggestion] = []
        self.transforms: dict[str, tuple[str, str]] = {}
        self.flagged: dict[str, tuple[str, str]] = {}
        self.by_levels: list[str] = []
        self.made = Preparation()
        self.begin()

    @property
    def rated(self) -> bool:
        """Whether many levels can become the outcome's rates: a number's mean, or a rate of each of a few classes."""
        outcome = self.context.outcome
        few = not isinstance(outcome, ClassOutcome) or len(outcome.levels) <= MOST_INDICATORS
        return outcome is not None and few

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

    @property
    def many(self) -> list[str]:
        """Those of more levels than get a column each, that become the outcome's rates."""
        names = [c for c in self.kept if isinstance(c, CategoryColumn) and c.kind not in ("ordinal", "binary")]
        return [c.name for c in names if c.distinct > MOST_INDICATORS and self.rated]

    def begin(self) -> None:
        """Begin a preparation: leave columns out, read the others as what they are, and make the derived ones."""
        outcome = self.context.outcome
        event = outcome.event if isinstance(outcome, ClassOutcome) and len(outcome.levels) == 2 else None
        self.made = Preparation(outcome=self.plan.outcome, event=event, unit=self.context.unit, seed=self.context.seed)
        needed = self._needed_by_derived()
        self._drop([n for n in self.dropped if n not in needed and n not in self.plan.derived])
        self._read()
        self._derive()
        self._say_not_learned()
        self._drop([n for n in self.dropped if n in needed or n in self._derived_here])

    def _say_not_learned(self) -> None:
        for name in self._not_learned:
            says = (
                f"{name} is left out: it speaks of the rows around a row ({self.plan.derived[name].expression}), and "
                "would be something else among later rows; group_feature learns means of groups"
            )
            self.suggestions.append(PreparationSuggestion("group_feature", (name,), says))

    def _needed_by_derived(self) -> set[str]:
        return {o for n in self._derived_here for o in origins(self.plan.derived[n])}

    @property
    def _derived_here(self) -> list[str]:
        """The derived columns that are features, or that features are made from."""
        made, lost = self.context.origins, self._not_learned
        return [
            n for n in in_order(self.plan.derived)
            if self.plan.outcome not in made.get(n, ()) and n not in (self.plan.outcome, self.context.unit)
            and n not in lost
        ]  # fmt: skip

    @property
    def _not_learned(self) -> list[str]:
        """The derived columns that speak of the rows around a row in a way that no operation learns, and their kin."""
        numbers = {c.name for c in self.context.listed if isinstance(c, NumericColumn)}
        learned = {n: usual_in_group(p.expression) for n, p in self.plan.derived.items() if over_other_rows(p)}
        return self.context.with_kin({n for n, how in learned.items() if how is None or how[0] not in numbers})

    def _drop(self, names: list[str]) -> None:
        groups: dict[str, list[str]] = {}
        for name in names:
            groups.setdefault(self.dropped[name].code or self.dropped[name].reason, []).append(name)
        for group in groups.values():
            first = self.dropped[group[0]]
            reasons = list(dict.fromkeys(self.dropped[n].reason for n in group))
            text = first.reason if len(reasons) == 1 else "; ".join(f"{n}: {self.dropped[n].reason}" for n in group)
            self.add("drop", group, text, first.code)

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
            marks = self.context.marks_of(c)
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
            if over_other_rows(recipe):
                column, by, less = usual_in_group(recipe.expression) or ("", [], False)
                give = "difference" if less else "mean"
                self.add("group_feature", [column], "as declared", "", by=by, give=give, to=name)
                continue
            given = {k: v for k, v in vars(recipe).items() if v}
            options: dict[str, Any] = {k: list(v) if isinstance(v, tuple) else v for k, v in given.items()}
            if "into" in options:
                options["into"] = {k: list(v) for k, v in recipe.into.items()}
            self.add("derive", [name], "as declared", "", **options)


def _is_number(text: str) -> bool:
    try:
        return bool(np.isfinite(float(text))) and text == number_label(float(text))
    except ValueError:
        return False


def _is_boolean(c: CategoryColumn) -> bool:
    return tuple(sorted(folded(w) for w in c.written)) in BOOLEANS


def parts_of(c: TimeColumn) -> list[str]:
    """Return the parts of a date that a model takes, of the month, the weekday and the hour those that vary."""
    there = c.values[~c.absent]
    parts = ("month", "days_since", "weekday", "hour")
    return [p for p in parts if p == "days_since" or (len(there) > 0 and np.ptp(part_of_date(there, p)) > 0)]
