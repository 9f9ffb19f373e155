"""Files into raw columns: delimited text and Parquet, told apart by what is in them."""

from __future__ import annotations

import csv
import io
from collections.abc import Mapping
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np
import pandas as pd

from ..core.raw import EXACT, EXACT_KINDS, RawColumn, RawTimes, RawWords, checked_numbers, too_large
from ..errors import DataError, EmptyTableError, FileMissingError, NotATableError, did_you_mean
from .frames import check_named, check_names, check_size, raw_from_frame

if TYPE_CHECKING:
    import pyarrow as pa

DELIMITERS = (",", ";", "\t", "|")
SAMPLE = 1 << 16
FIRST_ROW = 1  # rows of a file are counted from 1, the header aside

_BINARY = {
    b"\x89PNG": "a PNG picture",
    b"%PDF": "a PDF",
    b"\xff\xd8\xff": "a JPEG picture",
    b"PK": "a zip archive",
}


def raw_from_file(
    path: Path, kinds: Mapping[str, str], skip: tuple[str, ...] = ()
) -> tuple[dict[str, RawColumn], pd.Index[Any]]:
    """Read a table from a file.

    Parameters
    ----------
    path
        CSV or TSV (delimiter and encoding are detected), or Parquet.
    kinds
        Declared kinds: codes declared as names keep every digit.
    skip
        Columns that are not read at all.

    Returns
    -------
    dict, pandas.Index
        Raw columns, and the rows counted from 1.

    Raises
    ------
    FileMissingError, NotATableError, EmptyTableError, ColumnNamesError, InfiniteValueError, IntegerTooLargeError
    """
    head = _head(path)
    if head[:4] == b"PAR1":
        return _parquet(path, kinds, skip)
    return _delimited(path, head, kinds, skip)


def _head(path: Path) -> bytes:
    if not path.exists():
        near = did_you_mean(path.name, [p.name for p in path.parent.iterdir()]) if path.parent.is_dir() else ""
        raise FileMissingError(f"There is no file {str(path)!r}.{near if 'mean' in near else ''}")
    if path.is_dir():
        raise NotATableError(f"{str(path)!r} is a folder; name a file in it.")
    try:
        with path.open("rb") as file:
            return file.read(SAMPLE)
    except OSError as error:
        raise NotATableError(f"{str(path)!r} cannot be read: {error.strerror}.") from error


def _encoding(path: Path, head: bytes) -> str:
    """Return the encoding: by byte-order mark, else UTF-8 where it fits, else Windows-1252."""
    if head.startswith(b"\xef\xbb\xbf"):
        return "utf-8-sig"
    if head[:2] in (b"\xff\xfe", b"\xfe\xff"):
        return "utf-16"
    for magic, what in _BINARY.items():
        if head.startswith(magic):
            raise NotATableError(f"{str(path)!r} is {what}, not a table. Give a CSV, TSV or Parquet file.")
    if b"\0" in head:
        raise NotATableError(f"{str(path)!r} is binary, not text. Give a CSV, TSV or Parquet file.")
    try:
        path.read_bytes().decode("utf-8")
    except UnicodeDecodeError:
        return "cp1252"
    return "utf-8"


def _delimiter(text: str) -> str:
    """Return the delimiter under which the first rows have the most columns, all equally many."""
    best, best_score = ",", (False, 1)
    for delimiter in DELIMITERS:
        rows = [r for r in csv.reader(io.StringIO(text), delimiter=delimiter) if r][:50]
        if len(rows) > 2:
            rows = rows[:-1]  # the sample may end within a row
        widths = {len(r) for r in rows}
        score = (len(widths) == 1, max(widths, default=1))
        if max(widths, default=1) > 1 and score > best_score:
            best, best_score = delimiter, score
    return best


def _delimited(
    path: Path, head: bytes, kinds: Mapping[str, str], skip: tuple[str, ...]
) -> tuple[dict[str, RawColumn], pd.Index[Any]]:
    import pyarrow as pa
    from pyarrow import csv as pa_csv

    if not head.strip():
        raise EmptyTableError(f"{str(path)!r} is empty.")
    encoding = _encoding(path, head)
    text = head.decode(encoding, errors="ignore")
    delimiter = _delimiter(text)
    try:
        header = next(row for row in csv.reader(io.StringIO(text), delimiter=delimiter) if row)
    except StopIteration:
        raise EmptyTableError(f"{str(path)!r} has no header.") from None
    except csv.Error as error:
        raise NotATableError(f"{str(path)!r} cannot be read as a table: {error}.") from error
    header = [name if name.strip() else f"column {i + 1}" for i, name in enumerate(header)]
    check_names(list(header))
    check_named([*kinds, *skip], header)
    source: Any = str(path)
    if encoding not in ("utf-8", "utf-8-sig"):
        source = io.BytesIO(path.read_bytes().decode(encoding, errors="replace").encode("utf-8"))
    try:
        table = pa_csv.read_csv(
            source,
            read_options=pa_csv.ReadOptions(column_names=header, skip_rows=1),
            parse_options=pa_csv.ParseOptions(delimiter=delimiter, newlines_in_values=True),
            convert_options=pa_csv.ConvertOptions(
                column_types={name: pa.string() for name in header}, strings_can_be_null=True
            ),
        )
    except pa.ArrowInvalid as error:
        raise _parse_error(path, str(error)) from error
    check_size(len(header), table.num_rows, repr(str(path)))
    rows = pd.RangeIndex(FIRST_ROW, FIRST_ROW + table.num_rows)
    raw = {n: _from_text(n, table.column(n), kinds.get(n)) for n in header if n not in skip}
    return raw, rows


def _parse_error(path: Path, message: str) -> DataError:
    first = message.splitlines()[0].removeprefix("CSV parse error: ")
    if "Empty CSV" in first:
        return EmptyTableError(f"{str(path)!r} has a header and no rows.")
    return NotATableError(f"{str(path)!r} cannot be read as a table: {first[:160]}")


def _from_text(name: str, column: pa.ChunkedArray, kind: str | None) -> RawColumn:
    """Return a text column as numbers or times where all of it can be read so, else as words."""
    import pyarrow as pa
    import pyarrow.compute as pc

    if kind in EXACT_KINDS and kind != "ordinal" and kind != "binary":
        return _from_words(column)
    trimmed = pc.utf8_trim_whitespace(column)
    coded = pc.any(pc.match_substring_regex(trimmed, r"^[+-]?0[0-9]"), min_count=0).as_py()
    if not coded:
        try:
            numbers = pc.cast(trimmed, pa.float64())
        except pa.ArrowInvalid:
            pass
        else:
            values = numbers.to_numpy().astype(np.float64)
            long = pc.any(pc.match_substring_regex(trimmed, r"^[+-]?[0-9]{16,}$"), min_count=0).as_py()
            if long and (np.abs(values[~np.isnan(values)]) >= EXACT).any():
                if kind in EXACT_KINDS:
                    return _from_words(column)
                at = int(np.nanargmax(np.abs(values)))
                raise too_large(name, at + FIRST_ROW, int(trimmed[at].as_py()))
            return checked_numbers(name, values, FIRST_ROW)
    dated = pc.match_substring_regex(trimmed, r"^[0-9]{4}-[0-9]{2}-[0-9]{2}([T ][0-9:.]+Z?)?$")
    if pc.all(dated, min_count=0).as_py() and column.null_count < len(column):
        try:
            stamps = pc.cast(trimmed, pa.timestamp("us"))
        except pa.ArrowInvalid:
            return _from_words(column)
        absent = np.asarray(stamps.is_null().to_numpy(), bool)
        micro = pc.fill_null(pc.cast(stamps, pa.int64()), 0).to_numpy()
        return RawTimes(micro, absent)
    return _from_words(column)


def _from_words(column: pa.ChunkedArray) -> RawWords:
    encoded = column.combine_chunks().dictionary_encode()
    codes = encoded.indices.fill_null(-1).to_numpy(zero_copy_only=False).astype(np.int32)
    return RawWords(codes, encoded.dictionary.to_pylist())


def _parquet(path: Path, kinds: Mapping[str, str], skip: tuple[str, ...]) -> tuple[dict[str, RawColumn], pd.Index[Any]]:
    import pyarrow as pa
    from pyarrow import parquet

    try:
        table = parquet.read_table(path)
    except (pa.ArrowInvalid, OSError) as error:
        raise NotATableError(f"{str(path)!r} is a damaged Parquet file: {str(error)[:160]}") from error
    check_names(table.column_names)
    check_size(table.num_columns, table.num_rows, repr(str(path)))
    raw, _ = raw_from_frame(table.to_pandas(integer_object_nulls=True, ignore_metadata=True), kinds, skip)
    return raw, pd.RangeIndex(FIRST_ROW, FIRST_ROW + table.num_rows)
