"""JSON that a person can read: what fits on a line stands on one, long lists run on over several."""

from __future__ import annotations

import json
from collections.abc import Mapping
from typing import Any

WIDTH = 110


def folded_json(value: Any, indent: int = 0, before: int = 0) -> str:
    """Return a value as JSON: objects and lists on one line where they fit, long lists of plain values filled up.

    Parameters
    ----------
    indent, before
        Spaces that its lines begin with, and what else stands before its first.
    """
    one = json.dumps(value, ensure_ascii=False, allow_nan=False)
    if not isinstance(value, (Mapping, list, tuple)) or not value or indent + before + len(one) <= WIDTH:
        return one
    pad = " " * (indent + 1)
    if isinstance(value, Mapping):
        parts = [f"{pad}{_key(k)}: {folded_json(v, indent + 1, len(_key(k)) + 2)}" for k, v in value.items()]
        return "{\n" + ",\n".join(parts) + "\n" + " " * indent + "}"
    if all(not isinstance(v, (Mapping, list, tuple)) for v in value):
        return "[\n" + _filled([json.dumps(v, ensure_ascii=False, allow_nan=False) for v in value], pad) + "\n" + (
            " " * indent + "]")  # fmt: skip
    return "[\n" + ",\n".join(pad + folded_json(v, indent + 1) for v in value) + "\n" + " " * indent + "]"


def _key(key: Any) -> str:
    return json.dumps(str(key), ensure_ascii=False)


def _filled(words: list[str], pad: str) -> str:
    lines, line = [], pad
    for i, word in enumerate(words):
        word += "," if i < len(words) - 1 else ""
        if len(line) > len(pad) and len(line) + len(word) + 1 > WIDTH:
            lines.append(line.rstrip())
            line = pad
        line += word + " "
    return "\n".join([*lines, line.rstrip()])
