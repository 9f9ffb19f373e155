"""Which columns say the same thing, and which move together."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from ..core.columns.outcome import ClassOutcome, NumericOutcome
from ..core.columns.table import Column
from ..core.finding import Finding, by_weight
from ..core.inventory.quality.copies import copy_findings
from ..core.later import Later
from ..core.relations import findings as said
from ..core.relations.groups import alike, inflation
from ..core.relations.relations import ALTERNATIVES, METHODS, Correlating, Relations, relate
from ..core.relations.side import Side, side_of
from ..core.relations.together import Joint, joint_shares
from ..core.words import plural
from ..errors import OptionError, did_you_mean, option
from ..views.relations import RelatedPart, RelationsShown, RelationsView
from ..write.progress import slow_progress
from .checks import refuse_itself
from .context import Context, once

ORDERS = ("similar", "file")
MOST_PARTS = 12


@dataclass(frozen=True)
class RelationsOptions:
    """What was asked for; see `Study.relations`."""

    columns: tuple[str, ...] = ()
    method: str = "auto"
    by: tuple[str, ...] = ()
    at_least: float | None = None
    confidence: float = 0.95
    alternative: str = "two-sided"
    order: str = "similar"
    whole: bool = False

    def __post_init__(self) -> None:
        for what, value, known in (
            ("method", self.method, METHODS), ("alternative", self.alternative, ALTERNATIVES),
            ("order", self.order, ORDERS),
        ):  # fmt: skip
            if value not in known:
                raise OptionError(f"No {what} {value!r}.{did_you_mean(value, known)} It is one of {', '.join(known)}.")
        if self.at_least is not None and not 0 <= self.at_least <= 1:
            raise OptionError(f"Strengths run from 0 to 1: at_least cannot be {self.at_least!r}.")
        if not 0 < self.confidence < 1:
            raise OptionError(f"The confidence must lie between 0 and 1, such as 0.95, not be {self.confidence!r}.")
        if self.alternative != "two-sided" and self.method == "auto":
            raise OptionError(
                "A one-sided test needs a coefficient with a sign: "
                f"{option('method', 'pearson', 'spearman', 'kendall')}."
            )


@once
def show_relations(context: Context, options: RelationsOptions) -> RelationsView:
    """Relate every two columns."""
    names, about = _chosen(context, options)
    asked = Correlating(options.method, options.confidence, options.alternative)
    sides = [side_of(context.table[n]) for n in names]
    constant = [s.name for s in sides if s.constant]
    if constant:
        about = (*about, f"of one value, so without a coefficient: {', '.join(constant[:6])}")

    def made() -> Relations:
        with slow_progress("Relations") as report:
            return relate(sides, asked, context.sampling, context.seed, report)

    whole = Later(made)
    outcome = context.plan.outcome if context.plan.outcome in names else None
    shown = RelationsShown(
        whole, outcome, Later(lambda: _alike(whole(), outcome)),
        Later(lambda: inflation(whole().sides, _inner(whole(), outcome))), Later(lambda: _joint(context, names)),
        Later(lambda: _parts(context, options, asked, whole().form)) if options.by else None,
    )  # fmt: skip
    title = "How the columns go together" if not options.columns else f"How {plural(len(names), 'column')} go together"
    return RelationsView(
        shown, (*about, *context.counted), Later(lambda: _found(context, shown)), context.names, title,
        at_least=options.at_least, order=options.order, triangle=not options.whole,
    )  # fmt: skip


def _chosen(context: Context, options: RelationsOptions) -> tuple[list[str], tuple[str, ...]]:
    """Return the columns to relate, and lines on those that are left out."""
    table, about = context.table, (f"{plural(len(context.table), 'row')}", *context.kept)
    ranked = options.method != "auto"
    if options.columns:
        names = list(dict.fromkeys(options.columns))
        for name in names:
            _refuse(table[name], ranked)
        refuse_itself(options.by, tuple(names))
    else:
        names = _related(context, options)
        out = [c.name for c in table if c.name not in names and c.name not in options.by]
        if out:
            listed = ", ".join(out[:6]) + (", …" if len(out) > 6 else "")
            about = (*about, f"left out, as names, texts or constants: {listed}")
    if len(names) < 2:
        raise OptionError("Relations are between columns: name two or more that hold numbers or levels.")
    return names, about


def _related(context: Context, options: RelationsOptions) -> list[str]:
    """Return the columns that are related where none is named."""
    skipped = ("identifier", "text", "constant", *(("nominal",) if options.method != "auto" else ()))
    names = [c.name for c in context.table if c.kind not in skipped and c.name not in options.by and not c.empty]
    return [n for n in names if n != context.unit]


def _refuse(column: Column, ranked: bool) -> None:
    if column.empty:
        raise OptionError(f"{column.name!r} is missing in every row: it goes with nothing.")
    if ranked and side_of(column).numbers is None:
        raise OptionError(
            f"{column.name!r} is {column.kind} and has no order, so it has no such correlation: leave method out, and "
            "it gets a correlation ratio or Cramér's V."
        )


def _inner(relations: Relations, outcome: str | None) -> list[int]:
    return [i for i, s in enumerate(relations.sides) if s.name != outcome and not s.constant]


def _alike(relations: Relations, outcome: str | None) -> list[Any]:
    about = np.full(len(relations.sides), np.nan)
    if outcome is not None:
        about = relations.strength[relations.names.index(outcome)]
    return alike(relations.sides, relations.both_ways, about, _inner(relations, outcome))


def said_to_repeat(context: Context) -> list[Finding]:
    """Say which columns say nearly the same, and nothing else of how they go together."""
    if len(_related(context, RelationsOptions())) < 2:
        return []
    view = show_relations(context, RelationsOptions())
    return said.said_of_groups(view.alike, view.relations, copy_findings(context.listed))


def _found(context: Context, shown: RelationsShown) -> tuple[Finding, ...]:
    relations, outcome = shown.relations(), shown.outcome
    groups = shown.groups()
    found = said.said_of_groups(groups, relations, copy_findings(context.listed))
    found += said.said_of_inflation(shown.inflation(), relations.names, groups)
    found += said.said_of_curves(relations, outcome)
    found += said.carried_by_few(relations, [str(r) for r in context.table.rows])
    found += said.within_levels(relations, context.sampling)
    found += said.equal_summaries(relations, outcome, context.sampling)
    if outcome is not None:
        found += said.said_together(shown.together(), outcome)
    return by_weight(found)


def _joint(context: Context, names: list[str]) -> list[Joint]:
    """Look at pairs of candidates together."""
    outcome = context.outcome
    if outcome is None:
        return []
    made = context.from_outcome
    columns = [context.table[n] for n in names if n not in (outcome.name, context.unit) and n not in made]
    held = context.held_out
    if isinstance(outcome, ClassOutcome):
        y = outcome.is_event[held.known].astype(float)
    else:
        assert isinstance(outcome, NumericOutcome)
        y = outcome.values[held.known]
    with slow_progress("Pairs together") as report:
        return joint_shares(columns, held, y, report)


def _parts(context: Context, options: RelationsOptions, asked: Correlating, forms: np.ndarray) -> list[RelatedPart]:
    """Relate the same columns in each of the largest groups, each pair by the coefficient that all rows ask for."""
    grouping = context.grouping(options.by)
    names, _ = _chosen(context, options)
    n = np.bincount(grouping.codes[grouping.codes >= 0], minlength=len(grouping))
    largest = np.sort(np.argsort(-n, kind="stable")[:MOST_PARTS])
    parts = []
    for k in largest:
        at = np.flatnonzero(grouping.codes == k)
        sides: list[Side] = [side_of(context.table[name].take(at)) for name in names]
        part = relate(sides, asked, context.sampling.take(at), context.seed, forms=forms)
        parts.append(RelatedPart(grouping.labels[k], part))
    return parts
