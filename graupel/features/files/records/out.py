"""Records that are no goods on their way out: as a file that changes nothing where it is brought in again."""

from pathlib import Path

from graupel.context import Context
from graupel.core.errors import Refused
from graupel.core.file_columns import FACT
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
        names = _names(clerk)
        heads = [Column(clerk.columns.columns[name].headers[0]) for name in names]
        rows = ([said.get(name, "") for name in names] for said in clerk.everything())
        return writing.write(path, out, heads, rows, ("records", str(rows_are)))

    return ctx.db.run(work)


def _names(clerk: Clerk) -> list[str]:
    """The columns that go out: all, but for fields of records' own that none of them has."""
    own = {name for name in clerk.columns.columns if name.startswith(FACT)}
    used = own & {name for said in clerk.everything() for name in said} if own else own
    return [name for name in clerk.columns.columns if name in used or name not in own]
