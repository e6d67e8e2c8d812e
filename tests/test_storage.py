"""Files are written whole or not at all, and a full disk is told as one."""

import errno
import io
import os

import pytest

from graupel import storage
from graupel.core.errors import NoRoom
from graupel.core.roles import SYSTEM
from graupel.features.files import exporting
from graupel.features.files import service as files
from graupel.features.media import service as media
from graupel.features.translating import exchange
from tests.making import jpeg, make_product
from tests.serving import app, as_role, browser, stranger

__all__ = ["app", "as_role", "browser", "stranger"]


@pytest.fixture
def full(monkeypatch):
    """The disk takes nothing more: found at the end of writing, when a file is synced."""

    def no_room(_):
        raise OSError(errno.ENOSPC, "No space left on device")

    monkeypatch.setattr(os, "fsync", no_room)


def test_a_file_stands_there_whole_or_as_it_was(tmp_path):
    path = tmp_path / "new" / "a"
    storage.write(path, [b"one ", b"two"])
    assert path.read_bytes() == b"one two"

    def breaks():
        yield b"begun"
        raise KeyError("breaks")

    with pytest.raises(KeyError, match="breaks"):
        storage.write(path, breaks())
    assert path.read_bytes() == b"one two"
    assert list(path.parent.iterdir()) == [path]


def kept(ctx):
    return sorted(path for path in ctx.settings.data_folder.rglob("*") if path.is_file())


def test_a_full_disk_is_said_and_leaves_nothing_behind(ctx, full):
    make_product(ctx, "FEL-1")
    before = kept(ctx)
    for act in (
        lambda: media.take(ctx, SYSTEM, "a.jpg", jpeg()),
        lambda: files.take(ctx, SYSTEM, "a.csv", io.BytesIO(b"sku,name\nA,B\n")),
        lambda: exporting.export(ctx, SYSTEM, ctx.settings.data_folder / "out.csv"),
        lambda: exchange.keep(ctx, SYSTEM, io.BytesIO(b"key;value\n")),
    ):
        with pytest.raises(NoRoom, match="is full"):
            act()
    assert kept(ctx) == before
    assert ctx.db.run(lambda tx: tx.value("SELECT COUNT(*) FROM media")) == 0


def test_a_page_says_it_and_the_server_is_not_ready(ctx, browser, stranger, full, monkeypatch):
    answer = browser.write("/media", files={"file": ("a.jpg", jpeg(), "image/jpeg")})
    assert answer.status_code == 507
    assert "is full" in answer.text
    assert stranger.get("/readyz").json()["files"] == "writable"
    monkeypatch.setattr(storage, "LEAST_FREE_BYTES", 1 << 62)
    told = stranger.get("/readyz")
    assert told.status_code == 503
    assert "left for files" in told.json()["files"]
