"""The first step: a study file from what was detected, for a person to correct."""

from __future__ import annotations

import os
from contextlib import suppress
from dataclasses import replace
from datetime import date
from pathlib import Path

from ..core.columns.kinds import KINDS
from ..core.columns.outcome import ClassOutcome
from ..core.columns.table import CategoryColumn, Table
from ..errors import DataError, FileMissingError, OutputError, option, unknown_column
from ..write.files import check_writable, write_bytes
from .context import Context

CODE_BOOK = ("column", "value", "label")


def begin_study(context: Context, path: Path, labels: str | Path | None) -> tuple[list[str], list[str]]:
    """Write a study file, or add to one; see `Study.begin`."""
    from ..data.studyfile import read_study_file
    from ..write.studyfile import fresh_study_file, updated_study_file

    if path.suffix.lower() != ".toml":
        raise OutputError(f"A study file is TOML: end {str(path)!r} in .toml.")
    check_writable(path)
    columns = list(context.listed)
    if path.exists():
        file = read_study_file(path)
        plan = file.plan
        _refuse_other_data(context, path, file.data)
        listed = [n for n in plan.columns if n not in plan.ignore and n not in plan.derived]  # others are not read
        seen = [c for c in columns if c.name not in plan.derived and c.name not in plan.ignore]
        before = path.read_bytes().decode("utf-8-sig")
        text, new, gone = updated_study_file(before, seen, listed, date.today())
        if text != before:
            write_bytes(path, text.encode("utf-8"))
        return new, gone
    event = context.outcome.event if isinstance(context.outcome, ClassOutcome) else None
    book = _code_book(labels, context.listed) if labels is not None else {}
    text = fresh_study_file(_data(context, path), columns, KINDS, replace(context.plan, event=event), book)
    write_bytes(path, text.encode("utf-8"))
    return [], []


def _refuse_other_data(context: Context, path: Path, named: str | list[str]) -> None:
    """Refuse to bring a study file of other data up to date.

    Raises
    ------
    OutputError
    """
    from ..data.read import files_named

    if context.source.demo or named == "demo":
        same = context.source.demo and named == "demo"
    else:
        theirs = [named] if isinstance(named, str) else named
        mine = {p.resolve() for p in context.source.paths}
        files: set[Path] = set()
        for text in theirs:
            with suppress(FileMissingError):  # moved since
                files |= {p.resolve() for p in files_named(text)}
        same = not mine or bool(mine & files)
    if not same:
        told = named if isinstance(named, str) else ", ".join(named)
        raise OutputError(
            f"{str(path)!r} is the study of other data ({told}): name another file, {option('out', 'other.toml')}."
        )


def _data(context: Context, path: Path) -> str | list[str]:
    """Return the data's paths from the study file's folder on."""
    if context.source.demo:
        return "demo"
    if not context.source.paths:
        raise DataError("A study file names its data: begin from a file, not from a table in memory.")
    folder = path.resolve().parent
    relative = [Path(os.path.relpath(p.resolve(), folder)).as_posix() for p in context.source.paths]
    relative = [f"./{r}" if r == "demo" else r for r in relative]  # the word alone means the made-up data
    return relative[0] if len(relative) == 1 else relative


def _code_book(labels: str | Path, table: Table) -> dict[str, dict[str, str]]:
    """Read labels of levels from a table with the columns column, value and label.

    Raises
    ------
    DataError, UnknownColumnError
    """
    from ..core.columns.encode import encode_table
    from ..core.columns.plan import ColumnPlan
    from ..data.read import read_source

    source = read_source(labels, dict.fromkeys(CODE_BOOK, "text"))
    book = encode_table(source.columns, source.rows, dict.fromkeys(CODE_BOOK, ColumnPlan(kind="text")))
    rows = zip(*(book[c].labels() for c in CODE_BOOK), strict=True)
    out: dict[str, dict[str, str]] = {}
    for column, value, label in rows:
        if column is None or value is None or label is None:
            continue
        if column not in table.columns:
            raise unknown_column(column, table.columns)
        if not isinstance(table[column], CategoryColumn):
            raise DataError(
                f"The code book labels values of {column!r}, which is {table[column].kind}: declare it nominal."
            )
        out.setdefault(column, {})[value] = label
    return out
