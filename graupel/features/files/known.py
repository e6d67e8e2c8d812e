"""What the columns of files can go to, and come from: the declared fields, and the attributes that all goods share."""

from graupel.context import Context
from graupel.core.file_columns import Known
from graupel.db import Tx
from graupel.features.vocabulary import service as vocabulary


def current(ctx: Context) -> Known:
    """As it is now, for looking."""
    return ctx.db.run(lambda tx: Known.of(vocabulary.current(ctx, tx).attributes.values()))


def load(tx: Tx) -> Known:
    """As a transaction sees it, for deciding."""
    return Known.of(vocabulary.load(tx).attributes.values())
