"""What to type: options named as in Python, named as on the command line."""

from __future__ import annotations

import re

KINDS = re.compile(r"kinds=\{'([^']*)': '([^']*)'\}")
GIVEN = re.compile(r"(?<![\w-])([a-z]\w*)='([^']*)'")
ELSE = re.compile(r" or '([^']*)'")


def as_typed(text: str) -> str:
    """Return a text with options as they are typed at the command line.

    Examples
    --------
    >>> as_typed("use scale='log1p', or declare it: kinds={'zone': 'nominal'}")
    'use --scale log1p, or declare it: --kind zone=nominal'
    """
    text = KINDS.sub(lambda m: f"--kind {_word(f'{m[1]}={m[2]}')}", text)
    text = re.sub(GIVEN.pattern + ELSE.pattern, lambda m: f"--{m[1]} {_word(m[2])} or {_word(m[3])}", text)
    return GIVEN.sub(lambda m: f"--{m[1]} {_word(m[2])}", text)


def _word(value: str) -> str:
    """Return a value as one word of a command."""
    return value if re.fullmatch(r"[\w.,=:-]+", value) else f'"{value}"'
