"""The made-up data that Envelt ships with, and the list of what was planted in it."""

from __future__ import annotations

from importlib.resources import files
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from pathlib import Path

    import pandas as pd

CSV_NAME = "hives.csv"
OUTCOME = "wintered"


def csv_path() -> Path:
    """Return where the shipped CSV lies."""
    from pathlib import Path

    return Path(str(files(__name__) / CSV_NAME))


def hives() -> pd.DataFrame:
    """Return 3,000 made-up autumn inspections of beehives as a data frame.

    Examples
    --------
    >>> from envelt.demo import hives
    >>> hives().shape
    (3000, 58)
    """
    import pandas as pd

    return pd.read_csv(csv_path(), parse_dates=["inspected_on"])


def planted() -> dict[str, Any]:
    """Return what was planted in the data: for each item what, where, and which finding should name it."""
    import json

    listed: dict[str, Any] = json.loads((files(__name__) / "planted.json").read_text("utf-8"))
    return listed
