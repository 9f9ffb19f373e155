"""The commands one ends with: a preparation, and the report."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Annotated

import typer

from .command import app
from .options import ROWS, Given, takes


@app.command()
@takes("outcome", "event", "unit", *ROWS, "seed", "findings", "all", "json")
def prepare(
    given: Given,
    propose: Annotated[
        Path | None, typer.Option(metavar="FILE", help="Write the preparation that follows from what was found.")
    ] = None,
    using: Annotated[
        Path | None, typer.Option(metavar="FILE", help="The preparation to apply: a .json file, for you to correct.")
    ] = None,
    fit: Annotated[
        bool, typer.Option("--fit", help="Learn from these rows first; the file then holds what was learned.")
    ] = False,
    keep: Annotated[
        list[str] | None,
        typer.Option(metavar="COLUMN", help="Write a column beside the features, such as the outcome. Repeatable."),
    ] = None,
    out: Annotated[
        list[Path] | None,
        typer.Option(metavar="FILE", help="Write the rows prepared: .parquet .csv .arrow .jsonl. Repeatable."),
    ] = None,
    for_model: Annotated[
        str, typer.Option(metavar="MODEL", help="Propose for linear models, or for trees: no transforms, no scaling.")
    ] = "linear",
    again: Annotated[
        bool, typer.Option("--again", help="Propose over a file that is there; fit one again that is fitted.")
    ] = False,
) -> None:
    """Apply the decisions to rows: propose a preparation, fit it on training rows, apply it to later ones.

    Example: envelt prepare hives.csv --outcome wintered --propose hives.json

    Then: envelt prepare hives.csv --using hives.json --fit --out train.parquet

    On new rows: envelt prepare later.csv --using hives.json --out later.parquet
    """
    from .prepare import run_prepare

    run_prepare(given, propose, using, fit, keep or [], out or [], for_model, again)


@app.command()
@takes("outcome", "event", "unit", *ROWS, "seed")
def report(
    given: Given,
    out: Annotated[Path, typer.Option(metavar="FILE", help="The page to write.")] = Path("report.html"),
) -> None:
    """Write all of it as one self-contained HTML page, in the order of the work.

    Example: envelt report demo --outcome wintered --out hives.html
    """
    given.study().report(out)
    print(f"Wrote {out}", file=sys.stderr)
