"""Columns in threads: as many as there are cores, with the same results for any number."""

from __future__ import annotations

import os
import threading
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import AbstractContextManager, contextmanager
from typing import Any, TypeVar

T = TypeVar("T")
R = TypeVar("R")

ROWS = 20_000
"""With fewer rows a column takes less time than handing it over."""
Progress = Callable[[int, int, str], None]
"""Told how much is done, of how much, and what is in hand."""
Slowly = Callable[[str], AbstractContextManager[Progress]]
"""Given the name of what may take long: shows how far it is while that is made."""


def in_threads(
    work: Callable[[T], R],
    items: Sequence[T],
    rows: int,
    progress: Progress | None = None,
    name: Callable[[T], str] = str,
) -> list[R]:
    """Return what ``work`` makes of each item, in their order.

    Parameters
    ----------
    rows
        Of the table: threads are worth it from 20,000 on.
    progress
        Told how many are done, of how many, and the next one's name.
    """
    out: list[R] = []
    threads = min(os.cpu_count() or 1, len(items)) if rows >= ROWS and not _inside.busy else 1
    if threads < 2:
        for i, item in enumerate(items):
            if progress is not None:
                progress(i, len(items), name(item))
            out.append(work(item))
        return out
    with _blas.one_thread(), ThreadPoolExecutor(threads, initializer=_inside.enter) as pool:
        made = pool.map(work, items)
        for i, item in enumerate(items):
            if progress is not None:
                progress(i, len(items), name(item))
            out.append(next(made))
    return out


class _Inside(threading.local):
    """Whether this thread already works for others: then it shares no more."""

    busy = False

    def enter(self) -> None:
        """Say so."""
        self.busy = True


_inside = _Inside()


class _Blas:
    """Matrix products without threads of their own: beside ours they would wait for each other.

    The setting is the process's: the first who asks makes it, the last gives it back.
    """

    def __init__(self) -> None:
        self._lock, self._asked = threading.Lock(), 0
        self._limits: Any = None
        self._libraries: Any = None

    @contextmanager
    def one_thread(self) -> Iterator[None]:
        """Keep matrix products to the thread that calls them."""
        with self._lock:
            if self._asked == 0:
                self._limits = self._found().limit(limits=1, user_api="blas")
            self._asked += 1
        try:
            yield
        finally:
            with self._lock:
                self._asked -= 1
                if self._asked == 0:
                    self._limits.restore_original_limits()

    def _found(self) -> Any:
        if self._libraries is None:
            from threadpoolctl import ThreadpoolController

            self._libraries = ThreadpoolController()
        return self._libraries


_blas = _Blas()
