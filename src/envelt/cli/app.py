"""The command line: its commands, and what becomes of errors."""

from __future__ import annotations

import os
import sys
from errno import EPIPE
from typing import Any

from ..errors import EnveltError
from ..write.digits import marks
from . import finish, look, start  # noqa: F401  # in the order of the work, as help lists them
from .command import app
from .options import NobodyReads

__all__ = ["app", "main"]


def main() -> None:
    """Run the command line; an error is one or two lines on standard error and exit status 2.

    A reader that has seen enough (``| head -1``) is no error.
    """
    for stream in (sys.stdout, sys.stderr):
        if hasattr(stream, "reconfigure"):
            stream.reconfigure(errors="replace")  # a console that lacks a letter shows a mark
    status: int | str | None = 0
    try:
        try:
            app()
        except SystemExit as stop:  # with which every command ends
            status = stop.code
        sys.stdout.flush()
    except EnveltError as error:
        print(f"envelt: {marks(error.typed)}", file=sys.stderr)
        status = 2
    except (NobodyReads, OSError) as error:
        _let_go(sys.stdout)
        status = 0 if isinstance(error, NobodyReads) or error.errno == EPIPE else 2
        if status:
            said = getattr(error, "strerror", None) or error
            print(f"envelt: Cannot write what was to be printed: {said}.", file=sys.stderr)
    sys.exit(status)


def _let_go(stream: Any) -> None:
    """Send what is still to be written nowhere, so that the end of the process does not fail once more."""
    try:
        os.dup2(os.open(os.devnull, os.O_WRONLY), stream.fileno())
    except (OSError, ValueError):  # no stream of the system
        return
