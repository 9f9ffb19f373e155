"""From whatever was given to raw columns."""

from __future__ import annotations

import glob
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

from ..core.columns.raw import RawNested
from ..errors import DataError, EmptyTableError, FileMissingError
from .frames import check_named

DEMO = "demo"


@dataclass(frozen=True)
class Source:
    """A table as read.

    Parameters
    ----------
    columns
        Raw columns by name.
    rows
        The label of each row.
    name
        What it came from.
    notes
        What a person should know of the reading.
    nested
        Columns of lists or structs, which are set aside, and what they hold.
    paths
        The files, if it came from files.
    demo
        Whether it is the made-up data.
    unlike
        Of columns that one file writes otherwise than another how each does, and whether all were read as one thing.
    """

    columns: dict[str, Any]
    rows: Any
    name: str
    notes: tuple[str, ...] = ()
    nested: tuple[tuple[str, str], ...] = ()
    paths: tuple[Path, ...] = ()
    demo: bool = False
    unlike: Mapping[str, tuple[Mapping[str, str], bool]] = field(default_factory=dict)


def read_source(data: Any, kinds: Mapping[str, str], ignore: tuple[str, ...] = ()) -> Source:
    """Read a table.

    Parameters
    ----------
    data
        A path (or a pattern such as ``"2024-*.csv"``, or a list of paths), the word ``demo``, a pandas data
        frame, a dict of arrays, or anything that offers the Arrow C stream.
    kinds
        Kinds a person declared, by column name.
    ignore
        Columns that are not read.

    Raises
    ------
    DataError and its subclasses, UnknownColumnError
    """
    source = _read(data, kinds, ignore)
    nested = tuple((n, c.what) for n, c in source.columns.items() if isinstance(c, RawNested))
    plain = {n: c for n, c in source.columns.items() if not isinstance(c, RawNested)}
    if not plain:
        every = "holds lists or structs" if nested else "is ignored"
        raise EmptyTableError(f"Every column of {source.name} {every}: there is nothing to look at.")
    return replace(source, columns=plain, nested=nested)


def _read(data: Any, kinds: Mapping[str, str], ignore: tuple[str, ...]) -> Source:
    if isinstance(data, (str, Path)):
        return _from_paths(files_named(str(data)), kinds, ignore, str(data) == DEMO)
    if isinstance(data, (list, tuple)) and data and all(isinstance(d, (str, Path)) for d in data):
        return _from_paths([p for d in data for p in files_named(str(d))], kinds, ignore, False)
    if hasattr(data, "__arrow_c_stream__") and not _is_frame(data):
        from .files import raw_from_stream

        read = raw_from_stream(data, kinds, ignore)
        return Source(read.columns, read.rows, f"a {type(data).__name__}")
    frame, name = _as_frame(data)
    from .frames import named_in_text, raw_from_frame

    frame, notes = named_in_text(frame)
    read = raw_from_frame(frame, kinds, ignore)
    return Source(read.columns, read.rows, name, notes)


def files_named(text: str) -> list[Path]:
    """Return the files that a path means, which may be a pattern.

    Raises
    ------
    FileMissingError
        No file fits the pattern.
    """
    if text == DEMO:
        from ..demo import csv_path

        return [csv_path()]
    if text == "-":
        return [Path("/dev/stdin")]
    try:
        if Path(text).exists() or not glob.has_magic(text):
            return [Path(text)]
        paths = sorted(Path(p) for p in glob.glob(text, recursive=True))
    except (OSError, ValueError):  # said where the file is opened
        return [Path(text)]
    if not paths:
        raise FileMissingError(f"No file fits the pattern {text!r}.")
    return paths


def _from_paths(paths: list[Path], kinds: Mapping[str, str], ignore: tuple[str, ...], demo: bool) -> Source:
    from .files import raw_from_file
    from .frames import FIRST_ROW

    if len(paths) == 1:
        one = raw_from_file(paths[0], kinds, ignore)
        name = "the made-up hives" if demo else paths[0].name if paths[0].is_file() else "a pipe"
        return Source(one.columns, one.rows, name, one.notes, paths=tuple(paths), demo=demo)
    import pandas as pd

    from .several import stacked

    read, notes = {}, []
    for path in paths:
        one = raw_from_file(path, kinds, ignore, named=False)
        read[_short_name(path, paths)] = (one.columns, len(one.rows))
        notes += [f"{_short_name(path, paths)}: {note}" for note in one.notes]
    columns, partial, unlike = stacked(read, kinds)
    check_named([k for k in kinds if k not in ignore], (), list(columns))
    total = sum(n for _, n in read.values())
    rows = pd.RangeIndex(FIRST_ROW, FIRST_ROW + total)
    return Source(columns, rows, f"{len(paths)} files", (*notes, *partial), paths=tuple(paths), unlike=unlike)


def _short_name(path: Path, paths: list[Path]) -> str:
    """Return the file's name, with its folder where two files share the name."""
    return path.name if sum(p.name == path.name for p in paths) == 1 else str(path)


def _is_frame(data: Any) -> bool:
    import pandas as pd

    return isinstance(data, pd.DataFrame)


def _as_frame(data: Any) -> tuple[Any, str]:
    import pandas as pd

    if isinstance(data, pd.DataFrame):
        return data, "a data frame"
    if type(data).__name__ == "ndarray" and data.ndim == 2:
        return pd.DataFrame(data, columns=[f"column {i + 1}" for i in range(data.shape[1])]), "an array"
    if isinstance(data, Mapping):
        try:
            return pd.DataFrame(dict(data)), "a dict of arrays"
        except ValueError as error:
            raise DataError(f"The arrays do not make a table: {error}.") from error
    raise DataError(
        f"Cannot read a {type(data).__name__} as a table: give a path, a pandas data frame or a dict of arrays."
    )
