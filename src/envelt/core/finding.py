"""What is worth a person's attention, with its evidence."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from ..errors import as_typed, as_written, option
from .catalogue import FIRST
from .words import plural

WEIGHTS = ("note", "caution", "stop")
MOST_SHOWN = 5
_NEGATIVE = re.compile("\x02[^\x03]*\x03|(?<![\\w.'\"-])-(?=\\d)")  # names of columns are left alone
_ROWS = re.compile(r"\brows? (\d+(?:, \d+)*)(?![\d-]|\.\d)")  # that a sentence names by their labels
MOST_NAMED = 12
_MARKED = re.compile("\x02([^\x03]*)\x03")


def marked(name: str) -> str:
    """Mark the name of a column in a text, where its label may stand."""
    return f"\x02{name}\x03"


def labelled(text: str, labels: Mapping[str, str] | None = None) -> str:
    """Return a text with the names that `marked` marked as they are, or their labels instead."""
    return _MARKED.sub(lambda m: (labels or {}).get(m[1], m[1]), text)


@dataclass(frozen=True)
class Finding:
    """Something worth a person's attention, with its evidence.

    Parameters
    ----------
    code
        Kebab-case name, listed in `catalogue.FINDINGS`.
    weight
        ``note``, ``caution`` or ``stop``.
    columns
        The columns concerned.
    statement
        One plain sentence with its numbers.
    evidence
        The numbers behind it, JSON-ready.
    advice
        What to do about it.
    """

    code: str
    weight: str
    columns: tuple[str, ...]
    statement: str
    advice: str
    evidence: dict[str, Any] = field(default_factory=dict)

    def __post_init__(self) -> None:
        # a true minus sign before numbers in the sentence; what is to be typed, in the advice, stays as it is
        statement = _NEGATIVE.sub(lambda m: m[0] if len(m[0]) > 1 else "−", self.statement)
        object.__setattr__(self, "_marked", (statement, self.advice))
        object.__setattr__(self, "statement", labelled(statement))
        object.__setattr__(self, "advice", as_written(labelled(self.advice)))

    def __hash__(self) -> int:
        return hash((self.code, self.weight, self.columns, self.statement))

    @property
    def typed_advice(self) -> str:
        """The advice with options as they are typed at the command line."""
        texts: tuple[str, str] = self._marked  # type: ignore[attr-defined]
        return as_typed(labelled(texts[1]))

    @property
    def marked_statement(self) -> str:
        """The statement with the names of columns still marked, to build another finding from."""
        texts: tuple[str, str] = self._marked  # type: ignore[attr-defined]
        return texts[0]

    def showing_rows(self) -> Finding:
        """Return the finding with the call that shows the rows it names, where it names some."""
        texts: tuple[str, str] = self._marked  # type: ignore[attr-defined]
        named = list(dict.fromkeys(r for found in _ROWS.findall(labelled(texts[0])) for r in found.split(", ")))
        if not named:
            return self
        call = f"{texts[1]} To see them: rows, {option('at', ','.join(named[:MOST_NAMED]))}."
        return Finding(self.code, self.weight, self.columns, texts[0], call, self.evidence)

    def labelled(self, labels: Mapping[str, str]) -> Finding:
        """Return the finding with labels, by column name, in place of the names that `marked` marked."""
        if not labels:
            return self
        texts: tuple[str, str] = self._marked  # type: ignore[attr-defined]
        titles = {name: marked(label) for name, label in labels.items()}
        statement, advice = (_MARKED.sub(lambda m: titles.get(m[1], m[0]), text) for text in texts)
        return Finding(self.code, self.weight, self.columns, statement, advice, self.evidence)

    def to_dict(self) -> dict[str, Any]:
        """Return the finding as JSON-ready data."""
        return {
            "code": self.code,
            "weight": self.weight,
            "columns": list(self.columns),
            "statement": self.statement,
            "evidence": self.evidence,
            "advice": self.advice,
        }


def of_many(
    found: Sequence[Finding], statement: str, also: Iterable[str] = (), advice: str = "", more: Mapping[str, Any] = {}
) -> Finding:
    """Say at once what was found of many columns, with the evidence of each by its first column.

    Parameters
    ----------
    found
        Findings of one code; weight and advice are the first one's.
    also
        Further columns concerned.
    advice
        In place of the first one's.
    more
        Further evidence.
    """
    names = (*(f.columns[0] for f in found), *also)
    evidence = {**more, "columns": {f.columns[0]: f.evidence for f in found}}
    first = found[0]
    return Finding(first.code, first.weight, tuple(dict.fromkeys(names)), statement, advice or first.advice, evidence)


def failed_finding(name: str, what: str) -> Finding:
    """Say that a candidate could not be looked at, and why."""
    return Finding(
        "candidate-failed",
        "stop",
        (name,),
        f"{marked(name)} could not be looked at: {what}. The others stand.",
        f"Look at it with distribution, or leave it out: {option('ignore', name)}. This is a fault of Envelt's.",
        {"error": what},
    )


def by_weight(findings: list[Finding]) -> tuple[Finding, ...]:
    """Order findings with the gravest first, of one weight those that would change most, otherwise as they came."""
    return tuple(sorted(findings, key=lambda f: (-WEIGHTS.index(f.weight), _place(f.code))))


def _place(code: str) -> int:
    return FIRST.index(code) if code in FIRST else len(FIRST)


def folded(findings: tuple[Finding, ...]) -> tuple[tuple[Finding, ...], tuple[Finding, ...]]:
    """Return the findings that a person is shown, five or all that say stop, and those that are only counted."""
    shown = max(MOST_SHOWN, sum(f.weight == "stop" for f in findings))
    return (findings, ()) if len(findings) <= shown + 1 else (findings[:shown], findings[shown:])


def counted(findings: tuple[Finding, ...]) -> str:
    """Return what findings are of, in one line: codes with how many, or with their columns where few."""
    by_code: dict[str, list[Finding]] = {}
    for f in findings:
        by_code.setdefault(f.code, []).append(f)
    parts = []
    for code, group in by_code.items():
        names = list(dict.fromkeys(f.columns[0] for f in group if f.columns))
        parts.append(f"{code} ({', '.join(names[:3])}{', …' if len(names) > 3 else ''})" if names else code)
    return f"{plural(len(findings), 'more finding')}: {', '.join(parts)}"
