"""What a careful colleague would say of a column's transforms."""

from __future__ import annotations

import math

from .. import thresholds as T
from ..columns.labels import short_label
from ..finding import Finding, marked, of_many
from ..words import listed
from .compare import Compared
from .suggest import Suggestion

NEVER = {
    "spike": "{share} of its rows are {top}, and a value shared by many rows stays one spike on every scale",
    "zeros": "{share} of its rows are 0, and they stay one spike on every scale",
    "peaks": "it has two peaks, near {first} and {second}, and no transform that keeps the order joins them",
}
INSTEAD = {
    "spike": "Give the spike a column of its own (is it a default, a limit, a mark?), and transform the rest.",
    "zeros": "Give zero a column of its own, and transform the rest: log1p keeps the zeros where they are.",
    "peaks": "Find the column that tells the two kinds of row apart; model them apart, or bin.",
}


CAUSES = {"spike": "many rows share one value", "zeros": "many rows are 0", "peaks": "two peaks"}
MOST_NAMED = 6
"""Columns that a note of many names."""


def said_of_transforms(compared: Compared, suggestion: Suggestion) -> list[Finding]:
    """Say what keeps a column from being normal, and which transform makes its relation with the outcome straighter."""
    found = []
    if suggestion.never:
        told = {"share": f"{compared.top_share:.0%}", "top": short_label(compared.top)}
        if suggestion.peaks is not None:
            told |= {n: short_label(float(f"{getattr(suggestion.peaks, n):.3g}")) for n in ("first", "second")}
        found.append(
            Finding(
                "never-normal",
                "note",
                (compared.name,),
                f"No transform makes {marked(compared.name)} normal: {NEVER[suggestion.never].format(**told)}.",
                INSTEAD[suggestion.never],
                {
                    "cause": suggestion.never,
                    "top": compared.top,
                    "top_share": compared.top_share,
                    "dip": compared.dip.statistic,
                },
            )
        )
    plain = compared.seen["as_is"].outcome_share
    best = max(compared.usable, key=lambda s: s.outcome_share if s.outcome_share == s.outcome_share else -1.0)
    gain = best.outcome_share - plain
    if gain >= T.STRAIGHTER and best.outcome_share >= 2 * T.STRAIGHTER and _surely(plain, gain, compared.cases):
        shape = "it is best left" if suggestion.name == "as_is" else f"{suggestion.name} is suggested"
        other = "" if best.name == suggestion.name else f"; for its shape alone {shape}"
        found.append(
            Finding(
                "straighter-with",
                "note",
                (compared.name,),
                f"A straight line in {best.name} of {marked(compared.name)} says more of the outcome: held-out share "
                f"{best.outcome_share:.3f}, as it is {plain:.3f}{other}.",
                "For a model that fits straight lines this scale serves better; for trees it makes no difference.",
                {"transform": best.name, "outcome_share": best.outcome_share, "as_is": plain},
            )
        )
    return found


def _surely(plain: float, gain: float, cases: float) -> bool:
    """Say whether a line gains more than chance: by the logarithm of what it leaves open, times the cases."""
    return cases * math.log((1 - plain) / max(1 - plain - gain, 1e-12)) >= T.STRAIGHTER_ROWS


def said_of_all(found: list[Finding]) -> list[Finding]:
    """Say at once what is so of several columns: why no scale evens them, which scales a straight line gains by."""
    alike = {code: [f for f in found if f.code == code] for code in ("never-normal", "straighter-with")}
    out = [f for f in found if len(alike.get(f.code, [])) < 2]
    never, straighter = alike["never-normal"], alike["straighter-with"]
    if len(never) > 1:
        of = {cause: [f.columns[0] for f in never if f.evidence["cause"] == cause] for cause in NEVER}
        each = [f"{listed([*map(marked, names)], MOST_NAMED)} ({CAUSES[c]})" for c, names in of.items() if names]
        out.append(of_many(never, f"No transform makes {len(never)} numbers normal: {'; '.join(each)}."))
    if len(straighter) > 1:
        straighter.sort(key=lambda f: f.evidence["as_is"] - f.evidence["outcome_share"])
        each = [
            f"{marked(f.columns[0])} by {f.evidence['transform']} ({f.evidence['as_is']:.3f} → "
            f"{f.evidence['outcome_share']:.3f})" for f in straighter
        ]  # fmt: skip
        text = f"A straight line says more of the outcome in another scale of {len(straighter)} numbers (held-out "
        out.append(of_many(straighter, f"{text}share as it is → by it): {listed(each, MOST_NAMED)}."))
    return out
