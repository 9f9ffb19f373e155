"""What options may be: one check for each kind of option, and one way to apply them to a function."""

from __future__ import annotations

import inspect
import math
from collections.abc import Callable, Hashable, Iterable, Mapping
from functools import wraps
from numbers import Integral, Real
from typing import Any, ParamSpec, TypeVar

import numpy as np

from ..errors import OptionError, UnknownOptionError, did_you_mean

P = ParamSpec("P")
R = TypeVar("R")
Check = Callable[[Any, str], Any]
"""Takes what was given and what to call it; returns it, or raises `OptionError`."""


def finite_number(value: Any, what: str) -> float:
    """Return a number that is neither missing nor infinite.

    Raises
    ------
    OptionError
    """
    try:
        number = float(value) if isinstance(value, Real) and not isinstance(value, (bool, np.bool_)) else math.nan
    except OverflowError:
        number = math.inf
    if not math.isfinite(number):
        raise OptionError(f"The {what} must be a finite number, not {value!r}.")
    return number


def whole_number(value: Any, least: int, what: str, most: int | None = None) -> int:
    """Return a whole number from ``least`` up, to ``most`` where that is given.

    Raises
    ------
    OptionError
    """
    whole = isinstance(value, Integral) and not isinstance(value, (bool, np.bool_))
    if not whole or int(value) < least or (most is not None and int(value) > most):
        ends = f"from {least} up" if most is None else f"from {least} to {most:,}"
        raise OptionError(f"The {what} must be a whole number {ends}, not {value!r}.")
    return int(value)


def whole(value: Any, what: str) -> int:
    """Return a whole number from 0 up; how many are needed at least is asked where it matters.

    Raises
    ------
    OptionError
    """
    return whole_number(value, 0, what)


def text(value: Any, what: str) -> str:
    """Return a text.

    Raises
    ------
    OptionError
    """
    if not isinstance(value, str):
        raise OptionError(f"The {what} must be text, not {value!r}.")
    return value


def column_name(value: Any, what: str) -> str:
    """Return the name of a column as text: those of a frame may be numbers, or several words, and so be given.

    Raises
    ------
    OptionError
    """
    if isinstance(value, Real) and not isinstance(value, (bool, np.bool_)):
        return str(value)
    return " ".join(map(str, value)).strip() if isinstance(value, tuple) else text(value, what)


def single(value: Any, what: str) -> Any:
    """Return a text or a number, as a level is written.

    Raises
    ------
    OptionError
    """
    if not isinstance(value, (str, Real, np.bool_)):
        raise OptionError(f"The {what} must be a text or a number, not {value!r}.")
    return value


def one_of(*known: str, instead: Mapping[str, str] | None = None) -> Check:
    """Return the check that an option is one of some words.

    Parameters
    ----------
    instead
        What to say of words that others use, by word.
    """

    def check(value: Any, what: str) -> str:
        word, name = text(value, what), what.removeprefix("option ")
        if word in known:
            return word
        said = (instead or {}).get(word.casefold(), did_you_mean(word, known))
        raise OptionError(f"No {name} {word!r}.{said}")

    return check


def number_within(low: float, high: float, ends: bool = True) -> Check:
    """Return the check that an option is a number from ``low`` to ``high``, the ends among them or not."""

    def check(value: Any, what: str) -> float:
        number = finite_number(value, what)
        if not (low <= number <= high if ends else low < number < high):
            raise OptionError(
                f"The {what} must lie {'from' if ends else 'between'} {low:g} "
                f"{'to' if ends else 'and'} {high:g}, not be {value!r}."
            )
        return number

    return check


def whole_from(least: int, most: int | None = None) -> Check:
    """Return the check that an option is a whole number, see `whole_number`."""
    return lambda value, what: whole_number(value, least, what, most)


def yes_no(value: Any, what: str) -> bool:
    """Return True or False.

    Raises
    ------
    OptionError
    """
    if not isinstance(value, (bool, np.bool_)):
        raise OptionError(f"The {what} must be True or False, not {value!r}.")
    return bool(value)


def listed(value: Any, what: str) -> tuple[Any, ...]:
    """Return what a list, or another run of values, holds; a text is no list.

    Raises
    ------
    OptionError
    """
    if isinstance(value, (str, bytes, Mapping)) or not isinstance(value, Iterable):
        raise OptionError(f"The {what} must be a list, not {value!r}.")
    return tuple(value)


def labels(value: Any, what: str) -> tuple[str, ...]:
    """Return labels of rows, which may be joined by commas in one text.

    Raises
    ------
    OptionError
    """
    if isinstance(value, (int, np.integer)) and not isinstance(value, bool):
        return (str(value),)
    given = value.split(",") if isinstance(value, str) else listed(value, what)
    return tuple(str(v).strip() for v in given if str(v).strip())


def table(value: Any, what: str) -> dict[Any, Any]:
    """Return a dict.

    Raises
    ------
    OptionError
    """
    if not isinstance(value, Mapping):
        raise OptionError(f"The {what} must be a dict, not {value!r}.")
    return dict(value)


def by_column(value: Any, what: str) -> dict[str, Any]:
    """Return a dict of what is said of columns, by their names.

    Raises
    ------
    OptionError
    """
    return {column_name(k, "name of a column"): v for k, v in table(value, what).items()}


def lists(value: Any, what: str) -> dict[Any, tuple[Any, ...]]:
    """Return a dict of lists.

    Raises
    ------
    OptionError
    """
    return {k: listed(v, f"{k!r} of the {what}") for k, v in table(value, what).items()}


def function(value: Any, what: str) -> Any:
    """Return a function.

    Raises
    ------
    OptionError
    """
    if not callable(value):
        raise OptionError(f"The {what} must be a function, not {value!r}.")
    return value


def each_once(values: Iterable[Hashable], what: str) -> None:
    """Refuse a list that names something twice.

    Raises
    ------
    OptionError
    """
    seen: set[Hashable] = set()
    for value in values:
        if value in seen:
            raise OptionError(f"The {what} names {value!r} twice: name it once.")
        seen.add(value)


def check_options(given: Mapping[str, Any], checks: Mapping[str, Check]) -> dict[str, Any]:
    """Return options as their checks return them; None, which asks for nothing, is left as it is.

    Raises
    ------
    OptionError
    """
    return {
        name: value if value is None or name not in checks else checks[name](value, f"option {name}")
        for name, value in given.items()
    }


def refuse_unknown(given: Iterable[str], known: Iterable[str], of: str) -> None:
    """Refuse options that there are not.

    Raises
    ------
    UnknownOptionError
    """
    there = list(known)
    for name in given:
        if name not in there:
            raise UnknownOptionError(f"{of} has no option {name!r}.{did_you_mean(name, there)}")


def checked(**checks: Check) -> Callable[[Callable[P, R]], Callable[P, R]]:
    """Check options of a function before it is called; an unknown one is refused with the nearest name.

    None asks for nothing where it is the default, and is checked where it is not.
    """

    def decorate(called: Callable[P, R]) -> Callable[P, R]:
        signature = inspect.signature(called)
        named = [p for p in signature.parameters.values() if p.kind is not inspect.Parameter.VAR_POSITIONAL]
        open_ended = any(p.kind is inspect.Parameter.VAR_KEYWORD for p in named)

        @wraps(called)
        def call(*args: P.args, **kwargs: P.kwargs) -> R:
            if not open_ended:
                refuse_unknown(kwargs, [p.name for p in named if p.name != "self"], f"{called.__name__}()")
            given = signature.bind(*args, **kwargs)
            for name, check in checks.items():
                if name not in given.arguments:
                    continue
                value = given.arguments[name]
                if value is not None or signature.parameters[name].default is not None:
                    given.arguments[name] = check(value, f"option {name}")
            return called(*given.args, **given.kwargs)

        return call

    return decorate
