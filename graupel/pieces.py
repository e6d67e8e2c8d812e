"""Large files come in pieces: each is written where the last one ended, and after a break one goes on from there.

What is coming lies aside under a key that its sender chose for it (the same file again has the same), and belongs to
nobody until an act takes it.
"""

import hashlib
import os
import time
from collections.abc import AsyncIterator
from contextlib import suppress
from pathlib import Path

from graupel import storage
from graupel.core.errors import Refused

#: A piece is no larger.
PIECE_BYTES = 8_000_000
#: What nobody goes on with for so long is thrown away.
KEPT_SECONDS = 3 * 86_400


def path_of(folder: Path, owner: str, key: str) -> Path:
    """Where what comes from somebody under a key lies."""
    return folder / "pieces" / hashlib.sha256(f"{owner}\0{key}".encode("utf-8", "replace")).hexdigest()


def arrived(path: Path) -> int:
    """How much of it is there, in bytes."""
    try:
        return path.stat().st_size
    except OSError:
        return 0


async def take(path: Path, offset: int, most: int, stream: AsyncIterator[bytes]) -> int:
    """Write a piece behind what is there; returns how much there is then.

    A piece that does not begin where the last one ended is not written: the sender is told where that is. What came of
    a piece that broke off stays. Each byte is written at its own place, so the same file sent from two pages at once,
    or once more while the first try still lingers, comes out whole. Raises Refused, NoRoom.
    """
    there = arrived(path)
    if offset != there:
        return there
    with storage.telling_no_room():
        path.parent.mkdir(parents=True, exist_ok=True)
        with os.fdopen(os.open(path, os.O_WRONLY | os.O_CREAT), "wb") as file:
            file.seek(offset)
            async for chunk in stream:
                if there - offset + len(chunk) > PIECE_BYTES:
                    raise Refused.because("piece.large", f"A piece has at most {PIECE_BYTES} bytes.")
                if there + len(chunk) > most:
                    raise Refused.because("piece.most", f"A file has at most {most:,} bytes.")
                file.write(chunk)
                there += len(chunk)
    return there


def move(path: Path, to: Path) -> None:
    """Have what came whole under another name, at its place. Raises NoRoom."""
    with storage.telling_no_room():
        to.parent.mkdir(parents=True, exist_ok=True)
        os.replace(path, to)


def throw_away(folder: Path) -> None:
    """Throw away what nobody went on with."""
    before = time.time() - KEPT_SECONDS
    with suppress(OSError):
        for one in (folder / "pieces").iterdir():
            if one.stat().st_mtime < before:
                one.unlink(missing_ok=True)
