"""Files are written whole or not at all."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from ..errors import OutputError

LONGEST_NAME = 255
"""Bytes of the name of a file."""


def path_given(value: Any, what: str = "file") -> Path:
    """Return a path.

    Raises
    ------
    OutputError
    """
    if not isinstance(value, (str, Path)) or not str(value):
        raise OutputError(f"A {what} is named by its path, not by {value!r}.")
    return Path(value)


def named_after(path: Path, names: Sequence[str]) -> list[Path]:
    """Return one path for each of several things, named after them: what no file name can hold is left out.

    Names that are too long are cut; those that then are alike are numbered.
    """
    out: list[Path] = []
    for i, name in enumerate(names, start=1):
        plain = "".join(ch if ch.isprintable() and ch not in '/\\:*?"<>|' else "_" for ch in name)
        room = LONGEST_NAME - len(os.fsencode(f"{path.stem}--{i}{path.suffix}"))
        short = plain.encode("utf-8", errors="replace")[: max(room, 0)].decode("utf-8", errors="ignore")
        made = path.with_name(f"{path.stem}-{short}{path.suffix}")
        out.append(path.with_name(f"{path.stem}-{short}-{i}{path.suffix}") if made in out or not short else made)
    return out


def check_writable(path: Path) -> None:
    """Refuse a path that cannot be written, before anything is computed.

    Raises
    ------
    OutputError
    """
    folder = path.parent
    if "\0" in str(path) or len(os.fsencode(path.name)) > LONGEST_NAME:
        raise OutputError(f"Cannot write {str(path)!r}: no file can have that name. Give it a shorter one.")
    if path.is_dir():
        raise OutputError(f"Cannot write {str(path)!r}: it is a folder. Name a file in it.")
    if not folder.is_dir():
        raise OutputError(f"Cannot write {str(path)!r}: there is no folder {str(folder)!r}. Make it first.")
    if not os.access(folder, os.W_OK):
        raise OutputError(f"Cannot write {str(path)!r}: the folder {str(folder)!r} is not writable.")


def write_bytes(path: Path, contents: bytes) -> None:
    """Write a temporary file beside the path, then rename it over the path.

    A file that is written over keeps its mode; a symbolic link stays one, and the file it leads to is written.

    Raises
    ------
    OutputError
        Nothing is left behind.
    """
    path = path.resolve() if path.is_symlink() else path
    check_writable(path)
    mode = path.stat().st_mode & 0o7777 if path.exists() else 0o666 & ~_umask()
    try:
        handle, name = tempfile.mkstemp(dir=path.parent, prefix=".envelt-")
    except OSError as error:
        raise OutputError(f"Cannot write {str(path)!r}: {error.strerror or error}.") from error
    try:
        with os.fdopen(handle, "wb") as file:
            file.write(contents)
        os.chmod(name, mode)
        os.replace(name, path)
    except OSError as error:
        raise OutputError(f"Cannot write {str(path)!r}: {error.strerror or error}.") from error
    finally:
        Path(name).unlink(missing_ok=True)


def _umask() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return mask
