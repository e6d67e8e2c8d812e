"""Where the bytes of downloads lie, and what is made of them: stamped copies and excerpts, each made once."""

import os
import threading
from collections.abc import Callable
from pathlib import Path

from graupel import storage
from graupel.context import Context
from graupel.features.downloads import pdfs
from graupel.features.downloads.rows import GivenRow, VersionRow

_making = threading.Lock()


def path_of(ctx: Context, kept_as: str) -> Path:
    """Where a version lies."""
    return ctx.settings.data_folder / "downloads" / kept_as[:2] / kept_as


def stamped(ctx: Context, version: VersionRow, given: GivenRow) -> Path:
    """The copy of a version that is stamped for a buyer; as it is where it can't be stamped. Raises NoRoom."""
    source = path_of(ctx, version["kept_as"])
    to = ctx.settings.data_folder / "downloads" / "stamped" / f"{given['id']}-{version['id']}.pdf"
    return _made(to, lambda aside: pdfs.stamp(source, aside, given["buyer"])) or source


def excerpt(ctx: Context, version: VersionRow, pages: int) -> Path | None:
    """The first pages of a version; None where they can't be had. Raises NoRoom."""
    source = path_of(ctx, version["kept_as"])
    to = ctx.settings.data_folder / "downloads" / "excerpts" / f"{version['kept_as']}-{pages}.pdf"
    return _made(to, lambda aside: pdfs.excerpt(source, aside, pages))


def _made(to: Path, make: Callable[[Path], bool]) -> Path | None:
    """What is there, or is made aside and put in its place whole."""
    if to.exists():
        return to
    with _making, storage.telling_no_room():
        if to.exists():
            return to
        to.parent.mkdir(parents=True, exist_ok=True)
        aside = to.with_name(f".{to.name}.{os.getpid()}")
        if not make(aside):
            return None
        os.replace(aside, to)
    return to
