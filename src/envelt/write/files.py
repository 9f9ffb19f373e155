"""Files are written whole or not at all."""

from __future__ import annotations

import os
import tempfile
from pathlib import Path

from ..errors import OutputError


def check_writable(path: Path) -> None:
    """Refuse a path that cannot be written, before anything is computed.

    Raises
    ------
    OutputError
    """
    folder = path.parent
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
        handle, name = tempfile.mkstemp(dir=path.parent, prefix=f".{path.stem}-", suffix=path.suffix)
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
