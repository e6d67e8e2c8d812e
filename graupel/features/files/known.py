"""What the columns of files can go to, and come from: the declared fields, and the attributes that all goods share."""

from graupel.context import Context
from graupel.core.file_columns import Known
from graupel.db import Tx
from graupel.features.vocabulary import service as vocabulary
from graupel.features.vocabulary.service import Vocabulary
from graupel.features.wording import service as wording


def current(ctx: Context) -> Known:
    """As it is now, for looking."""
    return ctx.db.run(lambda tx: _of(tx, vocabulary.current(ctx, tx)))


def load(tx: Tx) -> Known:
    """As a transaction sees it, for deciding."""
    return _of(tx, vocabulary.load(tx))


def _of(tx: Tx, words: Vocabulary) -> Known:
    names = wording.in_all_languages(tx, "attribute", "name")
    return Known.of(words.attributes.values(), words.tags, names)
