"""The row of a file, held by who says something of it; and whether anything can be said of it still."""

from graupel.core.errors import NotFound, Refused
from graupel.db import Tx
from graupel.features.files import store
from graupel.features.files.rows import ImportFileRow
from graupel.jobs import queue


def locked(tx: Tx, file_id: int) -> ImportFileRow:
    """The row of a file, which nobody else changes now. Raises NotFound."""
    row = store.read(tx, file_id, lock=True)
    if row is None:
        raise NotFound(f"There is no file {file_id}.")
    return row


def open_to_change(tx: Tx, file_id: int) -> ImportFileRow:
    """The row of a file of which it can be said otherwise how it is read or brought in. Raises Refused, NotFound."""
    row = locked(tx, file_id)
    refuse_closed(row)
    _refuse_while_written(tx, row)
    return row


def refuse_closed(row: ImportFileRow) -> None:
    """What an applied file said stays as it is: the journal refers to it. Of what is not read nothing can be said."""
    if row["state"] == "applied":
        raise Refused.because("file.applied", "This file was brought in already. Upload it again to repeat it.")
    if not row["headers"]:
        raise Refused.because("file.unread", "This file is not read yet. Wait for that, or choose it again.")


def _refuse_while_written(tx: Tx, row: ImportFileRow) -> None:
    """What is being brought in is not changed by somebody who still looks at its columns."""
    if row["job_id"] and queue.is_open(tx, row["job_id"], "files.apply"):
        raise Refused.because("file.written", "This file is being brought in just now. Cancel that first.")
