"""From whatever was given to an encoded table."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any

from ..core.encode import encode_table
from ..core.kinds import check_kind
from ..core.table import Table
from ..errors import DataError

DEMO = "demo"


def read_table(data: Any, kinds: Mapping[str, str], ignore: tuple[str, ...] = ()) -> tuple[Table, str]:
    """Read and encode a table.

    Parameters
    ----------
    data
        A path to a file, the word ``demo``, or a pandas data frame.
    kinds
        Kinds a person declared, by column name.
    ignore
        Columns that are not read.

    Returns
    -------
    Table, str
        The encoded table and what it came from.

    Raises
    ------
    DataError and its subclasses, UnknownColumnError, UnknownKindError, KindConflictError
    """
    import pandas as pd

    for kind in kinds.values():
        check_kind(kind)
    if isinstance(data, pd.DataFrame):
        from .frames import raw_from_frame

        raw, rows = raw_from_frame(data, kinds, ignore)
        source = "a data frame"
    elif isinstance(data, (str, Path)):
        from .files import raw_from_file

        if str(data) == DEMO:
            from ..demo import csv_path

            data, source = csv_path(), "the made-up hives"
        else:
            source = Path(data).name
        raw, rows = raw_from_file(Path(data), kinds, ignore)
    else:
        raise DataError(f"Cannot read a {type(data).__name__} as a table: give a path or a pandas data frame.")
    return encode_table(raw, rows, kinds), source
