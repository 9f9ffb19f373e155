"""Writing a study file from what was detected, and adding to one without touching what a person wrote."""

from __future__ import annotations

import json
import re
from collections.abc import Mapping, Sequence
from datetime import date

from ..core.columns.table import CategoryColumn, Column, NumericColumn, number_label

HEAD = """\
# A study: what was detected in the data, for you to correct. Every envelt command takes this file in place of
# DATA. Your word wins over detection; options on the command line win over this file.
#
#   kind     {kinds}
#   label    what to call the column in tables and pictures; unit: its unit of measure
#   range    [smallest, largest] possible value
#   labels   what to call levels: {{ "1" = "Amber", "2" = "Basalt" }}; order: levels in order
#
# Derived columns, by one of three recipes:
#   [derived.heavy]    expression = "weight_kg > 30 and not is_missing(mites)"
#   [derived.band]     cut = "altitude_m", at = [300, 520], names = ["low", "middle", "high"]
#   [derived.state]    regroup = "colony_state", into = {{ well = ["queenright", "swarming"], ill = ["weak"] }}
"""

VANISHED = "# vanished: not in the data on "
MOST_LEVELS = 12


def fresh_study_file(
    data: str | Sequence[str],
    columns: Sequence[Column],
    kinds: Sequence[str],
    outcome: str | None,
    event: str | None,
    unit: str | None,
    labels: Mapping[str, Mapping[str, str]],
) -> str:
    """Return a commented study file.

    Parameters
    ----------
    data
        Paths, from the study file's folder.
    labels
        Labels of levels from a code book, by column.
    """
    lines = [HEAD.format(kinds=", ".join(kinds)), "[study]", f"data = {quoted(data)}"]
    lines.append(f"outcome = {quoted(outcome)}" if outcome else '# outcome = "NAME"')
    lines.append(f"event = {quoted(event)}" if event else '# event = "yes"          # the level rates speak of')
    lines.append(
        f"unit = {quoted(unit)}" if unit else '# unit = "NAME"          # the column that says which rows are one case'
    )
    lines += ["ignore = []", '# where = "altitude_m > 300"', "seed = 0", ""]
    lines += [column_section(c, labels.get(c.name, {})) for c in columns]
    return "\n".join(lines)


def column_section(c: Column, labels: Mapping[str, str]) -> str:
    """Return the section of one column, with what is not decided in comments."""
    lines = [f"[columns.{key(c.name)}]"]
    mark, other = ("# ", f"; could be {c.other}: say which") if c.other else ("", "")
    lines.append(f"{mark}kind = {quoted(c.kind)}  # {' '.join(c.reason.split())}{other}")
    lines.append(f"label = {quoted(c.label)}" if c.label else '# label = ""')
    if isinstance(c, NumericColumn):
        lines.append(f"unit = {quoted(c.unit)}" if c.unit else '# unit = ""')
        present = c.values[~c.missing]
        if len(present):
            lines.append(f"# range = [{number_label(present.min())}, {number_label(present.max())}]")
    if isinstance(c, CategoryColumn) and c.kind not in ("identifier", "text", "constant"):
        if labels:
            pairs = ", ".join(f"{quoted(k)} = {quoted(v)}" for k, v in labels.items())
            lines.append(f"labels = {{ {pairs} }}")
        elif len(c.levels) <= MOST_LEVELS:
            pairs = ", ".join(f"{quoted(w)} = {quoted(w)}" for w in c.written)
            lines.append(f"# labels = {{ {pairs} }}")
        if len(c.levels) <= MOST_LEVELS and c.kind != "binary":
            order = f"order = {quoted(list(c.written))}"
            lines.append(order if c.ordered and not c.other else f"# {order}")
    return "\n".join(lines) + "\n"


def updated_study_file(
    text: str, columns: Sequence[Column], listed: Sequence[str], today: date
) -> tuple[str, list[str], list[str]]:
    """Return a study file with new columns added and vanished ones marked, and the names of both.

    Not a character that a person wrote is changed.
    """
    there = [c.name for c in columns]
    new = [c for c in columns if c.name not in listed]
    gone = [n for n in listed if n not in there]
    lines: list[str] = []
    for line in text.splitlines():
        name = section_name(line)
        if name in gone and not (lines and lines[-1].startswith(VANISHED)):
            lines.append(f"{VANISHED}{today}")
        lines.append(line)
    out = "\n".join(lines) + "\n"
    if new:
        out += f"\n# new on {today}\n" + "\n".join(column_section(c, {}) for c in new)
    return out, [c.name for c in new], gone


def section_name(line: str) -> str | None:
    """Return the column whose section a line opens."""
    match = re.match(r'\s*\[columns\.(?:"((?:[^"\\]|\\.)*)"|([\w-]+))\s*\]', line)
    if match is None:
        return None
    return json.loads(f'"{match[1]}"') if match[1] is not None else match[2]


def quoted(value: str | Sequence[str] | None) -> str:
    """Return a text, or a list of texts, as TOML writes it."""
    if isinstance(value, str):
        return json.dumps(value, ensure_ascii=False).replace("\x7f", "\\u007f")
    return "[" + ", ".join(quoted(v) for v in value or ()) + "]"


def key(name: str) -> str:
    """Return a name as a TOML key."""
    return name if re.fullmatch(r"[A-Za-z0-9_-]+", name) else quoted(name)
