"""The commands that look: one a step."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated

import typer

from ..errors import OptionError
from .command import app
from .options import COEFFICIENT, LOOK, ROWS, SAVED, Given, names_in, numbers_in, takes

if TYPE_CHECKING:
    from ..core.columns.axes import CrossingOptions

PAIR = ("ranks", "residuals", *COEFFICIENT)
"""Options of two numbers."""


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
@takes("by", *LOOK[:-2], "top", "outcome", "unit", *ROWS, *SAVED)
def distribution(
    given: Given,
    columns: Annotated[
        list[str] | None, typer.Argument(metavar="[COLUMN]...", help="One column, or several of one unit. None: all.")
    ] = None,
    sort: Annotated[str, typer.Option(metavar="HOW", help="All columns by skewness, missing or name.")] = "skewness",
) -> None:
    """Show how a column is distributed, alone or by group: its spikes, tails, peaks and outliers.

    Without a column: all of them; with --by the profile of the groups, the columns that differ most first.

    Example: envelt distribution demo mites --by altitude_band --scale log1p --out mites.png
    """
    study = given.study()
    names, by = names_in(columns, study.table.columns), names_in(given["by"])
    look = given.look()
    if names or look:
        given.give([study.distribution(names, by=by, top=given["top"] or 10, **look)])
    elif by:
        if sort != "skewness":
            raise OptionError("--sort is of the sheet of all columns; the profile of groups has its own order.")
        given.give([study.distribution(by=by)])
    else:
        given.give([study.distribution(sort=sort)])


@app.command()
@takes("outcome", "event", "unit", "by", *LOOK, "top", "least", *COEFFICIENT, *ROWS, "seed", *SAVED)
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
    look, asked = given.look(), given.of("top", "least", *COEFFICIENT)
    given.give([study.against(c, by=by, **asked, **look) for c in names or [""]], names or None)


@app.command()
@takes("by", "bins", "width", "start", "calendar", "outcome", "event", "unit", *ROWS, "seed", *SAVED)
def contingency(
    given: Given,
    rows: Annotated[str | None, typer.Argument(metavar="ROWS", help="A column, or several joined by commas.")] = None,
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
    values: Annotated[
        str | None, typer.Option(metavar="COLUMN", help="The figures of the cells, of a table of means or totals.")
    ] = None,
) -> None:
    """Cross columns: counts, shares, the outcome's rates, and whether a relation turns round within a third column.

    Example: envelt contingency demo fed wintered --outcome wintered --by altitude_band
    """
    if not rows:
        raise OptionError("Name a column whose levels are the rows, or several joined by commas.")
    study = given.study()
    known = study.table.columns
    crossed = names_in(rows, known), names_in(columns, known)
    options: CrossingOptions = {
        "by": names_in(given["by"]), "shares": shares, "picture": picture, "colour": colour, "order": order,
        "bins": given["bins"], "width": given["width"], "start": given["start"], "cuts": numbers_in(cuts, "--cuts"),
        "calendar": given["calendar"], "largest": largest, "missing": missing_level,
    }  # fmt: skip
    if values is not None:
        given.give([study.contingency(*crossed, values=values, **options)])
        return
    given.give([study.contingency(*crossed, **options)])


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
@takes("outcome", "event", "unit", *ROWS, "out", "guard_formulas", "all", "json")
def rows(
    given: Given,
    expression: Annotated[
        str, typer.Argument(metavar="[EXPRESSION]", help='Rows where this holds: "weight_kg > 48". None: all rows.')
    ] = "",
    sort: Annotated[
        list[str] | None,
        typer.Option(metavar="COLUMN", help="Order by; from the largest down: --sort=-weight_kg. Repeatable."),
    ] = None,
    column: Annotated[
        list[str] | None, typer.Option(metavar="COLUMN[,COLUMN]", help="Columns to show first. Repeatable.")
    ] = None,
    most: Annotated[int, typer.Option(metavar="N", min=1, help="How many rows to show.")] = 20,
    at: Annotated[str, typer.Option(metavar="ROW[,ROW]", help="Rows by their labels, as findings name them.")] = "",
) -> None:
    """Show the rows behind a number: a spike, a tail, what a finding names.

    Example: envelt rows demo "brood_temp < 0" --sort=-weight_kg --column inspector
    """
    study = given.study()
    known = study.table.columns
    sorts, columns = names_in(sort, known), names_in(column, known)
    given.give([study.rows(expression, sort=sorts, columns=columns, most=most, at=at)])


@app.command()
@takes("by", "calendar", "outcome", "event", "unit", *ROWS, *SAVED)
def series(
    given: Given,
    time: Annotated[str | None, typer.Argument(metavar="TIME", help="A date, a year, or levels in an order.")] = None,
    value: Annotated[
        str | None, typer.Argument(metavar="[COLUMN]", help="What is measured. None: the outcome, else rows.")
    ] = None,
    measure: Annotated[
        str | None, typer.Option(metavar="NAME", help="mean or sum of a number, rate of a level, count of rows.")
    ] = None,
    level: Annotated[str | None, typer.Option(metavar="LEVEL", help="The level whose rate is shown.")] = None,
    grid: Annotated[bool, typer.Option("--grid", help="Months as a grid, a row a year.")] = False,
) -> None:
    """Show a mean, a rate, a sum or a count along days, weeks, months or years, a line a group.

    Example: envelt series demo inspected_on honey_kg --calendar month --by fed --out honey.png
    """
    if time is None:
        raise OptionError("Name a column of time: a date, a year, or levels in an order.")
    study = given.study()
    view = study.series(
        time, value, measure=measure, level=level, by=names_in(given["by"]), calendar=given["calendar"], grid=grid
    )
    given.give([view])


@app.command()
@takes("by", "outcome", "event", "unit", *PAIR, *ROWS, "seed", *SAVED)
def relations(
    given: Given,
    columns: Annotated[
        list[str] | None, typer.Argument(metavar="[COLUMN]...", help="Two or more columns. None: all.")
    ] = None,
    at_least: Annotated[
        float | None,
        typer.Option("--at-least", metavar="STRENGTH", help="Only pairs of this strength or more, 0 to 1."),
    ] = None,
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
        names_in(columns, study.table.columns), by=names_in(given["by"]), at_least=at_least, order=order, whole=whole,
        **given.of(*PAIR),
    )  # fmt: skip
    given.give([view])


@app.command()
@takes("by", "outcome", "event", "unit", *PAIR, *ROWS, "seed", *SAVED)
def pairwise(
    given: Given,
    columns: Annotated[
        list[str] | None,
        typer.Argument(metavar="[COLUMN]...", help="Two (that pair, large) or more. None: the best-ranked."),
    ] = None,
    most: Annotated[int, typer.Option(metavar="N", min=2, help="How many to choose, where none is named.")] = 6,
    colour: Annotated[str | None, typer.Option(metavar="COLUMN", help="A third column by colour, of one pair.")] = None,
    panels: Annotated[bool, typer.Option("--panels", help="One panel a class on shared axes, of one pair.")] = False,
) -> None:
    """Show every pair of columns once, by class, with its coefficient and form; or one pair, large.

    Example: envelt pairwise demo humidity mites altitude_m --outcome wintered --out pairs.png
    """
    study = given.study()
    view = study.pairwise(
        names_in(columns, study.table.columns), by=names_in(given["by"]), most=most, colour=colour, panels=panels,
        **given.of(*PAIR),
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
