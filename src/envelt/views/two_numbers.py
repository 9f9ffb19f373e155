"""What every view of two numbers has: the same coefficients, line, trend and residuals in each."""

from __future__ import annotations

from typing import Any

import numpy as np
import pandas as pd

from ..core.relations.two_numbers import COEFFICIENTS, TwoNumbers
from ..core.stats.matrices import ranks_of_rows
from ..declared import tabled, valued_if
from ..view import View
from ..write.digits import count, measured, places, probability

LINE = ("slope", "intercept", "r_squared", "residual_sd")


def _there(view: TwoNumbersView) -> bool:
    return view._two is not None


class TwoNumbersView(View):
    """A view that shows two numbers, always or where two are asked for."""

    @property
    def _two(self) -> TwoNumbers | None:
        """The two numbers; nothing where the view is not of two."""
        return None

    @property
    def _these(self) -> TwoNumbers:
        assert self._two is not None
        return self._two

    @property
    def _labels(self) -> pd.Index[Any]:
        """What the rows are called."""
        raise NotImplementedError

    @tabled(
        {"n": count, "coefficient": places, "low": places, "high": places, "p": probability}, there=_there,
        needed=False,
    )  # fmt: skip
    def coefficients(self) -> pd.DataFrame:
        """N, coefficient, low, high and p by Pearson, Spearman and Kendall; of two numbers.

        Intervals are on Fisher's z, p of ranks of under ten rows over all orders; both at the confidence, and against
        the alternative, that was asked for.

        References
        ----------
        Fisher (1921), Metron 1, 3–32; Bonett & Wright (2000), Psychometrika 65, 23–28; Fieller, Hartley & Pearson
        (1957), Biometrika 44, 470–481.
        """
        found = [self._these.coefficient(method) for method in COEFFICIENTS]
        return pd.DataFrame(
            {
                "n": [c.n for c in found], "coefficient": [c.estimate.estimate for c in found],
                "low": [c.estimate.low for c in found], "high": [c.estimate.high for c in found],
                "p": [c.p for c in found],
            },
            index=pd.Index(COEFFICIENTS, name="method"),
        )  # fmt: skip

    @tabled({"estimate": measured, "low": measured, "high": measured}, there=_there, needed=False)
    def line(self) -> pd.DataFrame:
        """Slope, intercept, r_squared and residual_sd of the least-squares line of the second along the first.

        Estimate, low and high, which hold where the spread about the line is uneven; of two numbers. R² has the
        interval of Pearson's squared, the deviation of the residuals none.

        References
        ----------
        MacKinnon & White (1985), Journal of Econometrics 29, 305–325.
        """
        line, spread = self._these.line, self._these.line.residual_sd
        found = [line.slope, line.intercept, self._these.explained, (spread, np.nan, np.nan)]
        return pd.DataFrame(
            found, index=pd.Index(LINE, name="estimated"), columns=["estimate", "low", "high"], dtype=float
        )

    @tabled(there=lambda view: _there(view) and view._these.trend is not None, needed=False, folded=0)
    def trend(self) -> pd.DataFrame:
        """At, mean, low and high of the smooth trend; of two numbers."""
        trend = self._these.trend
        assert trend is not None
        return pd.DataFrame({"at": trend.at, "mean": trend.mean, "low": trend.low, "high": trend.high})

    @property
    def residuals(self) -> pd.DataFrame:
        """Row, both numbers, fitted and residual of the line, and both ranks; of the rows where both are present.

        As long as the rows, so it is made each time, and in no saved file.

        Raises
        ------
        AttributeError
            The view is not of two numbers.
        """
        two = self._two
        if two is None:
            raise AttributeError("residuals")
        there, x, y, _ = two.both
        fitted, left = two.residuals
        return pd.DataFrame(
            {
                "row": self._labels[there], two.first.name: x, two.second.name: y, "fitted": fitted, "residual": left,
                f"rank of {two.first.name}": ranks_of_rows(x), f"rank of {two.second.name}": ranks_of_rows(y),
            }
        )  # fmt: skip

    @valued_if(_there)
    def form(self) -> str:
        """The form of the relation of two numbers: linear, monotone, curved, none or not decided."""
        return self._these.form

    @valued_if(_there)
    def intercept(self) -> float:
        """Of the least-squares line."""
        return self._these.line.intercept.estimate

    @valued_if(_there)
    def slope(self) -> float:
        """Of the least-squares line."""
        return self._these.line.slope.estimate
