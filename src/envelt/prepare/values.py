"""Values of options, held against the JSON Schema that an operation declares for them."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Any

from ..errors import OptionError, PreparationError


def check_value(what: str, value: Any, schema: Mapping[str, Any]) -> None:
    """Refuse a value that does not fit a schema.

    Raises
    ------
    OptionError
    """
    import jsonschema

    refuse_infinite(what, value, OptionError)
    try:
        jsonschema.Draft202012Validator(dict(schema)).validate(_plain(value))
    except jsonschema.ValidationError as error:
        raise OptionError(f"The {what} cannot be {value!r}: {said(error)}.") from None


def said(error: Any) -> str:
    """Return what a validator found, short enough to read."""
    message = str(error.message)
    return message if len(message) <= 200 else f"{message[:197]}…"


def refuse_infinite(what: str, value: Any, kind: type[Exception] = PreparationError) -> None:
    """Refuse numbers that are not finite, however deep they lie.

    Raises
    ------
    PreparationError
    """
    waiting = [value]
    while waiting:
        at = waiting.pop()
        if isinstance(at, float) and not math.isfinite(at):
            raise kind(f"The {what} holds {at}, where a finite number must stand.")
        if isinstance(at, Mapping):
            waiting += at.values()
        elif isinstance(at, (list, tuple)):
            waiting += at


def _plain(value: Any) -> Any:
    """Return a value as JSON has it: tuples as lists, keys as text."""
    if isinstance(value, Mapping):
        return {str(k): _plain(v) for k, v in value.items()}
    return [_plain(v) for v in value] if isinstance(value, (list, tuple)) else value
