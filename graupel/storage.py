"""Files of ours are written whole or not at all: aside, synced, and renamed; a full disk is told as one."""

import errno
import os
import shutil
import tempfile
from collections.abc import Iterable, Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import BinaryIO

from graupel.core.errors import NoRoom

_NO_ROOM = {errno.ENOSPC, errno.EDQUOT, errno.EROFS, errno.EFBIG}
#: With less than this left, a server is not ready for more.
LEAST_FREE_BYTES = 100_000_000


def is_no_room(error: BaseException) -> bool:
    """Whether an error says that the disk is full, or may not be written."""
    return isinstance(error, OSError) and error.errno in _NO_ROOM


@contextmanager
def telling_no_room() -> Iterator[None]:
    """Raises NoRoom where something in it finds the disk full."""
    try:
        yield
    except OSError as error:
        if not is_no_room(error):
            raise
        raise NoRoom(
            "The disk on which files are kept is full, or can't be written. Nothing was kept. Tell whoever runs this "
            "server; then try again."
        ) from error


@contextmanager
def aside(path: Path) -> Iterator[BinaryIO]:
    """A file to write; at the end it stands at ``path``, whole. Where something goes wrong nothing is left.

    Raises NoRoom.
    """
    with telling_no_room():
        path.parent.mkdir(parents=True, exist_ok=True)
        file = tempfile.NamedTemporaryFile(dir=path.parent, prefix=".", delete=False)  # noqa: SIM115 - closed below, whatever happens
        try:
            with file:
                yield file  # type: ignore[misc]
                file.flush()
                os.fsync(file.fileno())
            os.replace(file.name, path)
        except BaseException:
            with suppress(OSError):
                os.unlink(file.name)
            raise
        _sync(path.parent)


def _sync(folder: Path) -> None:
    """The new name lasts too, whatever the machine does next."""
    place = os.open(folder, os.O_RDONLY)
    try:
        os.fsync(place)
    finally:
        os.close(place)


def write(path: Path, content: bytes | Iterable[bytes]) -> None:
    """Write a file whole. Raises NoRoom."""
    with aside(path) as file:
        for piece in [content] if isinstance(content, bytes) else content:
            file.write(piece)


def trouble(folder: Path) -> str:
    """What keeps a folder from taking files, in words; "" where nothing does."""
    try:
        folder.mkdir(parents=True, exist_ok=True)
        free = shutil.disk_usage(folder).free
    except OSError as error:
        return f"the data folder can't be used: {error.strerror}"
    if not os.access(folder, os.W_OK):
        return "the data folder can't be written"
    return f"only {free // 1_000_000} MB are left for files" if free < LEAST_FREE_BYTES else ""
