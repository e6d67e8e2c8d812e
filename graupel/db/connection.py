"""Connections, and transactions that are tried again when the database asks for it."""

import random
import re
import threading
import uuid
from collections.abc import Callable, Hashable, Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager, suppress
from contextvars import ContextVar
from dataclasses import dataclass
from typing import Any, TypeVar, cast

import pymysql
from dbutils.pooled_db import PooledDB
from pymysql.constants import CR, ER
from pymysql.cursors import DictCursor, SSDictCursor

from graupel.db.errors import ActTakenOver, DatabaseBusy, DatabaseUnavailable, DuplicateKey, StillNeeded
from graupel.db.nodes import WSREP_NOT_READY, Nodes, connect_options, nodes_of

T = TypeVar("T")
Row = dict[str, Any]
Params = Mapping[str, Any] | Sequence[Any] | None

#: Told to try again: deadlock, lock wait, write conflict on a cluster, a record changed since it was read.
TRY_AGAIN = {ER.LOCK_DEADLOCK, ER.LOCK_WAIT_TIMEOUT, WSREP_NOT_READY, 1020}
GONE = {
    CR.CR_SERVER_GONE_ERROR,
    CR.CR_SERVER_LOST,
    CR.CR_CONN_HOST_ERROR,
    CR.CR_CONNECTION_ERROR,
    ER.CON_COUNT_ERROR,
    ER.SERVER_SHUTDOWN,
    1927,
}
ATTEMPTS = 6
#: How statements begin that leave something behind.
_WRITING = ("INSERT", "UPDATE", "DELETE", "REPLAC", "LOAD D")
#: The server, or we, gave a statement up because it took too long.
STATEMENT_TIMEOUT = 1969
#: For so many seconds a transaction waits for a connection, and one statement for another's lock.
WAIT_SECONDS = 5.0
LOCK_SECONDS = 10


class _CommitUnknown(Exception):
    """The connection was lost while committing: whether that was done is not known. Holds the work's result."""

    def __init__(self, mark: bytes, result: Any) -> None:
        super().__init__("the answer to a commit was lost")
        self.mark, self.result = mark, result


class _NotThere(Exception):
    """A mark was not found; what was written to find out is rolled back."""


class _Imagined(Exception):
    """Carries what was seen out of a transaction that is not to last."""

    def __init__(self, result: Any) -> None:
        super().__init__()
        self.result = result


@contextmanager
def _doubles_named() -> Iterator[None]:
    """Raises DuplicateKey where a statement breaks a unique key, StillNeeded where it removes what others refer to."""
    try:
        yield
    except pymysql.err.IntegrityError as error:
        if error.args[0] == ER.ROW_IS_REFERENCED_2:
            raise StillNeeded("another record refers to this one") from error
        if error.args[0] != ER.DUP_ENTRY:
            raise
        raise DuplicateKey(_key_name(str(error.args[1]))) from error


class Tx:
    """One open transaction. Values are always bound, never pasted into the statement."""

    def __init__(self, connection: Any) -> None:
        self._connection = connection
        self.wrote = False
        #: Called instead of committing: what was written is let go.
        self.instead: Callable[[], None] | None = None
        self._remembered: dict[Hashable, Any] | None = None

    def remember(self) -> None:
        """Keep what is asked by ``remembered``: this transaction only looks."""
        self._remembered = {}

    @property
    def remembers(self) -> bool:
        """Whether what is asked by ``remembered`` is kept."""
        return self._remembered is not None

    def remembered(self, key: Hashable, make: Callable[[], T]) -> T:
        """What was read under a key before in a transaction that only looks; elsewhere it is read anew each time.

        Who writes may have waited for another's lock since, and must see what that one wrote.
        """
        if self._remembered is None:
            return make()
        if key not in self._remembered:
            self._remembered[key] = make()
        found: T = self._remembered[key]
        return found

    def all(self, sql: str, params: Params = None) -> list[Row]:
        """All rows."""
        with self._connection.cursor(DictCursor) as cursor:
            cursor.execute(sql, params)
            return list(cursor.fetchall())

    def one(self, sql: str, params: Params = None) -> Row | None:
        """The first row, or None."""
        rows = self.all(sql, params)
        return rows[0] if rows else None

    def rows(self, shape: type[T], sql: str, params: Params = None) -> list[T]:
        """All rows, known to be of a shape: a TypedDict of the columns. The tests hold each against what is read."""
        return cast(list[T], self.all(sql, params))

    def row(self, shape: type[T], sql: str, params: Params = None) -> T | None:
        """The first row, known to be of a shape, or None."""
        rows = self.rows(shape, sql, params)
        return rows[0] if rows else None

    def value(self, sql: str, params: Params = None) -> Any:
        """The first column of the first row, or None."""
        row = self.one(sql, params)
        return next(iter(row.values())) if row else None

    def stream(self, sql: str, params: Params = None) -> Iterable[Row]:
        """Rows one by one, without holding them all in memory."""
        with self._connection.cursor(SSDictCursor) as cursor:
            cursor.execute(sql, params)
            yield from cursor

    def run(self, sql: str, params: Params = None) -> int:
        """Execute; returns the number of rows changed."""
        self.wrote = self.wrote or sql.lstrip()[:6].upper() in _WRITING
        with self._connection.cursor() as cursor, _doubles_named():
            return int(cursor.execute(sql, params))

    def insert(self, sql: str, params: Params = None) -> int:
        """Execute an INSERT; returns the id it was given."""
        self.wrote = True
        with self._connection.cursor() as cursor, _doubles_named():
            cursor.execute(sql, params)
            return int(cursor.lastrowid)

    def many(self, sql: str, rows: Iterable[Params]) -> None:
        """The same INSERT for many rows, in few statements."""
        self.wrote = True
        with self._connection.cursor() as cursor, _doubles_named():
            cursor.executemany(sql, list(rows))


@dataclass(frozen=True)
class Act:
    """An act under way (db/acts.py): the mark of its key, and the claim of this try at it."""

    mark: bytes
    claim: bytes


#: The act that writing transactions belong to, if any.
current_act: ContextVar[Act | None] = ContextVar("act", default=None)


def _note_act(tx: Tx, act: Act | None) -> None:
    """Say in a transaction that it belongs to an act: who repeats it sees that it was done. Raises ActTakenOver."""
    if act and not tx.run("UPDATE act SET commits = commits + 1 WHERE mark = %s AND claim = %s", [act.mark, act.claim]):
        raise ActTakenOver("This was begun once more meanwhile. Look whether it is done before you repeat it.")


#: The transaction in which this request looks at something, and whose it is.
_looking: "ContextVar[tuple[Database, Tx] | None]" = ContextVar("looking", default=None)


def _joined(tx: Tx, work: Callable[[Tx], T]) -> T:
    """Do a part of what is looked at together. What writes needs a transaction of its own, which is undone alone."""
    result = work(tx)
    assert not tx.wrote, "Database.look is for reading"
    return result


class Database:
    """A pool of connections to one database; safe to share between threads."""

    def __init__(self, url: str, *, size: int = 16, statement_seconds: float | None = None) -> None:
        """``statement_seconds``: a statement that takes longer is given up; None: it may take as long as it needs."""
        self.options = connect_options(url)
        self._nodes = Nodes(nodes_of(url))
        self._session = [
            f"SET SESSION innodb_lock_wait_timeout = {LOCK_SECONDS}",
            "SET SESSION TRANSACTION ISOLATION LEVEL READ COMMITTED",
            "SET SESSION time_zone = '+00:00', sql_mode = 'STRICT_ALL_TABLES,ERROR_FOR_DIVISION_BY_ZERO'",
        ]
        if statement_seconds:  # the server gives up first; a server that hangs does not
            self.options["read_timeout"] = statement_seconds + 5
            self._session.append(f"SET SESSION max_statement_time = {statement_seconds}")
        self._size = size
        self._free = threading.BoundedSemaphore(size)
        self._lock = threading.Lock()
        self._pool: PooledDB | None = None

    def run(self, work: Callable[[Tx], T], *, attempts: int = ATTEMPTS) -> T:
        """Run ``work`` in a transaction, and again from the start when the database says so.

        So ``work`` must have no effect but through its Tx. Raises DuplicateKey and
        DatabaseUnavailable; whatever else ``work`` raises goes through after a roll back. Within ``look`` it is part
        of that transaction.
        """
        if (looking := _looking.get()) and looking[0] is self:
            return _joined(looking[1], work)
        for attempt in range(1, attempts + 1):
            trouble: Exception
            try:
                return self._once(work)
            except _CommitUnknown as unknown:
                if self._was_committed(unknown.mark):
                    result: T = unknown.result
                    return result
                trouble = unknown
            except pymysql.err.Error as error:
                _raise_unless_to_be_tried_again(error)
                trouble = error
            if attempt == attempts:
                raise DatabaseUnavailable("The database does not answer. Nothing was changed.") from trouble
            # Two that collided must not collide again at the same moment.
            threading.Event().wait(random.uniform(0, 0.02 * 2**attempt))  # noqa: S311
        raise AssertionError("unreachable")

    def look(self, work: Callable[[Tx], T]) -> T:
        """Run what only reads: every ``run`` within is part of the same transaction, and what it read is remembered.

        For pages in which many services have a part. ``work`` may be run again, as any.
        """

        def looking(tx: Tx) -> T:
            tx.remember()
            token = _looking.set((self, tx))
            try:
                return work(tx)
            finally:
                _looking.reset(token)

        return self.run(looking)

    def imagine(self, prepare: Callable[[Tx], None], work: Callable[[Tx], T]) -> T:
        """Look, as ``look`` does, at what the database would be after ``prepare``, of which nothing lasts."""

        def imagining(tx: Tx) -> None:
            prepare(tx)
            tx.wrote = False
            tx.remember()
            token = _looking.set((self, tx))
            try:
                raise _Imagined(work(tx))
            finally:
                _looking.reset(token)

        try:
            self.run(imagining)
        except _Imagined as seen:
            found: T = seen.result
            return found
        raise AssertionError("unreachable")

    def _once(self, work: Callable[[Tx], T]) -> T:
        if not self._free.acquire(timeout=WAIT_SECONDS):
            raise DatabaseBusy("Too much is being done at this moment. Nothing was changed; try again shortly.")
        try:
            return self._once_connected(work)
        finally:
            self._free.release()

    def _once_connected(self, work: Callable[[Tx], T]) -> T:
        connection = self._connect()
        try:
            # Without a begin of its own, the pool would replace a connection that is lost in the middle, and
            # repeat the last statement alone: half a transaction.
            connection.begin()
            tx = Tx(connection)
            result = work(tx)
            if tx.instead:
                connection.rollback()
                tx.instead()
            else:
                self._commit(connection, tx, result)
            return result
        except BaseException:
            with suppress(pymysql.err.Error):  # the connection is gone, and with it the transaction
                connection.rollback()
            raise
        finally:
            connection.close()

    def _commit(self, connection: Any, tx: Tx, result: object) -> None:
        """Commit. What wrote something leaves its mark first; without the answer it would else be done twice.

        Raises _CommitUnknown where the answer does not come.
        """
        mark = uuid.uuid4().bytes
        if tx.wrote:
            _note_act(tx, current_act.get())
            tx.run("INSERT INTO unit_of_work (mark) VALUES (%s)", [mark])
        try:
            connection.commit()
        except (pymysql.err.OperationalError, pymysql.err.InterfaceError) as error:
            if tx.wrote and (not error.args or error.args[0] in GONE):
                raise _CommitUnknown(mark, result) from error
            raise

    def _was_committed(self, mark: bytes) -> bool:
        """Whether a transaction left its mark. One that is still being committed is waited for: its mark is locked."""

        def look(tx: Tx) -> None:
            tx.run("INSERT INTO unit_of_work (mark) VALUES (%s)", [mark])
            raise _NotThere

        try:
            self.run(look)
        except DuplicateKey:
            return True
        except _NotThere:
            return False
        except DatabaseUnavailable as error:
            raise DatabaseUnavailable(
                "The database does not answer any more. Whether this was saved is not known: look before you repeat it."
            ) from error
        raise AssertionError("unreachable")

    def _connect(self) -> Any:
        with self._lock:
            if self._pool is None:
                self._pool = PooledDB(
                    self._nodes,
                    mincached=0,
                    maxcached=self._size,
                    maxconnections=self._size,
                    setsession=self._session,
                    **self.options,
                )
        return self._pool.connection()

    def close(self) -> None:
        """Close all connections that are not in use."""
        if self._pool is not None:
            self._pool.close()


def _raise_unless_to_be_tried_again(error: pymysql.err.Error) -> None:
    """Raise what a driver's error means, unless the transaction is worth another try."""
    number = error.args[0] if error.args else 0
    if isinstance(error, pymysql.err.OperationalError) and (number == STATEMENT_TIMEOUT or "timed out" in str(error)):
        raise DatabaseBusy(
            "The database takes too long for this at the moment. Nothing was changed; try again shortly."
        ) from error
    operational = isinstance(error, (pymysql.err.OperationalError, pymysql.err.InternalError))
    if not isinstance(error, pymysql.err.InterfaceError) and not (operational and number in TRY_AGAIN | GONE):
        raise error


def _key_name(message: str) -> str:
    found = re.search(r"for key '([^']+)'", message)
    return found.group(1).rpartition(".")[2] if found else ""


def forget_marks(tx: Tx) -> int:
    """Forget the marks of transactions whose second try can't come any more; returns how many."""
    return tx.run("DELETE FROM unit_of_work WHERE made_at < UTC_TIMESTAMP() - INTERVAL 1 DAY LIMIT 1000000")


def like(text: str) -> str:
    """Text that stands for itself in a LIKE pattern."""
    return text.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_")


def like_sql(expression: str) -> str:
    """SQL: a pattern for LIKE that finds what an expression says anywhere. For statements with parameters."""
    plain = rf"REPLACE(REPLACE(REPLACE({expression}, '\\', '\\\\'), '%%', '\\%%'), '_', '\\_')"
    return f"CONCAT('%%', {plain}, '%%')"
