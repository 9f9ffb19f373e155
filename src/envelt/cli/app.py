"""The commands, one a step."""

from __future__ import annotations

import os
import sys
from errno import EPIPE
from pathlib import Path
from typing import Annotated, Any

import typer

from ..errors import EnveltError, OptionError
from ..write.digits import marks
from .options import LOOK, ROWS, SAVED, Given, NobodyReads, console, names_in, numbers_in, takes, until_nobody_reads

app = typer.Typer(
    name="envelt",
    no_args_is_help=True,
    add_completion=False,
    rich_markup_mode=None,
    pretty_exceptions_enable=False,
    context_settings={"help_option_names": ["-h", "--help"]},
    help=(
        "Decide which features to use, and how to prepare them, before any model.\n\nIn the order of the work: begin "
        "(a study file for you to correct), inventory (what is each column?), balance (how lopsided is the "
        "outcome?), distribution (what does a column look like?), against (how does the outcome differ along one?), "
        "contingency (counts and rates in every cell), relations (which columns say the same?), pairwise (how does "
        "each pair look?), transforms (log, root, power, or leave it?), "
        "embed (do classes separate?), rank (which candidates carry something?), "
        "prepare (the decisions, fitted and applied to any later rows), report (all of it on one page).\n\n"
        "Try: envelt demo"
    ),
)


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


@app.command()
@takes("outcome", *ROWS, *SAVED)
def inventory(
    given: Given,
    rows: Annotated[int, typer.Option(min=0, help="Show so many of the first rows, as read.")] = 0,
) -> None:
    """Say what each column is and why, what is missing, and what is odd.

    Example: envelt inventory hives.csv --kind zone=nominal --out columns.html
    """
    given.give([given.study().inventory(rows=rows)])


@app.command()
@takes("by", "outcome", "event", *ROWS, *SAVED)
def balance(given: Given) -> None:
    """Say how the outcome's classes (or values) are spread, and what always saying the largest would score.

    Example: envelt balance demo --outcome wintered
    """
    given.give([given.study().balance(by=names_in(given["by"]))])


@app.command()
@takes("by", *LOOK[:-1], "top", "outcome", "unit", *ROWS, *SAVED)
def distribution(
    given: Given,
    columns: Annotated[
        list[str] | None, typer.Argument(metavar="[COLUMN]...", help="One column, or several of one unit. None: all.")
    ] = None,
    sort: Annotated[str, typer.Option(metavar="HOW", help="All columns by skewness, missing or name.")] = "skewness",
) -> None:
    """Show how a column is distributed, alone or by group: its spikes, tails, peaks and outliers.

    Example: envelt distribution demo mites --by altitude_band --scale log1p --out mites.png
    """
    study = given.study()
    names, by = names_in(columns, study.table.columns), names_in(given["by"])
    look = given.look()
    if names or by or look:
        given.give([study.distribution(names, by=by, top=given["top"], **look)])
    else:
        given.give([study.distribution(sort=sort)])


@app.command()
@takes("outcome", "event", "unit", "by", *LOOK, "top", *ROWS, "seed", *SAVED)
def against(
    given: Given,
    columns: Annotated[
        list[str] | None, typer.Argument(metavar="[COLUMN]...", help="The candidates, one or several. None: all.")
    ] = None,
) -> None:
    """Set candidates against the outcome: does it differ along them, by how much, how surely?

    Without a candidate: all of them at a glance, strongest first.

    Example: envelt against demo humidity --outcome wintered --out humidity.png
    """
    study = given.study()
    names, by = names_in(columns, study.table.columns), names_in(given["by"])
    if not names and not by and not given.look():
        given.give([study.against()])
        return
    given.give([study.against(c, by=by, top=given["top"], **given.look()) for c in names or [""]], names or None)


@app.command()
@takes("by", "bins", "width", "start", "calendar", "outcome", "event", "unit", *ROWS, "seed", *SAVED)
def contingency(
    given: Given,
    rows: Annotated[str, typer.Argument(metavar="ROWS", help="A column, or several joined by commas.")],
    columns: Annotated[
        str | None, typer.Argument(metavar="[COLUMNS]", help="Likewise; none for counts and shares of the rows.")
    ] = None,
    shares: Annotated[str, typer.Option(metavar="OF", help="Shares of a row, a column, or all.")] = "row",
    picture: Annotated[
        str, typer.Option(metavar="NAME", help="bars, stacked, shares, cells, rates, mosaic; auto chooses.")
    ] = "auto",
    colour: Annotated[str, typer.Option(metavar="BY", help="Colour cells by share or by residual.")] = "share",
    order: Annotated[str, typer.Option(metavar="BY", help="Rows by level, count or rate.")] = "level",
    cuts: Annotated[str, typer.Option(metavar="A,B,…", help="Points to cut numbers at.")] = "",
    largest: Annotated[int | None, typer.Option(metavar="N", help="Levels kept apart; the others join.")] = None,
    missing_level: Annotated[bool, typer.Option("--missing-level", help="Missing as a level of its own.")] = False,
) -> None:
    """Cross columns: counts, shares, the outcome's rates, and whether a relation turns round within a third column.

    Example: envelt contingency demo fed wintered --outcome wintered --by altitude_band
    """
    study = given.study()
    known = study.table.columns
    view = study.contingency(
        names_in(rows, known), names_in(columns, known), by=names_in(given["by"]), shares=shares, picture=picture,
        colour=colour, order=order, bins=given["bins"], width=given["width"], start=given["start"],
        cuts=numbers_in(cuts, "--cuts"), calendar=given["calendar"], largest=largest, missing=missing_level,
    )  # fmt: skip
    given.give([view])


@app.command()
@takes("outcome", "event", "unit", *ROWS, "seed", *SAVED)
def rank(
    given: Given,
    columns: Annotated[
        list[str] | None, typer.Argument(metavar="[COLUMN]...", help="The candidates, one or several. None: all.")
    ] = None,
    time: Annotated[
        str | None, typer.Option(metavar="COLUMN", help="Folds are stretches of this time, for rows in its order.")
    ] = None,
) -> None:
    """Rank all candidates by what each alone says about the outcome on rows it was not fitted on.

    Example: envelt rank demo --outcome wintered --unit colony
    """
    study = given.study()
    given.give([study.rank(names_in(columns, study.table.columns), time=time)])


@app.command()
@takes("by", "outcome", "event", "unit", *ROWS, "seed", *SAVED)
def relations(
    given: Given,
    columns: Annotated[
        list[str] | None, typer.Argument(metavar="[COLUMN]...", help="Two or more columns. None: all.")
    ] = None,
    method: Annotated[
        str, typer.Option(metavar="NAME", help="auto (all kinds, by form), pearson, spearman or kendall.")
    ] = "auto",
    at_least: Annotated[
        float | None,
        typer.Option("--at-least", metavar="STRENGTH", help="Only pairs of this strength or more, 0 to 1."),
    ] = None,
    confidence: Annotated[float, typer.Option(metavar="SHARE", help="Of the intervals.")] = 0.95,
    alternative: Annotated[
        str, typer.Option(metavar="NAME", help="two-sided, greater or less; with a named method.")
    ] = "two-sided",
    order: Annotated[
        str, typer.Option(metavar="HOW", help="Of the picture: similar columns together, or file.")
    ] = "similar",
    whole: Annotated[bool, typer.Option("--whole", help="Draw the whole square, not half of it.")] = False,
) -> None:
    """Say which columns say the same thing, which move together, in which form, and what to keep of each group.

    Example: envelt relations demo --outcome wintered --at-least 0.4 --out columns.png
    """
    study = given.study()
    view = study.relations(
        names_in(columns, study.table.columns), method=method, by=names_in(given["by"]), at_least=at_least,
        confidence=confidence, alternative=alternative, order=order, whole=whole,
    )  # fmt: skip
    given.give([view])


@app.command()
@takes("by", "outcome", "event", "unit", *ROWS, "seed", *SAVED)
def pairwise(
    given: Given,
    columns: Annotated[
        list[str] | None,
        typer.Argument(metavar="[COLUMN]...", help="Two (that pair, large) or more. None: the best-ranked."),
    ] = None,
    most: Annotated[int, typer.Option(metavar="N", min=2, help="How many to choose, where none is named.")] = 6,
    colour: Annotated[str | None, typer.Option(metavar="COLUMN", help="A third column by colour, of one pair.")] = None,
    ranks: Annotated[bool, typer.Option("--ranks", help="Rank against rank, of one pair.")] = False,
    panels: Annotated[bool, typer.Option("--panels", help="One panel a class on shared axes, of one pair.")] = False,
) -> None:
    """Show every pair of columns once, by class, with its coefficient and form; or one pair, large.

    Example: envelt pairwise demo humidity mites altitude_m --outcome wintered --out pairs.png
    """
    study = given.study()
    view = study.pairwise(
        names_in(columns, study.table.columns), by=names_in(given["by"]), most=most, colour=colour, ranks=ranks,
        panels=panels,
    )  # fmt: skip
    given.give([view])


@app.command()
@takes("by", "outcome", "event", "unit", *ROWS, "seed", *SAVED)
def transforms(
    given: Given,
    columns: Annotated[
        list[str] | None,
        typer.Argument(metavar="[COLUMN]...", help="One or several numbers. None: a suggestion for each."),
    ] = None,
) -> None:
    """Say what log, roots, powers and ranks do to a number's shape, and which is worth it, or that none is.

    Example: envelt transforms demo mites --outcome wintered --out mites.png
    """
    study = given.study()
    names, by = names_in(columns, study.table.columns), names_in(given["by"])
    if names:
        given.give([study.transforms(n, by=by) for n in names], names)
    elif by:
        raise OptionError("Name a column: by divides the rows of one at a time.")
    else:
        given.give([study.transforms()])


@app.command()
@takes("by", "outcome", "event", *ROWS, "seed", *SAVED)
def embed(
    given: Given,
    columns: Annotated[
        list[str] | None, typer.Argument(metavar="[COLUMN]...", help="The map is made of these. None: all candidates.")
    ] = None,
    method: Annotated[
        str, typer.Option(metavar="NAME", help="neighbours (near rows stay near), pca or mds.")
    ] = "neighbours",
    nearest: Annotated[
        int | None, typer.Option(metavar="N", help="How many neighbours the map holds. Default: from the rows.")
    ] = None,
    distance: Annotated[str, typer.Option(metavar="NAME", help="euclidean, cosine or manhattan.")] = "euclidean",
    unscaled: Annotated[
        bool, typer.Option("--unscaled", help="Take numbers as they are, where all have one unit.")
    ] = False,
    frames: Annotated[int, typer.Option(metavar="N", help="Draw N small pictures of the map as it forms.")] = 0,
    panels: Annotated[bool, typer.Option("--panels", help="Draw one panel a class.")] = False,
) -> None:
    """Lay rows out in two dimensions: do the classes separate, which rows sit among another class, is it to be trusted?

    Example: envelt embed demo sound_b01 sound_b02 sound_b03 sound_b04 --outcome colony_state --out map.png
    """
    study = given.study()
    view = study.embed(
        names_in(columns, study.table.columns), method=method, by=names_in(given["by"]), nearest=nearest,
        distance=distance, scaled=not unscaled, seed=given["seed"] or 0, frames=frames, panels=panels,
    )  # fmt: skip
    given.give([view])


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


def main() -> None:
    """Run the command line; an error is one or two lines on standard error and exit status 2.

    A reader that has seen enough (``| head -1``) is no error.
    """
    for stream in (sys.stdout, sys.stderr):
        if hasattr(stream, "reconfigure"):
            stream.reconfigure(errors="replace")  # a console that lacks a letter shows a mark
    status: int | str | None = 0
    try:
        try:
            app()
        except SystemExit as stop:  # with which every command ends
            status = stop.code
        sys.stdout.flush()
    except EnveltError as error:
        print(f"envelt: {marks(error.typed)}", file=sys.stderr)
        status = 2
    except (NobodyReads, OSError) as error:
        _let_go(sys.stdout)
        status = 0 if isinstance(error, NobodyReads) or error.errno == EPIPE else 2
        if status:
            said = getattr(error, "strerror", None) or error
            print(f"envelt: Cannot write what was to be printed: {said}.", file=sys.stderr)
    sys.exit(status)


def _let_go(stream: Any) -> None:
    """Send what is still to be written nowhere, so that the end of the process does not fail once more."""
    try:
        os.dup2(os.open(os.devnull, os.O_WRONLY), stream.fileno())
    except (OSError, ValueError):  # no stream of the system
        return
