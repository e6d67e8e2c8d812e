"""Acts that carry a key: their transactions say so as they commit, and their answers are kept for a repetition."""

import json
import uuid
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass
from typing import Any

from graupel.db.connection import Act, Tx, current_act
from graupel.db.errors import DuplicateKey

#: An act that has been under way for longer was given up by whoever did it: no statement of a page takes as long.
GIVEN_UP_SECONDS = 120
DAYS_KEPT = 2


__all__ = ["Act", "Answer", "begin", "doing", "end", "forget"]


@dataclass(frozen=True)
class Answer:
    """What was answered. ``asked``: SHA-256 of what was asked. None where it was not kept; ``body`` is packed."""

    asked: bytes | None
    status: int | None
    headers: Mapping[str, str]
    body: bytes | None


@contextmanager
def doing(act: Act | None) -> Iterator[None]:
    """Transactions herein count as this act's; with None, as nobody's."""
    token = current_act.set(act)
    try:
        yield
    finally:
        current_act.reset(token)


def begin(tx: Tx, mark: bytes) -> Act | Answer | None:
    """The act, where it is to be done now; the answer, where it was done; None while another try is under way."""
    act = Act(mark, uuid.uuid4().bytes)
    row = tx.one(
        """SELECT claim, commits, asked, status, headers, body,
           began_at < UTC_TIMESTAMP(3) - INTERVAL %s SECOND AS given_up FROM act WHERE mark = %s FOR UPDATE""",
        [GIVEN_UP_SECONDS, mark],
    )
    if row is None:
        try:
            tx.run("INSERT INTO act (mark, claim) VALUES (%s, %s)", [mark, act.claim])
        except DuplicateKey:
            return None
        return act
    if row["status"] is not None:
        return Answer(row["asked"], row["status"], json.loads(row["headers"]), row["body"])
    if not row["given_up"]:
        return None
    if row["commits"]:
        return Answer(None, None, {}, None)
    tx.run("UPDATE act SET claim = %s, began_at = UTC_TIMESTAMP(3) WHERE mark = %s", [act.claim, mark])
    return act


def end(tx: Tx, act: Act, answer: Answer) -> None:
    """Keep the answer, unless nothing was done and it says so: then the same may be tried again."""
    assert answer.status is not None
    if answer.status >= 400:
        tx.run("DELETE FROM act WHERE mark = %s AND claim = %s AND commits = 0", [act.mark, act.claim])
    kept: list[Any] = [answer.asked, answer.status, json.dumps(dict(answer.headers)), answer.body, act.mark, act.claim]
    tx.run("UPDATE act SET asked = %s, status = %s, headers = %s, body = %s WHERE mark = %s AND claim = %s", kept)


def forget(tx: Tx) -> int:
    """Forget acts that nobody repeats any more; returns how many."""
    return tx.run("DELETE FROM act WHERE began_at < UTC_TIMESTAMP() - INTERVAL %s DAY LIMIT 1000000", [DAYS_KEPT])
