"""The whole catalogue, database and files, in one file, and back; people go on working meanwhile.

The file is a zip: ``tables/NAME.tsv`` as LOAD DATA reads it, ``files/...`` as they lie in the data folder, and at its
end ``backup.json``, which says what is in it. All tables are read in one transaction, and so as they were at one
moment; files are never written twice, so what they refer to is there. The key that seals secrets is not in it.
"""

import json
import tempfile
import zipfile
import zlib
from collections.abc import Callable, Iterator
from dataclasses import asdict, dataclass
from datetime import UTC, datetime
from pathlib import Path, PurePosixPath
from typing import Any, BinaryIO

import graupel
from graupel import storage
from graupel.core.errors import Refused
from graupel.db import Database, Tx, dump, migrate
from graupel.db.dump import Table
from graupel.settings import Settings

#: What is kept of the data folder; the rest is made anew.
FOLDERS = ("media", "uploads", "translations", "downloads", "buyers")
_MADE_ANEW = ("unpacked-", "unfolded-", "coming-", ".")
_FORMAT = 1
Told = Callable[[str], None]


@dataclass(frozen=True)
class Backup:
    """What a backup holds: when it was made and by which version, its tables with their rows, and how many files."""

    format: int
    version: str
    made_at: str
    tables: list[dict[str, Any]]
    files: int

    @property
    def rows(self) -> int:
        """Of all tables together."""
        return sum(one["rows"] for one in self.tables)


def make(db: Database, settings: Settings, to: Path, told: Told) -> Backup:
    """Write a backup; it stands at its path whole or not at all. Raises NoRoom."""
    with storage.aside(to) as file, zipfile.ZipFile(file, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as packed:
        tables = db.run(lambda tx: _write_tables(tx, packed, told))
        count = 0
        for path in _files(settings.data_folder):
            packed.write(path, f"files/{path.relative_to(settings.data_folder).as_posix()}", zipfile.ZIP_STORED)
            count += 1
        told(f"{count:,} files")
        made = Backup(_FORMAT, graupel.__version__, datetime.now(UTC).isoformat(timespec="seconds"), tables, count)
        packed.writestr("backup.json", json.dumps(asdict(made), ensure_ascii=False))
    return made


def _write_tables(tx: Tx, packed: zipfile.ZipFile, told: Told) -> list[dict[str, Any]]:
    written = []
    dump.hold_moment(tx)
    for table in dump.tables(tx):
        count = 0
        if table.is_kept:
            told(table.name)
            with packed.open(f"tables/{table.name}.tsv", "w", force_zip64=True) as file:
                for line in table.lines(tx):
                    file.write(line.encode())
                    count += 1
        written.append(
            {"name": table.name, "create": table.create, "columns": [list(one) for one in table.columns], "rows": count}
        )
    return written


def _files(folder: Path) -> Iterator[Path]:
    for name in FOLDERS:
        for path in sorted((folder / name).rglob("*")):
            if path.is_file() and not path.name.startswith(_MADE_ANEW):
                yield path


# --- back ----------------------------------------------------------------------------------------------------


def restore(db: Database, settings: Settings, path: Path, told: Told) -> Backup:
    """Bring a backup into an empty database and its files into the data folder, and both up to this version.

    Raises Refused where the file is none, is broken or newer, or where the database is not empty; NoRoom. Whatever goes
    wrong, the database is empty again then.
    """
    try:
        packed = zipfile.ZipFile(path)
    except (zipfile.BadZipFile, OSError) as error:
        raise _broken("It is no backup, or is cut off.") from error
    with packed:
        found = _read(packed)
        tables = [Table(one["name"], one["create"], [(a, b) for a, b in one["columns"]]) for one in found.tables]
        if names := [table.name for table in db.run(dump.tables)]:
            raise Refused.because(
                "backup.not_empty",
                f"The database is not empty: it has {len(names)} tables, such as {names[0]}. Make a new one, and say "
                "its address in GRAUPEL_DATABASE_URL.",
            )
        _restore_files(packed, settings.data_folder)
        told(f"{found.files:,} files")
        try:
            dump.make(db, tables)
            for table, one in zip(tables, found.tables, strict=True):
                if table.is_kept:
                    told(table.name)
                    _load(db, packed, table, one["rows"])
            migrate(settings.database_url)
        except BaseException:
            dump.drop(db, [*tables, *db.run(dump.tables)])
            raise
    return found


def _read(packed: zipfile.ZipFile) -> Backup:
    """What a backup says of itself; every part of it is read once, so that nothing is begun with half of it."""
    try:
        said = json.loads(packed.read("backup.json"))
        bad = packed.testzip()
    except (KeyError, ValueError, zipfile.BadZipFile, zlib.error, EOFError, NotImplementedError, OSError) as error:
        raise _broken("What it holds can't be read.") from error
    if bad:
        raise _broken(f"“{bad[:80]}” in it is damaged.")
    if said.get("format") != _FORMAT:
        said = "This backup was made by another version of Graupel, which writes them in another way. Use that version."
        raise Refused.because("backup.format", said)
    return Backup(**said)


def _broken(why: str) -> Refused:
    return Refused.because("backup.broken", f"This file can't be brought back. {why} Nothing was written.")


def _restore_files(packed: zipfile.ZipFile, folder: Path) -> None:
    for info in packed.infolist():
        name = PurePosixPath(info.filename)
        if name.parts[:1] != ("files",):
            continue
        if ".." in name.parts or name.is_absolute() or name.parts[1:2] == () or name.parts[1] not in FOLDERS:
            raise _broken(f"“{info.filename[:80]}” would lie outside the data folder.")
        to = folder.joinpath(*name.parts[1:])
        if not to.exists() or to.stat().st_size != info.file_size:
            with packed.open(info) as file:
                storage.write(to, iter(lambda file=file: file.read(1 << 20), b""))  # type: ignore[misc]


def _load(db: Database, packed: zipfile.ZipFile, table: Table, count: int) -> None:
    with tempfile.NamedTemporaryFile(prefix="graupel-", delete=False) as plain:
        path = Path(plain.name)
        with packed.open(f"tables/{table.name}.tsv") as file:
            _copy(file, plain)  # type: ignore[arg-type]
    try:
        dump.load(db, table, path, count)
    finally:
        path.unlink(missing_ok=True)


def _copy(file: Any, to: BinaryIO) -> None:
    while piece := file.read(1 << 20):
        to.write(piece)
