"""Writing a planned set of rows into the catalogue, by sets in SQL, in the caller's transaction.

The joins are STRAIGHT_JOINs for the reason that planning.py gives.
"""

from collections.abc import Callable
from datetime import datetime
from typing import Any

from graupel.core import availability
from graupel.core.declarations.products import CHOICES, PRODUCT, VARIANT
from graupel.core.errors import Refused
from graupel.core.file_columns import REFS
from graupel.core.handling import Handling, Way
from graupel.core.products import Status
from graupel.db import Tx
from graupel.features.categories import service as categories
from graupel.features.history import journal, packs, records
from graupel.features.history.service import Recorder
from graupel.features.products import summary
from graupel.features.products.batch import counts as batch_counts
from graupel.features.products.batch import (
    fact_writing,
    group_writing,
    numbering,
    part_numbers,
    picture_writing,
    reviving,
    starting,
)
from graupel.features.products.batch import groups as batch_groups
from graupel.features.products.batch import lists as batch_lists
from graupel.features.products.batch import own as batch_own
from graupel.features.products.batch import ways as batch_ways
from graupel.features.products.batch.numbering import Block
from graupel.features.products.batch.part_numbers import MPN
from graupel.features.products.batch.planned import new_names
from graupel.features.products.batch.planning import HELD, has_stock
from graupel.features.products.batch.spoken import EVERYTHING, JOINED, OF_PRODUCT, OF_VARIANT, Spoken
from graupel.features.products.batch.sql import (
    IDS,
    IDS_RANGE,
    MADE,
    RANGE,
    becomes,
    for_variants,
    kept_or_said,
    new_value,
    was_live,
)
from graupel.features.terms import booking, stock_store
from graupel.features.vocabulary import service as vocabulary

CHUNK = 10_000
#: What a row may say of a product in its text.
_TEXTS = tuple(name for name in OF_PRODUCT if PRODUCT.field(name).beside)
#: The records that it may name, by the columns of their ids.
_REFS = tuple(f"{name}_id" for name in REFS)
#: What it may say of the product itself beside.
_OWN = tuple(name for name in OF_PRODUCT if name not in (*_TEXTS, *_REFS))

#: A row makes something.
_NEW = "b.action = 'new'"

Progress = Callable[[str, int, int], None]


def apply(
    tx: Tx,
    recorder: Recorder,
    batch_id: int,
    lang: str,
    *,
    handling: Handling,
    progress: Progress,
    ids: Block,
    as_of: datetime | None = None,
    of: Spoken = EVERYTHING,
) -> None:
    """Write every new and changed row, in the caller's transaction, but for those whose products changed since the
    dry run: these become "moved". ``ids``: for what is made, as numbering.reserve took them; ``as_of``: the moment for
    which counts of stock hold, UTC, now without it; ``of``: of what the rows speak."""
    status = Status.LIVE if handling.go_live else Status.DRAFT
    params: dict[str, Any] = {"batch": batch_id, "lang": lang, "set": recorder.change_set_id, "status": str(status)}
    archives = handling.way is Way.EQUAL
    _leave_out(tx, params, of, archives=archives)
    _make_words(tx, recorder, params, of, hidden=not handling.show_new)
    if of.grouped:
        starting.note(tx, params)
    numbering.number(tx, params, ids, group_writing.MAKES if of.grouped else "")
    recorder.hand_on(_at_hand(tx, params, of, archives=archives, revives=handling.revive))
    _write_rows(tx, params, of, progress)
    _write_beside(tx, recorder, params, of)
    if handling.revive:
        reviving.put_up(tx, params)
    if archives:
        batch_ways.archive(tx, params)
    if has_stock(tx, batch_id):
        _book(tx, recorder, params | {"as_of": as_of, "at": booking.first_location(tx)})
    tx.run("DROP TEMPORARY TABLE made_category, made_brand")
    progress("Closing", 1, 1)


def _leave_out(tx: Tx, params: dict[str, Any], of: Spoken, *, archives: bool) -> None:
    """Leave out what changed since the dry run."""
    _leave_out_moved(tx, params)
    if of.grouped:
        batch_groups.leave_out_moved(tx, params)
    if archives:
        batch_ways.leave_out_moved_gone(tx, params)


def _make_words(tx: Tx, recorder: Recorder, params: dict[str, Any], of: Spoken, *, hidden: bool) -> None:
    """Make the categories, brands, choices and tags that written rows name."""
    _make_categories(tx, recorder, params["batch"], hidden=hidden)
    _make_brands(tx, recorder, params["batch"])
    if of.grouped or of.facts:
        fact_writing.make_choices(tx, recorder, params["batch"])


def _write_rows(tx: Tx, params: dict[str, Any], of: Spoken, progress: Progress) -> None:
    """Write products and variants, chunk by chunk."""
    last = int(tx.value("SELECT COALESCE(MAX(line), 0) FROM batch_row WHERE batch_id = %(batch)s", params))
    chunks = [{**params, "first": first, "beyond": first + CHUNK} for first in range(0, last + 1, CHUNK)]
    for chunk in chunks:
        progress("Writing", chunk["first"], last)
        _change(tx, chunk, of)
        _make(tx, chunk, of)
    for chunk in chunks if of.grouped else ():  # a variant may stand long before the row that speaks for its product
        progress("Writing variants", chunk["first"], last)
        group_writing.make_variants(tx, chunk, of)


def _write_beside(tx: Tx, recorder: Recorder, params: dict[str, Any], of: Spoken) -> None:
    """Write what rows say beside the fields of products and variants themselves."""
    if of.grouped or of.facts:
        fact_writing.write(tx, recorder, params)
    if of.own:
        batch_own.write(tx, recorder, params)
    if of.pictures:
        picture_writing.write(tx, recorder, params)
    if of.grouped:
        starting.settle(tx, params)
        group_writing.summarise(tx, params)


def _at_hand(tx: Tx, params: dict[str, Any], of: Spoken, *, archives: bool, revives: bool) -> summary.ProductsAtHand:
    """The products that the rows touch, as they follow."""
    added = f"OR {batch_groups.ADDS_VARIANT}" if of.grouped else ""
    return summary.ProductsAtHand(
        made="SELECT n.product_id AS id FROM batch_made n WHERE n.product_id IS NOT NULL",
        changed=f"""SELECT DISTINCT b.product_id AS id FROM batch_row b
                    WHERE b.batch_id = %(batch)s AND ((b.action = 'changed' AND NOT b.only_stock) {added})
                    {f"UNION {batch_ways.TOUCHED}" if archives else ""}
                    {_listed_back(tx) if of.facts else ""}""",
        stocked=archives
        or revives
        or has_stock(tx, params["batch"])
        or bool(availability.FIELDS.keys() & set(of.variant)),
        given=f"""SELECT b.sku, n.variant_id FROM {MADE}
                  WHERE b.batch_id = %(batch)s AND b.action = 'new' AND b.sku IS NOT NULL""",
        params=params,
    )


def _listed_back(tx: Tx) -> str:
    """SQL: what products of the file list, where that holds both ways, changed too."""
    kinds: dict[str, tuple[str, ...]] = {one.kind: () for one in batch_lists.load(tx).values() if one.mutual}
    if not kinds:
        return ""
    return f"""UNION SELECT t.record_id FROM ({summary.touched_sql(kinds)}) t JOIN product p ON p.id = t.record_id
               LEFT JOIN batch_made n ON n.product_id = t.record_id WHERE n.line IS NULL"""


def _book(tx: Tx, recorder: Recorder, params: dict[str, Any]) -> None:
    """Book what was counted: last of all, so that sales of these goods wait no longer than they must.

    What is there is locked before it is looked at; what was sold after the moment for which a count holds stays sold.
    """
    written = "b.batch_id = %(batch)s AND b.action IN ('new', 'changed')"
    counted = f"{written} AND (b.stock IS NOT NULL OR b.counted IS NOT NULL)"
    variant = "batch_row b STRAIGHT_JOIN variant v ON v.sku = b.sku"
    stock_store.begin(tx)
    tx.all(
        f"SELECT k.id FROM {variant} STRAIGHT_JOIN stock k ON k.id = v.id WHERE {counted} ORDER BY k.id FOR UPDATE",
        params,
    )
    tx.run(
        f"""INSERT INTO {stock_store.STAGED} (variant_id, product_id, location_id, amount, reason)
            SELECT v.id, v.product_id, %(at)s, b.stock - {HELD}, 'counted' FROM {variant}
            LEFT JOIN stock k ON k.id = v.id
            WHERE {written} AND b.stock IS NOT NULL AND NOT (COALESCE(k.counted, FALSE) AND b.stock = {HELD})""",
        params,
    )
    batch_counts.stage(tx, params, stock_store.STAGED)
    booking.book_staged(tx, recorder)


def outdated(number: int) -> Refused:
    """What is said where the catalogue moved on since the dry run."""
    what = "One product was" if number == 1 else f"{number:,} products were"
    return Refused.because(
        "plan.outdated",
        f"{what} changed since the dry run, so nothing was written. "
        "Make the dry run again and look at what it says now.",
    )


_MOVED = "p.version <> b.product_version OR v.version <> b.variant_version OR v.sku <> b.sku"
_THERE = "batch_row b STRAIGHT_JOIN variant v ON v.sku = b.sku"
_GONE = "batch_row b LEFT JOIN product p ON p.id = b.product_id LEFT JOIN variant v ON v.id = b.variant_id"


def _leave_out_moved(tx: Tx, params: dict[str, Any]) -> None:
    """Rows whose products changed, came or went since the dry run, or whose categories went, are not written.

    Locks what will be changed, so that nobody can change it between this look and the writing.
    """
    moved = tx.value(
        f"""SELECT SUM({_MOVED}) FROM batch_row b STRAIGHT_JOIN product p ON p.id = b.product_id
           STRAIGHT_JOIN variant v ON v.id = b.variant_id
           WHERE b.batch_id = %(batch)s AND b.action = 'changed' FOR UPDATE""",
        params,
    )
    of_batch = "WHERE b.batch_id = %(batch)s AND b.action"
    there = tx.value(f"SELECT COUNT(*) FROM {_THERE} {of_batch} = 'new'", params)
    lost = "(p.id IS NULL OR (v.id IS NULL AND b.variant_id IS NOT NULL))"
    is_gone = f"{of_batch} = 'changed' AND {lost}"
    gone = tx.value(f"SELECT COUNT(*) FROM {_GONE} {is_gone}", params)
    if moved or gone:
        # What is there of them is locked above.
        is_moved = f"{of_batch} = 'changed' AND ({lost} OR {_MOVED})"
        tx.run(f"UPDATE {_GONE} SET b.action = 'moved' {is_moved}", params)
    for ref, table in (("category_id", "category"), ("brand_id", "brand")):
        lost = f"""SELECT b.line FROM batch_row b LEFT JOIN {table} c ON c.id = b.{ref}
                   WHERE b.batch_id = %(batch)s AND b.{ref} IS NOT NULL AND c.id IS NULL
                   AND b.action IN ('new', 'changed')"""
        if tx.value(f"{lost} LIMIT 1", params):
            tx.run(
                f"""UPDATE batch_row b JOIN ({lost}) gone ON gone.line = b.line SET b.action = 'moved'
                    WHERE b.batch_id = %(batch)s""",
                params,
            )
    if there:
        tx.run(f"UPDATE {_THERE} SET b.action = 'moved' {of_batch} = 'new'", params)


def _make_categories(tx: Tx, recorder: Recorder, batch_id: int, *, hidden: bool) -> None:
    """Make the categories that are not there; made_category has them by path for the writing that follows.

    The rows of the batch are not told: joining some hundred paths costs less than writing every row again.
    """
    paths = new_names(tx, batch_id, "category")
    made = categories.make_paths(tx, recorder, paths, hidden=hidden) if paths else {}
    tx.run(
        """CREATE OR REPLACE TEMPORARY TABLE made_category (path VARCHAR(1000), category_id INT UNSIGNED,
             KEY (path(150))) CHARSET utf8mb4"""
    )
    tx.many("INSERT INTO made_category VALUES (%s, %s)", list(made.items()))


def _make_brands(tx: Tx, recorder: Recorder, batch_id: int) -> None:
    """The same of brands, in made_brand."""
    made = [(name, vocabulary.make_within(tx, recorder, "brand", name)) for name in new_names(tx, batch_id, "brand")]
    tx.run(
        """CREATE OR REPLACE TEMPORARY TABLE made_brand (name VARCHAR(120) COLLATE utf8mb4_unicode_ci,
             brand_id INT UNSIGNED, KEY (name)) CHARSET utf8mb4"""
    )
    tx.many("INSERT INTO made_brand VALUES (%s, %s)", made)


def _change(tx: Tx, params: dict[str, Any], of: Spoken) -> None:
    where = f"{RANGE} AND b.action = 'changed'"
    for record, names, differs in (
        (PRODUCT, of.product, of.product_differs),
        (VARIANT, of.variant, of.any_differs(of.variant)),
    ):
        if record is PRODUCT and of.grouped:
            group_writing.change_alone(tx, params, of)
        if not names:
            continue
        journal.write(
            tx,
            params["set"],
            records.kind_of(record.name),
            JOINED,
            f"{where} AND {differs}",
            params,
            was={name: record.column(name) for name in names},
            became={name: becomes(name, of) for name in names},
            only={name: of.differs(name) for name in names},
        )
    if of.mpn:
        others = (of.product_differs, of.any_differs(of.variant))
        part_numbers.change(tx, params, JOINED, where, others, cleared=MPN in of.cleared)
    # The variant goes first: its comparison must still see what it held.
    sets = "".join(f"v.{name} = IF({of.differs(name)}, b.{name}, v.{name}), " for name in of.variant)
    tx.run(
        f"""UPDATE batch_row b STRAIGHT_JOIN product p ON p.id = b.product_id
               STRAIGHT_JOIN variant v ON v.id = b.variant_id
               SET {sets} v.version = v.version + 1 WHERE {where} AND {of.any_differs(of.variant)}""",
        params,
    )
    sets = "".join(f"{PRODUCT.column(n)} = {kept_or_said(n, of)}, " for n in of.product) + was_live(of)
    tx.run(
        f"""UPDATE batch_row b STRAIGHT_JOIN product p ON p.id = b.product_id
               STRAIGHT_JOIN product_text t ON t.product_id = p.id AND t.lang = %(lang)s
               SET {sets} p.version = p.version + 1, p.changed_at = UTC_TIMESTAMP(3)
               WHERE {where} AND {of.product_differs}""",
        params,
    )


#: It makes a product with one variant, and so whole.
_ALONE = f"{group_writing.MAKES} AND b.code IS NULL"


def _make(tx: Tx, params: dict[str, Any], of: Spoken) -> None:
    where = f"{RANGE} AND {group_writing.MAKES if of.grouped else _NEW}"
    alone = f"{RANGE} AND {_ALONE if of.grouped else _NEW}"
    summed = f"{RANGE} AND ({_ALONE} OR ({group_writing.SINGLE}))" if of.grouped else alone
    own = {name: new_value(name) for name in (*_REFS, *_OWN) if name in of.product}
    own["status"] = "COALESCE(b.status, %(status)s)" if "status" in of.product else "%(status)s"
    if of.grouped:
        own |= {name: for_variants(name) for name in batch_groups.inherited(of.variant)}
    if of.mpn:
        own[MPN] = part_numbers.OF_CODED if of.grouped else part_numbers.OF_ALONE
    tx.run(
        f"""INSERT INTO product (id, {"".join(f"{name}, " for name in own)} was_live, made_at, changed_at)
            SELECT n.product_id, {"".join(f"{sql}, " for sql in own.values())}
                   {own["status"]} = 'live', UTC_TIMESTAMP(3), UTC_TIMESTAMP(3)
            FROM {MADE} WHERE {where}""",
        params,
    )
    texts = ", ".join(_TEXTS)
    tx.run(
        f"""INSERT INTO product_text (product_id, lang, {texts})
            SELECT n.product_id, %(lang)s, {", ".join(map(new_value, _TEXTS))} FROM {MADE} WHERE {where}""",
        params,
    )
    tx.run(
        f"""INSERT INTO variant ({", ".join(["id", "product_id", "sku", *of.variant])})
            SELECT {", ".join(["n.variant_id", "n.product_id", "b.sku", *(f"b.{name}" for name in of.variant)])}
            FROM {MADE} WHERE {alone}""",
        params,
    )
    products = f"{IDS_RANGE} AND n.product_id IS NOT NULL"
    summary.summarise_new(
        tx,
        f"SELECT n.product_id FROM {IDS} WHERE {products}",
        f"""SELECT n.product_id, b.sku, b.price, b.list_price, b.cost, b.gtin,
                   {new_value("description")} AS description
            FROM {MADE} WHERE {summed}""",
        params,
    )
    packs.write(
        tx,
        params["set"],
        records.kind_of("product"),
        f"{IDS} STRAIGHT_JOIN product p ON p.id = n.product_id",
        products,
        params,
        source_id=params["batch"],
    )
    if not of.grouped:  # else those that their rows name by a code are still to be made
        group_writing.pack_variants(tx, params)


def register() -> None:
    """Say what the goods became that were made from a batch and are packed in the journal."""
    line = ("INT UNSIGNED", "n.line")
    row = "batch_row b ON b.batch_id = k.source_id AND b.line = m.line"
    product = {name: new_value(name) for name in OF_PRODUCT}
    product |= {"category_id": "m.category_id", "status": "m.status", "brand_id": "m.brand_id"}
    product[MPN] = "COALESCE(m.mpn, '')"
    product |= {name: for_variants(name) for name in batch_groups.inherited(OF_VARIANT)}
    category = ("INT UNSIGNED", "COALESCE(p.category_id, 'null')")
    status = ("VARCHAR(20)", "JSON_QUOTE(p.status)")
    brand = ("INT UNSIGNED", "COALESCE(p.brand_id, 'null')")  # the last: packs that were written before have none
    noted = {"line": line, "category_id": category, "status": status, "brand_id": brand}
    noted[MPN] = ("VARCHAR(70)", "JSON_QUOTE(p.mpn)")
    packs.register("product", packs.Source(noted, row, product))
    variant = {"product_id": "m.product_id", "sku": "b.sku"} | {name: f"b.{name}" for name in OF_VARIANT}
    variant |= {name: f"JSON_VALUE(m.choices, '$[{at}]')" for at, name in enumerate(CHOICES)}
    variant[MPN] = "COALESCE(m.mpn, '')"
    owner = ("INT UNSIGNED", "v.product_id")
    chosen = f"CONCAT('[', CONCAT_WS(',', {', '.join(f'v.{name}' for name in CHOICES)}), ']')"
    choices = ("JSON", f"IF(v.choice_1 IS NULL, 'null', {chosen})")  # the last, for the same reason
    varying = {"line": line, "product_id": owner, "choices": choices, MPN: ("VARCHAR(70)", "JSON_QUOTE(v.mpn)")}
    packs.register("variant", packs.Source(varying, row, variant))
