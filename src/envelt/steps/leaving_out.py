"""Which columns a proposal leaves out: without asking, or only if it costs nothing."""

from __future__ import annotations

from dataclasses import dataclass, field

from ..core.columns.table import CategoryColumn, Column
from ..core.finding import Finding
from .context import Context
from .inventory import take_inventory
from .rank import show_rank
from .relations import said_to_repeat

FLAGGED = ("missing-follows-outcome", "missing-follows-column")
NAMES_CASES = {
    "identifier": "names cases", "text": "free text", "constant": "one value only",
}  # fmt: skip
ROWS_A_NAME = 3
"""On average, under which a column of names tells rows apart and is no property that rows share."""


@dataclass(frozen=True)
class Why:
    """Why a column would be left out: a reason, and the code of the finding that led to it."""

    reason: str
    code: str = ""


@dataclass
class LeavingOut:
    """Columns to leave out.

    Parameters
    ----------
    sure
        Without a person's word: they can hold nothing that another does not, or not before the outcome.
    doubtful
        Only where rows held out lose nothing by it; else it is for a person to say.
    """

    sure: dict[str, Why] = field(default_factory=dict)
    doubtful: dict[str, Why] = field(default_factory=dict)


def findings_by_column(context: Context) -> dict[str, list[Finding]]:
    """Return the findings of the inventory by the column that each is about first."""
    out: dict[str, list[Finding]] = {}
    for f in take_inventory(context, 0).findings:
        for name in f.columns if f.code == "nearly-constant" else f.columns[:1] or ("",):
            out.setdefault(name, []).append(f)
    return out


def columns_to_leave_out(
    context: Context, columns: dict[str, Column], findings: dict[str, list[Finding]]
) -> LeavingOut:
    """Return which columns are better left out, and why."""
    out, outcome = LeavingOut(), context.plan.outcome
    for name in (*context.plan.ignore, *(n for n, _ in context.source.nested)):
        out.sure[name] = Why("ignored, as declared")
    for name, column in columns.items():
        _by_itself(out, context, column, findings.get(name, []))
    every = list({id(f): f for group in findings.values() for f in group}.values())
    for f in every:
        if f.code == "same-column":
            for first, keep, *others in f.evidence.get("copies", [f.columns]):
                for name in (first, *others) if keep not in out.sure else ():
                    out.sure.setdefault(name, Why(f"the same thing as {keep}", f.code))
        _known_later(out, f, outcome)
    _beside_others(out, context)
    out.doubtful = {n: w for n, w in out.doubtful.items() if n in columns and n not in out.sure}
    return out


def _beside_others(out: LeavingOut, context: Context) -> None:
    """Doubt what says too much of the outcome, and what says nearly the same as another column."""
    if context.outcome is not None and context.candidates:
        for f in show_rank(context).findings:
            if f.code == "too-good-to-be-true":
                out.doubtful.setdefault(f.columns[0], Why("says all but the outcome itself: known too late?", f.code))
    for f in said_to_repeat(context):
        keep = str(f.evidence.get("keep", ""))
        if f.code == "say-nearly-the-same" and keep not in out.sure:
            why = Why(f"says nearly the same as {keep}, which is kept: {f.evidence['why']}", f.code)
            for name in f.columns:
                if name not in (keep, context.plan.outcome):
                    out.doubtful.setdefault(name, why)


def _by_itself(out: LeavingOut, context: Context, c: Column, found: list[Finding]) -> None:
    """Look at one column, whatever the others hold."""
    codes = {f.code for f in found}
    if context.plan.outcome in context.origins.get(c.name, ()):
        out.sure.setdefault(c.name, Why(f"made from the outcome {context.plan.outcome}"))
    elif c.empty:
        out.sure.setdefault(c.name, Why("missing in every row", "mostly-missing"))
    elif c.kind in NAMES_CASES and not _shared_names(c):
        out.sure.setdefault(c.name, Why(NAMES_CASES[c.kind], "constant-column" if c.kind == "constant" else ""))
    elif "nearly-constant" in codes:
        out.doubtful[c.name] = Why("nearly constant", "nearly-constant")
    elif "mostly-missing" in codes and not codes.intersection(FLAGGED):
        out.doubtful[c.name] = Why(f"{c.missing.mean():.0%} missing", "mostly-missing")


def _shared_names(c: Column) -> bool:
    """Say whether names are shared by several rows each, as those of a herd are and those of its animals are not."""
    return isinstance(c, CategoryColumn) and c.kind == "identifier" and len(c) >= ROWS_A_NAME * max(c.distinct, 1)


def _known_later(out: LeavingOut, f: Finding, outcome: str | None) -> None:
    """Leave out what is written down with the outcome, and of what makes it up as much as gives it away."""
    others = [n for n in f.columns if n != outcome]
    if f.code == "known-later" and not f.evidence.get("by_name"):
        for name in others:
            out.sure.setdefault(name, Why("written down with the outcome, or after it", f.code))
    if f.code == "made-up-of-others" and f.weight == "stop":
        parts = f.evidence.get("parts", {})
        made = [n for n in others if n in parts] if parts else others
        for name in (*made, *parts.get(outcome, ())[-1:]):
            out.sure.setdefault(name, Why(f"with others it is {outcome} in other words", f.code))
