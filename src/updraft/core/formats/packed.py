"""Files inside .zip, .gz, .bz2, .xz and .zst: which one is meant, and its content as a file to read."""

from __future__ import annotations

import bz2
import errno
import fnmatch
import gzip
import lzma
import re
import tempfile
import zipfile
import zlib
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path, PurePosixPath
from typing import IO, Any

import zstandard

from updraft.core.problems import Problem

# Names of sheets, and of files in an archive, that tell of the data.
ABOUT = re.compile(
    r"(?i)(^|[^a-z])(read[ _-]?me|about|cover|info|information|notes?|contents?|index|legend|licen[cs]e|"
    r"copying|change ?log|metadata|codebook|data dictionary|sources?|deckblatt|inhalt|hinweise?)([^a-z]|$)"
)
_DATA = frozenset({
    ".csv", ".tsv", ".tab", ".txt", ".dat", ".data", ".json", ".jsonl", ".ndjson", ".xml", ".xlsx", ".xlsm",
    ".xlsb", ".xls", ".ods", ".parquet", ".arrow", ".sqlite", ".db",
})  # fmt: skip
MOST_BYTES = 8 << 30  # unpacked; a packed file can claim to be far larger than any disk
MOST_TIMES = 200  # what packs more tightly than this, beyond _HARMLESS, was made to fill a disk or a memory
_HARMLESS = 256 << 20


class _Zstandard:
    """Reads a .zst as the others are read; the library's own reader takes one that is cut off for whole."""

    def __init__(self, path: Path) -> None:
        self._file = path.open("rb")
        self._frame: Any = None

    def __enter__(self) -> _Zstandard:
        return self

    def __exit__(self, *error: object) -> None:
        self._file.close()

    def read(self, size: int) -> bytes:
        """The next bytes, none at the end. Raises EOFError where a frame lacks its end."""
        while block := self._file.read(size):
            found = bytearray()
            while block:
                self._frame = self._frame or zstandard.ZstdDecompressor().decompressobj()
                found += self._frame.decompress(block)
                block = self._frame.unused_data if self._frame.eof else b""
                self._frame = None if self._frame.eof else self._frame
            if found:
                return bytes(found)
        if self._frame is not None:
            raise EOFError
        return b""


# How it is packed → its first bytes, and what opens it.
_STREAMS: dict[str, tuple[bytes, Callable[[Path], Any]]] = {
    "gz": (b"\x1f\x8b", gzip.open),
    "bz2": (b"BZh", bz2.open),
    "xz": (b"\xfd7zXZ\0", lzma.open),
    "zst": (b"\x28\xb5\x2f\xfd", _Zstandard),
}
_WORKBOOK_PARTS = ("[Content_Types].xml", "mimetype", "xl/workbook.bin")


def packing(path: Path) -> str | None:
    """`zip`, `gz`, `bz2`, `xz`, `zst`, or None; workbooks are packed too, but are no archive here."""
    with path.open("rb") as file:
        start = file.read(6)
    for how, (mark, _) in _STREAMS.items():
        if start.startswith(mark) and (how != "bz2" or start[3:4].isdigit()):
            return how
    if not start.startswith(b"PK"):
        return None
    try:
        with zipfile.ZipFile(path) as archive:
            return None if any(name in _WORKBOOK_PARTS for name in archive.namelist()) else "zip"
    except (zipfile.BadZipFile, ValueError, NotImplementedError):
        return None  # a damaged workbook or archive; its reader says so


def members(path: Path) -> tuple[str, ...]:
    """The files inside a .zip that may hold data, in its order."""
    with zipfile.ZipFile(path) as archive:
        names = [info.filename for info in archive.infolist() if not info.is_dir()]
    return tuple(
        n for n in names if not n.startswith("__MACOSX/") and not PurePosixPath(n).name.startswith(".")
    )


def chosen_members(path: Path, wanted: str | None) -> tuple[list[str], str]:
    """The names of the files to read, and why.

    Raises:
        Problem: there is none, or none of the wanted name.
    """
    names = members(path)
    if not names:
        raise Problem(path.name, "the archive holds no file.", "Ask for it again.", code="no_data")
    if not wanted:
        if len(names) == 1:
            return list(names), "the only file inside"
        data = [name for name in names if _is_data(name)]
        if not data or data[0] == names[0]:
            return [names[0]], f"the first of {len(names)} files inside"
        return data[:1], f"the first of {len(names)} files inside that holds data by its name"
    found = [name for name in names if name == wanted] or [n for n in names if fnmatch.fnmatchcase(n, wanted)]
    if not found:
        raise Problem(
            f"File “{wanted}”",
            f"{path.name} has no such file inside.",
            f"Choose one of: {', '.join(names[:20])}.",
            field="member",
            code="no_member",
        )
    return found, "as set"


def _is_data(name: str) -> bool:
    path = PurePosixPath(name)
    return path.suffix.lower() in _DATA and not ABOUT.search(path.stem)


@contextmanager
def unpacked(path: Path, how: str, member: str = "") -> Iterator[Path]:
    """The content as a file of its own name, for as long as it is read.

    Raises:
        Problem: it is damaged, locked by a password, or larger than 8 GiB.
    """
    name = (
        PurePosixPath(member).name
        if how == "zip"
        else (path.stem if path.suffix.lower() == f".{how}" else path.name)
    )
    with tempfile.TemporaryDirectory(prefix="updraft-") as folder:
        target = Path(folder) / (name or "file")
        try:
            if how == "zip":
                with zipfile.ZipFile(path) as archive:
                    info = archive.getinfo(member)
                    check_size(path, info.file_size, info.compress_size)
                    with archive.open(member) as source, target.open("wb") as into:
                        _copy(source, into, path, info.compress_size)
            else:
                with _STREAMS[how][1](path) as source, target.open("wb") as into:
                    _copy(source, into, path, path.stat().st_size)
        except (
            zipfile.BadZipFile,
            gzip.BadGzipFile,
            EOFError,
            zlib.error,
            lzma.LZMAError,
            zstandard.ZstdError,
            NotImplementedError,
            OSError,
        ) as error:
            if isinstance(error, OSError) and error.errno not in (None, errno.EINVAL):
                raise  # such as a full disk; an offset before the file's start is EINVAL
            raise Problem(
                path.name,
                "it is damaged and cannot be unpacked.",
                "It may have been cut off on the way: ask for it again.",
                code="damaged",
            ) from None
        except RuntimeError:
            raise Problem(
                path.name,
                "it is locked with a password.",
                "Unpack it first, or ask for it without one.",
                code="locked",
            ) from None
        yield target


def check_size(path: Path, unpacked: int, packed: int) -> None:
    """Refuse what unpacks to more than 8 GiB, or to 200 times its size."""
    if unpacked > MOST_BYTES:
        raise Problem(
            path.name,
            "unpacked it is larger than 8 GiB.",
            "Unpack it and bring in the part you need.",
            code="too_large",
        )
    if unpacked > _HARMLESS and unpacked > MOST_TIMES * packed:
        raise Problem(
            path.name,
            f"unpacked it is more than {MOST_TIMES} times as large, as no table is.",
            "It may have been made to fill the disk. If you know it, unpack it yourself.",
            code="too_large",
        )


def check_book(path: Path) -> None:
    """The same for a workbook, whose parts are packed."""
    try:
        with zipfile.ZipFile(path) as book:
            parts = book.infolist()
    except (zipfile.BadZipFile, ValueError, NotImplementedError, OSError):
        return  # its reader says what is wrong
    check_size(path, sum(part.file_size for part in parts), sum(part.compress_size for part in parts))


def _copy(source: Any, into: IO[bytes], path: Path, packed: int) -> None:
    done = 0
    while block := source.read(1 << 20):
        done += len(block)
        check_size(path, done, packed)
        into.write(block)
