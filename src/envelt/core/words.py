"""Numbers with their nouns and verbs: "1 row has", "2,241 rows have"."""

from __future__ import annotations

from collections.abc import Sequence
from typing import SupportsInt


def plural(n: SupportsInt, one: str, many: str = "") -> str:
    """Return a number with its noun: "1 row", "2,241 rows"."""
    return f"{int(n):,} {one if int(n) == 1 else many or one + 's'}"


def have(n: SupportsInt, one: str) -> str:
    """Return a number with its noun and what it has: "1 row has", "2,241 rows have"."""
    return f"{plural(n, one)} {'has' if int(n) == 1 else 'have'}"


def be(n: SupportsInt) -> str:
    """Return "is" for one and "are" for others."""
    return "is" if int(n) == 1 else "are"


def p_text(p: float) -> str:
    """Return a p-value as a sentence has it: "p < 0.001", "p = 0.012"."""
    return "p < 0.001" if p < 0.001 else f"p = {p:.3f}"


def listed(names: Sequence[str], most: int = 4) -> str:
    """Return the first few names and how many more there are: "a, b, c and 2 more"."""
    return ", ".join(names[:most]) + (f" and {len(names) - most} more" if len(names) > most else "")
