"""The options that mean the same in every command."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

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
