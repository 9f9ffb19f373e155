"""The commands, one a step."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from ..errors import EnveltError, OptionError
from .options import (
    Arrange,
    Bandwidth,
    Bins,
    Box,
    By,
    Calendar,
    Data,
    Event,
    Ignore,
    Json,
    Kind,
    Limits,
    Measure,
    Normal,
    Numbers,
    Out,
    OutcomeOption,
    Picture,
    ScaleOption,
    Seed,
    Start,
    Top,
    Unit,
    Where,
    Width,
    look_options,
    names_in,
)

if TYPE_CHECKING:
    from ..study import Study
    from ..view import View

app = typer.Typer(
    name="envelt",
    no_args_is_help=True,
    add_completion=False,
    rich_markup_mode=None,
    pretty_exceptions_enable=False,
    context_settings={"help_option_names": ["-h", "--help"]},
    help=(
        "Decide which features to use, and how to prepare them, before any model.\n\n"
        "In the order of the work: begin (a study file for you to correct), inventory (what is each column?), "
        "balance (how lopsided is the outcome?), distribution (what does a column look like?), "
        "rank (which candidates carry something?), against (how does the outcome differ along one?), report "
        "(all of it on one page).\n\n"
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

    run_demo(folder, _console())


@app.command()
def begin(
    data: Data,
    outcome: OutcomeOption = None,
    event: Event = None,
    unit: Unit = None,
    kind: Kind = None,
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
    study = _study(data, outcome, event, unit, kind, None, None, 0, None)
    new, gone = study.begin(out, labels=labels)
    if not there:
        print(f"Wrote {out}: correct it, then try: envelt inventory {out}")
    elif not new and not gone:
        print(f"{out} is up to date; nothing was changed.")
    for names, what in ((new, "added to"), (gone, "marked as vanished in")):
        if names:
            print(f"{', '.join(names)}: {what} {out}; nothing you wrote was changed.")


@app.command()
def inventory(
    data: Data,
    outcome: OutcomeOption = None,
    kind: Kind = None,
    ignore: Ignore = None,
    where: Where = None,
    rows: Annotated[int, typer.Option(min=0, help="Show so many of the first rows, as read.")] = 0,
    out: Out = None,
    json: Json = False,
) -> None:
    """Say what each column is and why, what is missing, and what is odd.

    Example: envelt inventory hives.csv --kind zone=nominal --out columns.html
    """
    study = _study(data, outcome, None, None, kind, ignore, where, 0, out)
    _give([study.inventory(rows=rows)], out, json)


@app.command()
def balance(
    data: Data,
    outcome: OutcomeOption = None,
    event: Event = None,
    kind: Kind = None,
    ignore: Ignore = None,
    where: Where = None,
    out: Out = None,
    json: Json = False,
) -> None:
    """Say how the outcome's classes (or values) are spread, and what always saying the largest would score.

    Example: envelt balance demo --outcome wintered
    """
    study = _study(data, outcome, event, None, kind, ignore, where, 0, out)
    _give([study.balance()], out, json)


@app.command()
def distribution(
    data: Data,
    columns: Annotated[
        list[str] | None, typer.Argument(metavar="[COLUMN]...", help="One column, or several of one unit. None: all.")
    ] = None,
    by: By = None,
    picture: Picture = "auto",
    scale: ScaleOption = "linear",
    bins: Bins = None,
    width: Width = None,
    start: Start = None,
    measure: Measure = None,
    arrange: Arrange = "line",
    bandwidth: Bandwidth = None,
    limits: Limits = None,
    calendar: Calendar = None,
    numbers: Numbers = False,
    normal: Normal = False,
    box: Box = False,
    top: Top = 10,
    sort: Annotated[str, typer.Option(metavar="HOW", help="All columns by skewness, missing or name.")] = "skewness",
    outcome: OutcomeOption = None,
    unit: Unit = None,
    kind: Kind = None,
    ignore: Ignore = None,
    where: Where = None,
    out: Out = None,
    json: Json = False,
) -> None:
    """Show how a column is distributed, alone or by group: its spikes, tails, peaks and outliers.

    Example: envelt distribution demo mites --by altitude_band --scale log1p --out mites.png
    """
    study = _study(data, outcome, None, unit, kind, ignore, where, 0, out)
    look = look_options(
        picture, scale, bins, width, start, measure, arrange, bandwidth, limits, calendar, numbers, normal, box
    )
    view = study.distribution(*names_in(columns, study.table.columns), by=names_in(by), top=top, sort=sort, **look)
    _give([view], out, json)


@app.command()
def against(
    data: Data,
    columns: Annotated[
        list[str] | None, typer.Argument(metavar="[COLUMN]...", help="The candidates, one or several. None: all.")
    ] = None,
    outcome: OutcomeOption = None,
    event: Event = None,
    unit: Unit = None,
    by: By = None,
    picture: Picture = "auto",
    scale: ScaleOption = "linear",
    bins: Bins = None,
    width: Width = None,
    start: Start = None,
    measure: Measure = None,
    arrange: Arrange = "line",
    bandwidth: Bandwidth = None,
    limits: Limits = None,
    calendar: Calendar = None,
    numbers: Numbers = False,
    normal: Normal = False,
    box: Box = False,
    residuals: Annotated[bool, typer.Option("--residuals", help="Two numbers: draw what the line leaves.")] = False,
    top: Top = 10,
    kind: Kind = None,
    ignore: Ignore = None,
    where: Where = None,
    seed: Seed = 0,
    out: Out = None,
    json: Json = False,
) -> None:
    """Set candidates against the outcome: does it differ along them, by how much, how surely?

    Without a candidate: all of them at a glance, strongest first.

    Example: envelt against demo humidity --outcome wintered --out humidity.png
    """
    study = _study(data, outcome, event, unit, kind, ignore, where, seed, out)
    look = look_options(
        picture,
        scale,
        bins,
        width,
        start,
        measure,
        arrange,
        bandwidth,
        limits,
        calendar,
        numbers,
        normal,
        box,
        residuals,
    )
    names = names_in(columns, study.table.columns)
    if not names:
        _give([study.against(None, by=names_in(by), **look)], out, json)
        return
    _give([study.against(c, by=names_in(by), top=top, **look) for c in names], out, json, names)


@app.command()
def rank(
    data: Data,
    outcome: OutcomeOption = None,
    event: Event = None,
    unit: Unit = None,
    kind: Kind = None,
    ignore: Ignore = None,
    where: Where = None,
    seed: Seed = 0,
    out: Out = None,
    json: Json = False,
) -> None:
    """Rank all candidates by what each alone says about the outcome on rows it was not fitted on.

    Example: envelt rank demo --outcome wintered --unit colony
    """
    study = _study(data, outcome, event, unit, kind, ignore, where, seed, out)
    _give([study.rank()], out, json)


@app.command()
def report(
    data: Data,
    outcome: OutcomeOption = None,
    event: Event = None,
    unit: Unit = None,
    kind: Kind = None,
    ignore: Ignore = None,
    where: Where = None,
    seed: Seed = 0,
    out: Annotated[Path, typer.Option(metavar="FILE", help="The page to write.")] = Path("report.html"),
) -> None:
    """Write all of it as one self-contained HTML page, in the order of the work.

    Example: envelt report demo --outcome wintered --out hives.html
    """
    study = _study(data, outcome, event, unit, kind, ignore, where, seed, None)
    study.report(out)
    print(f"Wrote {out}", file=sys.stderr)


def _study(
    data: str,
    outcome: str | None,
    event: str | None,
    unit: str | None,
    kind: list[str] | None,
    ignore: list[str] | None,
    where: str | None,
    seed: int,
    out: list[Path] | None,
) -> Study:
    """Check the outputs, then open the study, so that nothing is computed that cannot be written."""
    from ..data.studyfile import is_study_file
    from ..study import Study
    from ..view import check_extension
    from ..write.files import check_writable

    for path in out or []:
        check_extension(path)
        check_writable(path)
    kinds = dict(_pair(k) for k in kind or [])
    options: dict[str, Any] = {"outcome": outcome, "event": event, "unit": unit, "kinds": kinds, "where": where}
    if is_study_file(data):
        return Study.open(data, **options, ignore=tuple(ignore or ()), seed=seed or None)
    return Study(data, **options, ignore=ignore or (), seed=seed)


def _pair(text: str) -> tuple[str, str]:
    column, sign, kind = text.rpartition("=")
    if not (column and sign and kind):
        raise OptionError(f"--kind takes COLUMN=KIND, such as zone=nominal, not {text!r}.")
    return column, kind


def _console() -> Any:
    from rich.console import Console

    return Console(highlight=False, soft_wrap=False)


def _give(views: list[View], out: list[Path] | None, json: bool, names: list[str] | None = None) -> None:
    """Save the views where asked, then print them as JSON or for a person."""
    for path in out or []:
        for i, view in enumerate(views):
            several = names is not None and len(views) > 1
            view.save(path.with_stem(f"{path.stem}-{names[i]}") if several and names else path)
    if json:
        from json import dumps

        whole = [v.to_dict() for v in views]
        print(dumps(whole[0] if len(whole) == 1 else whole, indent=1, ensure_ascii=False, allow_nan=False))
        return
    from ..write.terminal import print_view

    console = _console()
    for view in views:
        print_view(console, view.title, view.about, view.in_terminal, view.findings)
    for path in out or []:
        print(f"Wrote {path}", file=sys.stderr)


def main() -> None:
    """Run the command line; an error is one or two lines on standard error and exit status 2."""
    try:
        app()
    except EnveltError as error:
        print(f"envelt: {error}", file=sys.stderr)
        sys.exit(2)
    except BrokenPipeError:
        sys.stderr.close()
        sys.exit(0)
