"""Progress on standard error, only for what takes longer than two seconds."""

from __future__ import annotations

import sys
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager

PATIENCE = 2.0  # seconds


@contextmanager
def slow_progress(what: str) -> Iterator[Callable[[int, int, str], None]]:
    """Give a function to call with (done, total, in hand); a bar appears after two seconds.

    Nothing appears where standard error is not a terminal.
    """
    started = time.monotonic()
    bar = None
    task = None

    def report(done: int, total: int, name: str) -> None:
        nonlocal bar, task
        if bar is None:
            if time.monotonic() - started < PATIENCE or not sys.stderr.isatty() or done >= total:
                return
            from rich.console import Console
            from rich.progress import BarColumn, Progress, TextColumn, TimeRemainingColumn

            bar = Progress(
                TextColumn("{task.description}", markup=False),
                BarColumn(),
                TextColumn("{task.completed:.0f} of {task.total:.0f}"),
                TimeRemainingColumn(),
                console=Console(stderr=True),
                transient=True,
            )
            bar.start()
            task = bar.add_task(what, total=total)
        bar.update(task, completed=done, description=f"{what}: {name}" if name else what)

    try:
        yield report
    finally:
        if bar is not None:
            bar.stop()
