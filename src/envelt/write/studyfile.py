"""Writing a study file from what was detected, and adding to one without touching what a person wrote."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict
from datetime import date
from typing import Any

import tomlkit
from tomlkit.items import InlineTable, Table

from ..core.columns.date_parts import parts_of_date
from ..core.columns.expression_words import written_column
from ..core.columns.labels import number_label
from ..core.columns.plan import ColumnPlan, DerivedPlan, StudyPlan
from ..core.columns.table import CategoryColumn, Column, NumericColumn

HEAD = """\
# A study: what was detected in the data, for you to correct. Every envelt command takes this file in place of
# DATA. Your word wins over detection; options on the command line win over this file.
#
#   kind     {kinds}
#   label    what to call the column in tables and pictures; unit: its unit of measure
#   range    [smallest, largest] possible value
#   missing  marks that stand for a missing value: ["."]
#   labels   what to call levels: {{ "1" = "Amber", "2" = "Basalt" }}; order: levels in order
#
# Derived columns, by one of three recipes:
#   [derived.heavy]    expression = "weight_kg > 30 and not is_missing(mites)"
#   [derived.band]     cut = "altitude_m", at = [300, 520], names = ["low", "middle", "high"]
#   [derived.state]    regroup = "colony_state", into = {{ well = ["queenright", "swarming"], ill = ["weak"] }}
"""


VANISHED = "vanished: not in the data on "
MOST_LEVELS = 12
UNDECIDED = {
    "outcome": 'outcome = "NAME"',
    "event": 'event = "yes"          # the level rates speak of',
    "unit": 'unit = "NAME"          # the column that says which rows are one case',
    "counts": 'counts = "n"           # of a table already counted: how many rows each row stands for',
    "missing": 'missing = ["."]        # marks that stand for a missing value, in every column',
}


def fresh_study_file(
    data: str | Sequence[str],
    columns: Sequence[Column],
    kinds: Sequence[str],
    plan: StudyPlan,
    labels: Mapping[str, Mapping[str, str]],
) -> str:
    """Return a commented study file.

    Parameters
    ----------
    data
        Paths, from the study file's folder.
    columns
        As detected, or as declared.
    plan
        What a person decided already.
    labels
        Labels of levels from a code book, by column.
    """
    doc = tomlkit.document()
    for line in HEAD.format(kinds=", ".join(kinds)).splitlines():
        doc.add(tomlkit.comment(line.removeprefix("#").removeprefix(" ")))
    doc.add(tomlkit.nl())
    doc.add("study", _study(data, plan))
    sections = tomlkit.table(is_super_table=True)
    for c in columns:
        if c.name not in plan.derived:
            sections.add(c.name, column_section(c, plan.columns.get(c.name, ColumnPlan()), labels.get(c.name, {})))
        elif c.name in plan.columns:
            sections.add(c.name, _section(plan.columns[c.name]))
    doc.add("columns", sections)
    parts = parts_of_date(columns)
    name = next((n for n in ("date", "day_of", "date_of_parts") if all(c.name != n for c in columns)), "")
    whole = date_of(parts)
    written = tomlkit.string(whole, literal="'" not in whole).as_string()
    if parts and name and not any("date(" in d.expression for d in plan.derived.values()):
        for line in (
            f"{', '.join(parts)} are one date in parts. To have it as one, for series and drift, take the # away:",
            f"[derived.{name}]",
            f"expression = {written}",
        ):
            doc.add(tomlkit.comment(line))
        doc.add(tomlkit.nl())
    if plan.derived:
        made = tomlkit.table(is_super_table=True)
        for name, recipe in plan.derived.items():
            made.add(name, _section(recipe))
        doc.add("derived", made)
    return tomlkit.dumps(doc)


def date_of(parts: Sequence[str]) -> str:
    """Return the expression of a date in parts."""
    return f"date({', '.join(map(written_column, parts))})"


def _study(data: str | Sequence[str], plan: StudyPlan) -> Table:
    """Return the section of the whole study, with what is not decided in comments."""
    study = tomlkit.table()
    study.add("data", data if isinstance(data, str) else list(data))
    for name, example in UNDECIDED.items():
        value = getattr(plan, name)
        if value or (name == "missing" and not plan.usual):
            study.add(name, _plain(value))
        else:
            study.add(tomlkit.comment(example))
    study.add("ignore", list(plan.ignore))
    if plan.where:
        study.add("where", plan.where[0] if len(plan.where) == 1 else " and ".join(f"({e})" for e in plan.where))
    else:
        study.add(tomlkit.comment('where = "altitude_m > 300"'))
    study.add("seed", plan.seed)
    study.add(tomlkit.nl())
    return study


def _section(plan: ColumnPlan | DerivedPlan) -> Table:
    """Return what a person decided about a derived column, or how it is made: what is given, and no more."""
    table = tomlkit.table()
    for key, value in asdict(plan).items():
        if key == "usual":
            if not value and not plan.missing:  # type: ignore[union-attr]
                table.add("missing", [])
        elif value:
            table.add(key, _inline(value) if isinstance(value, Mapping) else _plain(value))
    table.add(tomlkit.nl())
    return table


def _plain(value: Any) -> Any:
    return [_plain(v) for v in value] if isinstance(value, (list, tuple)) else _number(value)


def _number(value: Any) -> Any:
    return int(value) if isinstance(value, float) and value.is_integer() else value


def _inline(pairs: Mapping[str, Any]) -> InlineTable:
    table = tomlkit.inline_table()
    for key, value in pairs.items():
        table.add(key, _plain(value))
    return table


def column_section(c: Column, plan: ColumnPlan, labels: Mapping[str, str]) -> Table:
    """Return the section of one column, with what is not decided in comments."""
    table = tomlkit.table()
    reason = " ".join(c.reason.split())
    if c.other:
        table.add(tomlkit.comment(f'kind = "{c.kind}"  # {reason}; could be {c.other}: say which'))
    else:
        kind = tomlkit.item(c.kind)
        kind.comment(_one_line(reason))
        table.add("kind", kind)
    _add(table, "label", c.label)
    if isinstance(c, NumericColumn):
        _add(table, "unit", c.unit)
        if plan.range is not None:
            table.add("range", _plain(plan.range))
        elif not c.empty:
            table.add(tomlkit.comment(f"range = [{', '.join(number_label(v) for v in c.ends)}]"))
    if isinstance(c, CategoryColumn) and c.kind not in ("identifier", "text", "constant"):
        _levels(table, c, plan, labels)
    if plan.missing or not plan.usual:
        table.add("missing", list(plan.missing))
    table.add(tomlkit.nl())
    return table


def _add(table: Table, key: str, value: str) -> None:
    if value:
        table.add(key, value)
    else:
        table.add(tomlkit.comment(f'{key} = ""'))


def _levels(table: Table, c: CategoryColumn, plan: ColumnPlan, labels: Mapping[str, str]) -> None:
    """Add what levels are called and their order: as decided, else in comments."""
    named = {**plan.labels, **labels}
    if named:
        table.add("labels", _inline(named))
    elif len(c.levels) <= MOST_LEVELS:
        table.add(tomlkit.comment(_one_line(f"labels = {_inline({w: w for w in c.written}).as_string()}")))
    order = tomlkit.item(list(plan.order or c.written))
    if plan.order or (c.ordered and not c.other and len(c.levels) <= MOST_LEVELS and c.kind != "binary"):
        table.add("order", order)
    elif len(c.levels) <= MOST_LEVELS and c.kind != "binary":
        table.add(tomlkit.comment(_one_line(f"order = {order.as_string()}")))


def _one_line(text: str) -> str:
    return " ".join("".join(ch if ch.isprintable() else " " for ch in text).split())


def updated_study_file(
    text: str, columns: Sequence[Column], listed: Sequence[str], today: date
) -> tuple[str, list[str], list[str]]:
    """Return a study file with new columns added and vanished ones marked, and the names of both.

    Not a character that a person wrote is changed.
    """
    there = [c.name for c in columns]
    new = [c for c in columns if c.name not in listed]
    gone = [n for n in listed if n not in there]
    doc = tomlkit.parse(text)
    sections: Any = doc.get("columns", {})
    for name in gone:
        _mark(sections[name], f"{VANISHED}{today}")
    if not new:
        return tomlkit.dumps(doc), [], gone
    if isinstance(sections, InlineTable):
        for c in new:
            sections.add(c.name, _inline({} if c.other else {"kind": c.kind}))
        return tomlkit.dumps(doc), [c.name for c in new], gone
    added = tomlkit.document()
    added.add(tomlkit.comment(f"new on {today}"))
    tables = tomlkit.table(is_super_table=True)
    for c in new:
        tables.add(c.name, column_section(c, ColumnPlan(), {}))
    added.add("columns", tables)
    end = "\r\n" if "\r\n" in text else "\n"
    before, more = tomlkit.dumps(doc), tomlkit.dumps(added).replace("\n", end)
    gap = end if before.endswith("\n") else 2 * end
    return before + gap + more, [c.name for c in new], gone


def _mark(section: Any, words: str) -> None:
    """Add words to the comment of a section's first line, where they are not there yet."""
    trivia = getattr(section, "trivia", None)
    if trivia is None or isinstance(section, InlineTable) or VANISHED in trivia.comment:
        return
    if trivia.comment:
        trivia.comment = f"{trivia.comment}; {words}"
    else:
        section.comment(words)
