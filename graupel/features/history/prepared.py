"""Taking a change set down that is prepared instead of done."""

from functools import partial

from graupel.core.errors import Refused
from graupel.core.roles import Actor
from graupel.db import Tx
from graupel.features.history import records, store
from graupel.web.preparing import Act, Preparation

#: What writes more records is a bulk edit or a file, which have a dry run of their own: these are held in memory.
MOST = 20_000


def take(tx: Tx, held: Preparation, actor: Actor, change_set_id: int, kind: str, title: str, *, packed: bool) -> None:
    """Keep what a change set recorded, and have its transaction let go of it. Raises Refused where it can't wait."""
    rows = store.rows(tx, change_set_id, MOST + 1)
    if packed or len(rows) > MOST:
        said = f"More than {MOST:,} records can't be prepared in one act. Change them in bulk or by a file."
        raise Refused.because("prepared.large", said)
    for name in dict.fromkeys(row["record_kind"] for row in rows):
        one = records.kind_of(name)
        if not one.reversible or one.books or one.flows or one.at_once:
            what = f"“{one.label}” holds as soon as it is said, so it can't be prepared."
            raise Refused.because("prepared.at_once", f"{what} Leave it as it is, or save without preparing.")
    tx.instead = partial(held.acts.append, Act(actor, kind, title, [dict(row) for row in rows]))
