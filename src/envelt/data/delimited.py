"""Delimited text into raw columns."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from dataclasses import replace
from typing import TYPE_CHECKING, NamedTuple

import numpy as np
import pandas as pd

from ..core.columns.marks import USUAL
from ..core.columns.raw import EXACT, RawColumn, RawNested, RawNumbers, RawTimes, RawWords
from ..core.words import plural
from ..errors import DataError, EmptyTableError, NotATableError
from .frames import FIRST_ROW, Read, check_named, check_names, check_size, is_kept_as_text
from .opened import MOST_BLOCK, SAMPLE, TextFile, in_blocks

if TYPE_CHECKING:
    import pyarrow as pa

DELIMITERS = (",", ";", "\t", "|")
LEAST_SWALLOWED = 5  # lines of one comma each that no letter has
LONGEST_HEADER = 1 << 26
_SAYS_DELIMITER = re.compile(r"sep=(.)", re.IGNORECASE)


class Header(NamedTuple):
    """The names of the columns, what divides them, and the lines of the file up to their end."""

    names: list[str]
    delimiter: str
    lines: int


def raw_from_delimited(text: TextFile, kinds: Mapping[str, str], skip: tuple[str, ...], named: bool) -> Read:
    """Read a CSV or TSV file; see `raw_from_file`."""
    header = _header(text)
    names = header.names
    check_names(list(names))
    if named:
        check_named(kinds, skip, names)
    table = _table(text, header)
    path = repr(str(text.path))
    check_size(len(names), table.num_rows, path)
    raw: dict[str, RawColumn | RawNested] = {
        n: _from_text(table.column(n), kinds.get(n)) for n in names if n not in skip
    }
    rows = pd.RangeIndex(FIRST_ROW, FIRST_ROW + table.num_rows)
    return Read(raw, rows, _swallowed(text, header) if _may_swallow(raw, header) else ())


@contextmanager
def _any_length() -> Iterator[None]:
    """Let Python's reader take cells of any length."""
    before = csv.field_size_limit(MOST_BLOCK)
    try:
        yield
    finally:
        csv.field_size_limit(before)


def _records(text: str, delimiter: str) -> Iterator[tuple[int, list[str]]]:
    """Give each record with the number of lines up to its end."""
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=delimiter)
    for row in reader:
        yield reader.line_num, row


def _header(text: TextFile) -> Header:
    """Find the first record that holds something, past empty lines and a line that names the delimiter.

    Raises
    ------
    EmptyTableError, NotATableError
    """
    size, head = SAMPLE, text.head(SAMPLE)
    try:
        with _any_length():
            while True:
                said = next(
                    (_SAYS_DELIMITER.fullmatch(line) for line in re.split("[\r\n]+", head) if line.strip()), None
                )
                delimiter = said[1] if said else _delimiter(head)
                found = _first(head, delimiter, said is not None)
                longer = text.head(2 * size) if found is None and size < LONGEST_HEADER else head
                if len(longer) == len(head):
                    break
                size, head = 2 * size, longer
            if found is None:  # the file ends with its header
                found = _first(head + "\n\n", delimiter, said is not None)
    except csv.Error as error:
        raise NotATableError(f"{str(text.path)!r} cannot be read as a table: {error}.") from error
    if found is None:
        raise EmptyTableError(f"{str(text.path)!r} has no header.")
    lines, names = found
    return Header([n if n.strip() else f"column {i + 1}" for i, n in enumerate(names)], delimiter, lines)


def _first(head: str, delimiter: str, said: bool) -> tuple[int, list[str]] | None:
    """Return the header, if it ends within the first characters of the file."""
    for line, row in _records(head, delimiter):
        if any(c.strip() for c in row):
            if said:
                said = False
                continue
            whole = line < head.count("\n") + head.count("\r") - head.count("\r\n") + 1
            return (line, row) if whole else None
    return None


def _delimiter(text: str) -> str:
    """Return the delimiter under which the first rows have the most columns, all equally many."""
    best, best_score = ",", (False, 1)
    for delimiter in DELIMITERS:
        rows = [r for _, r in _records(text, delimiter) if r][:50]
        if len(rows) > 2:
            rows = rows[:-1]  # the sample may end within a row
        widths = {len(r) for r in rows}
        score = (len(widths) == 1, max(widths, default=1))
        if max(widths, default=1) > 1 and score > best_score:
            best, best_score = delimiter, score
    return best


def _table(text: TextFile, header: Header) -> pa.Table:
    """Read the rows under the header as text."""
    import pyarrow as pa
    from pyarrow import csv as pa_csv

    def read(block: int) -> pa.Table:
        return pa_csv.read_csv(
            text.source(),
            read_options=pa_csv.ReadOptions(column_names=header.names, skip_rows=header.lines, block_size=block),
            parse_options=pa_csv.ParseOptions(delimiter=header.delimiter, newlines_in_values=True),
            convert_options=pa_csv.ConvertOptions(
                column_types={name: pa.string() for name in header.names}, strings_can_be_null=True, null_values=[""]
            ),
        )

    try:
        return in_blocks(read, text.size)
    except pa.ArrowInvalid as error:
        raise _parse_error(text, header, str(error)) from error


def _parse_error(text: TextFile, header: Header, message: str) -> DataError:
    """Say what is wrong in which line."""
    path = str(text.path)
    first = message.splitlines()[0].removeprefix("CSV parse error: ")
    if "Empty CSV" in first or "skip initial" in first:
        return EmptyTableError(f"{path!r} has a header and no rows.")
    width, begins = len(header.names), 1
    with _any_length(), text.text() as lines:
        reader = csv.reader(lines, delimiter=header.delimiter)
        try:
            for row in reader:
                if row and begins > header.lines and len(row) != width:
                    return NotATableError(_ragged(path, begins, reader.line_num, len(row), width))
                begins = reader.line_num + 1
        except csv.Error as error:
            first = f"line {begins}: {error}"
    return NotATableError(f"{path!r} cannot be read as a table: {first[:160]}")


def _ragged(path: str, begins: int, ends: int, cells: int, width: int) -> str:
    where = f"{path!r} cannot be read as a table: line {begins}"
    if ends > begins:
        return (
            f'{where} has a quotation mark (") that opens a cell and closes it in line {ends} or not at all. '
            'Delete the mark, or double it ("") where it is meant.'
        )
    return f"{where} has {plural(cells, 'cell')}, and the header has {width}. Mend or delete that line."


def _may_swallow(raw: Mapping[str, RawColumn | RawNested], header: Header) -> bool:
    """Say whether a cell of several lines could be rows that a stray quotation mark swallowed."""
    between = len(header.names) - 1
    texts = (w for c in raw.values() if isinstance(c, RawWords) for w in c.words if "\n" in w or "\r" in w)
    return between > 0 and any(w.count(header.delimiter) >= between * max(2, len(w.splitlines()) - 2) for w in texts)


def _swallowed(text: TextFile, header: Header) -> tuple[str, ...]:
    """Return a line on the first cell of which each line looks like a row of the table."""
    between, begins = len(header.names) - 1, 1
    with _any_length(), text.text() as lines:
        reader = csv.reader(lines, delimiter=header.delimiter)
        for row in reader:
            for cell in row if reader.line_num > begins > header.lines else ():
                inside = cell.splitlines()
                rows = all(line.count(header.delimiter) == between for line in inside[1:-1])
                if rows and len(inside) - 2 >= (LEAST_SWALLOWED if between == 1 else 1):
                    return (
                        f'a quotation mark (") in line {begins} opens a cell of {len(inside):,} lines that look like '
                        f"rows: they are no rows here. Delete the mark if it is not meant",
                    )
            begins = reader.line_num + 1
    return ()


def _from_text(column: pa.ChunkedArray, kind: str | None) -> RawColumn:
    """Return a text column as numbers or times where all of it can be read so, else as words.

    Texts that usually mean missing are taken so beside numbers and times, and counted.
    """
    import pyarrow as pa
    import pyarrow.compute as pc

    if is_kept_as_text(kind):
        return words_of(column)
    read = _numbers_or_times(column)
    if not isinstance(read, RawWords):
        return read
    mark = pc.is_in(pc.utf8_trim_whitespace(column), value_set=pa.array(USUAL))
    if not pc.any(mark, min_count=0).as_py():
        return read
    fewer = _numbers_or_times(pc.if_else(mark, pa.scalar(None, pa.string()), column))
    if isinstance(fewer, RawWords) or column.null_count + pc.sum(mark).as_py() == len(column):
        return read
    taken = pc.value_counts(pc.utf8_trim_whitespace(column).filter(mark)).to_pylist()
    taken.sort(key=lambda v: -v["counts"])
    return replace(fewer, blanked=tuple((str(v["values"]), int(v["counts"])) for v in taken))


def _numbers_or_times(column: pa.ChunkedArray) -> RawColumn:
    """Return a text column as numbers or times where all of it can be read so, else as words."""
    import pyarrow as pa
    import pyarrow.compute as pc

    trimmed = pc.utf8_trim_whitespace(column)
    coded = pc.any(pc.match_substring_regex(trimmed, r"^[+-]?0[0-9]"), min_count=0).as_py()
    if not coded:
        try:
            numbers = pc.cast(trimmed, pa.float64())
        except pa.ArrowInvalid:
            pass
        else:
            values = numbers.to_numpy().astype(np.float64)
            if not (np.abs(values[~np.isnan(values)]) > EXACT).any():
                return RawNumbers(values)
            long = pc.any(pc.match_substring_regex(trimmed, r"^[+-]?[0-9]{16,}(\.[0-9]*)?$"), min_count=0).as_py()
            return replace(words_of(trimmed), exact=True) if long else RawNumbers(values)
    dated = pc.match_substring_regex(trimmed, r"^[0-9]{4}-[0-9]{2}-[0-9]{2}([T ][0-9:.]+Z?)?$")
    if pc.all(dated, min_count=0).as_py() and column.null_count < len(column):
        try:
            stamps = pc.cast(trimmed, pa.timestamp("us"))
        except pa.ArrowInvalid:
            return words_of(column)
        absent = np.asarray(stamps.is_null().to_numpy(), bool)
        micro = pc.fill_null(pc.cast(stamps, pa.int64()), 0).to_numpy()
        return RawTimes(micro, absent)
    return words_of(column)


def words_of(column: pa.ChunkedArray) -> RawWords:
    """Return a column of texts; bytes that are no UTF-8 become the mark for them."""
    encoded = column.combine_chunks().dictionary_encode()
    codes = encoded.indices.fill_null(-1).to_numpy(zero_copy_only=False).astype(np.int32)
    return RawWords(codes, texts_of(encoded.dictionary))


def texts_of(words: pa.Array) -> list[str]:
    """Return texts as Python has them; bytes that are no UTF-8 become the mark for them."""
    import pyarrow as pa

    try:
        return list(words.to_pylist())
    except UnicodeDecodeError:
        raw = words.cast(pa.large_binary() if pa.types.is_large_string(words.type) else pa.binary())
        return [w.decode("utf-8", errors="replace") for w in raw.to_pylist()]
