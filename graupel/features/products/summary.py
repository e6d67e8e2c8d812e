"""After every change set: which products it touched, and what follows for them."""

from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field
from typing import Any

from graupel.core.resolve import DEFAULT_LENS
from graupel.core.sales import Reach
from graupel.db import Tx
from graupel.features.history import following, packs
from graupel.features.history.following import Recorded, Wrote
from graupel.features.products import belonging
from graupel.features.products.belonging import Belonging
from graupel.features.products.columns import inherited_sql
from graupel.features.terms import asked_sql, stock_store


@dataclass(frozen=True)
class TouchedProducts:
    """The products that a change set touched. ``table``: holds their ids as product_id, for this change set alone.

    ``by_file``: a file wrote them that said nothing of stock, nor of how goods sell. ``wrote``: what it wrote at all.
    """

    change_set_id: int
    language: str
    table: str
    by_file: bool = False
    wrote: Wrote = field(default_factory=lambda: Wrote({}))

    @property
    def restocks(self) -> bool:
        """Whether more or less sells of goods by something that is not their own, such as an order."""
        return any(not repriced and self.wrote.any_of(kind) for kind, (_, repriced) in _FOLLOWING.items())


@dataclass(frozen=True)
class ProductsAtHand:
    """Handed on by an act that knows all products it touched: ``made`` with their summaries, and ``changed`` ones.

    Both are SQL of their ids as ``id``, with ``params``; ``given``: SQL of the SKUs that it gave, as sku and
    variant_id; ``stocked``: it booked stock too, or said how goods sell.
    """

    made: str
    changed: str
    given: str
    params: Mapping[str, Any]
    stocked: bool = False


Follower = Callable[[Tx, TouchedProducts], None]
_FOLLOWERS: list[Follower] = []


def on_touched(follower: Follower) -> Follower:
    """Call a function with each change set that touched products."""
    if follower not in _FOLLOWERS:
        _FOLLOWERS.append(follower)
    return follower


#: By kind of record: SQL of the products, as product_id, that follow from records of it that a set changed; and
#: whether their prices do, or only what sells of them.
_FOLLOWING: dict[str, tuple[str, bool]] = {}


def register_repriced(kind: str, sql: str) -> None:
    """Make known which products cost otherwise after a change set ``%(set)s`` with rows of a kind."""
    _FOLLOWING[kind] = (sql, True)


def register_restocked(kind: str, sql: str) -> None:
    """The same of products of which more or less sells. Their summaries are not touched: stock must not wait for
    an import that writes them."""
    _FOLLOWING[kind] = (sql, False)


def touched_sql(by: Mapping[str, Sequence[str]] | None = None) -> str:
    """SQL: the ids of the products that the change set ``%(set)s`` touched, as ``record_id``.

    By themselves or by what belongs to them; with ``by`` only by these fields of these kinds of record, () for any.
    Without those that it made and packed: nothing could refer to them before.
    """
    parts = [
        f"""SELECT {owner} AS record_id FROM change_row r {joined}
            WHERE r.change_set_id = %(set)s AND r.record_kind = '{kind}' {_wrote((by or {}).get(kind, ()))}"""
        for kind, owner, joined in [("product", "r.record_id", ""), *map(_owned, belonging.all_belonging())]
        if owner and (by is None or kind in by)
    ]
    return " UNION ".join(parts)


def _owned(one: Belonging) -> tuple[str, str, str]:
    """Its kind, SQL of the product's id, and the join that needs; no SQL where it is not on the product's page."""
    owner = f"COALESCE({one.owner}, {one.said.format(side='r.was')})" if one.touches else ""
    return one.kind, owner, f"LEFT JOIN {one.records_kind.plain} x ON x.id = r.record_id"


def _wrote(fields: Sequence[str]) -> str:
    """SQL: the record was made or removed, or one of these fields was written."""
    if not fields:
        return ""
    written = " OR ".join(f"JSON_EXISTS(r.became, '$.{name}')" for name in fields)
    return f"AND (r.was IS NULL OR r.became IS NULL OR {written})"


def touched_ids(tx: Tx, change_set_id: int) -> list[int]:
    """The products that a change set touched, or moved by conditions; also those that are not there any more."""
    rows = tx.all(
        f"""SELECT record_id AS id FROM ({touched_sql()}) touched
            UNION SELECT product_id FROM refilled WHERE change_set_id = %(set)s
            UNION {packs.ids_sql("product")} UNION {packs.noted_sql("variant", "product_id")}""",
        {"set": change_set_id},
    )
    return [int(row["id"]) for row in rows if row["id"] is not None]


def follow(tx: Tx, recorded: Recorded) -> None:
    """Move the versions of products touched by what belongs to them, work out their summaries, tell others."""
    with touched_by(tx, recorded) as touched:
        if not tx.value(f"SELECT 1 FROM {touched.table} LIMIT 1"):
            return
        # One version guards the whole page: it moves with anything that stands on it.
        tx.run(
            f"""UPDATE {touched.table} k STRAIGHT_JOIN product p ON p.id = k.product_id
                LEFT JOIN change_row r
                  ON r.change_set_id = %(set)s AND r.record_kind = 'product' AND r.record_id = p.id
                SET p.version = p.version + 1, p.changed_at = UTC_TIMESTAMP(3)
                WHERE NOT k.stands AND NOT k.follows AND r.record_id IS NULL""",
            {"set": recorded.change_set_id},
        )
        summarise_touched(tx, touched)
        _sum_up_stock(tx, touched)
        for follower in _FOLLOWERS:
            follower(tx, touched)


@contextmanager
def touched_by(tx: Tx, recorded: Recorded) -> Iterator[TouchedProducts]:
    """The products that a change set touched, in their table while it is asked."""
    by_file = any(isinstance(one, ProductsAtHand) and not one.stocked for one in recorded.handed_on)
    table = f"touched_product_{recorded.change_set_id}"
    touched = TouchedProducts(recorded.change_set_id, recorded.language, table, by_file, recorded.wrote)
    tx.run(
        f"""CREATE OR REPLACE TEMPORARY TABLE {touched.table} (
              product_id INT UNSIGNED NOT NULL PRIMARY KEY, stands BOOL NOT NULL DEFAULT FALSE,
              follows BOOL NOT NULL DEFAULT FALSE, restocked BOOL NOT NULL DEFAULT FALSE,
              summarised BOOL NOT NULL DEFAULT TRUE)"""
    )
    _collect(tx, touched, recorded)
    yield touched
    tx.run(f"DROP TEMPORARY TABLE {touched.table}")


def summarise_touched(tx: Tx, touched: TouchedProducts) -> None:
    """Work out the summaries of those whose do not stand as they should."""
    summarise(tx, f"(SELECT product_id FROM {touched.table} WHERE NOT stands AND summarised)")


def _collect(tx: Tx, touched: TouchedProducts, recorded: Recorded) -> None:
    """Fill the table of touched products: from what was handed on, or from the journal.

    Of those that were made with their summaries, version and summary stand as they should.
    """
    into = f"INSERT INTO {touched.table} (product_id, stands)"
    known = [one for one in recorded.handed_on if isinstance(one, ProductsAtHand)]
    for one in known:
        tx.run(f"{into} SELECT made.id, TRUE FROM ({one.made}) made", one.params)
        tx.run(f"{into} SELECT changed.id, FALSE FROM ({one.changed}) changed", one.params)
    if not known:
        tx.run(
            f"""{into} SELECT p.id, FALSE FROM ({touched_sql()}) found
                JOIN product p ON p.id = found.record_id""",
            {"set": recorded.change_set_id},
        )
    _collect_following(tx, touched)


def _collect_following(tx: Tx, touched: TouchedProducts) -> None:
    """Add the products that follow from something else that the set changed; their versions stay.

    They are noted with those that conditions moved, so that whoever keeps products in memory reads them anew.
    """
    params = {"set": touched.change_set_id}
    kinds = [kind for kind in _FOLLOWING if touched.wrote.any_of(kind)]
    for kind in sorted(kinds, key=lambda one: not _FOLLOWING[one][1]):
        sql, repriced = _FOLLOWING[kind]
        tx.run(
            f"""INSERT INTO {touched.table} (product_id, follows, restocked, summarised)
                SELECT found.product_id, TRUE, {not repriced}, {repriced} FROM ({sql}) found
                WHERE found.product_id IS NOT NULL
                ON DUPLICATE KEY UPDATE restocked = {touched.table}.restocked OR VALUES(restocked)""",
            params,
        )
    kits = _collect_kits(tx, touched.table)
    if kinds or kits:
        tx.run(
            f"""INSERT IGNORE INTO refilled (change_set_id, product_id)
                SELECT %(set)s, product_id FROM {touched.table} WHERE follows""",
            params,
        )


def _collect_kits(tx: Tx, table: str) -> bool:
    """Add the kits that have something of what is there in them, of which more or less can be made; whether any is."""
    if not tx.value("SELECT 1 FROM kit_part LIMIT 1"):
        return False
    tx.run(
        f"""INSERT INTO {table} (product_id, follows, restocked, summarised)
            SELECT DISTINCT kp.product_id, TRUE, TRUE, FALSE FROM kit_part kp
            STRAIGHT_JOIN variant v ON v.id = kp.variant_id STRAIGHT_JOIN {table} t ON t.product_id = v.product_id
            ON DUPLICATE KEY UPDATE restocked = TRUE"""
    )
    return True


def _sum_up_stock(tx: Tx, touched: TouchedProducts) -> None:
    """Products of which variants came, went, were archived or are counted or not: what they have in all.

    What a file makes has a sum of its own, and it archives nothing.
    """
    concerned = touched.wrote.any_of("stock") or touched.wrote.any_of("variant", ("archived", "product_id"))
    if touched.by_file or not concerned:
        return
    params = {"set": touched.change_set_id}
    sql = f"""SELECT DISTINCT p.id FROM change_row r JOIN variant v ON v.id = r.record_id
              JOIN product p ON p.id = v.product_id WHERE r.change_set_id = %(set)s
              AND (r.record_kind = 'stock' OR (r.record_kind = 'variant' {_wrote(("archived", "product_id"))}))
              UNION SELECT p.id FROM change_row r JOIN product p ON p.id = JSON_VALUE(r.was, '$.product_id')
              WHERE r.change_set_id = %(set)s AND r.became IS NULL AND r.record_kind IN ('variant', 'stock')"""
    ids = [row["id"] for row in tx.all(sql, params)]
    if ids:
        stock_store.sum_up(tx, ids)


def summarise_new(tx: Tx, made: str, source: str, params: Mapping[str, Any]) -> None:
    """Write the summaries of new products, each with one variant and without stock or picture.

    ``made``: a SELECT of their product_id; ``source``: of product_id, sku, price, list_price, cost, gtin and
    description.
    summarise says the same of them, at more cost.
    """
    found = asked_sql.asked(tx, DEFAULT_LENS, "n.price", "TRUE", reaches=(Reach.ALL,))  # no other names what is new
    tx.run(f"INSERT INTO product_stock (product_id) {made}", params)
    tx.run(
        f"""INSERT INTO product_summary (product_id, variants, sku, price_low, price_high,
                                        list_price_low, cost_low,
                                        lacks_gtin, lacks_picture, lacks_alt, lacks_description)
            SELECT n.product_id, 1, n.sku, {found.asked}, {found.asked}, n.list_price, n.cost, n.gtin IS NULL, TRUE,
                   FALSE, n.description = ''
            FROM ({source}) n {found.joins}""",
        params,
    )


def summarise(tx: Tx, touched: str) -> None:
    """Work out the summaries of the products whose ids a table has as product_id; prices are what is asked now."""
    found = asked_sql.asked(tx, DEFAULT_LENS, inherited_sql("price"), "TRUE")
    tx.run(
        f"""INSERT INTO product_summary (product_id, variants, sku, price_low, price_high,
                                        list_price_low, cost_low,
                                        lacks_gtin, lacks_picture, lacks_alt, lacks_description)
           SELECT k.product_id, v.variants, v.sku, v.price_low, v.price_high, v.list_price_low, v.cost_low,
                  v.lacks_gtin, c.pictures IS NULL, COALESCE(c.without_alt, 0) > 0, t.product_id IS NULL
           FROM {touched} k
           JOIN (SELECT v.product_id, SUM(NOT v.archived) AS variants,
                        COALESCE(MIN(IF(v.archived, NULL, v.sku)), MIN(v.sku)) AS sku,
                        MIN(IF(v.archived, NULL, {found.asked})) AS price_low,
                        MAX(IF(v.archived, NULL, {found.asked})) AS price_high,
                        MIN(IF(v.archived, NULL, {inherited_sql("list_price")})) AS list_price_low,
                        MIN(IF(v.archived, NULL, {inherited_sql("cost")})) AS cost_low,
                        COALESCE(MAX(NOT v.archived AND v.gtin IS NULL), FALSE) AS lacks_gtin
                 FROM {touched} q JOIN product p ON p.id = q.product_id
                 JOIN variant v ON v.product_id = p.id {found.joins}
                 GROUP BY v.product_id) v ON v.product_id = k.product_id
           LEFT JOIN (SELECT y.product_id, COUNT(*) AS pictures, SUM(y.alt = '') AS without_alt
                      FROM {touched} q JOIN picture y ON y.product_id = q.product_id
                      JOIN media m ON m.id = y.media_id AND m.kind = 'picture'
                      GROUP BY y.product_id) c ON c.product_id = k.product_id
           LEFT JOIN (SELECT DISTINCT z.product_id FROM {touched} q
                      JOIN product_text z ON z.product_id = q.product_id WHERE z.description <> '') t
                  ON t.product_id = k.product_id
           ON DUPLICATE KEY UPDATE variants = VALUES(variants), sku = VALUES(sku), price_low = VALUES(price_low),
             price_high = VALUES(price_high),
             list_price_low = VALUES(list_price_low), cost_low = VALUES(cost_low), lacks_gtin = VALUES(lacks_gtin),
             lacks_picture = VALUES(lacks_picture), lacks_alt = VALUES(lacks_alt),
             lacks_description = VALUES(lacks_description)"""
    )


_OF_TYPES = """SELECT p.id AS product_id FROM product p WHERE p.type_id IN
    (SELECT COALESCE(s.type_id, JSON_VALUE(r.was, '$.type_id')) FROM change_row r
     LEFT JOIN selling_rules s ON s.id = r.record_id
     WHERE r.change_set_id = %(set)s AND r.record_kind = 'selling_rules')
    OR EXISTS (SELECT 1 FROM change_row r LEFT JOIN selling_rules s ON s.id = r.record_id
               WHERE r.change_set_id = %(set)s AND r.record_kind = 'selling_rules' AND s.type_id IS NULL)"""
_ON_DAY = " UNION ".join(
    f"""SELECT {owner} AS product_id FROM {table} x JOIN shop_day d ON x.{name} = d.day
        JOIN change_row r ON r.record_kind = 'shop_day' AND r.record_id = d.id WHERE r.change_set_id = %(set)s"""
    for table, owner in (("product", "x.id"), ("variant", "x.product_id"))
    for name in ("back_on", "coming_on")
)


def register() -> None:
    """Follow every change set, those too that change what sells of products."""
    following.on_recorded(follow)
    register_restocked(
        "stock_entry",
        """SELECT DISTINCT p.id AS product_id FROM stock_entry e JOIN variant v ON v.id = e.variant_id
           JOIN product p ON p.id = v.product_id WHERE e.change_set_id = %(set)s""",
    )
    register_restocked(
        "stock",
        """SELECT DISTINCT v.product_id FROM change_row r JOIN variant v ON v.id = r.record_id
           WHERE r.change_set_id = %(set)s AND r.record_kind = 'stock'""",
    )
    register_restocked("selling_rules", _OF_TYPES)
    register_restocked("shop_day", _ON_DAY)
