"""What the columns of files can go to, and come from: declared fields, attributes that all goods share, and what holds
for a language or a destination."""

from collections.abc import Iterator

from graupel.context import Context
from graupel.core import languages, record_columns
from graupel.core.declarations.products import AMOUNTS, PRODUCT, WORDS
from graupel.core.file_columns import TAGS_ID, Known, OwnColumn, Place
from graupel.core.record_files import RowsAre
from graupel.db import Tx
from graupel.features.destinations import service as destinations
from graupel.features.destinations.service import Destinations
from graupel.features.products.batch import lists as batch_lists
from graupel.features.terms import stock_store
from graupel.features.vocabulary import service as vocabulary
from graupel.features.vocabulary.service import Vocabulary
from graupel.features.wording import service as wording


def current(ctx: Context, rows_are: str = RowsAre.GOODS) -> Known:
    """As it is now, for looking; ``rows_are``: what the rows of a file are."""
    if rows_are != RowsAre.GOODS:
        return of_records(ctx, RowsAre(rows_are))
    return ctx.db.run(lambda tx: _of(ctx, tx, vocabulary.current(ctx, tx)))


def of_records(ctx: Context, rows_are: RowsAre) -> Known:
    """Of a file whose rows are no goods."""

    def work(tx: Tx) -> Known:
        shared = vocabulary.current(ctx, tx).attributes.values() if rows_are is RowsAre.CATEGORY else ()
        langs = destinations.current(ctx, tx).languages
        return Known({}, records=record_columns.columns_of(rows_are, langs, shared))

    return ctx.db.run(work)


def load(ctx: Context, tx: Tx) -> Known:
    """As a transaction sees it, for deciding."""
    return _of(ctx, tx, vocabulary.load(tx))


def _of(ctx: Context, tx: Tx, words: Vocabulary) -> Known:
    names = wording.in_all_languages(tx, "attribute", "name")
    own = _own(destinations.current(ctx, tx))
    places = [Place(row["id"], row["name"]) for row in stock_store.locations(tx)[1:]]
    lists = [one.column for one in batch_lists.load(tx, read=ctx.db.run).values() if one.column.id != TAGS_ID]
    return Known.of(words.attributes.values(), words.tags, names, own, places, lists)


def _own(found: Destinations) -> Iterator[OwnColumn]:
    """Words in each further language, and amounts at each destination beside the first."""
    for lang in found.languages:
        called, itself = languages.name(lang), languages.name(lang, lang)
        for name in WORDS:
            label = PRODUCT.field(name).label
            ends = dict.fromkeys((f"({lang})", lang, f"({called})", called, f"({itself})", itself))
            headers = tuple(f"{label} {end}".lower() for end in ends)
            yield OwnColumn(f".{lang}.{name}", f"{label} in {called}", headers)
    for destination in found.all[1:]:
        for name in AMOUNTS:
            label = PRODUCT.field(name).label
            headers = tuple(f"{label} {end}".lower() for end in (f"({destination.name})", destination.name))
            currency = destination.currency or found.default_currency
            yield OwnColumn(f"{destination.code}..{name}", f"{label} at {destination.name}", headers, currency)
