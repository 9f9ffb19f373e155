"""What a step found, and would not have found if rows that likely belong together were counted as one case."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import wraps
from typing import Any, Concatenate, ParamSpec, TypeVar

from ..core.finding import Finding, marked
from ..core.words import plural
from ..errors import EnveltError, option
from ..view import View
from .context import Context

P = ParamSpec("P")
V = TypeVar("V", bound=View)

OF_RELATIONS = frozenset({
    "bend-without-trend", "clusters-correlate", "curved-relation", "groups-disagree", "missing-follows-column",
    "missing-follows-outcome", "more-together", "only-together", "only-within", "spread-differs", "step-not-trend",
    "step-to-none", "together-as-ratio", "turns-between-groups", "turns-round", "vanishes-within",
})  # fmt: skip
"""Findings that rest on rows being cases."""


@dataclass(frozen=True)
class UnitDoubt:
    """The doubt that rows are cases: what a step says of relations must hold too if a likely unit were declared.

    Parameters
    ----------
    step, context, args, options
        How the view was made; with the unit it is made so only where there is something to doubt.
    """

    step: Callable[..., View]
    context: Context
    args: tuple[Any, ...]
    options: dict[str, Any]

    def left(self, found: tuple[Finding, ...]) -> tuple[Finding, ...]:
        """Return the findings that hold over the units too; the first two columns say which relation it is."""
        units = self.context.under_unit if any(f.code in OF_RELATIONS for f in found) else None
        if units is None:
            return found
        try:
            again = self.step(units, *self.args, **self.options).found
        except EnveltError:  # what was asked for cannot be with that unit: it is the unit itself
            return found
        held = [(f.code, {*f.columns}) for f in again]
        kept: list[Finding] = []
        dropped: list[Finding] = []
        for f in found:
            rests = f.code in OF_RELATIONS
            holds = not rests or any(f.code == code and {*f.columns[:2]} <= names for code, names in held)
            (kept if holds else dropped).append(f)
        return (*kept, *_told(dropped, str(units.unit)))


def _told(dropped: list[Finding], unit: str) -> list[Finding]:
    if not dropped:
        return []
    many = len(dropped) > 1
    what = plural(len(dropped), "finding") + (" on relations are" if many else " on a relation is")
    codes = ", ".join(dict.fromkeys(f.code for f in dropped))
    return [
        Finding(
            "rests-on-rows",
            "note",
            (unit,),
            f"{what} left out ({codes}): {'they hold' if many else 'it holds'} only if rows are cases, and rows of one "
            f"{marked(unit)} resemble each other.",
            f"Declare the unit, {option('unit', unit)}, so that numbers and findings count what is independent.",
            {"left_out": [{"code": f.code, "columns": [*f.columns]} for f in dropped]},
        )
    ]


def doubted(step: Callable[Concatenate[Context, P], V]) -> Callable[Concatenate[Context, P], V]:
    """Let a step leave out of its findings what rests on rows being cases where they likely are not."""

    @wraps(step)
    def made(context: Context, /, *args: P.args, **options: P.kwargs) -> V:
        view = step(context, *args, **options)
        if context.unit is None and context.outcome is not None and view.doubt is None:
            view.doubt = UnitDoubt(made, context, args, options)
        return view

    return made
