"""What a preparation changed, operation by operation, and the rows it gave."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, NamedTuple

import numpy as np
import pandas as pd

from ..core.finding import Finding
from ..core.words import plural
from ..declared import tabled, valued
from ..prepare.preparation import Preparation
from ..prepare.watched import Watched
from ..view import View
from ..write.digits import count, measured
from .answers.prepare import prepare_answer
from .captions import Captions

if TYPE_CHECKING:
    from matplotlib.figure import Figure

    from ..draw.parts.canvas import Page

MOST_NAMED = 4


class Prepared(NamedTuple):
    """Rows prepared, with what happened on the way."""

    preparation: Preparation
    frame: pd.DataFrame
    watched: tuple[Watched, ...]
    findings: tuple[Finding, ...]
    fitted_here: bool
    columns_in: int


class PrepareView(View):
    """What a preparation changed, and the rows it gave: `prepared` is a data frame, `preparation` what was fitted."""

    step = "prepare"
    brief = ("operation", "columns", "rows_changed", "missing_before", "missing_after", "columns_made")

    def __init__(self, result: Prepared, about: tuple[str, ...], names: Captions) -> None:
        super().__init__("What the preparation did", names.given)
        self._result, self._about = result, about

    @tabled({"rows_changed": count, "missing_before": count, "missing_after": count},
            spare=("columns_made",), heads={"missing_before": "missing", "missing_after": "after",
                                            "rows_changed": "rows changed", "columns_made": "made"})  # fmt: skip
    def table(self) -> pd.DataFrame:
        """One row an operation: operation, columns, rows_changed, missing_before, missing_after, columns_made, reason.

        Missing values are counted in the columns that the operation worked on and made.
        """
        seen = self._result.watched
        return pd.DataFrame(
            {
                "operation": [w.operation.name for w in seen],
                "columns": [_names(list(w.operation.columns)) for w in seen],
                "rows_changed": [w.rows_changed for w in seen],
                "missing_before": [w.missing_before for w in seen],
                "missing_after": [w.missing_after for w in seen],
                "columns_made": [_names(w.columns_out) or None for w in seen],
                "reason": [w.operation.reason for w in seen],
            },
            index=pd.RangeIndex(1, len(seen) + 1, name="place"),
        )

    @tabled({"missing": count, "distinct": count, "min": measured, "mean": measured, "max": measured}, folded=0)
    def features(self) -> pd.DataFrame:
        """One row a column that came out: missing, distinct, and min, mean and max of numbers."""
        frame = self._result.frame
        numbers = frame.select_dtypes("number")
        return pd.DataFrame(
            {
                "missing": frame.isna().sum(),
                "distinct": frame.nunique(),
                "min": numbers.min().reindex(frame.columns),
                "mean": numbers.mean().reindex(frame.columns),
                "max": numbers.max().reindex(frame.columns),
            }
        ).rename_axis("column")

    @property
    def prepared(self) -> pd.DataFrame:
        """The rows prepared, with the labels they had; the caller's own."""
        return self._result.frame.copy()

    @property
    def preparation(self) -> Preparation:
        """The preparation that was applied, fitted."""
        return self._result.preparation

    @valued
    def missing(self) -> int:
        """Missing values in the rows prepared."""
        return int(np.asarray(self._result.frame.isna()).sum())

    def write(self, path: str | Path, *, guard_formulas: bool = False) -> None:
        """Write the rows prepared: .parquet, .csv, .arrow or .jsonl; ``guard_formulas`` as for `save`.

        Raises
        ------
        OutputError
        """
        from ..data.write import write_table
        from ..write.files import path_given

        write_table(self._result.frame, path_given(path), guard_formulas=guard_formulas)

    def _lines(self) -> tuple[str, ...]:
        r = self._result
        how = "fitted on these rows" if r.fitted_here else f"applied as fitted on {_fitted_rows(r.preparation)} rows"
        left = "no value is missing" if not self.missing else f"{plural(self.missing, 'value')} missing"
        return (*self._about, f"{r.columns_in} columns in, {r.frame.shape[1]} out; {how}; {left} in what came out")

    def _answer(self) -> str:
        return prepare_answer(self)

    def _found(self) -> tuple[Finding, ...]:
        return self._result.findings

    def _picture(self, page: Page) -> Figure:
        from ..draw.prepare import draw_prepared

        rows = [(w.operation.name, _names(list(w.operation.columns)), w) for w in self._result.watched]
        return draw_prepared(rows, len(self._result.frame), page)


def _fitted_rows(preparation: Preparation) -> str:
    return count(preparation.to_dict()["fitted"]["rows"])


def _names(names: list[str]) -> str:
    more = f", … ({len(names)})" if len(names) > MOST_NAMED else ""
    return ", ".join(names[:MOST_NAMED]) + more
