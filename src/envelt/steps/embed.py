"""A map of many columns in two."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from ..adapters.neighbour_index import neighbour_index
from ..core.columns.outcome import ClassOutcome
from ..core.columns.table import CategoryColumn, Column
from ..core.embed.answers import MapAnswers, MapGroups
from ..core.embed.embed import LEAST_ROWS
from ..core.embed.inputs import encoder_of
from ..core.words import plural
from ..errors import OptionError
from ..views.embed import EmbedView
from ..write.progress import slow_progress
from .checks import refuse_empty
from .context import Context

SKIPPED = ("identifier", "text", "constant")
MOST_GROUPS = 20


@dataclass(frozen=True)
class EmbedOptions:
    """What was asked for; see `Study.embed`."""

    columns: tuple[str, ...] = ()
    method: str = "neighbours"
    by: tuple[str, ...] = ()
    nearest: int | None = None
    distance: str = "euclidean"
    scaled: bool = True
    seed: int = 0
    frames: int = 0
    panels: bool = False

    def __post_init__(self) -> None:
        if self.frames and self.method != "neighbours":
            raise OptionError("Only the map of neighbours forms step by step: leave frames out with other methods.")
        if self.method == "pca" and self.distance != "euclidean":
            raise OptionError("Principal components are of Euclidean distances: leave distance out, or take mds.")


def show_embed(context: Context, options: EmbedOptions, on_step: Callable[..., Any] | None) -> EmbedView:
    """Lay the rows out in two dimensions."""
    columns, left_out = _chosen(context, options)
    if len(context.table) < LEAST_ROWS:
        raise OptionError(f"A map needs {LEAST_ROWS} rows or more, not {len(context.table)}.")
    encoders, used = [], []
    for column in columns:
        encoder = encoder_of(column, options.scaled)
        if encoder is None:
            left_out.append(column.name)
        else:
            encoders.append(encoder)
            used.append(column)
    if not used:
        raise OptionError("No column has two different values that a map could be made of.")
    known = tuple(c for c in context.table if c.name != context.unit)
    groups = _groups(context, options)
    answers = MapAnswers(
        tuple(used), tuple(encoders), known, context.table.rows, groups, context.sampling,
        options.method, options.nearest, options.distance, options.seed, options.frames, neighbour_index, on_step,
        slow_progress,
    )  # fmt: skip
    about = [f"{plural(len(context.table), 'row')}, {plural(len(used), 'column')}", *context.kept]
    if groups.name is None and context.outcome is not None:
        about.append(f"without colour: {context.outcome.name} has more classes than a map has colours, {MOST_GROUPS}")
    if left_out:
        shown_names = ", ".join(left_out[:6]) + (", …" if len(left_out) > 6 else "")
        about.append(f"left out, as names, texts or of one value: {shown_names}")
    what = {"neighbours": "by their neighbours", "pca": "by principal components", "mds": "by their distances"}
    title = f"{plural(len(context.table), 'row')} in two dimensions, {what[options.method]}"
    return EmbedView(answers, tuple(about), title, context.names, options.panels)


def _chosen(context: Context, options: EmbedOptions) -> tuple[list[Column], list[str]]:
    table = context.table
    if options.columns:
        columns = [table[n] for n in dict.fromkeys(options.columns)]
        for column in columns:
            if column.kind == "text":
                raise OptionError(f"{column.name!r} is free text, of which no distance can be taken: leave it out.")
            refuse_empty(column, "no distance can be taken of it")
        return columns, []
    names = [n for n in context.candidates if n not in options.by]
    columns = [table[n] for n in names if table[n].kind not in SKIPPED and not table[n].empty]
    if not columns:
        raise OptionError("No candidate holds numbers or levels that a map could be made of.")
    return columns, [n for n in names if n not in {c.name for c in columns}]


def _groups(context: Context, options: EmbedOptions) -> MapGroups:
    """Return the classes that colour the rows, or the numbers that do."""
    if len(options.by) > 1:
        raise OptionError("A map has one colour a row: name one column in by.")
    outcome = context.outcome
    name = options.by[0] if options.by else outcome.name if outcome is not None else None
    if name is None:
        return MapGroups(None, (), None, None)
    column = context.table[name]
    if isinstance(column, CategoryColumn):
        if len(column.levels) > MOST_GROUPS and not options.by:
            return MapGroups(None, (), None, None)
        if len(column.levels) > MOST_GROUPS:
            raise OptionError(
                f"{name!r} has {len(column.levels)} levels, more than a map has colours: join some first."
            )
        grouping = context.grouping((name,))
        return MapGroups(name, grouping.labels, grouping.codes, None)
    if isinstance(outcome, ClassOutcome) and name == outcome.name:
        return MapGroups(name, outcome.levels, outcome.codes.astype(np.int64), None)
    return MapGroups(name, (), None, column.numbers)
