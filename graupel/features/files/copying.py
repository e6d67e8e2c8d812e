"""Goods as a table that is copied into a spreadsheet, and a table that is pasted: the same files, without a file."""

import csv
import io
from itertools import islice

from graupel.context import Context
from graupel.core.cells import RISKY, harmless
from graupel.core.errors import Refused
from graupel.core.roles import Actor, Role
from graupel.core.tables import read_columns
from graupel.db import Tx
from graupel.features.files import exporting, service
from graupel.tables.writing import Out

#: So many rows are copied at once; what is more goes as a file.
MOST_ROWS = 10_000
#: The fields of files by the columns of the table that are called otherwise.
_FIELDS = {"weight": "weight_g"}
#: By these the rows are known again, whatever the table shows.
_ALWAYS = ("sku", "code", "name")


def copied(ctx: Context, actor: Actor, query: str, shown: str) -> tuple[str, int]:
    """The variants of the goods that a view's address shows, as text with tabs, and how many; with the columns that
    the table shows ("." between their names). Raises Refused where there are too many."""
    if exporting.counted(ctx, actor, query or None) > MOST_ROWS:  # to stop reading so many would read them all
        raise _too_many()
    columns = read_columns(shown.split("."))
    fields = [*_ALWAYS, *(_FIELDS.get(name, name) for name in columns if name not in _ALWAYS)]

    def work(tx: Tx) -> tuple[list[str], list[list[str]]]:
        heads, rows = exporting.table_of(ctx, tx, Out.CSV, fields, query or None)
        return [head.header for head in heads], list(islice(rows, MOST_ROWS + 1))

    heads, rows = ctx.db.run(work)
    if len(rows) > MOST_ROWS:
        raise _too_many()
    out = io.StringIO()
    writer = csv.writer(out, delimiter="\t", lineterminator="\n")
    writer.writerow(heads)
    writer.writerows([harmless(cell) if cell[:1] in RISKY else cell for cell in row] for row in rows)
    return out.getvalue(), len(rows)


def _too_many() -> Refused:
    said = f"At most {MOST_ROWS:,} rows are copied at once. Narrow the table down, or take it out as a file."
    return Refused.because("copy.many", said)


def pasted(ctx: Context, actor: Actor, text: str) -> int:
    """Take a pasted table as a file; returns its id. Raises Refused where it is none."""
    actor.require(Role.EDITOR)
    if len(text.strip().splitlines()) < 2:
        said = "Paste at least two lines: the headers, and a row. Copy them together in the spreadsheet."
        raise Refused.because("paste.short", said, "text")
    return service.take(ctx, actor, "Pasted table", io.BytesIO(text.strip("\n\r").encode("utf-8", "replace")))
