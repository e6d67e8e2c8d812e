"""Records that are no goods on their way out: as a file that changes nothing where it is brought in again."""

from collections.abc import Iterator
from pathlib import Path

from graupel.context import Context
from graupel.core.errors import Refused
from graupel.core.record_files import RowsAre
from graupel.core.roles import Actor, Role
from graupel.db import Tx
from graupel.features.files.records.clerks import Clerk
from graupel.features.files.records.planning import clerk_of
from graupel.tables import writing
from graupel.tables.going_out import Column, Written
from graupel.tables.writing import Out


def refuse_format(out: Out) -> None:
    """schema.org's Product has no words for them. Raises Refused."""
    if out is Out.LINKED:
        raise Refused.because("export.linked", "JSON-LD is for goods alone. Choose another format.", "form")


def export(ctx: Context, actor: Actor, path: Path, out: Out, rows_are: RowsAre) -> Written:
    """Write all records of a kind, with all their columns. Raises Refused, NoRoom."""
    actor.require(Role.VIEWER)
    refuse_format(out)

    def work(tx: Tx) -> Written:
        clerk = clerk_of(ctx, tx, rows_are)
        heads = [Column(one.headers[0]) for one in clerk.columns.columns.values()]
        return writing.write(path, out, heads, _rows(clerk), ("records", str(rows_are)))

    return ctx.db.run(work)


def _rows(clerk: Clerk) -> Iterator[list[str]]:
    for said in clerk.everything():
        yield [said.get(name, "") for name in clerk.columns.columns]
