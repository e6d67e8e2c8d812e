"""All tables of a database as text, as they were at one moment, and back into an empty database."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path

from graupel.db.connection import Database, Tx
from graupel.db.loading import as_line, load_file

#: What stands in these is worth nothing elsewhere, or later: who is signed in, and marks of what was just done.
EMPTIED = ("session", "act", "unit_of_work", "yoyo_lock")
_BINARY = ("binary", "varbinary", "blob", "tinyblob", "mediumblob", "longblob", "bit")
_TEXT = ("char", "varchar", "text", "tinytext", "mediumtext", "longtext", "enum", "set")


@dataclass(frozen=True)
class Table:
    """A table: the statement that makes it, and its columns with the kinds of their values."""

    name: str
    create: str
    columns: Sequence[tuple[str, str]]

    @property
    def is_kept(self) -> bool:
        """Its rows are worth keeping."""
        return self.name not in EMPTIED

    @property
    def _select(self) -> str:
        shown = {
            name: f"HEX(`{name}`)" if kind in _BINARY else f"`{name}`" if kind in _TEXT else f"CAST(`{name}` AS CHAR)"
            for name, kind in self.columns
        }
        return f"SELECT {', '.join(f'{sql} AS `{name}`' for name, sql in shown.items())} FROM `{self.name}`"

    @property
    def loaded(self) -> str:
        """SQL of what a line holds, for LOAD DATA."""
        binary = [name for name, kind in self.columns if kind in _BINARY]
        names = ", ".join(f"@{name}" if name in binary else f"`{name}`" for name, _ in self.columns)
        sets = ", ".join(f"`{name}` = UNHEX(@{name})" for name in binary)
        return f"{names} SET {sets}" if sets else names

    def lines(self, tx: Tx) -> Iterator[str]:
        """All rows as lines."""
        for row in tx.stream(self._select):
            yield as_line(list(row.values()))


def hold_moment(tx: Tx) -> None:
    """From now on this transaction, which wrote nothing yet, sees the whole database as it is now."""
    for statement in (
        "COMMIT",
        "SET TRANSACTION ISOLATION LEVEL REPEATABLE READ",
        "START TRANSACTION WITH CONSISTENT SNAPSHOT",
    ):
        tx.run(statement)


def tables(tx: Tx) -> list[Table]:
    """The tables of the database, by name."""
    columns: dict[str, list[tuple[str, str]]] = {}
    for row in tx.all(
        """SELECT c.table_name AS name, c.column_name AS field, c.data_type AS kind FROM information_schema.columns c
           JOIN information_schema.tables t ON t.table_schema = c.table_schema AND t.table_name = c.table_name
           WHERE c.table_schema = DATABASE() AND t.table_type = 'BASE TABLE' AND c.extra NOT LIKE '%%GENERATED%%'
           ORDER BY c.table_name, c.ordinal_position"""
    ):
        columns.setdefault(row["name"], []).append((row["field"], row["kind"]))
    found = []
    for name, fields in columns.items():
        row = tx.one(f"SHOW CREATE TABLE `{name}`") or {}
        found.append(Table(name, row["Create Table"], fields))
    return found


def make(db: Database, found: Sequence[Table]) -> None:
    """Make tables; they refer to each other, so nothing is held against the others while they are made."""

    def work(tx: Tx) -> None:
        tx.run("SET foreign_key_checks = 0")
        try:
            for table in found:
                tx.run(table.create)
        finally:
            tx.run("SET foreign_key_checks = 1")

    db.run(work)


def load(db: Database, table: Table, path: Path, count: int) -> None:
    """Load a table's lines. They are of one moment, at which all references held."""

    def work(tx: Tx) -> None:
        tx.run("SET foreign_key_checks = 0, unique_checks = 0, sql_mode = CONCAT(@@sql_mode, ',NO_AUTO_VALUE_ON_ZERO')")
        try:
            load_file(tx, f"`{table.name}`", table.loaded, path, count)
        finally:
            tx.run("SET foreign_key_checks = 1, unique_checks = 1, sql_mode = DEFAULT")

    db.run(work)


def drop(db: Database, found: Sequence[Table]) -> None:
    """Take tables away again."""

    def work(tx: Tx) -> None:
        tx.run("SET foreign_key_checks = 0")
        try:
            for table in found:
                tx.run(f"DROP TABLE IF EXISTS `{table.name}`")
        finally:
            tx.run("SET foreign_key_checks = 1")

    db.run(work)
