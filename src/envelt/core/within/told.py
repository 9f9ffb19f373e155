"""What there is to say of relations to the outcome that turn round, vanish or show only within another column."""

from __future__ import annotations

from ...errors import option
from ..columns.outcome import ClassOutcome, Outcome
from ..estimate import Estimate
from ..finding import Finding, marked
from .rule import ONLY, OPPOSITE, TOGETHER, TURNS, VANISHES, TurnRound

MOST_SAID = 2
"""Columns within which relations vanish, or within which alone they show, that are said."""


def turn_findings(found: list[TurnRound], outcome: Outcome) -> list[Finding]:
    """Say of each candidate what becomes of it, for the column within which that is surest; several within one at once.

    What vanishes, or shows only within, is said of the two columns within which that is so of most candidates.
    """
    said: dict[tuple[str, str], list[TurnRound]] = {}
    for turn in found:
        said.setdefault((turn.code, turn.name), []).append(turn)
    turned = {name for code, name in said if code == TURNS}
    crossed = [{t.name, t.within} for (code, _), turns in said.items() if code == OPPOSITE for t in turns[:1]]
    within: dict[tuple[str, str], list[list[TurnRound]]] = {}
    for (code, name), turns in said.items():
        pair = {name, turns[0].within}
        if code == OPPOSITE and pair in crossed[: crossed.index(pair)] + crossed[crossed.index(pair) + 1 :]:
            crossed.remove(pair)  # told the other way round
        elif code == TURNS or name not in turned:
            within.setdefault((code, turns[0].within), []).append(turns)
    made = []
    for code in (TURNS, OPPOSITE, TOGETHER, VANISHES, ONLY):
        of_code = sorted((v for (c, _), v in within.items() if c == code), key=len, reverse=code in (VANISHES, ONLY))
        made += [
            _said(first, outcome, [turns[0].name for turns in rest])
            for first, *rest in (of_code if code == TURNS else of_code[:MOST_SAID])
        ]
    return made


HOW = {
    TURNS: "{what} {up} from {low} to {high} of {name} over all rows, {crude}{step}, and {down} within the levels of "
    "{by}, {inner}{step}, in {agreeing} of the {levels} that can be read.",
    VANISHES: "{what} {up} from {low} to {high} of {name} over all rows, {crude}{step}, and hardly within the levels "
    "of {by}, {inner}{step}: rows that are alike in {by} differ little along {name}.",
    ONLY: "{what} hardly goes along {name} over all rows, {crude}{step} from {low} to {high}, and {inward} within the "
    "levels of {by}, {inner}{step}, in {agreeing} of the {levels} that can be read.",
    OPPOSITE: "{what} rises from {low} to {high} of {name} where {by} is {first}, {crude}{step}, and falls where it is "
    "{second}, {inner}{step}: what holds of all rows holds of neither.",
    TOGETHER: "{what} goes along {name} chiefly where {by} is {first}: {inner}{step} from {low} to {high} there, "
    "{crude}{step} elsewhere.",
}
ADVICE = {
    TURNS: "Do not read {name} without {by}: compare like with like, {option}.",
    VANISHES: "Do not count {name} as a reason of its own: {by} accounts for most of it. Compare like with like, "
    "{option}.",
    OPPOSITE: "Look at {name} {option}, and give a model both columns together.",
    TOGETHER: "Look at {name} {option}, and give a model both columns together: alone each says less.",
    ONLY: "Do not leave {name} out for saying nothing alone: keep it beside {by}, and look {option}.",
}


def _said(turns: list[TurnRound], outcome: Outcome, alike: list[str]) -> Finding:
    t = turns[0]
    classes = isinstance(outcome, ClassOutcome)
    what = (
        f"The rate of {outcome.event!r}" if isinstance(outcome, ClassOutcome) else f"The mean of {marked(outcome.name)}"
    )

    def size(e: Estimate) -> str:
        if classes:
            text = f"{100 * e.estimate:+.1f} points ({100 * e.low:+.1f} to {100 * e.high:+.1f})"
        else:
            text = f"{e.estimate:+.3g} ({e.low:+.3g} to {e.high:+.3g})"
        return text

    others = [o.within for o in turns[1:4]]
    also = f" The same within {', '.join(map(marked, others))}." if others else ""
    if alike:
        also += f" So do{'es' if len(alike) == 1 else ''} {', '.join(map(marked, alike[:4]))}"
        also += f" and {len(alike) - 4} more." if len(alike) > 4 else "."
    up, down = ("rises", "falls") if t.overall.estimate > 0 else ("falls", "rises")
    words = {
        "what": what, "up": up, "down": down, "inward": "rises" if t.inside.estimate > 0 else "falls",
        "low": repr(t.low_end), "high": repr(t.high_end), "name": marked(t.name), "by": marked(t.within),
        "crude": size(t.overall), "inner": size(t.inside), "step": " a step" if t.steps > 1 else "",
        "agreeing": t.agreeing, "levels": t.levels, "option": option("by", t.within),
        "first": repr(t.opposite[0]) if t.opposite else "", "second": repr(t.opposite[-1]) if t.opposite else "",
    }  # fmt: skip
    evidence = {
        "overall": list(t.overall), "within": list(t.inside), "levels": t.levels, "agreeing": t.agreeing,
        "also": [o.within for o in turns[1:]],
    }  # fmt: skip
    columns = (t.name, t.within, *alike, outcome.name)
    weight = "caution" if t.code == TURNS else "note"
    return Finding(
        t.code, weight, columns, HOW[t.code].format(**words) + also, ADVICE[t.code].format(**words), evidence
    )
