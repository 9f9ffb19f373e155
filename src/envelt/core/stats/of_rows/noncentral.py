"""Noncentralities: at which λ a statistic as large as the one seen has a given share below it."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import scipy
from scipy import special


def noncentral_chi_square(x2: float, df: float, share: float) -> float:
    """Return the λ at which the noncentral chi-square has ``share`` below ``x2``; 0 where none has."""
    if not special.chdtr(df, x2) > share:
        return 0.0
    return _falling_to(share, lambda lam: float(special.chndtr(x2, df, lam)), max(1.0, x2))


def noncentral_f(f: float, df1: float, df2: float, share: float) -> float:
    """Return the λ at which the noncentral F distribution has ``share`` below ``f``; 0 where none has.

    Where its distribution function gives out (many degrees of freedom), that of df1 · F for endless df2, a chi-square,
    takes its place.
    """
    if not (f > 0 and special.fdtr(df1, df2, f) > share):
        return 0.0

    def below(lam: float) -> float:
        p = float(special.ncfdtr(df1, df2, lam, f))
        return p if np.isfinite(p) else float(special.chndtr(df1 * f, df1, lam))

    return _falling_to(share, below, max(1.0, 2 * df1 * f))


def _falling_to(share: float, below: Callable[[float], float], high: float) -> float:
    """Return where a function that falls with λ reaches a share; 0 where it starts below, as rounding may have it."""
    if not below(0.0) > share:
        return 0.0
    while below(high) > share:
        high *= 2
    return float(scipy.optimize.brentq(lambda lam: below(lam) - share, 0.0, high, xtol=1e-10, rtol=1e-13))
