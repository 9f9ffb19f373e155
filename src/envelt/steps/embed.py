"""A map of many columns in two."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..adapters.neighbour_index import neighbour_index
from ..core.asked import whole_number
from ..core.columns.outcome import ClassOutcome
from ..core.columns.table import CategoryColumn, Column
from ..core.embed import findings as said
from ..core.embed.classes import pieces_of, separation_of, suspects_of
from ..core.embed.embed import LEAST_ROWS, METHODS, Map, make_map
from ..core.embed.inputs import Encoder, encoder_of, matrix_of
from ..core.embed.nearest import DISTANCES, nearest_rows
from ..core.embed.quality import quality_of
from ..core.finding import Finding, by_weight
from ..core.later import Later
from ..core.words import plural
from ..errors import OptionError, did_you_mean
from ..views.embed import EmbedView, MapGroups, MapShown
from ..write.progress import slow_progress
from .checks import refuse_empty
from .context import Context

SKIPPED = ("identifier", "text", "constant")
LOOKED_AT = 15
"""Neighbours by which classes and pieces are judged."""
MEASURED = 10
"""Neighbours of which quality speaks."""
MOST_GROUPS = 20
MOST_FRAMES = 1_000


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
        for what, value, known in (("method", self.method, METHODS), ("distance", self.distance, DISTANCES)):
            if value not in known:
                raise OptionError(f"No {what} {value!r}.{did_you_mean(str(value), known)}")
        if self.nearest is not None:
            whole_number(self.nearest, 2, "number of nearest rows")
        whole_number(self.seed, 0, "seed")
        whole_number(self.frames, 0, "number of frames", MOST_FRAMES)
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
    groups = _groups(context, options)
    made = Later(lambda: _made(options, used, encoders, on_step))
    shown = _shown(context, options, made, groups, encoders, used)
    about = [f"{plural(len(context.table), 'row')}, {plural(len(used), 'column')}", *context.kept]
    if left_out:
        shown_names = ", ".join(left_out[:6]) + (", …" if len(left_out) > 6 else "")
        about.append(f"left out, as names, texts or of one value: {shown_names}")
    what = {"neighbours": "by their neighbours", "pca": "by principal components", "mds": "by their distances"}
    title = f"{plural(len(context.table), 'row')} in two dimensions, {what[options.method]}"
    return EmbedView(shown, tuple(about), title, context.names, options.method, options.panels)


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
        if len(column.levels) > MOST_GROUPS:
            raise OptionError(
                f"{name!r} has {len(column.levels)} levels, more than a map has colours: join some first."
            )
        grouping = context.grouping((name,))
        return MapGroups(name, grouping.labels, grouping.codes, None)
    if isinstance(outcome, ClassOutcome) and name == outcome.name:
        return MapGroups(name, outcome.levels, outcome.codes.astype(np.int64), None)
    return MapGroups(name, (), None, column.numbers)


def _made(
    options: EmbedOptions, columns: list[Column], encoders: list[Encoder], on_step: Callable[..., Any] | None
) -> Map:  # fmt: skip
    values = matrix_of(columns, encoders)
    with slow_progress("Map") as report:

        def seen(step: int, of: int, at: NDArray[Any]) -> None:
            report(step, of, "")
            if on_step is not None:
                on_step(step, of, at.copy())

        index = neighbour_index() if options.method == "neighbours" else None
        return make_map(
            values, options.method, options.nearest, options.distance, options.seed, index, seen, options.frames
        )  # fmt: skip


def _shown(
    context: Context, options: EmbedOptions, made: Later[Map], groups: MapGroups, encoders: list[Encoder],
    used: list[Column],
) -> MapShown:  # fmt: skip
    table = context.table
    k = min(MEASURED, max(1, (len(table) - 1) // 2 - 1))

    def near_in_full() -> Any:
        m = made()
        return m.nearest if m.nearest is not None else nearest_rows(
            m.reduced, min(LOOKED_AT, len(table) - 1), m.distance, neighbour_index()
        )  # fmt: skip

    full = Later(near_in_full)
    flat = Later(lambda: nearest_rows(made().at, min(LOOKED_AT, len(table) - 1)))
    quality = Later(lambda: quality_of(made().values, made().at, k, options.seed))
    of_pca = Later(lambda: quality_of(made().values, _first_two(made()), k, options.seed))
    separation = suspects = None
    if groups.codes is not None and len(groups.levels) > 1:
        codes, count = groups.codes, len(groups.levels)
        separation = Later(lambda: separation_of(codes, count, full().at, flat().at, context.sampling))
        suspects = Later(lambda: suspects_of(codes, count, full().at, full().distance))
    named = [c.name for c in used if c.kind == "identifier"]
    among = groups.name if groups.name in {c.name for c in used} else None

    def found() -> tuple[Finding, ...]:
        out = said.said_of_inputs(among, named) + said.said_of_quality(quality())
        if separation is not None and suspects is not None and groups.name is not None:
            out += said.said_of_separation(groups.name, groups.levels, separation())
            labels = [str(r) for r in table.rows]
            out += said.said_of_suspects(groups.name, groups.levels, suspects(), separation(), labels)
        apart = [] if separation is None else said.kept_apart(separation())
        pieces = pieces_of(flat().at, max(10, len(table) // 50))
        known = [table[n] for n in table.columns if n != context.unit]
        of_classes = (groups.codes, groups.name or "", groups.levels, apart)
        out += said.said_of_pieces(pieces, known, *of_classes, context.sampling)
        return by_weight(out)

    return MapShown(made, groups, quality, of_pca, separation, suspects, Later(found), encoders, table.rows, k)


def _first_two(made: Map) -> NDArray[np.float64]:
    scores = made.components.scores[:, :2]
    return scores if scores.shape[1] == 2 else np.column_stack((scores, np.zeros(len(scores))))
