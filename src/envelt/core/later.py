"""Parts of a result that are made when they are asked for."""

from __future__ import annotations

from collections.abc import Callable
from typing import Generic, TypeVar

T = TypeVar("T")


class Later(Generic[T]):
    """A part of a result: made when it is first called for, and what it is made from is let go then.

    Parameters
    ----------
    make
        Makes it; called once at most.

    Examples
    --------
    >>> part = Later(lambda: 6 * 7)
    >>> part(), part()
    (42, 42)
    """

    __slots__ = ("_make", "_value")

    def __init__(self, make: Callable[[], T]) -> None:
        self._make: Callable[[], T] | None = make

    @classmethod
    def now(cls, value: T) -> Later[T]:
        """Return a part that is there already."""
        made = cls(lambda: value)
        made()
        return made

    def __call__(self) -> T:
        """Return the part."""
        if self._make is not None:
            self._value = self._make()
            self._make = None
        return self._value
