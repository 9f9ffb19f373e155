"""Every exception Envelt raises on purpose, named after its reason, all under `EnveltError`.

A message names the column or argument, what was expected, what was found and what to do.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from difflib import get_close_matches

_OPTION = re.compile("\x0e([^\x0f]*)\x0f")


def option(name: str, *values: str) -> str:
    """Mark an option with a value, or several to choose from, in a message: it is written otherwise where it is typed.

    ``option("kind", "zone=nominal")`` is ``kinds={'zone': 'nominal'}`` in Python.
    """
    return "\x0e" + "\x1f".join((name, *values)) + "\x0f"


def entry(name: str, *values: str) -> str:
    """Mark an entry of an operation with its value: in Python an option, and at the command line a line of the file."""
    return option(f"@{name}", *values)


def as_written(text: str) -> str:
    """Return a text with its options as they are written in Python."""
    return _OPTION.sub(_written, text)


def as_typed(text: str) -> str:
    """Return a text with its options as they are typed at the command line."""
    return _OPTION.sub(_typed, text)


def _written(marked: re.Match[str]) -> str:
    name, *values = marked[1].removeprefix("@").split("\x1f")
    if name == "kind":
        column, _, kind = values[0].rpartition("=")
        return f"kinds={{{column!r}: {kind!r}}}"
    return f"{name}={' or '.join(map(repr, values)) or '…'}"


def _typed(marked: re.Match[str]) -> str:
    name, *values = marked[1].split("\x1f")
    words = (v if re.fullmatch(r"[\w.,=:-]+", v) else f'"{v}"' for v in values)
    if name.startswith("@"):
        return f'"{name[1:]}": ' + " or ".join(f'"{v}"' for v in values) if values else f'"{name[1:]}"'
    return f"--{name.replace('_', '-')} {' or '.join(words)}"


class EnveltError(Exception):
    """The root: catch this to catch everything Envelt raises on purpose.

    ``at`` is the place in a study file that the error speaks of, key by key; empty where it speaks of none.
    """

    at: tuple[str, ...] = ()

    def __str__(self) -> str:
        return _cut(as_written(self._message))

    @property
    def typed(self) -> str:
        """The message with options as they are typed at the command line."""
        return _cut(as_typed(self._message))

    @property
    def _message(self) -> str:
        return str(self.args[0]) if self.args else ""


LONGEST_MESSAGE = 1_000
"""Characters: a screen of 80 × 24 holds them."""


def _cut(text: str) -> str:
    """Return a message that fits on a screen; what is cut out of a long one is its middle."""
    if len(text) <= LONGEST_MESSAGE:
        return text
    return f"{text[: LONGEST_MESSAGE * 3 // 4]} … {text[-LONGEST_MESSAGE // 4 :]}"


class DataError(EnveltError, ValueError):
    """The data cannot be used as a table."""


class FileMissingError(DataError, FileNotFoundError):
    """There is no file of that name."""


class NotATableError(DataError):
    """The file is a directory, binary, or cannot be parsed as a table."""


class EmptyTableError(DataError):
    """There are no columns, or no rows, to look at."""


class ColumnNamesError(DataError):
    """Two columns share a name, or a name is not text."""


class InfiniteValueError(DataError):
    """A numeric column holds plus or minus infinity."""


class IntegerTooLargeError(DataError):
    """Whole numbers beyond 2^53, which floating point cannot tell apart."""


class UnknownColumnError(EnveltError, KeyError):
    """No column of that name; the nearest name is suggested."""


class UnknownKindError(EnveltError, ValueError):
    """No kind of that name; the nearest name is suggested."""


class KindConflictError(EnveltError, ValueError):
    """A column cannot be read as the kind it was declared to be."""


class OutcomeError(EnveltError, ValueError):
    """The outcome is not named, has one value, or cannot serve the step asked for."""


class UnknownEventError(OutcomeError):
    """The event named is not a level of the outcome."""


class ExpressionError(EnveltError, ValueError):
    """An expression is not in the small language that is understood, or names no column."""


class StudyFileError(EnveltError, ValueError):
    """A study file cannot be read, or decides something that cannot be; the line is given."""


class OptionError(EnveltError, ValueError):
    """An option has a value that cannot be used."""


class UnknownOptionError(OptionError, TypeError):
    """No option of that name; the nearest name is suggested."""


class PreparationError(EnveltError, ValueError):
    """A preparation cannot be read, or cannot be fitted or applied to these rows."""


class NotFittedError(PreparationError, AttributeError):
    """A preparation was applied before it was fitted."""


class OutputError(EnveltError, OSError):
    """A file cannot be written where it was asked for."""


@contextmanager
def pointing(*place: str) -> Iterator[None]:
    """Tell errors raised inside which part of a study file they speak of; places nest."""
    try:
        yield
    except EnveltError as error:
        error.at = (*place, *error.at)
        raise


def did_you_mean(name: str, options: Iterable[str]) -> str:
    """Return ``" Did you mean 'x'?"``, or a short list of what there is when nothing is near."""
    options = [str(o) for o in options]
    near = get_close_matches(str(name), options, n=1, cutoff=0.5)
    if not near:
        folded = {o.casefold(): o for o in options}
        near = [folded[str(name).casefold()]] if str(name).casefold() in folded else []
    if near:
        return f" Did you mean {near[0]!r}?"
    shown = ", ".join(options[:8]) + (", …" if len(options) > 8 else "")
    return f" There is: {shown}." if options else ""


def unknown_column(name: str, options: Iterable[str]) -> UnknownColumnError:
    """Build the error for a column name that is not there."""
    return UnknownColumnError(f"No column {name!r}.{did_you_mean(name, options)}")


class LaterRowsWarning(UserWarning):
    """Rows that a preparation is applied to are unlike those it was fitted on; says in what, and how far."""
