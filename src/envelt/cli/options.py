"""The options that mean the same in every command."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any, cast

import typer

from ..errors import OptionError

if TYPE_CHECKING:
    from ..core.look import LookOptions

Data = Annotated[
    str,
    typer.Argument(
        metavar="DATA", help="A CSV, TSV, Parquet, Arrow, JSON Lines or .xlsx file, a study file, or the word 'demo'."
    ),
]
OutcomeOption = Annotated[
    str | None,
    typer.Option("--outcome", "-o", metavar="COLUMN", help="The column to be told from the others."),
]
Event = Annotated[
    str | None,
    typer.Option(
        metavar="LEVEL",
        help="The level of the outcome that rates speak of. Default: yes, true or 1, else the rarest.",
    ),
]
Unit = Annotated[
    str | None,
    typer.Option(metavar="COLUMN", help="The column that says which rows are one case; folds never split one."),
]
Kind = Annotated[
    list[str] | None,
    typer.Option(
        metavar="COLUMN=KIND",
        help="What a column is, where detection is wrong: --kind zone=nominal. Repeatable.",
    ),
]
Ignore = Annotated[list[str] | None, typer.Option(metavar="COLUMN", help="Leave a column out. Repeatable.")]
Where = Annotated[
    str | None,
    typer.Option(metavar="EXPRESSION", help="Rows to keep: --where \"altitude_m > 300 and hive_type == 'skep'\"."),
]
Out = Annotated[
    list[Path] | None,
    typer.Option(metavar="FILE", help="Save as the extension says: .png .svg .pdf .html .md .csv .json. Repeatable."),
]
Json = Annotated[bool, typer.Option("--json", help="Print JSON and nothing else.")]
Seed = Annotated[int, typer.Option(help="Of everything random; the same seed gives the same numbers.")]
By = Annotated[
    str | None,
    typer.Option(metavar="COLUMN[,COLUMN]", help="Compare the groups of up to two columns, joined by a comma."),
]
Picture = Annotated[
    str,
    typer.Option(
        metavar="NAME", help="histogram, density, box, violin, dots, qq, interval, cumulative, bars; auto chooses."
    ),
]
ScaleOption = Annotated[
    str, typer.Option("--scale", metavar="NAME", help="linear, log (values above zero) or log1p (zeros too).")
]
Bins = Annotated[int | None, typer.Option(metavar="N", help="About how many bins.")]
Width = Annotated[float | None, typer.Option(metavar="NUMBER", help="The width of the bins.")]
Start = Annotated[float | None, typer.Option(metavar="NUMBER", help="An edge for the bins to start from.")]
Measure = Annotated[str | None, typer.Option(metavar="NAME", help="Bars show count, share or density.")]
Arrange = Annotated[
    str, typer.Option(metavar="NAME", help="Histograms of groups: line, overlaid, stacked, or shares in each bin.")
]
Bandwidth = Annotated[float | None, typer.Option(metavar="NUMBER", help="Of densities; by rule if not given.")]
Limits = Annotated[str | None, typer.Option(metavar="LOW,HIGH", help="The ends of the axis of values.")]
Calendar = Annotated[str | None, typer.Option(metavar="UNIT", help="Dates by day, week, month, quarter or year.")]
Numbers = Annotated[bool, typer.Option("--numbers", help="Numbers on the bars.")]
Normal = Annotated[bool, typer.Option("--normal", help="A normal curve over the histogram.")]
Box = Annotated[bool, typer.Option("--box", help="A box under the dots.")]
Top = Annotated[int, typer.Option(metavar="N", help="How many of the most frequent values to list.")]


def names_in(text: str | Iterable[str] | None, known: Iterable[str] = ()) -> list[str]:
    """Return names joined by commas, or given one by one; a name that holds a comma is left whole where it is known."""
    given = [text] if isinstance(text, str) else list(text or ())
    there = set(known)
    return [n for t in given for n in ([t] if t in there else [p.strip() for p in t.split(",") if p.strip()])]


def look_options(
    picture: str,
    scale: str,
    bins: int | None,
    width: float | None,
    start: float | None,
    measure: str | None,
    arrange: str,
    bandwidth: float | None,
    limits: str | None,
    calendar: str | None,
    numbers: bool,
    normal: bool,
    box: bool,
    residuals: bool = False,
) -> LookOptions:
    """Return how to look, as `Study.distribution` takes it; only what was asked for.

    Raises
    ------
    OptionError
    """
    usual = {"picture": "auto", "scale": "linear", "arrange": "line"}
    given = {k: v for k, v in locals().items() if k != "usual" and v is not None and v is not False}
    asked: dict[str, Any] = {k: v for k, v in given.items() if usual.get(k) != v}
    if limits is not None:
        try:
            asked["limits"] = [float(v) for v in limits.split(",")]
        except ValueError:
            raise OptionError(f"--limits takes two numbers, LOW,HIGH, such as 0,50, not {limits!r}.") from None
    return cast("LookOptions", asked)
