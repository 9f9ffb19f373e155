"""What each column is."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import replace
from typing import TYPE_CHECKING

import pandas as pd

from ..core.finding import Finding
from ..core.inventory.answers import InventoryAnswers
from ..core.inventory.inventory import Inventory
from ..core.words import be, plural
from ..declared import tabled, valued
from ..view import View
from ..write.digits import count, percent
from .answers.inventory import inventory_answer
from .captions import Captions

if TYPE_CHECKING:
    from matplotlib.figure import Figure

    from ..draw.parts.canvas import Page

MANY_COLUMNS = 30
"""More than this and the inventory is sorted by need of attention."""


class InventoryView(View):
    """What each column is and why, what is missing, and what is wrong or odd."""

    step = "inventory"
    brief = ("kind", "missing_share", "distinct", "findings", "examples", "reason")

    def __init__(self, answers: InventoryAnswers, about: tuple[str, ...], names: Captions) -> None:
        columns = len(answers.table.columns)
        super().__init__(f"What the {plural(columns, 'column')} {be(columns)}", names.given)
        self._answers, self._about, self._names = answers, about, names

    @tabled(
        {"present": count, "missing": count, "missing_share": percent, "distinct": count},
        spare=("examples", "missing_share", "missing", "kind"),
        few=("kind", "missing_share", "distinct", "findings", "examples"),
        needed=lambda view: not view._answers.first,
    )
    def table(self) -> pd.DataFrame:
        """One row a column.

        Kind, reason, present, missing, missing_share, distinct, examples, label, unit, findings (how many name it).
        """
        rows, noted = self._answers.facts, self._noted
        return pd.DataFrame(
            {
                "kind": [c.kind for c in rows],
                "reason": [c.reason for c in rows],
                "present": [c.present for c in rows],
                "missing": [c.missing for c in rows],
                "missing_share": [c.missing_share for c in rows],
                "distinct": [c.distinct for c in rows],
                "examples": [tuple(_short(e) for e in c.examples) for c in rows],
                "label": [c.label for c in rows],
                "unit": [c.unit for c in rows],
                "findings": [noted[c.name] for c in rows],
            },
            index=pd.Index([c.name for c in rows], name="column"),
        )

    @tabled(there=lambda view: view._answers.first > 0, needed=True)
    def first_rows(self) -> pd.DataFrame:
        """The first rows as read, on their side; where they were asked for."""
        return self._answers.first_rows

    @valued
    def kinds(self) -> pd.Series[int]:
        """How many columns there are of each kind."""
        kinds = pd.Series(Counter(c.kind for c in self._answers.facts), name="count", dtype="int64").rename_axis("kind")
        return kinds.sort_values(ascending=False, kind="stable")

    @property
    def _noted(self) -> Counter[str]:
        return Counter(name for f in self._answers.findings for name in f.columns)

    @property
    def _plain_lines(self) -> tuple[str, ...]:
        lines = (*self._about, ", ".join(f"{count(n)} {kind}" for kind, n in self.kinds.items()))
        declared = [c.name for c in self._answers.facts if c.changed]
        if not declared:
            return lines
        return (
            *lines,
            f"{count(len(declared))} by a person's word: {', '.join(declared[:6])}" + ", …" * (len(declared) > 6),
        )

    def _lines(self) -> tuple[str, ...]:
        again = self._answers.repeated
        repeats = (
            f"{plural(again, 'row')} repeat{'s' if again == 1 else ''} an earlier one" if again else "no row twice"
        )
        many = len(self._answers.facts) > MANY_COLUMNS
        return (*self._plain_lines, repeats, *(["sorted by need of attention"] if many else []))

    def _line(self) -> str:
        return " · ".join(self._plain_lines)

    def _order(self) -> Sequence[int] | None:
        rows, noted = self._answers.facts, self._noted
        if len(rows) <= MANY_COLUMNS:
            return None
        return sorted(range(len(rows)), key=lambda i: (-noted[rows[i].name], -rows[i].missing))

    def _answer(self) -> str:
        return inventory_answer(self)

    def _found(self) -> tuple[Finding, ...]:
        return self._answers.findings

    def _picture(self, page: Page) -> Figure:
        from ..draw.inventory import draw_inventory

        noted = self._noted
        columns = tuple(replace(c, name=self._names(c.name), findings=noted[c.name]) for c in self._answers.facts)
        return draw_inventory(Inventory(len(self._answers.table), columns), page)


def _short(text: str, most: int = 24) -> str:
    return text if len(text) <= most else text[: most - 1] + "…"
