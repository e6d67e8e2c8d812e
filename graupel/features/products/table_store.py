"""What the table, its search and facets, and lists of goods read."""

from collections.abc import Iterator, Sequence
from typing import Any

from graupel.core.declarations.products import FACETS, LISTED, MOVES_UP
from graupel.core.tables import Cursor
from graupel.db import Tx, like
from graupel.features.products import store
from graupel.features.products.columns import (
    VARIANT_COLUMNS,
    choice_pairs,
    inherited_sql,
)
from graupel.features.products.rows import ProductRow, ShelfRow, TableRow, VariantWithProductRow
from graupel.features.terms import sells_sql

#: Sort key -> the table that holds it, its index, its column, and its column of the product's id.
_SORTS = {
    "name": ("product_text x", "product_text_name", "x.name", "x.product_id"),
    "sku": ("product_summary x", "product_summary_sku", "x.sku", "x.product_id"),
    "price": ("product_summary x", "product_summary_price", "x.price_low", "x.product_id"),
    "list_price": ("product_summary x", "product_summary_list_price", "x.list_price_low", "x.product_id"),
    "cost": ("product_summary x", "product_summary_cost", "x.cost_low", "x.product_id"),
    "stock": ("product_stock x", "product_stock_on_hand", "x.on_hand", "x.product_id"),
    "changed": ("product x", "product_changed", "x.changed_at", "x.id"),
}


#: Read as text: the driver takes longer over a time than over all else of the row.
_AS_TEXT = {"changed": "CAST(x.changed_at AS CHAR)"}


_MAY_BE_EMPTY = ("price", "list_price", "cost", "stock")


#: So many products' ids fit into one group: 11 characters each in the smallest limit that a server has, 1 MiB.
MOST_GROUPED = 50_000


def ids_by_code(tx: Tx, code: str) -> list[int]:
    """The products whose product code, or a variant's SKU, GTIN or id elsewhere, begins with a text."""
    if not code.isascii():
        return []
    parts = [
        "SELECT v.product_id AS id FROM variant v WHERE v.sku LIKE %(like)s",
        "SELECT c.id FROM product c WHERE c.code LIKE %(like)s",
        "SELECT v.product_id FROM variant v WHERE v.elsewhere LIKE %(like)s",
    ]
    if code.isdecimal():
        parts.append("SELECT v.product_id FROM variant v WHERE v.gtin LIKE %(like)s")
    rows = tx.all(
        f"""SELECT GROUP_CONCAT(id) AS ids FROM ({" UNION ".join(parts)}) found GROUP BY id DIV {MOST_GROUPED}""",
        {"like": f"{like(code)}%"},
    )
    return [int(one) for row in rows for one in row["ids"].split(",")]


#: So many names stand in one row of what is read: 255 signs of four bytes each fit into the smallest limit of a server.
_NAMES_TOGETHER = 250
#: What parts an id from its name, and the names: signs of control, which no name has.
_UNIT, _RECORD = "'\x1f'", "'\x1e'"
_SEARCH_WORDS = "IF(search_words = '', '', CONCAT(' ', search_words))"


def names(tx: Tx, ids: Sequence[int], lang: str) -> Iterator[tuple[int, str]]:
    """The names of products with their search words; ``ids``: sorted, a range is asked as one.

    The database puts many into one row.
    """
    named = f"product_id, {_UNIT}, name, {_SEARCH_WORDS}"
    rows = tx.all(
        f"""SELECT GROUP_CONCAT({named} SEPARATOR {_RECORD}) AS named FROM product_text
            WHERE lang = %(lang)s AND product_id {_which(ids)} GROUP BY product_id DIV {_NAMES_TOGETHER}""",
        {"lang": lang, **_bound(ids)},
    )
    for row in rows:
        for line in row["named"].split("\x1e"):
            product_id, _, name = line.partition("\x1f")
            yield int(product_id), name


def media_hits(ids: Sequence[int], indexed: str, params: dict[str, Any]) -> str:
    """A SELECT of the media of products, and of those whose alt text or title fits a boolean full-text expression."""
    params |= {"products": ids, "words": indexed}
    parts = ["SELECT media_id AS id FROM picture WHERE product_id IN %(products)s"] if ids else []
    if indexed:
        parts.append("SELECT media_id AS id FROM picture WHERE MATCH (alt, title) AGAINST (%(words)s IN BOOLEAN MODE)")
    return " UNION ".join(parts)


def _beyond(sort_key: str, cursor: Cursor | None, *, descending: bool, params: dict[str, Any]) -> list[str]:
    """Conditions for the rows beyond the cursor. NULL comes first."""
    if cursor is None:
        return []
    _, _, column, key = _SORTS[sort_key]
    than = "<" if descending else ">"
    params |= {"at": cursor.value, "at_id": cursor.row_id}
    beside = f"{column} <=> %(at)s AND {key} {than} %(at_id)s"
    if cursor.value is None:
        return [f"({beside})" if descending else f"(({beside}) OR {column} IS NOT NULL)"]
    # The bare comparison lets the index be entered at the right place; the second decides among equals.
    nulls = f"{column} IS NULL OR " if descending and sort_key in _MAY_BE_EMPTY else ""
    return [f"({nulls}{column} {than}= %(at)s)", f"({nulls}{column} {than} %(at)s OR ({beside}))"]


def _ordered(
    sort_key: str, cursor: Cursor | None, more: Sequence[str], params: dict[str, Any], *, descending: bool
) -> tuple[str, str]:
    """The WHERE and the ORDER BY of what lies beyond the cursor."""
    _, _, column, key = _SORTS[sort_key]
    where = [*_beyond(sort_key, cursor, descending=descending, params=params), *more]
    where += ["x.lang = %(lang)s"] if sort_key == "name" else []
    way = "DESC" if descending else "ASC"
    return (f"WHERE {' AND '.join(where)}" if where else ""), f"ORDER BY {column} {way}, {key} {way} LIMIT %(limit)s"


def ordered_ids(
    tx: Tx,
    sort_key: str,
    cursor: Cursor | None,
    lang: str,
    limit: int,
    among: Sequence[int],
    *,
    descending: bool,
) -> list[tuple[int, str | None]]:
    """Ids among some products in order, beyond the cursor, with their sort values as a cursor carries them."""
    if not among:
        return []
    table, _, column, key = _SORTS[sort_key]
    params: dict[str, Any] = {"lang": lang, "limit": limit, "among": among}
    where, order = _ordered(sort_key, cursor, [f"{key} IN %(among)s"], params, descending=descending)
    rows = tx.all(f"SELECT {key} AS id, {_AS_TEXT.get(sort_key, column)} AS value FROM {table} {where} {order}", params)
    return [(row["id"], None if row["value"] is None else str(row["value"])) for row in rows]


def walk(tx: Tx, sort_key: str, cursor: Cursor | None, lang: str, limit: int, *, descending: bool) -> list[int]:
    """The ids of the next products in order beyond the cursor, by the sorted index; the database puts them together."""
    table, index, _, key = _SORTS[sort_key]
    params: dict[str, Any] = {"lang": lang, "limit": limit}
    where, order = _ordered(sort_key, cursor, [], params, descending=descending)
    found = tx.value(
        f"""SELECT GROUP_CONCAT(id) AS ids FROM (
              SELECT {key} AS id FROM {table} FORCE INDEX ({index}) {where} {order}) walked""",
        params,
    )
    return [int(one) for one in found.split(",")] if found else []


def cursor_at(tx: Tx, sort_key: str, product_id: int, lang: str) -> Cursor:
    """The place of a product in an order."""
    table, _, column, key = _SORTS[sort_key]
    named = "AND x.lang = %(lang)s" if sort_key == "name" else ""
    value = tx.value(
        f"SELECT {_AS_TEXT.get(sort_key, column)} AS value FROM {table} WHERE {key} = %(id)s {named}",
        {"id": product_id, "lang": lang},
    )
    return Cursor(None if value is None else str(value), product_id)


#: What of the fields that variants inherit stands in columns of the table, beside the price.
_SHOWN = ("list_price", "cost", "contents", "weight_g", *(field.name for field in LISTED))


def rows_of(tx: Tx, ids: list[int], lang: str) -> list[TableRow]:
    """The table's columns of these products, in the order of ``ids``."""
    if not ids:
        return []
    # A product that does not vary keeps them in its only variant.
    held = ", ".join(f"COALESCE(p.{name}, o.{name}) AS {name}" for name in _SHOWN)
    rows = tx.rows(
        TableRow,
        f"""SELECT p.id, p.code, p.status, p.type_id, p.brand_id, p.category_id, p.changed_at, p.made_at, p.version,
                   t.name, s.variants, COALESCE(p.code, s.sku) AS sku, s.price_low, s.price_high, k.on_hand AS stock,
                   EXISTS (SELECT 1 FROM product_axis x WHERE x.product_id = p.id) AS varies,
                   COALESCE(p.price, o.price) AS own_price, {held}
            FROM {store.FROM} JOIN product_summary s ON s.product_id = p.id
            LEFT JOIN product_stock k ON k.product_id = p.id
            LEFT JOIN variant o ON o.product_id = p.id AND o.combination = '' WHERE p.id IN %(ids)s""",
        {"ids": ids, "lang": lang},
    )
    by_id = {row["id"]: row for row in rows}
    for key, made in sells_sql.made(tx, ids).items():
        by_id[key]["stock"] = made.ready  # of a kit there is what its parts make
    return [by_id[product_id] for product_id in ids if product_id in by_id]


def ids_after(tx: Tx, after: int, limit: int) -> list[int]:
    """Ids of products in their order, beyond ``after``."""
    return [row["id"] for row in tx.all("SELECT id FROM product WHERE id > %s ORDER BY id LIMIT %s", [after, limit])]


def _lacking(name: str, where: str) -> str:
    return f"""SELECT p.id, '{name}' AS value FROM product p JOIN product_summary s ON s.product_id = p.id
               WHERE {where} AND p.id {{which}}"""


_OF = "product_id {which}"
_SELLS = sells_sql.sells(sells_sql.TODAY)


def _of_variants(value: str) -> str:
    """A SELECT of what any variant for sale has."""
    return f"""SELECT DISTINCT v.product_id AS id, {value} AS value FROM variant v JOIN product p ON p.id = v.product_id
               {sells_sql.JOINS} WHERE NOT v.archived AND v.product_id {{which}}"""


#: SELECTs of (product id, value) for each facet; NULL says something of some of them.
_FACET_PAIRS = {
    "status": "SELECT id, status AS value FROM product WHERE id {which}",
    "type": "SELECT id, type_id AS value FROM product WHERE type_id IS NOT NULL AND id {which}",
    "brand": "SELECT id, brand_id AS value FROM product WHERE brand_id IS NOT NULL AND id {which}",
    "category": f"""SELECT id, category_id AS value FROM product WHERE category_id IS NOT NULL AND id {{which}}
                    UNION ALL SELECT product_id, category_id FROM product_category WHERE {_OF}
                    UNION ALL SELECT product_id, category_id FROM category_filled WHERE {_OF}""",
    "main": "SELECT id, category_id AS value FROM product WHERE category_id IS NOT NULL AND id {which}",
    "tag": "SELECT record_id AS id, tag_id AS value FROM tagging WHERE kind = 'product' AND record_id {which}",
    "price": f"SELECT product_id AS id, CONCAT(price_low, ' ', price_high) AS value FROM product_summary WHERE {_OF}",
    "stock": _of_variants(_SELLS.standing),
    "had": f"""SELECT v.product_id AS id, IF(MAX({_SELLS.can_be_had}), 'yes',
                      IF(MIN({_SELLS.hidden}), 'hidden', 'no')) AS value
               FROM variant v JOIN product p ON p.id = v.product_id {sells_sql.JOINS}
               WHERE NOT v.archived AND v.product_id {{which}} GROUP BY v.product_id""",
    "lacks": " UNION ALL ".join(
        [_lacking(name, f"s.lacks_{name}") for name in ("picture", "alt", "gtin", "description")]
        + [_lacking(name, f"p.{name}_id IS NULL") for name in ("category", "type", "brand")]
        + [_lacking("price", "s.price_low IS NULL")]
    ),
    "has": f"""SELECT product_id AS id, attribute_id AS value FROM fact WHERE {_OF}
               UNION ALL SELECT product_id, attribute_id FROM product_axis WHERE {_OF}""",
    "fact": " UNION ALL ".join(
        [
            f"SELECT product_id AS id, choice_id AS value FROM fact WHERE choice_id IS NOT NULL AND {_OF}",
            *choice_pairs(f"NOT archived AND {_OF}"),
        ]
    ),
}
# Fields that variants inherit, each with the values of all its variants for sale.
_FACET_PAIRS |= {
    field.name: f"""SELECT v.product_id AS id, {inherited_sql(field.name)} AS value FROM variant v
                    JOIN product p ON p.id = v.product_id WHERE NOT v.archived AND v.product_id {{which}}
                    AND {inherited_sql(field.name)} IS NOT NULL"""
    for field in FACETS
}
#: The facets that products have values of.
FACET_NAMES = tuple(_FACET_PAIRS)


def facet_groups(tx: Tx, facet: str, ids: Sequence[int]) -> Iterator[tuple[Any, list[int]]]:
    """Each value of a facet with those of some products that have it; a product may stand in it twice.

    The database puts them together, because reading a row for each product costs ten times as much. ``ids``: sorted,
    at most MOST_GROUPED; a range is asked as one.
    """
    found = tx.all(
        f"""SELECT value, GROUP_CONCAT(id) AS ids FROM ({_FACET_PAIRS[facet].format(which=_which(ids))}) pairs
            GROUP BY value""",
        _bound(ids),
    )
    return ((row["value"], [int(one) for one in row["ids"].split(",")]) for row in found)


def _which(ids: Sequence[int]) -> str:
    """SQL that asks for ids, of a range for its ends."""
    return "BETWEEN %(first)s AND %(last)s" if isinstance(ids, range) else "IN %(ids)s"


def _bound(ids: Sequence[int]) -> dict[str, Any]:
    return {"first": ids[0], "last": ids[-1]} if isinstance(ids, range) else {"ids": ids}


def list_of(tx: Tx, ids: Sequence[int], lang: str) -> list[ProductRow]:
    """Products in the order of their ids."""
    if not ids:
        return []
    return tx.rows(
        ProductRow,
        f"SELECT {store.COLUMNS} FROM {store.FROM} {store.BRAND} WHERE p.id IN %(ids)s ORDER BY p.id",
        {"lang": lang, "ids": ids},
    )


def list_after(tx: Tx, after: int, limit: int, status: str | None, lang: str) -> list[ProductRow]:
    """Products in the order of ids, beyond ``after``."""
    return tx.rows(
        ProductRow,
        f"""SELECT {store.COLUMNS} FROM {store.FROM} {store.BRAND}
            WHERE p.id > %(after)s AND (%(status)s IS NULL OR p.status = %(status)s)
            ORDER BY p.id LIMIT %(limit)s""",
        {"lang": lang, "after": after, "limit": limit, "status": status},
    )


def variants_after(tx: Tx, after: int, limit: int, among: Sequence[int] | None = None) -> list[VariantWithProductRow]:
    """Variants in the order of their ids, beyond ``after``, with what they inherit as product_… columns.

    ``among``: only those of these products.
    """
    columns = [f"v.{name}" for name in VARIANT_COLUMNS] + [f"p.{name} AS product_{name}" for name in MOVES_UP]
    return tx.rows(
        VariantWithProductRow,
        f"""SELECT v.id, v.version, {", ".join(columns)}
            FROM variant v JOIN product p ON p.id = v.product_id
            WHERE v.id > %(after)s {"" if among is None else "AND v.product_id IN %(among)s"}
            ORDER BY v.id LIMIT %(limit)s""",
        {"after": after, "limit": limit, "among": among},
    )


def shelf_rows(tx: Tx, ids: Sequence[int], lang: str) -> list[ShelfRow]:
    """What a shelf of the shop window shows of products, in the order of ``ids``."""
    if not ids:
        return []
    rows = tx.rows(
        ShelfRow,
        f"SELECT p.id, t.name, t.short_text, t.address_part, p.tax_class_id FROM {store.FROM} WHERE p.id IN %(ids)s",
        {"lang": lang, "ids": list(ids)},
    )
    by_id = {row["id"]: row for row in rows}
    return [by_id[one] for one in ids if one in by_id]
