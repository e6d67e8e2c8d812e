"""What the table, its search and facets, and lists of goods read."""

from collections.abc import Iterator, Sequence
from typing import Any

from graupel.core.declarations.products import FACETS, MOVES_UP, PRODUCT, VARIANT
from graupel.core.tables import Cursor, SearchWords, search_words
from graupel.db import Tx, like
from graupel.features.products import store
from graupel.features.products.columns import (
    VARIANT_COLUMNS,
    choice_pairs,
    inherited_sql,
)

#: Sort key -> the table that holds it, its index, its column, and its column of the product's id.
_SORTS = {
    "name": ("product_text x", "product_text_name", "x.name", "x.product_id"),
    "sku": ("product_summary x", "product_summary_sku", "x.sku", "x.product_id"),
    "price": ("product_summary x", "product_summary_price", "x.price_low", "x.product_id"),
    "stock": ("product_summary x", "product_summary_stock", "x.stock", "x.product_id"),
    "changed": ("product x", "product_changed", "x.changed_at", "x.id"),
}


#: Read as text: the driver takes longer over a time than over all else of the row.
_AS_TEXT = {"changed": "CAST(x.changed_at AS CHAR)"}


_MAY_BE_EMPTY = ("price", "stock")


def _by_name(words: SearchWords, params: dict[str, Any]) -> list[str]:
    """Conditions on a name: all words begin in it."""
    found = []
    if words.indexed:
        params["words"] = words.indexed
        found.append("MATCH (s.name) AGAINST (%(words)s IN BOOLEAN MODE)")
    for number, word in enumerate(words.compared):
        params[f"word{number}"], params[f"inner{number}"] = f"{like(word)}%", f"% {like(word)}%"
        found.append(f"(s.name LIKE %(word{number})s OR s.name LIKE %(inner{number})s)")
    return found


def _hits(words: SearchWords | None, params: dict[str, Any]) -> str:
    """A derived table of the products that fit a search, to be joined first; nothing where nothing is searched.

    A text fits a name in which all its words begin, and a SKU, product code or GTIN that begins with it.
    """
    if words is None:
        return ""
    names = _by_name(words, params)
    parts = (
        [f"SELECT s.product_id FROM product_text s WHERE s.lang = %(lang)s AND {' AND '.join(names)}"] if names else []
    )
    params["code_like"] = f"{like(words.sku_prefix)}%" if words.sku_prefix.isascii() else ""
    parts += [
        "SELECT v.product_id FROM variant v WHERE v.sku LIKE %(code_like)s",
        "SELECT c.id FROM product c WHERE c.code LIKE %(code_like)s",
    ]
    if words.sku_prefix.isascii() and words.sku_prefix.isdecimal():
        parts.append("SELECT v.product_id FROM variant v WHERE v.gtin LIKE %(code_like)s")
    return f"({' UNION '.join(parts)}) hit"


def search_ids(tx: Tx, search: str, lang: str) -> list[int]:
    """The ids of all products that fit a search."""
    params: dict[str, Any] = {"lang": lang}
    return [
        row["id"] for row in tx.all(f"SELECT hit.product_id AS id FROM {_hits(search_words(search), params)}", params)
    ]


def media_hits(search: str, params: dict[str, Any], lang: str) -> str:
    """A SELECT of the media of products that fit a search, and of those whose alt text or title has its words."""
    words = search_words(search)
    params["lang"] = lang
    hits = _hits(words, params)
    if words is None or not hits:
        return ""
    found = f"SELECT c.media_id AS id FROM {hits} JOIN picture c ON c.product_id = hit.product_id"
    if words.indexed:
        found += " UNION SELECT media_id FROM picture WHERE MATCH (alt, title) AGAINST (%(words)s IN BOOLEAN MODE)"
    return found


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


def ordered_ids(
    tx: Tx,
    sort_key: str,
    cursor: Cursor | None,
    lang: str,
    limit: int,
    *,
    descending: bool,
    among: Sequence[int] | None = None,
) -> list[tuple[int, str | None]]:
    """Ids of products in order, beyond the cursor, with their sort values as a cursor carries them.

    ``among``: only these; otherwise the sorted index is walked.
    """
    table, index, column, key = _SORTS[sort_key]
    params: dict[str, Any] = {"lang": lang, "limit": limit, "among": among}
    where = _beyond(sort_key, cursor, descending=descending, params=params)
    where += [f"{key} IN %(among)s"] if among is not None else []
    where += ["x.lang = %(lang)s"] if sort_key == "name" else []
    way = "DESC" if descending else "ASC"
    forced = "" if among is not None else f"FORCE INDEX ({index})"
    rows = tx.all(
        f"""SELECT {key} AS id, {_AS_TEXT.get(sort_key, column)} AS value FROM {table} {forced}
            {"WHERE " + " AND ".join(where) if where else ""} ORDER BY {column} {way}, {key} {way} LIMIT %(limit)s""",
        params,
    )
    return [(row["id"], None if row["value"] is None else str(row["value"])) for row in rows]


def rows_of(tx: Tx, ids: list[int], lang: str) -> list[dict[str, Any]]:
    """The table's columns of these products, in the order of ``ids``."""
    if not ids:
        return []
    # A product that does not vary keeps them in its only variant.
    held = ", ".join(f"COALESCE(p.{name}, o.{name}) AS {name}" for name in MOVES_UP if name != "price")
    rows = tx.all(
        f"""SELECT p.id, p.code, p.status, p.type_id, p.brand_id, p.category_id, p.changed_at, p.made_at, p.version,
                   t.name, s.variants, COALESCE(p.code, s.sku) AS sku, s.price_low, s.price_high, s.stock,
                   EXISTS (SELECT 1 FROM product_axis x WHERE x.product_id = p.id) AS varies,
                   COALESCE(p.price, o.price) AS own_price, {held}
            FROM {store.FROM} JOIN product_summary s ON s.product_id = p.id
            LEFT JOIN variant o ON o.product_id = p.id AND o.combination = '' WHERE p.id IN %(ids)s""",
        {"ids": ids, "lang": lang},
    )
    by_id = {row["id"]: row for row in rows}
    return [by_id[product_id] for product_id in ids if product_id in by_id]


def ids_after(tx: Tx, after: int, limit: int) -> list[int]:
    """Ids of products in their order, beyond ``after``."""
    return [row["id"] for row in tx.all("SELECT id FROM product WHERE id > %s ORDER BY id LIMIT %s", [after, limit])]


def _lacking(name: str, where: str) -> str:
    return f"""SELECT p.id, '{name}' AS value FROM product p JOIN product_summary s ON s.product_id = p.id
               WHERE {where} AND p.id {{which}}"""


_OF = "product_id {which}"
#: SELECTs of (product id, value) for each facet; NULL says something of some of them.
_FACET_PAIRS = {
    "status": "SELECT id, status AS value FROM product WHERE id {which}",
    "type": "SELECT id, type_id AS value FROM product WHERE type_id IS NOT NULL AND id {which}",
    "brand": "SELECT id, brand_id AS value FROM product WHERE brand_id IS NOT NULL AND id {which}",
    "category": f"""SELECT id, category_id AS value FROM product WHERE category_id IS NOT NULL AND id {{which}}
                    UNION ALL SELECT product_id, category_id FROM product_category WHERE {_OF}
                    UNION ALL SELECT product_id, category_id FROM category_filled WHERE {_OF}""",
    "tag": "SELECT record_id AS id, tag_id AS value FROM tagging WHERE kind = 'product' AND record_id {which}",
    "price": f"SELECT product_id AS id, CONCAT(price_low, ' ', price_high) AS value FROM product_summary WHERE {_OF}",
    "stock": f"SELECT product_id AS id, stock AS value FROM product_summary WHERE {_OF}",
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
#: So many products' ids fit into one group: 11 characters each in the smallest limit that a server has, 1 MiB.
MOST_GROUPED = 50_000


def facet_groups(tx: Tx, facet: str, ids: Sequence[int]) -> Iterator[tuple[Any, list[int]]]:
    """Each value of a facet with those of some products that have it; a product may stand in it twice.

    The database puts them together, because reading a row for each product costs ten times as much. ``ids``: sorted,
    at most MOST_GROUPED; a range is asked as one.
    """
    which = "IN %(ids)s" if isinstance(ids, list) else "BETWEEN %(first)s AND %(last)s"
    found = tx.all(
        f"""SELECT value, GROUP_CONCAT(id) AS ids FROM ({_FACET_PAIRS[facet].format(which=which)}) pairs
            GROUP BY value""",
        {"ids": ids} if isinstance(ids, list) else {"first": ids[0], "last": ids[-1]},
    )
    return ((row["value"], [int(one) for one in row["ids"].split(",")]) for row in found)


def list_after(tx: Tx, after: int, limit: int, search: str, status: str | None, lang: str) -> list[dict[str, Any]]:
    """Products in the order of ids, beyond ``after``."""
    params: dict[str, Any] = {"lang": lang, "after": after, "limit": limit, "status": status}
    hits = _hits(search_words(search), params)
    hit = f" JOIN {hits} ON hit.product_id = p.id" if hits else ""
    return tx.all(
        f"""SELECT {store.COLUMNS} FROM {store.FROM}{hit} {store.BRAND}
            WHERE p.id > %(after)s AND (%(status)s IS NULL OR p.status = %(status)s)
            ORDER BY p.id LIMIT %(limit)s""",
        params,
    )


def variants_after(tx: Tx, after: int, limit: int, search: str, lang: str) -> list[dict[str, Any]]:
    """Variants in the order of their ids, beyond ``after``, with what they inherit as product_… columns."""
    params: dict[str, Any] = {"lang": lang, "after": after, "limit": limit}
    hits = _hits(search_words(search), params)
    hit = f" JOIN {hits} ON hit.product_id = v.product_id" if hits else ""
    columns = [f"v.{name}" for name in VARIANT_COLUMNS] + [f"p.{name} AS product_{name}" for name in MOVES_UP]
    return tx.all(
        f"""SELECT v.id, v.version, {", ".join(columns)}
            FROM variant v JOIN product p ON p.id = v.product_id{hit}
            WHERE v.id > %(after)s ORDER BY v.id LIMIT %(limit)s""",
        params,
    )


def shelf_rows(tx: Tx, ids: Sequence[int], lang: str) -> list[dict[str, Any]]:
    """What a shelf of the shop window shows of products, in the order of ``ids``."""
    if not ids:
        return []
    rows = tx.all(
        f"SELECT p.id, t.name, t.short_text, t.address_part FROM {store.FROM} WHERE p.id IN %(ids)s",
        {"lang": lang, "ids": list(ids)},
    )
    by_id = {row["id"]: row for row in rows}
    return [by_id[one] for one in ids if one in by_id]


def export_rows(tx: Tx, lang: str) -> Any:
    """All variants one by one with their products, for a file."""
    inherited = [f"{inherited_sql(name)} AS {name}" for name in VARIANT.in_files if name != "sku"]
    return tx.stream(
        f"""SELECT v.sku, {", ".join([*map(PRODUCT.column, PRODUCT.in_files), *inherited])}, p.status
            FROM {store.FROM} JOIN variant v ON v.product_id = p.id WHERE NOT v.archived ORDER BY p.id, v.id""",
        {"lang": lang},
    )
