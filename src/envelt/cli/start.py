"""The commands one begins with."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from .command import app
from .options import ROWS, Given, console, takes, until_nobody_reads


@app.command()
def demo(
    folder: Annotated[Path, typer.Argument(metavar="FOLDER", help="Where to write; made if need be.")] = Path(
        "envelt-demo"
    ),
) -> None:
    """Run the main job on made-up data: writes the data, the report and the figures, and prints the ranking."""
    from .demo import run_demo

    with until_nobody_reads():
        run_demo(folder, console())


@app.command()
@takes("outcome", "event", "unit", *ROWS, "seed")
def begin(
    given: Given,
    labels: Annotated[
        Path | None, typer.Option(metavar="FILE", help="A code book (column, value, label) to take labels from.")
    ] = None,
    out: Annotated[Path, typer.Option(metavar="FILE", help="The study file to write or bring up to date.")] = Path(
        "study.toml"
    ),
) -> None:
    """Write a commented study file from what was detected, for you to correct; every command takes it as DATA.

    If the file is there, new columns are added and vanished ones marked; nothing you wrote is changed.

    Example: envelt begin hives.csv --outcome wintered
    """
    there = out.exists()
    new, gone = given.study().begin(out, labels=labels)
    if not there:
        print(f"Wrote {out}: correct it, then try: envelt inventory {out}")
    elif not new and not gone:
        print(f"{out} is up to date; nothing was changed.")
    for names, what in ((new, "added to"), (gone, "marked as vanished in")):
        if names:
            print(f"{', '.join(names)}: {what} {out}; nothing you wrote was changed.")
