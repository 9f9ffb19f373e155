"""A file as bytes: found, not too much of it, unpacked, and in which encoding."""

from __future__ import annotations

import io
import os
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import IO, Any, TypeVar

from ..errors import EmptyTableError, FileMissingError, NotATableError, did_you_mean

T = TypeVar("T")

SAMPLE = 1 << 16
LEAST_BLOCK, MOST_BLOCK = 1 << 20, 1 << 30
WHAT_IS_READ = "Give a CSV, TSV, Parquet, Arrow, JSON Lines or .xlsx file."

MOST_UNPACKED = 1 << 30
MOST_TIMES = 100
RAISED = "ENVELT_MOST_UNPACKED"
"""What an archive may unpack to in bytes, and as a multiple of itself beyond that; the variable that raises it."""

_COMPRESSED = {
    ".gz": (b"\x1f\x8b",),
    ".bz2": tuple(b"BZh%d" % level + block for level in range(1, 10) for block in (b"1AY&SY", b"\x17rE8P\x90")),
    ".zst": (b"\x28\xb5\x2f\xfd",),
    ".xz": (b"\xfd7zXZ\0",),
}
_BINARY = {
    b"\x89PNG\r\n": "a PNG picture",
    b"%PDF-1": "a PDF",
    b"%PDF-2": "a PDF",
    b"\xff\xd8\xff": "a JPEG picture",
    b"PK\x03\x04": "a zip archive",
    b"PK\x05\x06": "a zip archive",
}


@dataclass(frozen=True)
class FileBytes:
    """A file that is there.

    Parameters
    ----------
    path
        Where it is.
    head
        Its first bytes.
    whole
        All of it, where it cannot be read twice (a pipe).
    """

    path: Path
    head: bytes
    whole: bytes | None = None

    @classmethod
    def of(cls, path: Path) -> FileBytes:
        """Open a file, or read a pipe to its end.

        Raises
        ------
        FileMissingError, NotATableError
        """
        _check_there(path)
        try:
            with path.open("rb") as file:
                if path.is_file():
                    return cls(path, file.read(SAMPLE))
                whole = file.read()
        except OSError as error:
            raise NotATableError(f"{str(path)!r} cannot be read: {error.strerror}.") from error
        return cls(path, whole[:SAMPLE], whole)

    def source(self) -> Any:
        """Return what PyArrow can read and seek in."""
        import pyarrow as pa

        return pa.OSFile(str(self.path)) if self.whole is None else pa.BufferReader(self.whole)

    def contents(self) -> bytes:
        """Return all of it."""
        return self.path.read_bytes() if self.whole is None else self.whole

    def ends(self, with_bytes: bytes) -> bool:
        """Say whether its last bytes are these."""
        if self.whole is not None:
            return self.whole.endswith(with_bytes)
        with self.path.open("rb") as file:
            file.seek(max(0, file.seek(0, io.SEEK_END) - len(with_bytes)))
            return file.read() == with_bytes


def _check_there(path: Path) -> None:
    try:
        there = path.exists()
        inside = [p.name for p in path.parent.iterdir()] if not there and path.parent.is_dir() else []
        linked = path.is_symlink()
    except PermissionError as error:
        raise NotATableError(f"{str(path)!r} cannot be read: the folder may not be entered.") from error
    except (OSError, ValueError) as error:
        raise FileMissingError(
            f"There is no file {str(path)!r}: {getattr(error, 'strerror', None) or error}."
        ) from error
    if not there and linked:
        raise FileMissingError(f"{str(path)!r} is a link that leads to no file. Name the file itself.")
    if not there:
        near = did_you_mean(path.name, inside)
        raise FileMissingError(f"There is no file {str(path)!r}.{near if 'mean' in near else ''}")
    if path.is_dir():
        raise NotATableError(f"{str(path)!r} is a folder; name a file in it.")


@dataclass(frozen=True)
class TextFile:
    """A text file: the file, its encoding, how it is compressed, and all of it where it had to be unpacked."""

    file: FileBytes
    encoding: str
    compression: str
    whole: bytes | None

    @classmethod
    def of(cls, file: FileBytes) -> TextFile:
        """Unpack a file if need be, and find its encoding.

        Raises
        ------
        NotATableError, EmptyTableError
        """
        compression = next((end for end, magic in _COMPRESSED.items() if file.head.startswith(magic)), "")
        whole = _unpacked(file, compression) if compression else file.whole
        head = file.head if whole is None else whole[:SAMPLE]
        if not head.strip():
            raise EmptyTableError(f"{str(file.path)!r} is empty.")
        return cls(file, _encoding(file, head, whole), compression, whole)

    @property
    def path(self) -> Path:
        """Where it is."""
        return self.file.path

    def contents(self) -> bytes:
        """Return all of it, unpacked."""
        return self.file.contents() if self.whole is None else self.whole

    @property
    def size(self) -> int:
        """How many bytes it has, unpacked."""
        return self.path.stat().st_size if self.whole is None else len(self.whole)

    def head(self, size: int) -> str:
        """Return the first characters, of so many bytes."""
        if self.whole is not None:
            return self.whole[:size].decode(self.encoding, errors="ignore")
        with self.path.open("rb") as file:
            return file.read(size).decode(self.encoding, errors="ignore")

    def text(self) -> IO[str]:
        """Return all of it, to be read line by line, line ends as they are."""
        raw: Any = io.BytesIO(self.whole) if self.whole is not None else self.path.open("rb")
        return io.TextIOWrapper(raw, encoding=self.encoding, errors="replace", newline="")

    def source(self) -> Any:
        """Return what PyArrow can read: the file where it is plain UTF-8, else the text as UTF-8."""
        import pyarrow as pa

        if self.encoding in ("utf-8", "utf-8-sig"):
            return self.file.source() if self.whole is None else pa.BufferReader(self.whole)
        return pa.BufferReader(self.contents().decode(self.encoding, errors="replace").encode("utf-8"))


def in_blocks(read: Callable[[int], T], size: int) -> T:
    """Read with blocks of a usual size, and with larger ones where a row does not fit.

    Raises
    ------
    pyarrow.ArrowInvalid
        What is wrong is no matter of blocks, or a block holds as much as there is.
    """
    import pyarrow as pa

    block = LEAST_BLOCK
    while True:
        try:
            return read(block)
        except pa.ArrowInvalid as error:
            if "block" not in str(error) or block >= min(MOST_BLOCK, size):
                raise
            block = min(8 * block, MOST_BLOCK)


def check_unpacked(path: Path, size: int, packed: int) -> None:
    """Refuse an archive that unpacks to far more than a table of its size would.

    Raises
    ------
    NotATableError
    """
    try:
        most = int(float(os.environ[RAISED]) * (1 << 30)) if RAISED in os.environ else MOST_UNPACKED
    except ValueError:
        raise NotATableError(f"{RAISED} must be a number of gigabytes, not {os.environ[RAISED]!r}.") from None
    if size > most and (size > MOST_TIMES * packed or RAISED in os.environ):
        raise NotATableError(
            f"{str(path)!r} unpacks to more than {most / (1 << 30):.3g} GB, {size / packed:,.0f} times its own size: "
            f"more than tables do. If it is one, raise the limit, {RAISED}={2 * most / (1 << 30):.3g} (gigabytes)."
        )


def _unpacked(file: FileBytes, compression: str) -> bytes:
    import bz2
    import gzip
    import lzma

    import pyarrow as pa

    raw = io.BytesIO(file.contents())
    packed = len(raw.getvalue())
    openers: dict[str, Any] = {
        ".gz": gzip.open,
        ".bz2": bz2.open,
        ".xz": lzma.open,
        ".zst": lambda f: pa.CompressedInputStream(f, "zstd"),
    }
    out = io.BytesIO()
    try:
        with openers[compression](raw) as stream:
            while piece := stream.read(1 << 24):
                out.write(piece)
                check_unpacked(file.path, out.tell(), packed)
    except (OSError, EOFError, lzma.LZMAError, ValueError, pa.ArrowException) as error:
        if isinstance(error, NotATableError):
            raise
        raise NotATableError(f"{str(file.path)!r} is a damaged compressed file: {str(error)[:160]}") from error
    return out.getvalue()


def _encoding(file: FileBytes, head: bytes, whole: bytes | None) -> str:
    """Return the encoding: by byte-order mark, else UTF-8 where it fits, else Windows-1252."""
    if head.startswith(b"\xef\xbb\xbf"):
        return "utf-8-sig"
    if head[:2] in (b"\xff\xfe", b"\xfe\xff"):
        return "utf-16"
    for magic, what in _BINARY.items():
        if head.startswith(magic):
            raise NotATableError(f"{str(file.path)!r} is {what}, not a table. {WHAT_IS_READ}")
    if b"\0" in head:
        raise NotATableError(f"{str(file.path)!r} is binary, not text. {WHAT_IS_READ}")
    try:
        (file.contents() if whole is None else whole).decode("utf-8")
    except UnicodeDecodeError:
        return "cp1252"
    return "utf-8"
