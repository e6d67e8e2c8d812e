"""Transactions on bad days: deadlocks, lost connections, and rows that do not fit."""

import tempfile
import threading
from decimal import Decimal

import pymysql
import pytest

from graupel.core.errors import GraupelError, Refused
from graupel.db import Database, DatabaseBusy, DatabaseUnavailable, DuplicateKey, connection, migrate, pending
from graupel.db.loading import as_line, as_lines, load_blocks, load_rows
from graupel.db.nodes import connect_options


def names(ctx):
    return [row["name"] for row in ctx.db.run(lambda tx: tx.all("SELECT name FROM category ORDER BY id"))]


@pytest.mark.concurrency
def test_two_that_deadlock_are_both_done_in_the_end(ctx):
    ids = [ctx.db.run(lambda tx, n=n: tx.insert("INSERT INTO category (name) VALUES (%s)", [n])) for n in "ab"]
    meet = threading.Barrier(2, timeout=10)
    runs = []

    def cross(first, second):
        def work(tx):
            runs.append(first)
            tx.run("UPDATE category SET position = position + 1 WHERE id = %s", [first])
            if len(runs) <= 2:
                meet.wait()
            tx.run("UPDATE category SET position = position + 1 WHERE id = %s", [second])

        ctx.db.run(work)

    threads = [threading.Thread(target=cross, args=pair) for pair in (ids, ids[::-1])]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert len(runs) == 3  # one of the two was sent back once
    assert [row["position"] for row in ctx.db.run(lambda tx: tx.all("SELECT position FROM category"))] == [2, 2]


def test_a_connection_lost_in_the_middle_is_replaced_and_the_work_done_once(ctx):
    runs = []

    def work(tx):
        tx.run("INSERT INTO category (name) VALUES ('once')")
        runs.append(1)
        if len(runs) == 1:
            me = tx.value("SELECT CONNECTION_ID()")
            ctx.db.run(lambda other: other.run(f"KILL {me}"))
        tx.run("UPDATE category SET position = 1")

    ctx.db.run(work)
    assert len(runs) == 2
    assert names(ctx) == ["once"]


def test_a_database_that_is_not_there_is_said_to_be_away():
    with pytest.raises(DatabaseUnavailable, match="Nothing was changed"):
        Database("mysql://nobody:x@127.0.0.1:9/none").run(lambda tx: tx.value("SELECT 1"), attempts=2)
    with pytest.raises(GraupelError, match="mysql://user"):
        connect_options("postgres://x/y")


def test_a_key_that_is_taken_is_named(ctx):
    ctx.db.run(lambda tx: tx.run("INSERT INTO category (name) VALUES ('a')"))
    with pytest.raises(DuplicateKey) as refusal:
        ctx.db.run(lambda tx: tx.run("INSERT INTO category (name) VALUES ('a')"))
    assert refusal.value.key == "category_siblings"


def test_loaded_rows_hold_exactly_what_was_given(ctx):
    odd = ["tab\there", "line\nbreak", "back\\slash", "quote\"'", "\\N", "🧶", "NULL", "cr\r", "sub\x1astitute"]
    ctx.db.run(lambda tx: load_rows(tx, "category", ["name", "parent_id"], [(name, None) for name in odd]))
    assert names(ctx) == odd


def test_a_row_that_does_not_fit_takes_all_back(ctx):
    with pytest.raises(Exception, match=r"rows were loaded|too long"):
        ctx.db.run(lambda tx: load_rows(tx, "category", ["name"], [("fits",), ("x" * 200,)]))
    assert names(ctx) == []


def test_migrations_can_be_run_again(ctx):
    assert migrate(ctx.settings.database_url) == []
    assert pending(ctx.settings.database_url) == []


class LosesAnswers:
    """A connection whose commit is done, or not, and then seems lost."""

    def __init__(self, connection, *, commits):
        self._connection, self._commits = connection, commits

    def __getattr__(self, name):
        return getattr(self._connection, name)

    def commit(self):
        if self._commits:
            self._connection.commit()
        raise pymysql.err.OperationalError(2013, "Lost connection to MySQL server during query")


@pytest.mark.concurrency
@pytest.mark.parametrize("commits", [True, False])
def test_a_commit_whose_answer_is_lost_is_done_once(ctx, monkeypatch, commits):
    runs, lost, plain = [], [], Database._connect

    def work(tx):
        runs.append(1)
        return tx.insert("INSERT INTO category (name) VALUES (%s)", [f"made in run {len(runs)}"])

    def first_connection_loses(database):
        found = plain(database)
        if not lost:
            lost.append(found)
            return LosesAnswers(found, commits=commits)
        return found

    monkeypatch.setattr(Database, "_connect", first_connection_loses)
    made = ctx.db.run(work)
    assert len(runs) == (1 if commits else 2)
    assert names(ctx) == [f"made in run {len(runs)}"]
    assert made == ctx.db.run(lambda tx: tx.value("SELECT id FROM category"))


def test_who_waits_too_long_for_a_connection_is_told_so(ctx, monkeypatch):
    monkeypatch.setattr(connection, "WAIT_SECONDS", 0.05)
    small = Database(ctx.settings.database_url, size=1)
    try:
        with pytest.raises(DatabaseBusy, match="try again shortly"):
            small.run(lambda tx: small.run(lambda other: other.value("SELECT 1")))
        assert small.run(lambda tx: tx.value("SELECT 1")) == 1
    finally:
        small.close()


def test_a_statement_that_takes_too_long_is_given_up_and_not_tried_again(ctx):
    hurried = Database(ctx.settings.database_url, statement_seconds=0.2)
    runs = []

    def work(tx):
        runs.append(1)
        return tx.value("SELECT COUNT(*) FROM information_schema.columns a WHERE SLEEP(1)")

    try:
        with pytest.raises(DatabaseBusy, match="takes too long"):
            hurried.run(work)
        assert len(runs) == 1
    finally:
        hurried.close()


def test_what_is_looked_at_together_is_one_transaction_that_reads_each_thing_once(ctx):
    reads = []

    def read(tx):
        return tx.remembered("names", lambda: reads.append(tx) or tx.value("SELECT CONNECTION_ID()"))

    def page(tx):
        seen = [read(tx), ctx.db.run(read), ctx.db.run(lambda inner: inner.value("SELECT CONNECTION_ID()"))]
        if len(reads) == 1:  # lost in the middle: all of it is looked at again
            raise pymysql.err.OperationalError(2013, "Lost connection to MySQL server during query")
        return seen

    seen = ctx.db.look(page)
    assert len(set(seen)) == 1
    assert len(reads) == 2
    for _ in range(2):
        ctx.db.run(read)
    assert len(reads) == 4, "elsewhere it is read anew"


def test_what_looks_writes_nothing(ctx):
    with pytest.raises(AssertionError, match="for reading"):
        ctx.db.look(lambda _: ctx.db.run(lambda tx: tx.insert("INSERT INTO category (name) VALUES ('by a page')")))
    assert names(ctx) == []


@pytest.mark.parametrize("odd", ["tab\there", "line\nbreak", "back\\slash", "cr\r", "nul\0", "plain"])
def test_rows_by_columns_are_written_as_one_by_one(odd):
    rows = [("A-1", None, Decimal("9.80"), 3), ("B-2", odd, None, 4), ("", "C", "\x1a", 0)]
    assert as_lines(list(zip(*rows, strict=True))) == [as_line(row) for row in rows]


def _rows_until(number, ends=None, called="Category"):
    for one in range(1, number + 1):
        yield f"{called} {one}\t\\ \n", None
    if ends:
        raise ends


def test_blocks_are_loaded_while_the_next_is_read_and_a_break_leaves_no_file(ctx, tmp_path, monkeypatch):
    monkeypatch.setattr(tempfile, "tempdir", str(tmp_path))

    def load(rows):
        lines = ([as_line(row)] for row in rows)
        return ctx.db.run(lambda tx: list(load_blocks(tx, "category", ["name", "parent_id"], lines, 10)))

    assert load(_rows_until(25)) == [10, 10, 5]
    assert names(ctx) == [name for name, _ in _rows_until(25)]
    with pytest.raises(Refused, match="cut off"):
        load(_rows_until(15, Refused.because("file.cut", "It is cut off."), "Other"))
    with pytest.raises(RuntimeError, match="loaded into category"):
        load([*_rows_until(3, None, "Fits"), *[("x" * 200, None)] * 20])
    assert list(tmp_path.iterdir()) == []
    assert len(names(ctx)) == 25
