"""The options that mean the same in every command, each written once."""

from __future__ import annotations

import functools
import inspect
import sys
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import contextmanager
from errno import EPIPE
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any, cast, get_args

import typer
from typer.models import ArgumentInfo

from ..errors import EnveltError, OptionError, OutputError
from ..write.digits import marks

if TYPE_CHECKING:
    from ..core.distribution.look import LookOptions
    from ..study import Study
    from ..view import View


def _option(kind: Any, metavar: str | None, help_text: str, *names: str, **more: Any) -> Any:
    return Annotated[kind, typer.Option(*names, metavar=metavar, help=help_text, **more)]


Data = Annotated[
    str | None,
    typer.Argument(
        metavar="DATA",
        help="A CSV, TSV, Parquet, Arrow, JSON Lines or .xlsx file, a study file, or the word 'demo'. "
        "None: study.toml of this folder, as begin writes it.",
    ),
]
USUAL_STUDY = Path("study.toml")
FILES = (
    ".csv", ".tsv", ".txt", ".parquet", ".arrow", ".feather", ".jsonl", ".ndjson", ".json", ".xlsx", ".toml", ".gz",
    ".bz2", ".xz", ".zst", ".zip",
)  # fmt: skip
USUAL_WIDTH = 80
PICTURES = "histogram, density, box, violin, dots, qq, interval, cumulative, bars; auto chooses."

SHARED: dict[str, tuple[Any, Any]] = {
    "outcome": (_option(str | None, "COLUMN", "The column to be told from the others.", "--outcome", "-o"), None),
    "event": (
        _option(
            str | None, "LEVEL", "The outcome's level that rates speak of. Default: yes, true or 1, else the rarest."
        ),
        None,
    ),
    "unit": (
        _option(str | None, "COLUMN", "The column that says which rows are one case; folds never split one."),
        None,
    ),
    "counts": (
        _option(str | None, "COLUMN", "How many rows each row stands for, where the table is already counted."),
        None,
    ),
    "missing": (
        _option(
            list[str] | None,
            "MARK",
            "A mark for a missing value, or COLUMN=MARK: --missing . --missing income=-9. Repeatable. "
            'NA and the like are taken as missing and said; --missing "" keeps them as levels.',
        ),
        None,
    ),
    "by": (_option(str | None, "COLUMN[,COLUMN]", "Compare the groups of up to two columns, joined by a comma."), None),
    "picture": (_option(str, "NAME", PICTURES), "auto"),
    "scale": (_option(str, "NAME", "linear, log (values above zero) or log1p (zeros too)."), "linear"),
    "bins": (_option(int | None, "N", "About how many bins."), None),
    "width": (_option(float | None, "NUMBER", "The width of the bins."), None),
    "start": (_option(float | None, "NUMBER", "An edge for the bins to start from."), None),
    "measure": (_option(str | None, "NAME", "Bars show count, share or density."), None),
    "arrange": (_option(str, "NAME", "Histograms of groups: line, overlaid, stacked, or shares in each bin."), "line"),
    "bandwidth": (_option(float | None, "NUMBER", "Of densities; by rule if not given."), None),
    "limits": (_option(str | None, "LOW,HIGH", "The ends of the axis of values."), None),
    "calendar": (_option(str | None, "UNIT", "Dates by day, week, month, quarter, year, decade or century."), None),
    "numbers": (_option(bool, None, "Numbers on the bars.", "--numbers"), False),
    "normal": (_option(bool, None, "A normal curve over the histogram.", "--normal"), False),
    "curve": (_option(bool, None, "The density over the histogram.", "--curve"), False),
    "box": (_option(bool, None, "A box under the dots.", "--box"), False),
    "whiskers": (_option(str, "HOW", "Of boxes: fences, ends, or two percentiles: 5,95."), "fences"),
    "deviation": (_option(bool, None, "A mark at the mean and a deviation to either side.", "--deviation"), False),
    "size": (_option(float, "TIMES", "Dots so many times as large as usual."), 1.0),
    "upright": (
        _option(bool, None, "Boxes, violins, bars of levels side by side.", "--upright"),
        False,
    ),
    "residuals": (_option(bool, None, "Two numbers: draw what the line leaves.", "--residuals"), False),
    "ranks": (_option(bool, None, "Two numbers: draw rank against rank.", "--ranks"), False),
    "method": (_option(str, "NAME", "Of coefficients: auto (by form), pearson, spearman or kendall."), "auto"),
    "confidence": (_option(float, "SHARE", "Of intervals of coefficients."), 0.95),
    "alternative": (_option(str, "NAME", "two-sided, greater or less; with a named method."), "two-sided"),
    "top": (_option(int | None, "N", "Most frequent values to list; of levels, so many with the highest mean."), None),
    "least": (_option(int | None, "N", "Of levels: only those of at least so many rows."), None),
    "kind": (
        _option(
            list[str] | None,
            "COLUMN=KIND",
            "What a column is, where detection is wrong: --kind zone=nominal. Repeatable.",
        ),
        None,
    ),
    "ignore": (_option(list[str] | None, "COLUMN", "Leave a column out. Repeatable."), None),
    "where": (
        _option(
            str | None,
            "EXPRESSION",
            "Rows to keep: --where \"altitude_m > 300 and hive_type == 'skep'\". A column whose name is no plain word: "
            "--where \"column('weight.kg') > 20\".",
        ),
        None,
    ),
    "seed": (_option(int | None, None, "Of everything random; the same seed gives the same numbers. Default 0."), None),
    "out": (
        _option(
            list[Path] | None, "FILE", "Save as the extension says: .png .svg .pdf .html .md .csv .json. Repeatable."
        ),
        None,
    ),
    "guard_formulas": (
        _option(
            bool,
            None,
            "In CSV put ' before text that a spreadsheet would run as a formula (= + - @).",
            "--guard-formulas",
        ),
        False,
    ),
    "findings": (_option(bool, None, "Print every finding, not only the first five.", "--findings"), False),
    "all": (
        _option(bool, None, "Print every table and finding, not only what the question needs.", "--all"),
        False,
    ),
    "json": (_option(bool, None, "Print JSON and nothing else.", "--json"), False),
}
"""Every shared option and its default, in the order `--help` lists them."""

LOOK = (
    "picture", "scale", "bins", "width", "start", "measure", "arrange", "bandwidth", "limits", "calendar", "numbers",
    "normal", "curve", "box", "whiskers", "deviation", "size", "upright", "residuals", "ranks",
)  # fmt: skip
COEFFICIENT = ("method", "confidence", "alternative")
ROWS = ("kind", "missing", "counts", "ignore", "where")
SAVED = ("out", "guard_formulas", "findings", "all", "json")


class NobodyReads(Exception):  # noqa: N818
    """What is printed goes nowhere any more, since the reader has seen enough; it is no error."""


@contextmanager
def until_nobody_reads() -> Iterator[None]:
    """Tell a reader who left from other faults of writing."""
    try:
        yield
    except OSError as error:
        if error.errno == EPIPE and not isinstance(error, EnveltError):
            raise NobodyReads from error
        raise


class Given:
    """What was given for the data and the shared options of a command.

    Parameters
    ----------
    data
        The first argument.
    values
        Of the shared options that the command takes.
    """

    def __init__(self, data: str, values: dict[str, Any]) -> None:
        self.data, self._values = data, values

    def __getitem__(self, name: str) -> Any:
        return self._values.get(name, SHARED[name][1])

    def study(self) -> Study:
        """Check the outputs, then open the study, so that nothing is computed that cannot be written."""
        from ..study import Study
        from ..view import check_extension
        from ..write.files import check_writable

        for path in self["out"] or []:
            check_extension(path)
            check_writable(path)
        self.spare_the_data(self["out"] or [])
        kinds = dict(_pair(k) for k in self["kind"] or [])
        roles = ("outcome", "event", "unit", "counts", "where", "ignore", "seed")
        marks, columns = _marks(self["missing"] or [])
        return Study(
            self.data, **{r: self[r] for r in roles}, kinds=kinds, missing=marks or None, columns=columns or None
        )

    def spare_the_data(self, paths: Iterable[Path]) -> None:
        """Refuse to write over the data.

        Raises
        ------
        OutputError
        """
        data = Path(self.data)
        for path in paths:
            if path.exists() and data.exists() and path.samefile(data):
                raise OutputError(f"{str(path)!r} is the data itself, which is never written over: name another file.")

    def look(self) -> LookOptions:
        """Return how to look, as `Study.distribution` takes it; only what was asked for.

        Raises
        ------
        OptionError
        """
        asked = {k: self._values[k] for k in LOOK if k in self._values and self._values[k] != SHARED[k][1]}
        if "limits" in asked:
            asked["limits"] = numbers_in(asked["limits"], "--limits")
        if "," in asked.get("whiskers", ""):
            asked["whiskers"] = numbers_in(asked["whiskers"], "--whiskers")
        return cast("LookOptions", asked)

    def of(self, *names: str) -> dict[str, Any]:
        """Return some of the options by name, to be handed on as they are."""
        return {name: self[name] for name in names}

    def give(self, views: Sequence[View], names: list[str] | None = None) -> None:
        """Save the views where asked, then print them as JSON or for a person."""
        from ..write.files import named_after

        written = []
        for path in self["out"] or []:
            for view, own in zip(views, named_after(path, names) if names and len(views) > 1 else [path], strict=True):
                view.save(own, guard_formulas=self["guard_formulas"])
                written.append(own)
        if self["json"]:
            from json import dumps

            whole = [v.to_dict() for v in views]
            plain = "utf" not in (sys.stdout.encoding or "").casefold()
            print(dumps(whole[0] if len(whole) == 1 else whole, indent=1, ensure_ascii=plain, allow_nan=False))
            return
        from dataclasses import replace

        from ..write.terminal import TYPED, print_view

        for view in views:
            told = view.on_screen(self["all"])
            findings = tuple(replace(f, advice=f.typed_advice) for f in told.findings)
            print_view(
                console(), told._replace(findings=findings, all_findings=told.all_findings or self["findings"]), TYPED
            )
        for path in written:
            print(f"Wrote {marks(str(path))}", file=sys.stderr)


def takes(*names: str) -> Callable[[Callable[..., None]], Callable[..., None]]:
    """Give a command DATA and shared options; it receives them as its first argument, a `Given`.

    Parameters
    ----------
    names
        Of `SHARED`; ``--help`` lists them in that order, after the command's own options.
    """
    shared = [n for n in SHARED if n in names]

    def decorate(command: Callable[..., None]) -> Callable[..., None]:
        own = list(inspect.signature(command, eval_str=True).parameters.values())[1:]
        places = [p.name for p in own if any(isinstance(m, ArgumentInfo) for m in get_args(p.annotation))]
        keyword = inspect.Parameter.KEYWORD_ONLY
        parameters = [
            inspect.Parameter("data", keyword, annotation=Data, default=None),
            *(p.replace(kind=keyword) for p in own),
            *(inspect.Parameter(n, keyword, annotation=SHARED[n][0], default=SHARED[n][1]) for n in shared),
        ]

        @functools.wraps(command)
        def called(*, data: str | None, **values: Any) -> None:
            data, values = _data_of(data, values, places)
            given = Given(data, {n: values.pop(n) for n in shared})
            with until_nobody_reads():
                command(given, **values)

        called.__signature__ = inspect.Signature(parameters)  # type: ignore[attr-defined]
        called.__annotations__ = {p.name: p.annotation for p in parameters}
        return called

    return decorate


def _data_of(data: str | None, values: dict[str, Any], places: list[str]) -> tuple[str, dict[str, Any]]:
    """Take the study file of the folder where no data is named; what stood in its place is the next argument then.

    Raises
    ------
    OptionError
        There is none.
    """
    if data is not None and (not USUAL_STUDY.is_file() or not places or _names_data(data)):
        return data, values
    if not USUAL_STUDY.is_file():
        raise OptionError(
            "Name the data: a file, or the word demo. Once envelt begin FILE has written study.toml, commands without "
            "data take that."
        )
    print(f"{USUAL_STUDY}: the study of this folder.", file=sys.stderr)
    moved = dict(values)
    for name in places:
        here = moved[name]
        if isinstance(here, list):
            moved[name] = ([] if data is None else [data]) + here
            return str(USUAL_STUDY), moved
        moved[name], data = (here if data is None else data), (None if data is None else here)
    if data:
        raise OptionError(f"There is no file {data!r}, and nothing else that it could be.")
    return str(USUAL_STUDY), moved


def _names_data(word: str) -> bool:
    """Say whether a word names data and no column: demo, a file that is there, or what can only be a file."""
    return word == "demo" or word.casefold().endswith(FILES) or any(c in word for c in "*?/\\") or Path(word).exists()


def console() -> Any:
    """Return the terminal to print to."""
    from rich.console import Console

    from ..write.terminal import LEAST_WIDTH

    class Told(Console):
        """A console that leaves it to the command line what happens where nobody reads any more."""

        def on_broken_pipe(self) -> None:
            raise BrokenPipeError(EPIPE, "nobody reads any more")

    made = Told(highlight=False, soft_wrap=False)
    made.width = max(made.width, LEAST_WIDTH) if made.width else USUAL_WIDTH  # COLUMNS=0 says nothing
    return made


def names_in(text: str | Iterable[str] | None, known: Iterable[str] = ()) -> list[str]:
    """Return names joined by commas, or given one by one; a name that holds a comma is left whole where it is known."""
    given = [text] if isinstance(text, str) else list(text or ())
    there = set(known)
    return [n for t in given for n in ([t] if t in there else [p.strip() for p in t.split(",") if p.strip()])]


def numbers_in(text: str, option: str) -> list[float]:
    """Return numbers joined by commas.

    Raises
    ------
    OptionError
    """
    try:
        return [float(part) for part in text.split(",") if part.strip()]
    except ValueError:
        raise OptionError(f"{option} takes numbers joined by commas, such as 0,50, not {text!r}.") from None


def _marks(given: list[str]) -> tuple[list[str], dict[str, dict[str, list[str]]]]:
    """Return marks for missing of all columns, and of single ones, given as COLUMN=MARK."""
    whole: list[str] = []
    columns: dict[str, dict[str, list[str]]] = {}
    for text in given:
        column, sign, mark = text.partition("=")
        if sign and column:
            columns.setdefault(column, {}).setdefault("missing", []).append(mark)
        else:
            whole.append(text)
    return whole, columns


def _pair(text: str) -> tuple[str, str]:
    column, sign, kind = text.rpartition("=")
    if not (column and sign and kind):
        raise OptionError(f"--kind takes COLUMN=KIND, such as zone=nominal, not {text!r}.")
    return column, kind
