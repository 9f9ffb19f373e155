"""A view as Markdown: tables that paste, findings as a list."""

from __future__ import annotations

from collections.abc import Iterable

import pandas as pd

from ..core.finding import Finding
from .digits import as_text, numeric_columns


def view_markdown(
    title: str, about: Iterable[str], tables: dict[str, pd.DataFrame], findings: Iterable[Finding]
) -> str:
    """Return a view as a Markdown document."""
    parts = [f"## {_escape(title)}", "  \n".join(_escape(a) for a in about)]
    for name, frame in tables.items():
        if name != "table":
            parts.append(f"### {name.replace('_', ' ')}")
        parts.append(table_markdown(frame))
    listed = [f"- **{f.weight}** `{f.code}` {_escape(f.statement)} *{_escape(f.advice)}*" for f in findings]
    if listed:
        parts.append("\n".join(listed))
    return "\n\n".join(p for p in parts if p) + "\n"


def table_markdown(frame: pd.DataFrame) -> str:
    """Return one table as a Markdown pipe table."""
    text = as_text(frame)
    head = "| " + " | ".join(_escape(str(c)) for c in text.columns) + " |"
    rule = "| " + " | ".join("---:" if right else "---" for right in numeric_columns(frame)) + " |"
    rows = ["| " + " | ".join(_escape(str(v)) for v in row) + " |" for row in text.itertuples(index=False)]
    return "\n".join([head, rule, *rows])


def _escape(text: str) -> str:
    for character in "\\|<>*_`[]":
        text = text.replace(character, f"\\{character}" if character not in "<>" else f"&{'lg'[character == '>']}t;")
    return text.replace("\n", " ")
