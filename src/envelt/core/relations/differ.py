"""Which pairs of columns go together differently in groups of rows."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ..stats.box import box_agreement
from ..stats.multiplicity import q_values
from ..stats.stratified import cochran_q
from .relations import KENDALL, Relations


class Differs(NamedTuple):
    """A pair in groups: its coefficient over all rows, the lowest and the highest and their groups, p and q."""

    first: str
    second: str
    overall: float
    lowest: float
    lowest_in: str
    highest: float
    highest_in: str
    p: float
    q: float


def differing(whole: Relations, parts: list[tuple[str, Relations]]) -> list[Differs]:
    """Compare the correlations of each pair between groups, on Fisher's z; the surest to differ first.

    Over rows by Cochran's Q with the variance that belongs to the coefficient (`stats.correlation.row_error`); over
    units, where that variance is itself estimated, by `stats.box.box_agreement`, weighed by rows.

    Parameters
    ----------
    parts
        The name of each group, and the relations in it.
    """
    i, j = np.triu_indices(len(whole.sides), 1)
    r, n, error, df = (
        np.stack([getattr(p, name)[i, j] for _, p in parts]) for name in ("coefficient", "n", "error", "error_df")
    )
    found = []
    for k in np.flatnonzero((whole.method[i, j] > 0) & (whole.method[i, j] <= KENDALL)):
        known = ~np.isnan(r[:, k]) & (error[:, k] > 0) & (np.abs(r[:, k]) < 1)
        if known.sum() < 2:
            continue
        z, at, variance = np.arctanh(r[known, k]), np.flatnonzero(known), error[known, k] ** 2
        if np.isinf(df[known, k]).all():
            test = cochran_q(z, variance)
        else:
            test = box_agreement(z, n[known, k].astype(float), variance, df[known, k])
        low, high = at[int(np.argmin(z))], at[int(np.argmax(z))]
        found.append(
            Differs(
                whole.names[i[k]], whole.names[j[k]], float(whole.coefficient[i[k], j[k]]), float(r[low, k]),
                parts[low][0], float(r[high, k]), parts[high][0], test.p, np.nan,
            )
        )  # fmt: skip
    q = q_values(np.array([f.p for f in found]))
    return sorted((f._replace(q=float(v)) for f, v in zip(found, q, strict=True)), key=lambda f: f.p)
