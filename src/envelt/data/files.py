"""Files into raw columns, told apart by what is in them."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Mapping
from pathlib import Path
from typing import TYPE_CHECKING, Any
from zipfile import BadZipFile, ZipFile

import numpy as np
import pandas as pd

from ..core.columns.raw import RawColumn, RawNested, RawNumbers, RawWords
from ..errors import NotATableError
from .delimited import raw_from_delimited, texts_of, words_of
from .frames import FIRST_ROW, Read, check_named, check_names, check_size, raw_from_frame
from .opened import FileBytes, TextFile, check_unpacked, in_blocks

if TYPE_CHECKING:
    import pyarrow as pa

MOST_NESTED = 200
"""Brackets within one another in a line of JSON; a thousand and more end the process that reads them."""


def raw_from_file(path: Path, kinds: Mapping[str, str], skip: tuple[str, ...] = (), *, named: bool = True) -> Read:
    """Read a table from a file.

    Parameters
    ----------
    path
        CSV or TSV (delimiter and encoding are detected; gzip, bzip2, zstd or xz too), Parquet, Arrow or
        Feather, JSON Lines, or .xlsx; a pipe is read to its end. What a file is shows in its bytes.
    kinds
        Declared kinds: codes declared as names keep every digit.
    skip
        Columns that are not read at all.
    named
        Whether every column of ``kinds`` and ``skip`` must be there.

    Raises
    ------
    FileMissingError, NotATableError, EmptyTableError, ColumnNamesError
    """
    file = FileBytes.of(path)
    head = file.head
    if head[:4] == b"PAR1" and file.ends(b"PAR1"):
        return _arrow(file, _parquet, "Parquet", kinds, skip, named)
    if head[:8] == b"ARROW1\0\0" or head[:6] == b"FEA1\0\0" or head[:4] == b"\xff\xff\xff\xff":
        return _arrow(file, _feather, "Arrow", kinds, skip, named)
    if head[:4] == b"PK\x03\x04" and path.suffix.lower() == ".xlsx":
        return _numbered(_workbook(file), kinds, skip, named)
    text = TextFile.of(file)
    if path.name.lower().removesuffix(text.compression).endswith((".jsonl", ".ndjson", ".json")):
        return _arrow(file, lambda _: _json_lines(text), "JSON Lines", kinds, skip, named)
    return raw_from_delimited(text, kinds, skip, named)


def _arrow(
    file: FileBytes,
    read: Callable[[FileBytes], pa.Table],
    what: str,
    kinds: Mapping[str, str],
    skip: tuple[str, ...],
    named: bool,
) -> Read:
    import pyarrow as pa

    path = repr(str(file.path))
    try:
        table = read(file)
    except (pa.ArrowException, OSError, UnicodeDecodeError) as error:
        raise NotATableError(f"{path} is a damaged {what} file: {str(error)[:160]}") from error
    check_names(table.column_names)
    check_size(table.num_columns, table.num_rows, path)
    if named:
        check_named(kinds, skip, table.column_names)
    rows = pd.RangeIndex(FIRST_ROW, FIRST_ROW + table.num_rows)
    columns = {n: table.select([n]) for n in table.column_names if n not in skip}
    del table  # each column is let go when it has been taken
    raw: dict[str, RawColumn | RawNested] = {}
    for name in list(columns):
        raw[name] = raw_from_arrow(name, columns.pop(name), kinds)
    pa.default_memory_pool().release_unused()
    return Read(raw, rows)


def raw_from_arrow(name: str, table: pa.Table, kinds: Mapping[str, str]) -> RawColumn | RawNested:
    """Return the raw column of an Arrow table of one; texts keep their dictionary, numbers their memory if they can."""
    import pyarrow as pa

    column = table.column(name)
    if pa.types.is_dictionary(column.type) and not column.type.ordered and _is_text(column.type.value_type):
        return _from_dictionary(column)
    if _is_text(column.type):
        return words_of(column)
    if pa.types.is_float64(column.type):
        return RawNumbers(column.to_numpy())
    if pa.types.is_union(column.type):
        return words_of(pa.chunked_array([pa.array([_written(v) for v in column.to_pylist()], pa.string())]))
    frame = frame_from_arrow(table)
    return raw_from_frame(frame, {name: kinds[name]} if name in kinds else {}).columns[name]


def _written(value: Any) -> str | None:
    return None if value is None else str(value)


def _is_text(kind: pa.DataType) -> bool:
    import pyarrow as pa

    return bool(pa.types.is_string(kind) or pa.types.is_large_string(kind))


def _from_dictionary(column: pa.ChunkedArray) -> RawWords:
    """Return texts that are kept as a dictionary; words that no row has are left to the encoding."""
    whole = column.unify_dictionaries().combine_chunks()
    codes = whole.indices.fill_null(-1).to_numpy(zero_copy_only=False).astype(np.int32)
    return RawWords(codes, texts_of(whole.dictionary))


def frame_from_arrow(table: pa.Table) -> pd.DataFrame:
    """Return an Arrow table as a data frame that keeps whole numbers whole beside missing ones."""
    frame: pd.DataFrame = table.to_pandas(integer_object_nulls=True, ignore_metadata=True, date_as_object=False)
    return frame


def raw_from_stream(data: Any, kinds: Mapping[str, str], skip: tuple[str, ...]) -> Read:
    """Read what offers the Arrow C stream.

    Raises
    ------
    NotATableError, EmptyTableError, ColumnNamesError, UnknownColumnError
    """
    import pyarrow as pa

    try:
        table = pa.table(data)
    except (pa.ArrowException, TypeError, ValueError) as error:
        raise NotATableError(f"A {type(data).__name__} cannot be read as a table: {str(error)[:160]}") from error
    check_names(table.column_names)
    check_named(kinds, skip, table.column_names)
    check_size(table.num_columns, table.num_rows, f"The {type(data).__name__}")
    raw = {n: raw_from_arrow(n, table.select([n]), kinds) for n in table.column_names if n not in skip}
    return Read(raw, pd.RangeIndex(table.num_rows))


def _parquet(file: FileBytes) -> pa.Table:
    from pyarrow import parquet

    texts = [f.name for f in parquet.ParquetFile(file.source()).schema_arrow if _is_text(f.type)]
    given: Any = str(file.path) if file.whole is None else file.source()
    return parquet.read_table(given, read_dictionary=texts, pre_buffer=False)


def _feather(file: FileBytes) -> pa.Table:
    import pyarrow as pa
    from pyarrow import feather

    if file.head[:4] == b"\xff\xff\xff\xff":
        return pa.ipc.open_stream(file.contents()).read_all()
    return feather.read_table(str(file.path) if file.whole is None else file.source())


def _json_lines(text: TextFile) -> pa.Table:
    from pyarrow import json as pa_json

    if text.head(1 << 16).lstrip("\ufeff \t\r\n").startswith("["):
        raise NotATableError(f"{str(text.path)!r} is one JSON list; write one object a line (JSON Lines).")
    with text.text() as lines:
        for at, line in _nested_lines(lines):
            raise NotATableError(
                f"{str(text.path)!r} cannot be read as a table: line {at} has more than {MOST_NESTED} brackets within "
                f"one another ({line[:40]}…)."
            )
    return in_blocks(lambda block: pa_json.read_json(text.source(), pa_json.ReadOptions(block_size=block)), text.size)


def _nested_lines(lines: Iterator[str]) -> Iterator[tuple[int, str]]:
    """Give the lines, counted from 1, in which more brackets than are read stand within one another."""
    for at, line in enumerate(lines, start=1):
        if line.count("[") + line.count("{") > MOST_NESTED:
            depth = deepest = 0
            for bracket in re.findall(r'"(?:[^"\\]|\\.)*"|[\[\]{}]', line):
                depth += 1 if bracket in "[{" else -1 if bracket in "]}" else 0
                deepest = max(deepest, depth)
            if deepest > MOST_NESTED:
                yield at, line


def _workbook(file: FileBytes) -> pd.DataFrame:
    import io

    path = repr(str(file.path))
    given: Any = file.path if file.whole is None else io.BytesIO(file.whole)
    try:
        with ZipFile(given) as packed:
            check_unpacked(
                file.path, sum(p.file_size for p in packed.infolist()), sum(p.compress_size for p in packed.infolist())
            )
        return pd.read_excel(given)
    except ImportError:
        raise NotATableError(
            f"{path} is a workbook, and reading those needs openpyxl: pip install 'envelt[xlsx]'."
        ) from None
    except (ValueError, KeyError, OSError, BadZipFile) as error:
        if isinstance(error, NotATableError):
            raise
        raise NotATableError(f"{path} is a damaged workbook: {str(error)[:160]}") from error


def _numbered(frame: pd.DataFrame, kinds: Mapping[str, str], skip: tuple[str, ...], named: bool) -> Read:
    if not named:
        kinds = {k: v for k, v in kinds.items() if k in frame.columns}
        skip = tuple(s for s in skip if s in frame.columns)
    raw = raw_from_frame(frame, kinds, skip).columns
    return Read(raw, pd.RangeIndex(FIRST_ROW, FIRST_ROW + len(frame)))
