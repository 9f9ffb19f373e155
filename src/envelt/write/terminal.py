"""Answer, findings and tables in the terminal. Text from data is never read as markup."""

from __future__ import annotations

import io
from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, NamedTuple

from ..core.finding import MOST_SHOWN, Finding
from ..core.words import listed, plural
from .digits import as_text, marks, numeric_columns
from .shown import ShownTable

if TYPE_CHECKING:
    import pandas as pd
    from rich.console import Console, RenderableType

MARKS = {
    "stop": ("■ stop", "bold red"),
    "caution": ("▲ caution", "bold magenta"),
    "note": ("● note", "bold blue"),
}
MOST_LINES = 40  # of a view, unless all of it is asked for
MOST_ROWS = 40
LEAST_ROWS = 8  # of a table, for which findings make room
LEAST_BELOW = 5  # of the tables below the first
LEAST_SEEN = 3  # where cells take several lines
LEAST_WIDTH = 20  # of a window; what is narrower than that is written beyond its edge
MOST_NAMED = 8  # columns left out that are named
MOST_TURNED = 6  # rows of a table that is shown on its side where it is too wide
TEXT_WIDTH = 22  # a column of texts can be wrapped to this


class More(NamedTuple):
    """How to see what is left out: the findings beyond the first, all there is, and what is too long or too wide."""

    findings: str
    everything: str
    long: str


TYPED = More("--findings", "--all", "a wider window, or --out FILE.csv")
IN_PYTHON = More(".findings", ".in_words(everything=True)", ".tables")


class Screen(NamedTuple):
    """What a terminal tells of a view.

    Parameters
    ----------
    tables
        By name, the main one first.
    rest
        The names of tables that are not among them.
    everything
        Tables are as long as they can be read, with all their columns.
    all_findings
        Not only the first.
    """

    title: str
    answer: str
    about: tuple[str, ...]
    tables: dict[str, ShownTable]
    findings: tuple[Finding, ...]
    rest: tuple[str, ...] = ()
    everything: bool = False
    all_findings: bool = False


class FittedTable(NamedTuple):
    """A table made to fit: itself, the width it needs, and what was left out."""

    table: RenderableType
    width: int
    rows: int
    columns: list[str]


def fitting(shown: ShownTable, width: int) -> tuple[ShownTable, list[str]]:
    """Leave columns out until no number has to be cut, the least needed first, and say which.

    One column is left, however narrow the window is.
    """
    dropped = []
    spare = [n for n in shown.spare if n in shown.frame.columns]
    while len(shown.frame.columns) > 1 and _natural_width(shown) > width:
        last = spare.pop(0) if spare else shown.frame.columns[-1]
        shown = shown.of(shown.frame.drop(columns=last))
        dropped.append(shown.heads.get(str(last), str(last)))
    return shown, dropped


def turned(shown: ShownTable, width: int) -> pd.DataFrame | None:
    """Return a wide table of few rows as text on its side, one line a column; nothing where it fits, or still not."""
    import pandas as pd

    frame = shown.frame
    if len(frame) > MOST_TURNED or len(frame.columns) <= len(frame) or _natural_width(shown) <= width:
        return None
    text = as_text(shown)
    if len(text.columns) == len(frame.columns):  # no index to stand above
        return None
    head, labels = str(text.columns[0]), [str(v) for v in text.iloc[:, 0]]
    lines = [[name, *text.iloc[:, i]] for i, name in enumerate(text.columns) if i]
    on_side = pd.DataFrame(lines, columns=[head, *labels], dtype=object)
    return on_side if _text_width(on_side) <= width else None


def _text_width(text: pd.DataFrame) -> int:
    from rich.cells import cell_len

    cells = [max(cell_len(str(v)) for v in (name, *text.iloc[:, i])) for i, name in enumerate(text.columns)]
    return sum(cells) + 2 * len(cells)


def _natural_width(shown: ShownTable) -> int:
    from rich.cells import cell_len

    text = as_text(shown)
    right = numeric_columns(shown.frame)
    total = 0
    for i, (name, flush) in enumerate(zip(text.columns, right, strict=True)):
        cells = max((cell_len(v) for v in text.iloc[:, i]), default=0)
        if not flush and i and name not in shown.spare:  # what can be spared is shown in one line, or not at all
            cells = min(cells, TEXT_WIDTH)
        total += max(cells, *(cell_len(w) for w in _broken(marks(str(name))).split("\n"))) + 2
    return total


def _broken(head: str) -> str:
    """Return a long head in several lines: a word each, or a column's level each."""
    if " × " in head:
        return head.replace(" × ", "\n× ")
    return head.replace(", ", ",\n") if " = " in head else head.replace(" ", "\n")


def table_of(whole: ShownTable, title: str | None = None, width: int = 120, rows: int = MOST_ROWS) -> FittedTable:
    """Return the head of a table for the terminal, and what more there is."""
    from rich import box
    from rich.table import Table
    from rich.text import Text

    frame, on_side = whole.frame, turned(whole, width)
    shown, dropped = (whole, []) if on_side is not None else fitting(whole.of(frame.head(rows)), width)
    text = as_text(shown) if on_side is None else on_side
    numeric = numeric_columns(shown.frame) if on_side is None else [False] + [True] * len(frame)
    table = Table(
        box=box.SIMPLE_HEAD,
        title=Text(marks(title), style="bold") if title else None,
        title_justify="left",
        title_style="bold",
        pad_edge=False,
        padding=(0, 1, 0, 0),
    )
    for i, (name, right) in enumerate(zip(text.columns, numeric, strict=True)):
        wide = i and not right  # texts may wrap, numbers and names may not
        cells = max((len(v) for v in text.iloc[:, i]), default=0)
        told = marks(str(name))
        head = _broken(told) if len(told) > cells else told
        table.add_column(Text(head), justify="right" if right else "left", no_wrap=not wide, overflow="fold")
    for row in text.itertuples(index=False):
        table.add_row(*(Text(str(v)) for v in row))
    left = 0 if on_side is not None else max(len(frame) - rows, 0)
    return FittedTable(table, max(width, _natural_width(shown) if on_side is None else 0), left, dropped)


def finding_of(finding: Finding) -> RenderableType:
    """Return a finding as a paragraph beside its mark: its weight, what was found, what to do, and its code."""
    from rich.table import Table
    from rich.text import Text

    (mark, weight), style = MARKS[finding.weight][0].split(), MARKS[finding.weight][1]
    grid = Table.grid(padding=(0, 1))
    grid.add_column(no_wrap=True)
    grid.add_column()
    statement = Text.assemble((f"{weight}: ", style), marks(finding.statement))
    grid.add_row(Text(mark, style=style), statement)
    grid.add_row("", Text.assemble(marks(f"→ {finding.advice}"), (f" ({finding.code})", "dim")))
    return grid


def print_view(console: Console, told: Screen, more: More) -> None:
    """Print a view: its title and answer, what it was computed from, its findings, its tables, and what is left out."""
    from rich.text import Text

    head = [Text(marks(told.title), style="bold"), *([Text(marks(told.answer))] if told.answer else [])]
    head += [Text(marks(line), style="dim") for line in told.about]
    for line in head:
        console.print(line)
    room = MOST_LINES - sum(_height(console, line) for line in head) - 3  # these tell what is left out
    room -= _print_findings(console, told, more, room - _least(console, told.tables))
    tables, rest = dict(told.tables), list(told.rest)
    while not told.everything and len(tables) > 1 and _least(console, tables) > room:
        rest.insert(0, list(tables)[-1])
        del tables[rest[0]]
    left = []
    for place, (name, table) in enumerate(tables.items()):
        below = {n: t for k, (n, t) in enumerate(tables.items()) if k > place}
        title = name.replace("_", " ") if name != "table" and (place or told.everything) else None
        used, out = _print_table(console, title, table, None if told.everything else room - _least(console, below, 1))
        room -= used
        left += out
    if "table" in rest:
        left.append("the main table")
    if named := [n.replace("_", " ") for n in rest if n != "table"]:
        left.append(_these("table", named))
    if left:
        how = more.long if told.everything else more.everything
        console.print(Text(marks(f"Not shown: {'; '.join(left)}. All of it: {how}"), style="dim"))


def _print_findings(console: Console, told: Screen, more: More, room: int) -> int:
    """Print findings while there is room, those that say stop in any case, and return the lines they took."""
    from rich.text import Text

    rest, used = list(told.findings), 0
    while rest:
        said = finding_of(rest[0])
        shown = len(told.findings) - len(rest)
        full = used + _height(console, said) > room or shown >= MOST_SHOWN
        can_wait = shown and len(rest) > 1 and rest[0].weight != "stop" and not told.all_findings
        if full and can_wait:
            codes = listed(list(dict.fromkeys(f.code for f in rest)))
            line = Text(f"{plural(len(rest), 'more finding')}: {codes}. All: {more.findings}", style="dim")
            console.print(line)
            return used + _height(console, line)
        used += _height(console, said)
        console.print(said)
        rest.pop(0)
    return used


def _least(console: Console, tables: Mapping[str, ShownTable], above: int = 0) -> int:
    """Return the lines that tables need at least, below a number of others."""
    rows = [LEAST_BELOW if above or k else LEAST_ROWS for k in range(len(tables))]
    fitted = [
        table_of(_few(t), n if above or k else None, console.width, most)
        for k, ((n, t), most) in enumerate(zip(tables.items(), rows, strict=True))
    ]
    return sum(min(_height(console, f.table), most + 5) for f, most in zip(fitted, rows, strict=True))


def _few(shown: ShownTable) -> ShownTable:
    return shown.of(shown.frame[list(shown.few)]) if shown.few else shown


def _these(what: str, names: Sequence[str]) -> str:
    return f"the {what if len(names) == 1 else what + 's'} {listed([marks(n) for n in names], MOST_NAMED)}"


def _print_table(console: Console, title: str | None, whole: ShownTable, room: int | None) -> tuple[int, list[str]]:
    """Print a table, with the columns that were asked for and as many rows as there is room for; all with none.

    Returns
    -------
    tuple
        The lines it took, and in words what was left out.
    """
    shown = whole if room is None else _few(whole)
    width, rows = console.width, MOST_ROWS if room is None else min(MOST_ROWS, max(room - 3, LEAST_BELOW))
    while True:
        fitted = table_of(shown, title, width, rows)
        console.width = fitted.width
        used = _height(console, fitted.table)
        over = 0 if room is None else used - room
        if over <= 0 or rows <= LEAST_SEEN:
            break
        console.width, rows = width, max(LEAST_SEEN, rows - max(1, over // 2))
    console.print(fitted.table)
    console.width = width
    of = f" of {title}" if title else ""
    few = len(whole.frame.columns) - len(shown.frame.columns)
    out = [f"{plural(fitted.rows, 'more row')}{of}"] if fitted.rows else []
    if fitted.columns and few + len(fitted.columns) <= MOST_NAMED:
        out.append(f"{_these('column', fitted.columns)}{of} (no room)")
    elif fitted.columns or few:
        out.append(f"{plural(len(fitted.columns) + few, 'column')}{of}")
    return used, out


def _height(console: Console, shown: RenderableType) -> int:
    return len(console.render_lines(shown, pad=False))


def view_text(told: Screen, more: More, width: int = 120) -> str:
    """Return what `print_view` prints, without colour."""
    from rich.console import Console

    out = io.StringIO()
    print_view(Console(file=out, width=width, color_system=None), told, more)
    return "\n".join(line.rstrip() for line in out.getvalue().splitlines()) + "\n"
