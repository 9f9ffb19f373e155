"""What is made of rows and is as long as they are: kept while there is room, and made again when it is asked for."""

from __future__ import annotations

import weakref
from collections import OrderedDict
from dataclasses import fields, replace
from functools import cached_property
from threading import Lock
from typing import TYPE_CHECKING, Any, Self

import numpy as np

MOST_BYTES = 512_000_000
"""Of all that is kept. A million rows in groups with their ranks take 40 MB, so a dozen looks stay at hand."""


class _KeptProperty(cached_property[Any]):
    """A `functools.cached_property` for what is as long as the rows: the oldest is let go beyond ``MOST_BYTES``.

    Examples
    --------
    >>> class Squares:
    ...     @kept
    ...     def all(self) -> np.ndarray:
    ...         return np.arange(3) ** 2
    >>> Squares().all
    array([0, 1, 4])
    """

    def __get__(self, instance: Any, owner: Any = None) -> Any:
        value = super().__get__(instance, owner)
        if instance is not None:
            _KEPT.add(instance, str(self.attrname), value)
        return value


if TYPE_CHECKING:
    kept = cached_property
else:
    kept = _KeptProperty


class Remade:
    """A dataclass that is copied, and sent to another process, as what it was made from: the rest is made again."""

    def __getstate__(self) -> dict[str, Any]:
        """What it was made from."""
        return {f.name: getattr(self, f.name) for f in fields(self)}  # type: ignore[arg-type]

    def under(self, **words: Any) -> Self:
        """Return the same under other words: what has been made stays made."""
        same = replace(self, **words)  # type: ignore[type-var]
        vars(same).update({k: v for k, v in vars(self).items() if k not in vars(same)})
        return same


class _Kept:
    """All that is kept in this process, the oldest first; values lie with their owners and go with them."""

    def __init__(self) -> None:
        self.bytes = 0
        self._sizes: OrderedDict[tuple[int, str], tuple[weakref.ref[Any], int]] = OrderedDict()
        self._lock = Lock()

    def add(self, owner: Any, name: str, value: Any) -> None:
        """Note a value, and let the oldest go where all are too large together."""
        key, size = (id(owner), name), bytes_of(value)
        old = []
        with self._lock:
            self._drop(key)
            self._sizes[key] = (weakref.ref(owner, lambda _: self._drop(key)), size)
            self.bytes += size
            while self.bytes > MOST_BYTES and len(self._sizes) > 1:
                oldest = next(iter(self._sizes))
                old.append((self._sizes[oldest][0](), oldest[1]))
                self._drop(oldest)
        for thing, what in old:
            if thing is not None:
                vars(thing).pop(what, None)

    def _drop(self, key: tuple[int, str]) -> None:
        """Take a value off the list: it was let go, or went with its owner."""
        self.bytes -= self._sizes.pop(key, (None, 0))[1]


_KEPT = _Kept()


def bytes_of(value: Any) -> int:
    """Return how much room the arrays take that a value holds."""
    if isinstance(value, np.ndarray):
        return value.nbytes
    if isinstance(value, list | tuple):
        return sum(map(bytes_of, value))
    return sum(map(bytes_of, vars(value).values())) if hasattr(value, "__dict__") else 0
