"""A view as Markdown: tables that paste, findings as a list."""

from __future__ import annotations

from collections.abc import Iterable

from ..core.finding import Finding
from .digits import as_text, numeric_columns
from .shown import ShownTable


def view_markdown(
    title: str, answer: str, about: Iterable[str], tables: dict[str, ShownTable], findings: Iterable[Finding]
) -> str:
    """Return a view as a Markdown document: what it is, its answer, its tables and findings."""
    parts = [f"## {_escape(title)}", _escape(answer), "  \n".join(_escape(a) for a in about)]
    for name, shown in tables.items():
        if name != "table":
            parts.append(f"### {name.replace('_', ' ')}")
        parts.append(table_markdown(shown))
    listed = [f"- **{f.weight}** `{f.code}` {_escape(f.statement)} *{_escape(f.advice)}*" for f in findings]
    if listed:
        parts.append("\n".join(listed))
    return "\n\n".join(p for p in parts if p) + "\n"


def table_markdown(shown: ShownTable) -> str:
    """Return one table as a Markdown pipe table."""
    text = as_text(shown)
    head = "| " + " | ".join(_escape(str(c)) for c in text.columns) + " |"
    rule = "| " + " | ".join("---:" if right else "---" for right in numeric_columns(shown.frame)) + " |"
    rows = ["| " + " | ".join(_escape(str(v)) for v in row) + " |" for row in text.itertuples(index=False)]
    return "\n".join([head, rule, *rows])


def _escape(text: str) -> str:
    for character in "\\|<>*_`[]":
        text = text.replace(character, f"\\{character}" if character not in "<>" else f"&{'lg'[character == '>']}t;")
    return text.replace("\n", " ")
