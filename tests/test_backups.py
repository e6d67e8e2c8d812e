"""The whole catalogue to one file and back: the same rows, the same files; broken ones leave nothing half done."""

import io
import json
import threading
import zipfile
from decimal import Decimal
from urllib.parse import urlsplit

import pytest

from graupel import backups
from graupel.core.errors import Refused
from graupel.core.roles import SYSTEM
from graupel.db import Database, dump, pending
from graupel.features.files import service as files
from graupel.settings import Settings
from tests.making import make_product


@pytest.fixture
def shop(ctx):
    """Goods with odd signs, pictures, a file that came in, and values of every kind that a column can have."""
    for number in range(5):
        odd = 'Tabs\tand\nlines \\N "quoted" \\ 🧶' if number == 2 else "<p>Plain</p>"
        make_product(
            ctx, f"FEL-{number}", price=Decimal("9.80"), description=odd, picture_side=40 + number, stock=number
        )
    files.take(ctx, SYSTEM, "goods.csv", io.BytesIO(b"sku,name\nFEL-1,Fellside\n"))
    return ctx


@pytest.fixture
def empty(ctx):
    """An empty database beside, with a data folder of its own."""
    name = urlsplit(ctx.settings.database_url).path.strip("/")
    url = ctx.settings.database_url.replace(f"/{name}", f"/{name}_beside")
    db = Database(url)
    yield db, Settings(database_url=url, data_folder=ctx.settings.data_folder / "back", _env_file=None)
    dump.drop(db, db.run(dump.tables))
    db.close()


def everything(db):
    """All rows by table, but those that are not kept."""

    def work(tx):
        return {table.name: sorted(table.lines(tx)) for table in dump.tables(tx) if table.is_kept}

    return db.run(work)


def write(ctx, name="all.zip"):
    path = ctx.folder("backups") / name
    return path, backups.make(ctx.db, ctx.settings, path, lambda word: None)


def test_what_is_brought_back_is_what_was_there(shop, empty):
    db, settings = empty
    path, made = write(shop)
    found = backups.restore(db, settings, path, lambda word: None)
    assert found == made
    assert everything(db) == everything(shop.db)
    assert pending(settings.database_url) == []
    old, new = (
        {one.relative_to(folder): one.read_bytes() for one in backups._files(folder)}
        for folder in (shop.settings.data_folder, settings.data_folder)
    )
    assert len(new) >= 6
    assert old == new
    with pytest.raises(Refused, match="not empty: it has"):
        backups.restore(db, settings, path, lambda word: None)


def test_it_is_of_one_moment_while_people_go_on_working(shop, empty):
    db, settings = empty
    before = everything(shop.db)

    def told(word):  # before products are read, and again between them and their variants, somebody makes one
        if word in ("product", "variant"):
            worker = threading.Thread(target=make_product, args=(shop, f"LATE-{word}"), kwargs={"price": Decimal(1)})
            worker.start()
            worker.join()

    path = shop.folder("backups") / "b.zip"
    backups.make(shop.db, shop.settings, path, told)
    assert everything(shop.db) != before
    backups.restore(db, settings, path, lambda word: None)
    assert everything(db) == before


@pytest.mark.parametrize("harm", ["cut", "damaged", "no backup", "climbs", "newer"])
def test_a_broken_backup_writes_nothing(shop, empty, harm, tmp_path):
    db, settings = empty
    path, _ = write(shop)
    content = path.read_bytes()
    bad = tmp_path / "bad.zip"
    if harm == "cut":
        bad.write_bytes(content[: len(content) // 2])
    elif harm == "damaged":  # one byte of what is packed, each tried by itself
        begin = content.index(b"tables/product.tsv") + 50
        for at in range(begin, begin + 60, 3):
            bad.write_bytes(content[:at] + bytes([content[at] ^ 255]) + content[at + 1 :])
            with pytest.raises(Refused, match="can't be brought back"):
                backups.restore(db, settings, bad, lambda word: None)
    else:
        with zipfile.ZipFile(path) as whole, zipfile.ZipFile(bad, "w") as other:
            said = json.loads(whole.read("backup.json"))
            if harm == "climbs":
                other.writestr("files/media/../../../climbed", b"x")
            if harm == "newer":
                said["format"] = 99
            if harm != "no backup":
                other.writestr("backup.json", json.dumps(said))
    with pytest.raises(Refused, match=r"can't be brought back|another version"):
        backups.restore(db, settings, bad, lambda word: None)
    assert db.run(dump.tables) == []
    assert not (settings.data_folder.parent / "climbed").exists()


def test_a_table_that_can_not_be_loaded_leaves_an_empty_database(shop, empty, monkeypatch):
    db, settings = empty
    path, _ = write(shop)
    load, loaded = dump.load, []

    def fails(target, table, *rest):
        if len(loaded) == 20:
            raise RuntimeError("the disk is gone")
        loaded.append(table.name)
        load(target, table, *rest)

    monkeypatch.setattr(dump, "load", fails)
    with pytest.raises(RuntimeError, match="disk is gone"):
        backups.restore(db, settings, path, lambda word: None)
    assert db.run(dump.tables) == []
