"""Tables and findings in the terminal. Text from data is never read as markup."""

from __future__ import annotations

import io
from collections.abc import Iterable
from typing import TYPE_CHECKING

from ..core.finding import Finding, counted, folded
from ..core.words import plural
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
MOST_ROWS = 40
LEAST_WIDTH = 20  # of a window; what is narrower than that is written beyond its edge
MOST_NAMED = 8  # columns left out that are named
MOST_TURNED = 6  # rows of a table that is shown on its side where it is too wide
TEXT_WIDTH = 22  # a column of texts can be wrapped to this


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
    return sum(cells) + 3 * len(cells)


def _natural_width(shown: ShownTable) -> int:
    from rich.cells import cell_len

    text = as_text(shown)
    right = numeric_columns(shown.frame)
    total = 0
    for i, (name, flush) in enumerate(zip(text.columns, right, strict=True)):
        cells = max((cell_len(v) for v in text.iloc[:, i]), default=0)
        if not flush and i:
            cells = min(cells, TEXT_WIDTH)
        total += max(cells, *(cell_len(w) for w in marks(str(name)).split(" "))) + 3
    return total


def table_of(whole: ShownTable, title: str | None = None, width: int = 120) -> tuple[RenderableType, int]:
    """Return a table for the terminal and the width it needs; of a very long one the head, and what more there is."""
    from rich import box
    from rich.table import Table
    from rich.text import Text

    frame, on_side = whole.frame, turned(whole, width)
    shown, dropped = (whole, []) if on_side is not None else fitting(whole.of(frame.head(MOST_ROWS)), width)
    text = as_text(shown) if on_side is None else on_side
    numeric = numeric_columns(shown.frame) if on_side is None else [False] + [True] * len(frame)
    notes = [f"and {len(frame) - MOST_ROWS:,} more rows; --out FILE.csv has all"] if len(frame) > MOST_ROWS else []
    if dropped:
        named = ", ".join(marks(d) for d in dropped[:MOST_NAMED])
        more = f" and {plural(len(dropped) - MOST_NAMED, 'more column')}" if len(dropped) > MOST_NAMED else ""
        notes.append(f"no room for {named}{more}; widen the window, or use --out FILE.csv")
    table = Table(
        box=box.SIMPLE_HEAD,
        title=Text(marks(title)) if title else None,
        title_justify="left",
        title_style="bold",
        pad_edge=False,
        caption=Text("; ".join(notes)) if notes else None,
        caption_justify="left",
    )
    for i, (name, right) in enumerate(zip(text.columns, numeric, strict=True)):
        wide = i and not right  # texts may wrap, numbers and names may not
        cells = max((len(v) for v in text.iloc[:, i]), default=0)
        told = marks(str(name))
        head = told.replace(" ", "\n") if right and len(told) > cells else told
        table.add_column(Text(head), justify="right" if right else "left", no_wrap=not wide, overflow="fold")
    for row in text.itertuples(index=False):
        table.add_row(*(Text(str(v)) for v in row))
    return table, max(width, _natural_width(shown) if on_side is None else 0)


def findings_of(findings: Iterable[Finding], how: str = "") -> list[RenderableType]:
    """Return findings as paragraphs, each with its weight, its code and what to do.

    Parameters
    ----------
    how
        How to see those beyond the first five, which are counted; all are shown where nothing is said.
    """
    from rich.padding import Padding
    from rich.text import Text

    out: list[RenderableType] = []
    shown, rest = folded(tuple(findings)) if how else (tuple(findings), ())
    for finding in shown:
        mark, style = MARKS[finding.weight]
        head = Text.assemble((mark, style), "  ", (finding.code, "dim"))
        out += [head, Padding(Text(marks(finding.statement)), (0, 0, 0, 2))]
        out.append(Padding(Text(marks(f"→ {finding.advice}")), (0, 0, 0, 2)))
    if rest:
        out.append(Text(marks(f"{counted(rest)}. {how}"), style="dim"))
    return out


def print_view(
    console: Console,
    title: str,
    about: Iterable[str],
    tables: dict[str, ShownTable],
    findings: Iterable[Finding],
    how: str = "",
    answer: str = "",
) -> None:
    """Print a view: what it is, its answer, its tables, its findings; ``how`` as in `findings_of`."""
    from rich.text import Text

    console.print(Text(marks(title), style="bold"))
    if answer:
        console.print(Text(marks(answer)))
    for line in about:
        console.print(Text(marks(line), style="dim"))
    for name, shown in tables.items():
        width = console.width
        table, console.width = table_of(shown, None if name == "table" else name.replace("_", " "), width)
        console.print(table)
        console.width = width
    for item in findings_of(findings, how):
        console.print(item)


def view_text(
    title: str,
    about: Iterable[str],
    tables: dict[str, ShownTable],
    findings: Iterable[Finding],
    answer: str = "",
    width: int = 120,
) -> str:
    """Return what `print_view` prints, without colour."""
    from rich.console import Console

    out = io.StringIO()
    how = "All of them: .findings"
    print_view(Console(file=out, width=width, color_system=None), title, about, tables, findings, how, answer)
    return "\n".join(line.rstrip() for line in out.getvalue().splitlines()) + "\n"
