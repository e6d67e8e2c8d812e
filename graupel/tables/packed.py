"""Files that are packed: gzip, and zip with a table in it. Names within are looked at, never used as paths."""

import gzip
import zipfile
import zlib
from collections.abc import Iterator
from pathlib import Path, PurePosixPath
from typing import IO

from graupel import storage
from graupel.core.errors import Refused

#: What can be a table, by its ending.
TABLES = ("csv", "tsv", "txt", "tab", "xlsx", "xls", "xlsm", "ods", "json", "jsonl", "ndjson", "jsonld", "xml")
MOST_MEMBERS = 100_000
#: Unpacked it is no larger; and no more than so many times as large as packed, from some size on.
MOST_BYTES, MOST_TIMES, FROM_BYTES = 2_000_000_000, 300, 50_000_000


def members(path: Path) -> list[str]:
    """The tables in a zip, the largest first. Raises Refused."""
    with _zip(path) as packed:
        found = [
            (one.file_size, one.filename)
            for one in packed.infolist()
            if not one.is_dir()
            and PurePosixPath(one.filename).suffix.lower().lstrip(".") in TABLES
            and not one.filename.startswith("__MACOSX/")
        ]
    if not found:
        known = ", ".join((*TABLES[:3], "xlsx", "ods", "json", "xml"))
        raise Refused.because("zip.no_table", f"There is no table in this zip. It would end in {known}.", "file")
    return [name for _, name in sorted(found, key=lambda one: (-one[0], one[1]))]


def names(path: Path) -> list[str]:
    """The names of the files in a zip that are no tables, without their folders; of one that stands there twice the
    first. Raises Refused."""
    return list(_beside(path))


def _beside(path: Path) -> dict[str, str]:
    """What lies beside the tables: by name the member."""
    found: dict[str, str] = {}
    with _zip(path) as packed:
        for one in packed.infolist():
            name = PurePosixPath(one.filename.replace("\\", "/")).name
            if not one.is_dir() and name and not one.filename.startswith("__MACOSX/"):
                found.setdefault(name, one.filename)
    return found


def content(path: Path, name: str, most_bytes: int) -> tuple[str, bytes]:
    """A file that lies beside the table, by its name without folders. Raises Refused."""
    member = _beside(path).get(name)
    if member is None:
        raise Refused.because("zip.unknown", f"There is no “{name[:80]}” in this zip any more.", "file")
    try:
        with _zip(path) as packed, packed.open(member) as file:
            found = file.read(most_bytes + 1)
    except (zipfile.BadZipFile, zlib.error, EOFError, NotImplementedError, RuntimeError) as error:
        raise Refused.because("packed.broken", f"“{name[:80]}” can't be unpacked from this zip.", "file") from error
    if len(found) > most_bytes:
        raise Refused.because("packed.large", f"“{name[:80]}” is larger than {most_bytes // 1_000_000} MB.", "file")
    return name, found


def unpack(path: Path, member: str, to: Path) -> None:
    """Write a member of a zip, or what a gzip holds ("" as its member), to a file of its own.

    Raises Refused where it is broken, locked, or swells to more than may be; NoRoom.
    """
    try:
        if not member:
            with gzip.open(path) as file:
                storage.write(to, _counted(file, path.stat().st_size))
            return
        with _zip(path) as packed:
            try:
                info = packed.getinfo(member)
            except KeyError:
                raise Refused.because("zip.unknown", f"There is no “{member[:80]}” in this zip.", "member") from None
            if info.flag_bits & 1:
                said = "This zip is locked with a password. Pack it without one."
                raise Refused.because("zip.locked", said, "file")
            with packed.open(info) as one:
                storage.write(to, _counted(one, max(1, info.compress_size)))
    except (zipfile.BadZipFile, gzip.BadGzipFile, zlib.error, EOFError, NotImplementedError) as error:
        said = f"What is packed can't be unpacked ({str(error)[:120]}). It may be cut off: pack it anew."
        raise Refused.because("packed.broken", said, "file") from error


def _zip(path: Path) -> zipfile.ZipFile:
    try:
        packed = zipfile.ZipFile(path)
    except (zipfile.BadZipFile, OSError, ValueError) as error:
        said = "This file can't be unpacked: it may be cut off. Save or pack it anew."
        raise Refused.because("packed.broken", said, "file") from error
    if len(packed.infolist()) > MOST_MEMBERS:
        raise Refused.because("zip.members", f"A zip has at most {MOST_MEMBERS:,} files.", "file")
    return packed


def _counted(file: IO[bytes] | gzip.GzipFile, packed: int) -> Iterator[bytes]:
    """What is unpacked, in pieces; counted as it comes, because what a zip says of itself may be a lie."""
    size = 0
    while piece := file.read(1 << 20):
        size += len(piece)
        if size > MOST_BYTES or (size > FROM_BYTES and size > packed * MOST_TIMES):
            raise Refused.because(
                "packed.swells",
                f"Unpacked this is more than {min(size, MOST_BYTES) // 1_000_000:,} MB, {size // packed:,} times what "
                "was sent. That is no table of goods.",
                "file",
            )
        yield piece
