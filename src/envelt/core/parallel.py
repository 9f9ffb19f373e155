"""Columns in threads: as many as there are cores, with the same results for any number."""

from __future__ import annotations

import os
import threading
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from typing import TypeVar

T = TypeVar("T")
R = TypeVar("R")

ROWS = 20_000
"""With fewer rows a column takes less time than handing it over."""
Progress = Callable[[int, int, str], None]


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
    with ThreadPoolExecutor(threads, initializer=_inside.enter) as pool:
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
