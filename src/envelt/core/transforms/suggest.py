"""Which transform is worth its price: the simplest that does the job, or none."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from .. import thresholds as T
from ..distribution.tails import Advice
from ..shapes.peaks import TwoPeaks
from ..stats.sampling import Sampling
from ..words import plural
from .compare import Compared, Seen, compare

Floats = NDArray[np.float64]

SIMPLEST = (
    "as_is", "log", "sqrt", "log1p", "cube_root", "square", "reciprocal", "box_cox", "log_offset", "yeo_johnson",
)  # fmt: skip
"""In the order in which they are preferred where they do about as well; "rank_normal" only where no other helps."""
USUAL = ("log", "sqrt", "log1p")
FITTED = ("box_cox", "log_offset", "yeo_johnson")
PRICE = {"log": 0.0, "sqrt": 0.4, "log1p": 0.4, "box_cox": 1.75, "log_offset": 1.75, "yeo_johnson": 1.75}
"""Of each in log-likelihood, 0.75 where nothing is said: a logarithm is read by everybody, a fitted power by few."""
WITH_ZEROS = {"log": "log1p", "box_cox": "log1p", "reciprocal": "log1p", "square": "as_is"}


@dataclass(frozen=True)
class Suggestion:
    """A transform and why.

    Parameters
    ----------
    name
        One of the transforms; "as_is" to leave it.
    why
        In words.
    never
        Why no transform will make it normal: "spike", "zeros", "peaks"; empty where one can.
    peaks
        Those two, of the values that were looked at.
    """

    name: str
    why: str
    never: str = ""
    peaks: TwoPeaks | None = None


ADVISED = 20_000
"""Rows, an even choice of the sorted values, by which a transform is suggested in passing."""


def advised(name: str, values: Floats, sampling: Sampling) -> Advice:
    """Return what is suggested for a column, for those who only mention it; of many rows by an even choice of them."""
    at = np.argsort(values, kind="stable")
    at = np.sort(at[: len(values) - int(np.isnan(values).sum()) : max(1, -(-len(at) // ADVISED))])
    some, of = values[at], sampling.take(at)
    compared = compare(name, some, of)
    found = suggest(compared, (some, of))
    if found.name == "as_is":
        return Advice("", compared.seen["as_is"].skewness, found.why)
    if found.never == "zeros":
        above = some > 0
        rest = compare(name, some[above], of.take(above))
        return Advice(found.name, rest.seen[found.name].skewness, found.why, True)
    return Advice(found.name, compared.seen[found.name].skewness, found.why)


def suggest(compared: Compared, column: tuple[Floats, Sampling] | None = None) -> Suggestion:
    """Choose a transform.

    Parameters
    ----------
    compared
        All transforms of the column.
    column
        Its values, shape (n,), NaN where missing, and their sampling: needed where zeros stand apart from the rest.
    """
    plain = compared.seen["as_is"]
    if compared.step not in (0, 1) and column is not None:
        return _of_steps(compared, *column)
    left = _left_alone(compared, plain)
    if left is not None:
        return left
    if compared.slips and column is not None:
        return _without_slips(compared, *column)
    if _poisson(compared) and abs(compared.seen["sqrt"].skewness) < max(1.5 * abs(plain.skewness), 1.0):
        return Suggestion("sqrt", "counts whose variance goes with their mean: the root evens that")
    if _zeros_apart(compared) and column is not None:
        return _above_zero(compared, *column)
    spiked = compared.top_share > max(T.SPIKED, T.OVER_THE_NEXT * compared.second_share)
    never = "spike" if spiked and compared.distinct > T.FEW_DISTINCT else ""
    found = _chosen(compared)
    if found.name == "as_is":
        return Suggestion("as_is", _leave(compared), never)
    return Suggestion(found.name, _why(plain, found), never)


def _of_steps(compared: Compared, values: Floats, sampling: Sampling) -> Suggestion:
    """Choose by counts in their own step; the 1 of its logarithm is then another number."""
    counted = np.rint(values / compared.step)
    rest = suggest(compare(compared.name, counted, sampling), (counted, sampling))
    name = "log_offset" if rest.name == "log1p" else rest.name
    peaks = None if rest.peaks is None else rest.peaks.times(compared.step)
    return replace(rest, name=name if compared.seen[name].usable else "as_is", peaks=peaks)


def _left_alone(compared: Compared, plain: Seen) -> Suggestion | None:
    """Return why a column is best left before any transform is weighed; nothing where it is not."""
    if compared.distinct < 3 or not np.isfinite(plain.skewness):
        return Suggestion("as_is", "leave it: too few different values")
    if compared.distinct <= T.FEW_DISTINCT and compared.top_share >= T.MOSTLY_ONE:
        return Suggestion("as_is", f"leave it: {compared.distinct} values, and most rows have one of them")
    if compared.slips:
        return None  # they are set aside first
    if compared.peaks is not None:
        return Suggestion("as_is", "leave it: two peaks, which no transform joins", "peaks", compared.peaks)
    if compared.dip.p < T.MAYBE_PEAKED and compared.dip.statistic > T.DIP_LEAST:
        return Suggestion("as_is", "leave it: flat, or with more than one peak, which no transform mends")
    if _poisson(compared) and compared.mean > T.LARGE_COUNTS:
        return Suggestion("as_is", "leave it: counts large enough to be even as they are")
    return None


def _without_slips(compared: Compared, values: Floats, sampling: Sampling) -> Suggestion:
    """Choose by the values that are not far out."""
    near = (values >= compared.far[0]) & (values <= compared.far[1])
    rest = suggest(compare(compared.name, values[near], sampling.take(near)))
    name = rest.name if compared.seen[rest.name].usable else "as_is"
    said = f"{plural(compared.slips, 'value')} far out set aside: mend {'it' if compared.slips == 1 else 'them'} first"
    return Suggestion(name, f"{rest.why}; {said}" if name == rest.name else said, rest.never, rest.peaks)


def _poisson(compared: Compared) -> bool:
    """Say whether values are counts that scatter as Poisson's do (Bartlett 1936, J R Stat Soc Suppl 3, 68–78)."""
    away = compared.dispersion - 1
    near = max(T.AS_POISSON, T.SURE_OF_POISSON * np.sqrt(2 / compared.cases))
    return bool(compared.dispersion > 0 and abs(away) < near)


def _zeros_apart(compared: Compared) -> bool:
    low = compared.seen["log1p"].usable and not compared.seen["log"].usable
    many = compared.top == 0 and compared.top_share >= T.EXCESS_ZEROS
    return low and many and compared.distinct > T.FEW_DISTINCT * 3


def _above_zero(compared: Compared, values: Floats, sampling: Sampling) -> Suggestion:
    """Choose by the rows above zero a transform that zeros can take too."""
    above = values > 0
    rest = suggest(compare(compared.name, values[above], sampling.take(above)))
    name = WITH_ZEROS.get(rest.name, rest.name)
    if not compared.seen[name].usable or name == "rank_normal":
        name = "as_is"
    zeros = f"{compared.top_share:.0%} are 0"
    if name == "as_is":
        return Suggestion("as_is", f"leave it: {zeros}, and the rest is even enough", "zeros")
    return Suggestion(name, f"for the rows above zero; {zeros}, which no transform spreads", "zeros")


def _chosen(compared: Compared) -> Seen:
    plain = compared.seen["as_is"]
    usable = [s for s in (compared.seen[f] for f in SIMPLEST) if s.usable and np.isfinite(s.distance)]
    usable = [s for s in usable if s.transform is not None and _sound(s, compared)]
    root = 1 / np.sqrt(compared.cases)
    choice = _of_powers(compared, plain, usable, root)
    mended = choice is not plain and choice.excess_kurtosis < T.HEAVY + 5 * root and compared.seen["log1p"].usable
    if mended or not _heavy(plain, compared):
        return choice
    far = plain.distance > max(T.NOT_QUITE_NORMAL * root, 2 * T.CLOSER) and compared.top_share < T.TIED
    return compared.seen["rank_normal"] if far else plain


def _of_powers(compared: Compared, plain: Seen, usable: list[Seen], root: float) -> Seen:
    """Choose among the powers and logarithms: the simplest that does about as well as the best."""
    gains = [compared.seen[f].gain for f in ("box_cox", "yeo_johnson") if compared.seen[f].usable]
    if not gains or 2 * np.nanmax(gains) < T.SKEWED:
        return plain
    if compared.top_share > T.TIED:
        return _least_skewed(plain, usable, root)
    close = min(_far(s) for s in usable) + T.AS_CLOSE
    near = [s for s in usable if _far(s) <= close]
    paid = [s for s in usable if np.isfinite(s.gain) and s is not plain]
    choice = max(paid, key=lambda s: s.gain - PRICE.get(s.name, 0.75)) if paid else near[0]
    if near[0] is plain or SIMPLEST.index(near[0].name) < SIMPLEST.index(choice.name):
        choice = near[0]
    if choice.name not in (*USUAL, "as_is"):  # what a person would take first, unless the other gains what one notices
        easy = [s for s in usable if s.name in USUAL and abs(s.skewness) <= T.EASY_SKEWNESS]
        best = min(easy, key=_far, default=choice)
        choice = best if _far(best) - _far(choice) <= T.NOTICED else choice
    worth = _far(plain) - _far(choice) >= T.CLOSER - root / 4
    least = T.SKEWED_MUCH if choice.name in FITTED else T.CENTRE_SKEWNESS
    evener = abs(plain.skewness) > least and abs(choice.skewness) < T.EVENER * abs(plain.skewness)
    return choice if worth and evener else plain


def _sound(seen: Seen, compared: Compared) -> bool:
    """Say whether a transform may be suggested: no root or reciprocal of values below zero, no wild power."""
    above = compared.seen["log1p"].usable
    if seen.name == "reciprocal" and compared.distinct <= T.FEW_DISTINCT:
        return False  # of a few counts nobody reads it
    if seen.name in ("cube_root", "reciprocal"):
        return above
    if seen.name == "log1p":  # without zeros, and of other things than counts, the 1 would say in what unit they are
        return not compared.seen["log"].usable and compared.step > 0
    if seen.name == "yeo_johnson" and (above or compared.seen["as_is"].skewness > 0):
        return False  # it has a 1 of its own, and the fitted offset does the same in any unit
    if seen.transform is not None and seen.name in ("box_cox", "yeo_johnson"):
        width, was = np.ptp(seen.edges), np.ptp(compared.seen["as_is"].edges)
        shrunk = width / was if was > 0 else np.inf
        return bool(abs(seen.transform.parameter - 1) <= T.FAR_POWER and 1 / T.FAR_SCALE < shrunk < T.FAR_SCALE)
    return seen.name != "log_offset" or not compared.seen["log"].usable


def _far(seen: Seen) -> float:
    """Return the distance from normal, with a fiftieth of the skewness: a long tail is seen before it is far."""
    return seen.distance + min(abs(seen.skewness), 4) / 50


def _heavy(plain: Seen, compared: Compared) -> bool:
    """Say whether the tails are heavy and the body even: what a power cannot mend."""
    q = np.interp([0.125, 0.5, 0.875], (np.arange(len(plain.quantiles)) + 0.5) / len(plain.quantiles), plain.quantiles)
    lean = (q[2] + q[0] - 2 * q[1]) / max(q[2] - q[0], 1e-300)
    root = 1 / np.sqrt(compared.cases)
    heavy = plain.excess_kurtosis > T.HEAVY + 8 * root
    return bool(heavy and abs(lean) < T.UNEVEN + (0.5 if compared.seen["log1p"].usable else 1.5) * root)


def _least_skewed(plain: Seen, usable: list[Seen], root: float) -> Seen:
    even = min(abs(s.skewness) for s in usable) + T.AS_EVEN
    choice = next(s for s in usable if abs(s.skewness) <= even)
    return choice if abs(plain.skewness) - abs(choice.skewness) >= T.LESS_SKEWED else plain


def _leave(compared: Compared) -> str:
    plain = compared.seen["as_is"]
    if plain.distance <= T.NOT_NORMAL / np.sqrt(compared.cases) and abs(plain.skewness) < 1:
        return "leave it: near normal as it is"
    return "leave it: no transform gains enough"


def _why(plain: Seen, chosen: Seen) -> str:
    if chosen.name == "rank_normal":
        return f"tails too heavy for a power: excess kurtosis {plain.excess_kurtosis:.1f}"
    return "nothing simpler does about as well" if chosen.name in FITTED else "the simplest that does the job"
