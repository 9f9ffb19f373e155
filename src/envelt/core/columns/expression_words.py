"""The words of an expression: how columns are named in it, which it names, and the tree it makes."""

from __future__ import annotations

import ast
import re
from keyword import iskeyword

from ...errors import ExpressionError
from .expression_values import EXAMPLE
from .over_rows import OVER_ROWS

LONGEST = 2_000  # characters
MOST_PARTS = 200  # nodes


def names_in(expression: str) -> set[str]:
    """Return the columns an expression names."""
    tree, names = parsed(expression)
    called = {id(node.func) for node in ast.walk(tree) if isinstance(node, ast.Call)}
    found = {node.id for node in ast.walk(tree) if isinstance(node, ast.Name) and id(node) not in called}
    return {names.get(n, n) for n in found}


def speaks_of_other_rows(expression: str) -> bool:
    """Say whether an expression gives a row what other rows hold, as the mean of a group does."""
    return any(_is_call(node, *OVER_ROWS) for node in ast.walk(parsed(expression)[0]))


def usual_in_group(expression: str) -> tuple[str, list[str], bool] | None:
    """Return the column, the groups and whether it is the distance from it, of ``mean(x, by=g)`` or ``x - mean(…)``."""
    tree, names = parsed(expression)
    less = isinstance(tree, ast.BinOp) and isinstance(tree.op, ast.Sub)
    call = tree.right if isinstance(tree, ast.BinOp) and less else tree
    if not (isinstance(call, ast.Call) and _is_call(call, "mean") and len(call.args) == len(call.keywords) == 1):
        return None
    of, by = call.args[0], call.keywords[0].value
    groups = by.elts if isinstance(by, ast.List | ast.Tuple) else [by]
    plain = [n.id for n in (of, *groups) if isinstance(n, ast.Name)]
    if len(plain) != 1 + len(groups) or (isinstance(tree, ast.BinOp) and ast.dump(tree.left) != ast.dump(of)):
        return None
    column, *by_names = (names.get(n, n) for n in plain)
    return column, by_names, less


def _is_call(node: ast.AST, *functions: str) -> bool:
    return isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id in functions


def parsed(expression: str) -> tuple[ast.expr, dict[str, str]]:
    """Return an expression as a tree, and the columns that placeholders in it stand for.

    Raises
    ------
    ExpressionError
        It is no expression, or too long.
    """
    if len(expression) > LONGEST:
        raise ExpressionError(f"The expression is too long: {len(expression):,} characters, at most {LONGEST:,}.")
    names: dict[str, str] = {}
    text = _unquoted(expression, names)
    try:
        tree = ast.parse(text.strip(), mode="eval")
    except (SyntaxError, ValueError, MemoryError, RecursionError) as error:
        raise ExpressionError(f"Cannot read the expression {expression!r}. {EXAMPLE}") from error
    if sum(1 for _ in ast.walk(tree)) > MOST_PARTS:
        raise ExpressionError(f"The expression has too many parts; at most {MOST_PARTS} are allowed.")
    return tree.body, names


_PARTS = re.compile(
    r"""\bcolumn\(\s*(?P<quoted>'(?:[^'\\]|\\.)*'|"(?:[^"\\]|\\.)*")\s*\)"""
    r"""|'(?:[^'\\]|\\.)*'|"(?:[^"\\]|\\.)*"|`(?P<ticked>[^`]*)`?|(?P<plain>[^\W\d]\w*)""",
    re.DOTALL,
)


def written_column(name: str) -> str:
    """Return how a column is named in an expression: a plain word as it is, anything else by ``column("…")``."""
    if name.isidentifier() and not iskeyword(name):
        return name
    plain = name.isprintable() and not {'"', "\\"} & {*name}
    return f'column("{name}")' if plain else f"column({name!r})"


def _unquoted(expression: str, names: dict[str, str]) -> str:
    """Replace names in ``column("…")``, and those beyond ASCII, by placeholders that Python's grammar can read.

    Python takes ａ for a, and µ for the Greek letter; a column is named as it is written.
    """
    prefix = "_column_"
    while prefix in expression:
        prefix += "_"

    def swap(match: re.Match[str]) -> str:
        if match["ticked"] is not None:
            raise ExpressionError(f"A column is not named in backticks: write {written_column(match['ticked'])}.")
        name = match["plain"] if match["quoted"] is None else _literal(match["quoted"])
        if name is None or (match["plain"] and name.isascii()):
            return match[0]
        placeholder = f"{prefix}{len(names)}_"
        names[placeholder] = name
        return placeholder

    return _PARTS.sub(swap, expression)


def _literal(quoted: str) -> str:
    try:
        return str(ast.literal_eval(quoted))
    except (SyntaxError, ValueError) as error:
        raise ExpressionError(f"Cannot read the name of the column {quoted}. {EXAMPLE}") from error
