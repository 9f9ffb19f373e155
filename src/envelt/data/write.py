"""Tables into files of open formats."""

from __future__ import annotations

import io
from pathlib import Path
from typing import TYPE_CHECKING

from ..errors import OutputError, did_you_mean
from ..write.csv import table_csv
from ..write.files import check_writable, write_bytes

if TYPE_CHECKING:
    import pandas as pd

FORMATS = ("parquet", "csv", "arrow", "jsonl")


def check_table_path(path: Path) -> str:
    """Return the format that a path's extension names.

    Raises
    ------
    OutputError
        It names none, or the file cannot be written there.
    """
    extension = path.suffix.lower().removeprefix(".")
    if extension not in FORMATS:
        hint = did_you_mean(extension, FORMATS)
        raise OutputError(
            f"Cannot tell from {str(path)!r} how to write rows.{hint if 'mean' in hint else ''} "
            f"End it in one of: {', '.join(f'.{f}' for f in FORMATS)}."
        )
    check_writable(path)
    return extension


def write_table(frame: pd.DataFrame, path: Path, *, guard_formulas: bool = False) -> None:
    """Write a data frame whole or not at all, without its row labels; for ``guard_formulas`` see `table_csv`.

    Raises
    ------
    OutputError
    """
    extension = check_table_path(path)
    out = io.BytesIO()
    if extension == "csv":
        out.write(table_csv(frame, guard=guard_formulas, index=False).encode("utf-8"))
    elif extension == "jsonl":
        out.write(frame.to_json(orient="records", lines=True, date_format="iso", double_precision=15).encode("utf-8"))
    else:
        import pyarrow as pa
        import pyarrow.parquet as pq

        table = pa.Table.from_pandas(frame, preserve_index=False)
        if extension == "parquet":
            pq.write_table(table, out)
        else:
            with pa.ipc.new_file(out, table.schema) as file:
                file.write_table(table)
    write_bytes(path, out.getvalue())
