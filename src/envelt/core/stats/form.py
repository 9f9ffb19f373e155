"""The form of a relation of two numbers, decided by how fits do on rows they were not fitted on.

Nested fits of one number along the other are compared: its mean, a straight line, a curve that only rises or only
falls, and one that is free to turn. A richer fit counts only where it surely does better, and by enough to matter.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
import scipy
from numpy.typing import NDArray

from .. import thresholds as T
from ..magnitude import in_unit
from ..shapes.ranks import mid_ranks, ranks_of
from .draws import drawn, drawn_of_numbers, scattered
from .sampling import Sampling

Floats = NDArray[np.float64]
Codes = NDArray[np.int64]

FOLDS = 5
MOST_ROWS = 4_000
"""Rows looked at: with so many, what cannot be decided does not matter."""
DEGREE = 6
"""Of the free curve in the ranks of x: two full waves."""
UNEVEN_TO = 0.98
"""The quantile to which squared errors are capped, before it is asked where along a number they are larger."""
STEPS = 24
"""Places of the rising curve; it is straight between them."""


@dataclass(frozen=True)
class _Losses:
    """Squared errors on held-out rows, shape (n,): of the mean, the line, the rising and the free curve.

    ``u`` is the place of each row along the other number, 0 to 1.
    """

    mean: Floats
    line: Floats
    rising: Floats
    free: Floats
    u: Floats
    sampling: Sampling

    def gain(self, of: Floats, over: Floats) -> tuple[float, float]:
        """Return how much smaller one error is than another, and its standard error, in shares of the variance."""
        base = max(float(self.mean.mean()), 1e-300)
        away = (over - of) / base
        n = len(away)
        centred = (away - away.mean()) / n
        return float(away.mean()), T.WIDEN * float(np.sqrt(self.sampling.variance(centred)))

    def unevenness(self, of: Floats) -> float:
        """Return the share of the variance of a fit's squared errors that a cubic along the other number takes."""
        capped = np.minimum(of, np.quantile(of, UNEVEN_TO))
        fit, _ = np.polynomial.Legendre.fit(self.u, capped, 3, full=True)  # which of few values has no warning
        whole = float(np.var(capped))
        return 1 - float(np.mean((capped - fit(self.u)) ** 2)) / whole if whole > 0 else 0.0

    @property
    def most(self) -> float:
        """The largest share of the variance that a fit removes."""
        return max(self.gain(of, self.mean)[0] for of in (self.line, self.rising, self.free))


def relation_form(x: Floats, y: Floats, sampling: Sampling, seed: int = 0, two_levels: bool = False) -> str:
    """Decide the form of a relation; of more than 4,000 rows a sample is looked at.

    Both are fitted along the other, and the fit that removes more decides, so that the form is one whichever comes
    first. Where one is a straight line and the other a monotone curve, the one whose errors are more alike all along
    is taken: a straight line with even noise is a curve from the other side (Hoyer et al. 2009, NeurIPS 21). A bend
    that only the other side shows (one x goes with a low and a high y) is a curve too: no line, and no correlation,
    says what is there. Through two values any curve goes, so of those no line is told from one.

    Parameters
    ----------
    x, y
        Of the same rows, none missing, shape (n,).
    sampling
        Of these rows: folds never split a unit, and errors are of sums over cases.
    two_levels
        Whether one of them is two levels: their share along the other has a form.

    Returns
    -------
    str
        "linear", "monotone", "curved", "none", or "not decided" where the rows do not say.
    """
    if len(x) < T.FORM_ROWS or sampling.cases < 2 * FOLDS:
        return "not decided"
    if x.min() == x.max() or y.min() == y.max():
        return "none"
    if len(x) > MOST_ROWS:
        at = np.argsort(drawn_of_numbers([x, y], seed))[:MOST_ROWS]
        x, y, sampling = x[at], y[at], sampling.take(at)
    x, y = in_unit(x - x.min())[0], in_unit(y - y.min())[0]
    at = np.argsort(_by_what_rows_say(x, y, seed))
    x, y, sampling = x[at], y[at], sampling.take(at)
    fold = np.arange(len(at)) % FOLDS
    if sampling.units is not None:
        fold = (np.argsort(scattered(np.arange(sampling.cases), seed)) % FOLDS)[sampling.units]
    along = [_losses(a, b, fold, sampling) for a, b in ((x, y), (y, x)) if np.any((a > a.min()) & (a < a.max()))]
    if not along:
        return "not decided"
    first, other = max(along, key=lambda fits: fits.most), min(along, key=lambda fits: fits.most)
    if _bends(other, T.FORM_OTHER_GAIN):
        return "curved"
    forms = {_decided(first): first, _decided(other): other}
    if set(forms) == {"linear", "monotone"}:
        line, curve = forms["linear"], forms["monotone"]
        return "linear" if line.unevenness(line.line) < curve.unevenness(curve.rising) else "monotone"
    form = next(iter(forms))
    return "not decided" if len(along) == 1 and not two_levels and form in ("linear", "monotone") else form


def _by_what_rows_say(x: Floats, y: Floats, seed: int) -> NDArray[np.uint64]:
    """Return a random number for each row that knows not where it stands, which number came first, nor its sign."""
    x, y = (v if np.sum((v - v.mean()) ** 3) >= 0 else -v for v in (x, y))  # the longer tail points up
    with np.errstate(over="ignore"):
        says = scattered((2 * ranks_of(x)).astype(np.int64), 1) + scattered((2 * ranks_of(y)).astype(np.int64), 1)
    order = np.lexsort((x + y, says))  # rows of which one's ranks are the other's turned about differ in their sum
    new = (np.diff(says[order]) != 0) | (np.diff((x + y)[order]) != 0)
    codes = np.empty(len(x), np.int64)
    codes[order] = np.concatenate(([0], np.cumsum(new)))
    return drawn(codes, seed)


def _losses(x: Floats, y: Floats, fold: Codes, sampling: Sampling) -> _Losses:
    n = len(x)
    order = np.argsort(x, kind="stable")
    u = np.empty(n)
    u[order] = (mid_ranks(x[order]) - 0.5) / n
    free_basis = np.polynomial.legendre.legvander(
        2 * u - 1, min(DEGREE, max(1, int(np.count_nonzero(np.diff(x[order])))))
    )
    z = (x - x.mean()) / max(float(x.std()), 1e-300)
    straight_basis = np.asarray(np.stack([np.ones(n), z], axis=1), np.float64)
    step = np.minimum((u * STEPS).astype(np.int64), STEPS - 1)
    mean, line = _held_out(np.ones((n, 1)), y, fold), _held_out(straight_basis, y, fold)
    free = _held_out(free_basis, y, fold)
    rising = np.empty(n)
    for k in range(FOLDS):
        train, held = fold != k, fold == k
        rising[held] = (y[held] - _rising(u[train], step[train], y[train], u[held])) ** 2
    return _Losses(mean, line, rising, free, u, sampling)


def _held_out(basis: NDArray[Any], y: Floats, fold: Codes) -> Floats:
    """Return the squared errors of a least-squares fit on the fold that was left out of it, shape (n,)."""
    order = np.argsort(fold, kind="stable")
    ends = np.cumsum(np.bincount(fold, minlength=FOLDS))
    parts = [order[a:b] for a, b in zip(np.concatenate(([0], ends[:-1])), ends, strict=True)]
    grams = np.stack([basis[at].T @ basis[at] for at in parts])
    sums = np.stack([basis[at].T @ y[at] for at in parts])
    whole, total = grams.sum(axis=0), sums.sum(axis=0)
    squared = np.empty(len(y))
    for k, at in enumerate(parts):
        fit = np.linalg.lstsq(whole - grams[k], total - sums[k], rcond=None)[0]
        squared[at] = (y[at] - basis[at] @ fit) ** 2
    return squared


def _rising(u: Floats, step: Codes, y: Floats, at: Floats) -> Floats:
    """Fit means of steps that only rise, or only fall, and read them off at other places, straight between."""
    n = np.bincount(step, minlength=STEPS).astype(float)
    used = n > 0
    middle = (np.bincount(step, weights=u, minlength=STEPS)[used]) / n[used]
    mean = (np.bincount(step, weights=y, minlength=STEPS)[used]) / n[used]
    best, fitted = np.inf, mean
    for increasing in (True, False):
        made = scipy.optimize.isotonic_regression(mean, weights=n[used], increasing=increasing).x
        loss = float(np.sum(n[used] * (mean - made) ** 2))
        if loss < best:
            best, fitted = loss, made
    return np.asarray(np.interp(at, middle, fitted), np.float64)


def _decided(losses: _Losses) -> str:
    gains = [losses.gain(of, losses.mean) for of in (losses.line, losses.rising, losses.free)]
    if not any(g > T.FORM_RELATED * se and g > T.FORM_LEAST for g, se in gains):
        unseen = max(g + 2 * se for g, se in gains)
        return "none" if unseen < T.FORM_NONE else "not decided"
    if _bends(losses, T.FORM_GAIN):
        return "curved"
    rising, error = losses.gain(losses.rising, losses.line)
    if rising > T.FORM_BETTER * error and rising >= T.FORM_GAIN:
        return "monotone"
    free, free_error = losses.gain(losses.free, losses.line)
    if free > T.FORM_BETTER * free_error and free >= T.FORM_GAIN:
        return "monotone"  # no line, and no surer a turn
    return "not decided" if max(rising + 2 * error, free + 2 * free_error) > T.FORM_UNSEEN else "linear"


def _bends(losses: _Losses, least: float) -> bool:
    """Say whether a curve free to turn surely does better than a line and than one that only rises or falls."""
    gains = [losses.gain(losses.free, over) for over in (losses.line, losses.rising)]
    related, error = losses.gain(losses.free, losses.mean)
    return related > T.FORM_RELATED * error and all(g > T.FORM_BETTER * se and g >= least for g, se in gains)
