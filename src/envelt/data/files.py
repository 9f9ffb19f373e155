"""Files into raw columns, told apart by what is in them."""

from __future__ import annotations

import csv
import io
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING, Any
from zipfile import BadZipFile

import numpy as np
import pandas as pd

from ..core.columns.raw import EXACT, EXACT_KINDS, RawColumn, RawNested, RawTimes, RawWords, checked_numbers, too_large
from ..errors import DataError, EmptyTableError, FileMissingError, NotATableError, did_you_mean
from .frames import check_named, check_names, check_size, raw_from_frame

if TYPE_CHECKING:
    import pyarrow as pa

DELIMITERS = (",", ";", "\t", "|")
SAMPLE = 1 << 16
FIRST_ROW = 1  # rows of a file are counted from 1, the header aside

WHAT_IS_READ = "Give a CSV, TSV, Parquet, Arrow, JSON Lines or .xlsx file."

_COMPRESSED = {".gz": b"\x1f\x8b", ".bz2": b"BZh", ".zst": b"\x28\xb5\x2f\xfd", ".xz": b"\xfd7zXZ"}
_CODECS = {".gz": "gzip", ".bz2": "bz2", ".zst": "zstd"}
_BINARY = {
    b"\x89PNG": "a PNG picture",
    b"%PDF": "a PDF",
    b"\xff\xd8\xff": "a JPEG picture",
    b"PK": "a zip archive",
}


def raw_from_file(
    path: Path, kinds: Mapping[str, str], skip: tuple[str, ...] = (), *, named: bool = True
) -> tuple[dict[str, RawColumn | RawNested], pd.Index[Any]]:
    """Read a table from a file.

    Parameters
    ----------
    path
        CSV or TSV (delimiter and encoding are detected; gzip, bzip2, zstd or xz too), Parquet, Arrow or
        Feather, JSON Lines, or .xlsx. What a file is shows in its first bytes.
    kinds
        Declared kinds: codes declared as names keep every digit.
    skip
        Columns that are not read at all.
    named
        Whether every column of ``kinds`` and ``skip`` must be there.

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
        return _arrow(path, _parquet, "Parquet", kinds, skip, named)
    if head[:6] in (b"ARROW1", b"FEA1\0\0") or head[:4] == b"\xff\xff\xff\xff":
        return _arrow(path, _feather, "Arrow", kinds, skip, named)
    if head[:4] == b"PK\x03\x04" and path.suffix.lower() == ".xlsx":
        return _numbered(_workbook(path), kinds, skip, named)
    text = _Text.of(path, head)
    if path.name.lower().removesuffix(text.compression).endswith((".jsonl", ".ndjson", ".json")):
        return _arrow(path, lambda p: _json_lines(p, text), "JSON Lines", kinds, skip, named)
    return _delimited(path, text, kinds, skip, named)


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


@dataclass(frozen=True)
class _Text:
    """A text file: its first characters, its encoding, and how it is compressed."""

    head: bytes
    encoding: str
    compression: str
    whole: bytes | None

    @classmethod
    def of(cls, path: Path, head: bytes) -> _Text:
        compression = next((end for end, magic in _COMPRESSED.items() if head.startswith(magic)), "")
        whole = None
        if compression:
            whole = _unpacked(path, compression)
            head = whole[:SAMPLE]
        if not head.strip():
            raise EmptyTableError(f"{str(path)!r} is empty.")
        return cls(head, _encoding(path, head, whole), compression, whole)

    @property
    def sample(self) -> str:
        return self.head.decode(self.encoding, errors="ignore")

    def source(self, path: Path) -> Any:
        """Return what PyArrow can read: the path where it is plain UTF-8, else the text as UTF-8."""
        if self.whole is None and self.encoding in ("utf-8", "utf-8-sig"):
            return str(path)
        whole = path.read_bytes() if self.whole is None else self.whole
        return io.BytesIO(whole.decode(self.encoding, errors="replace").encode("utf-8"))


def _unpacked(path: Path, compression: str) -> bytes:
    import pyarrow as pa

    if compression == ".xz":
        import lzma

        opener: Any = lzma.open
    else:
        opener = pa.input_stream
    try:
        with (
            opener(str(path)) if compression == ".xz" else opener(str(path), compression=_CODECS[compression]) as stream
        ):
            return bytes(stream.read())
    except (OSError, EOFError, pa.ArrowException) as error:
        raise NotATableError(f"{str(path)!r} is a damaged compressed file: {str(error)[:160]}") from error


def _encoding(path: Path, head: bytes, whole: bytes | None) -> str:
    """Return the encoding: by byte-order mark, else UTF-8 where it fits, else Windows-1252."""
    if head.startswith(b"\xef\xbb\xbf"):
        return "utf-8-sig"
    if head[:2] in (b"\xff\xfe", b"\xfe\xff"):
        return "utf-16"
    for magic, what in _BINARY.items():
        if head.startswith(magic):
            raise NotATableError(f"{str(path)!r} is {what}, not a table. {WHAT_IS_READ}")
    if b"\0" in head:
        raise NotATableError(f"{str(path)!r} is binary, not text. {WHAT_IS_READ}")
    try:
        (path.read_bytes() if whole is None else whole).decode("utf-8")
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
    path: Path, text: _Text, kinds: Mapping[str, str], skip: tuple[str, ...], named: bool
) -> tuple[dict[str, RawColumn | RawNested], pd.Index[Any]]:
    import pyarrow as pa
    from pyarrow import csv as pa_csv

    delimiter = _delimiter(text.sample)
    try:
        header = next(row for row in csv.reader(io.StringIO(text.sample), delimiter=delimiter) if row)
    except StopIteration:
        raise EmptyTableError(f"{str(path)!r} has no header.") from None
    except csv.Error as error:
        raise NotATableError(f"{str(path)!r} cannot be read as a table: {error}.") from error
    header = [name if name.strip() else f"column {i + 1}" for i, name in enumerate(header)]
    check_names(list(header))
    if named:
        check_named(kinds, skip, header)
    try:
        table = pa_csv.read_csv(
            text.source(path),
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
    raw: dict[str, RawColumn | RawNested] = {
        n: _from_text(n, table.column(n), kinds.get(n)) for n in header if n not in skip
    }
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
                if kind is None or kind in EXACT_KINDS:
                    return replace(_from_words(trimmed), exact=True)
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


def _arrow(
    path: Path,
    read: Callable[[Path], pa.Table],
    what: str,
    kinds: Mapping[str, str],
    skip: tuple[str, ...],
    named: bool,
) -> tuple[dict[str, RawColumn | RawNested], pd.Index[Any]]:
    import pyarrow as pa

    try:
        table = read(path)
    except (pa.ArrowException, OSError) as error:
        raise NotATableError(f"{str(path)!r} is a damaged {what} file: {str(error)[:160]}") from error
    check_names(table.column_names)
    check_size(table.num_columns, table.num_rows, repr(str(path)))
    if named:
        check_named(kinds, skip, table.column_names)
    rows = pd.RangeIndex(FIRST_ROW, FIRST_ROW + table.num_rows)
    columns = {n: table.select([n]) for n in table.column_names if n not in skip}
    del table  # each column is let go when it has been taken
    raw: dict[str, RawColumn | RawNested] = {}
    for name in list(columns):
        raw[name] = raw_from_arrow(name, columns.pop(name), kinds)
    pa.default_memory_pool().release_unused()
    return raw, rows


def raw_from_arrow(name: str, table: pa.Table, kinds: Mapping[str, str]) -> RawColumn | RawNested:
    """Return the raw column of an Arrow table of one; texts keep their dictionary, numbers their memory if they can."""
    import pyarrow as pa

    column = table.column(name)
    if pa.types.is_dictionary(column.type) and not column.type.ordered and _is_text(column.type.value_type):
        return _from_dictionary(column)
    if _is_text(column.type):
        return _from_words(column)
    if pa.types.is_float64(column.type):
        return checked_numbers(name, column.to_numpy(), FIRST_ROW)
    frame = frame_from_arrow(table)
    return raw_from_frame(frame, {name: kinds[name]} if name in kinds else {})[0][name]


def _is_text(kind: pa.DataType) -> bool:
    import pyarrow as pa

    return bool(pa.types.is_string(kind) or pa.types.is_large_string(kind))


def _from_dictionary(column: pa.ChunkedArray) -> RawWords:
    """Return texts that are kept as a dictionary; words that no row has are left to the encoding."""
    whole = column.unify_dictionaries().combine_chunks()
    codes = whole.indices.fill_null(-1).to_numpy(zero_copy_only=False).astype(np.int32)
    return RawWords(codes, whole.dictionary.to_pylist())


def frame_from_arrow(table: pa.Table) -> pd.DataFrame:
    """Return an Arrow table as a data frame that keeps whole numbers whole beside missing ones."""
    frame: pd.DataFrame = table.to_pandas(integer_object_nulls=True, ignore_metadata=True)
    return frame


def _parquet(path: Path) -> pa.Table:
    from pyarrow import parquet

    texts = [f.name for f in parquet.ParquetFile(path).schema_arrow if _is_text(f.type)]
    return parquet.read_table(path, read_dictionary=texts, pre_buffer=False)


def _feather(path: Path) -> pa.Table:
    import pyarrow as pa
    from pyarrow import feather

    with path.open("rb") as file:
        if file.read(4) == b"\xff\xff\xff\xff":
            return pa.ipc.open_stream(path.read_bytes()).read_all()
    return feather.read_table(path)


def _json_lines(path: Path, text: _Text) -> pa.Table:
    from pyarrow import json as pa_json

    if text.sample.lstrip().startswith("["):
        raise NotATableError(f"{str(path)!r} is one JSON list; write one object a line (JSON Lines).")
    return pa_json.read_json(text.source(path))


def _workbook(path: Path) -> pd.DataFrame:
    try:
        return pd.read_excel(path)
    except ImportError:
        raise NotATableError(
            f"{str(path)!r} is a workbook, and reading those needs openpyxl: pip install 'envelt[xlsx]'."
        ) from None
    except (ValueError, KeyError, OSError, BadZipFile) as error:
        raise NotATableError(f"{str(path)!r} is a damaged workbook: {str(error)[:160]}") from error


def _numbered(
    frame: pd.DataFrame, kinds: Mapping[str, str], skip: tuple[str, ...], named: bool
) -> tuple[dict[str, RawColumn | RawNested], pd.Index[Any]]:
    if not named:
        kinds = {k: v for k, v in kinds.items() if k in frame.columns}
        skip = tuple(s for s in skip if s in frame.columns)
    raw, _ = raw_from_frame(frame, kinds, skip)
    return raw, pd.RangeIndex(FIRST_ROW, FIRST_ROW + len(frame))
