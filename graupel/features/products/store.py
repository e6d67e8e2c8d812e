"""The tables of products, their texts, variants and pictures."""

from collections.abc import Sequence
from typing import Any

from graupel.core.tables import PAGE_SIZE, Cursor, SearchWords, TableState, search_words
from graupel.db import Tx

_FROM = (
    "product p JOIN product_text t ON t.product_id = p.id AND t.lang = %(lang)s JOIN variant v ON v.product_id = p.id"
)


# --- one product ---------------------------------------------------------------------------------------------


def read(tx: Tx, product_id: int, lang: str, *, lock: bool = False) -> dict[str, Any] | None:
    return tx.one(
        f"""SELECT p.id, p.status, p.category_id, p.brand, p.mpn, p.was_live, p.version, p.made_at, p.changed_at,
                   t.name, t.description, v.id AS variant_id, v.sku, v.price, v.weight_g, v.gtin,
                   v.version AS variant_version
            FROM {_FROM} WHERE p.id = %(id)s ORDER BY v.id LIMIT 1 {"FOR UPDATE" if lock else ""}""",
        {"id": product_id, "lang": lang},
    )


def product_of_variant(tx: Tx, variant_id: int) -> int | None:
    found = tx.value("SELECT product_id FROM variant WHERE id = %s", [variant_id])
    return None if found is None else int(found)


def owner_of_sku(tx: Tx, sku: str, lang: str) -> dict[str, Any] | None:
    return tx.one(f"SELECT p.id, t.name FROM {_FROM} WHERE v.sku = %(sku)s", {"sku": sku, "lang": lang})


def insert_product(tx: Tx, values: dict[str, Any], lang: str) -> int:
    product_id = tx.insert(
        """INSERT INTO product (status, category_id, brand, mpn, was_live, made_at, changed_at)
           VALUES (%(status)s, %(category_id)s, %(brand)s, %(mpn)s, %(status)s = 'live',
                   UTC_TIMESTAMP(3), UTC_TIMESTAMP(3))""",
        values,
    )
    tx.run(
        """INSERT INTO product_text (product_id, lang, name, description)
           VALUES (%(id)s, %(lang)s, %(name)s, %(description)s)""",
        {**values, "id": product_id, "lang": lang},
    )
    return product_id


def insert_variant(tx: Tx, product_id: int, values: dict[str, Any]) -> int:
    return tx.insert(
        """INSERT INTO variant (product_id, sku, price, weight_g, gtin)
                        VALUES (%(product_id)s, %(sku)s, %(price)s, %(weight_g)s, %(gtin)s)""",
        {**values, "product_id": product_id},
    )


def update_product(tx: Tx, product_id: int, values: dict[str, Any], lang: str) -> None:
    tx.run(
        """UPDATE product p JOIN product_text t ON t.product_id = p.id AND t.lang = %(lang)s
           SET p.was_live = p.was_live OR %(status)s = 'live', p.status = %(status)s, p.category_id = %(category_id)s,
               p.brand = %(brand)s, p.mpn = %(mpn)s, t.name = %(name)s, t.description = %(description)s,
               p.version = p.version + 1, p.changed_at = UTC_TIMESTAMP(3)
           WHERE p.id = %(id)s""",
        {**values, "id": product_id, "lang": lang},
    )


def update_variant(tx: Tx, variant_id: int, values: dict[str, Any]) -> None:
    tx.run(
        """UPDATE variant SET sku = %(sku)s, price = %(price)s, weight_g = %(weight_g)s, gtin = %(gtin)s,
                     version = version + 1 WHERE id = %(id)s""",
        {**values, "id": variant_id},
    )


def names(tx: Tx, ids: list[int], lang: str) -> list[dict[str, Any]]:
    return (
        tx.all("SELECT product_id AS id, name FROM product_text WHERE lang = %s AND product_id IN %s", [lang, ids])
        if ids
        else []
    )


def variant_names(tx: Tx, ids: list[int]) -> list[dict[str, Any]]:
    return tx.all("SELECT id, product_id, sku FROM variant WHERE id IN %s", [ids]) if ids else []


def touch_products(tx: Tx, change_set_id: int) -> None:
    """After a roll back: move the versions of products whose variant or pictures went back, for a page guards all."""
    tx.run(
        """UPDATE product p JOIN (
             SELECT v.product_id FROM change_row r JOIN change_set s ON s.id = r.change_set_id
             JOIN variant v ON v.id = r.record_id
             WHERE r.change_set_id = %(set)s AND r.record_kind = 'variant' AND s.rolls_back IS NOT NULL
             UNION
             SELECT COALESCE(c.product_id, JSON_VALUE(r.was, '$.product_id')) FROM change_row r
             JOIN change_set s ON s.id = r.change_set_id LEFT JOIN picture c ON c.id = r.record_id
             WHERE r.change_set_id = %(set)s AND r.record_kind = 'picture' AND s.rolls_back IS NOT NULL
           ) touched ON touched.product_id = p.id
           SET p.version = p.version + 1, p.changed_at = UTC_TIMESTAMP(3)""",
        {"set": change_set_id},
    )


# --- pictures ------------------------------------------------------------------------------------------------


def pictures(tx: Tx, product_id: int) -> list[dict[str, Any]]:
    return tx.all(
        """SELECT id, media_id, position, alt, version FROM picture WHERE product_id = %s
                     ORDER BY position, id""",
        [product_id],
    )


def main_pictures(tx: Tx, product_ids: list[int]) -> dict[int, dict[str, Any]]:
    """The first picture of each product that has one."""
    if not product_ids:
        return {}
    rows = tx.all(
        """SELECT product_id, media_id, alt FROM picture WHERE product_id IN %s
                     ORDER BY product_id, position DESC, id DESC""",
        [product_ids],
    )
    return {row["product_id"]: row for row in rows}


def insert_picture(tx: Tx, product_id: int, media_id: int, position: int, alt: str) -> int:
    return tx.insert(
        "INSERT INTO picture (product_id, media_id, position, alt) VALUES (%s, %s, %s, %s)",
        [product_id, media_id, position, alt],
    )


def update_picture(tx: Tx, picture_id: int, position: int, alt: str) -> None:
    tx.run(
        "UPDATE picture SET position = %s, alt = %s, version = version + 1 WHERE id = %s", [position, alt, picture_id]
    )


def delete_picture(tx: Tx, picture_id: int) -> None:
    tx.run("DELETE FROM picture WHERE id = %s", [picture_id])


def picture_names(tx: Tx, ids: list[int]) -> list[dict[str, Any]]:
    return (
        tx.all(
            """SELECT c.id, c.product_id, m.file_name FROM picture c JOIN media m ON m.id = c.media_id
                     WHERE c.id IN %s""",
            [ids],
        )
        if ids
        else []
    )


# --- the table -----------------------------------------------------------------------------------------------

#: Where at least this many products fit, walking the sorted index until a page is full beats sorting all that fit.
WALK_FROM = 1500
_JOINS = {
    "t": "product_text t ON t.product_id = {on} AND t.lang = %(lang)s",
    "v": "variant v ON v.product_id = {on}",
    "p": "product p ON p.id = {on}",
    # The names once more, under a name of their own: an index forced for the order would bar the full-text index.
    "m": "product_text m ON m.product_id = {on} AND m.lang = %(lang)s",
}
#: Sort key -> the table that holds it, its index, its column, and the columns that order rows without ties.
_SORTS = {
    "name": ("t", "product_text t", "product_text_name", "t.name", ("t.name", "t.product_id")),
    "sku": ("v", "variant v", "variant_sku", "v.sku", ("v.sku",)),
    "price": ("v", "variant v", "variant_price", "v.price", ("v.price", "v.product_id")),
    "changed": ("p", "product p", "product_changed", "p.changed_at", ("p.changed_at", "p.id")),
}
_ID = {"t": "t.product_id", "v": "v.product_id", "p": "p.id"}


def _by_name(words: SearchWords, alias: str, params: dict[str, Any]) -> list[str]:
    """Conditions on a name: all words begin in it."""
    found = []
    if words.indexed:
        params["words"] = words.indexed
        found.append(f"MATCH ({alias}.name) AGAINST (%(words)s IN BOOLEAN MODE)")
    for number, word in enumerate(words.compared):
        params[f"word{number}"], params[f"inner{number}"] = f"{_like(word)}%", f"% {_like(word)}%"
        found.append(f"({alias}.name LIKE %(word{number})s OR {alias}.name LIKE %(inner{number})s)")
    return found


def _by_sku(words: SearchWords, params: dict[str, Any]) -> str:
    params["sku_like"] = f"{_like(words.sku_prefix)}%" if words.sku_prefix.isascii() else ""
    return "v.sku LIKE %(sku_like)s"


def _hits(words: SearchWords | None, params: dict[str, Any]) -> str:
    """A derived table of the products that fit a search, to be joined first; nothing where nothing is searched."""
    if words is None:
        return ""
    names = _by_name(words, "s", params)
    by_name = f"SELECT s.product_id FROM product_text s WHERE s.lang = %(lang)s AND {' AND '.join(names)} UNION "
    return f"({by_name if names else ''}SELECT v.product_id FROM variant v WHERE {_by_sku(words, params)}) hit"


def _like(text: str) -> str:
    return text.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_")


def _facets(state: TableState, params: dict[str, Any]) -> list[str]:
    found = []
    if state.status:
        params["status"] = list(state.status)
        found.append("p.status IN %(status)s")
    if state.category:
        params["category"] = list(state.category)
        found.append("p.category_id IN %(category)s")
    return found


def _beyond(state: TableState, params: dict[str, Any]) -> tuple[list[str], bool]:
    """Conditions for the rows beyond the cursor, and whether to read in descending order. NULL comes first."""
    cursor: Cursor | None = state.cursor
    descending = state.descending != bool(cursor and cursor.backwards)
    if cursor is None:
        return [], descending
    column, than = _SORTS[state.sort_key][3], "<" if descending else ">"
    params |= {"at": cursor.value, "at_id": cursor.row_id}
    beside = f"{column} <=> %(at)s AND {_ID[_SORTS[state.sort_key][0]]} {than} %(at_id)s"
    if cursor.value is None:
        return [f"({beside})" if descending else f"(({beside}) OR {column} IS NOT NULL)"], descending
    # The bare comparison lets the index be entered at the right place; the second decides among equals.
    nulls = f"{column} IS NULL OR " if descending and state.sort_key == "price" else ""
    return [f"({nulls}{column} {than}= %(at)s)", f"({nulls}{column} {than} %(at)s OR ({beside}))"], descending


def page_ids(tx: Tx, state: TableState, lang: str, fitting: int, found: Sequence[int] | None = None) -> list[int]:
    """Ids of a page's products and one more, in reading order from the cursor.

    ``fitting``: about how many products fit the search and facets; it decides which way is quicker.
    ``found``: the ids of all products that fit the search, where they are known.
    """
    if found is not None and not found:
        return []
    params: dict[str, Any] = {"lang": lang, "limit": PAGE_SIZE + 1, "found": found}
    words = search_words(state.q)
    conditions, descending = _beyond(state, params)
    conditions += _facets(state, params)
    walks = found is None and (fitting >= WALK_FROM or not state.is_filtered)
    source = _walking(state, words, conditions, params) if walks else _gathering(state, words, conditions, params)
    way = "DESC" if descending else "ASC"
    alias, _, _, _, columns = _SORTS[state.sort_key]
    order = ", ".join(f"{column} {way}" for column in columns)
    where = f"WHERE {' AND '.join(conditions)}" if conditions else ""
    rows = tx.all(f"SELECT {_ID[alias]} AS id FROM {source} {where} ORDER BY {order} LIMIT %(limit)s", params)
    return [row["id"] for row in rows]


def _walking(state: TableState, words: SearchWords | None, conditions: list[str], params: dict[str, Any]) -> str:
    """FROM: the sorted index first, each row tested, until the page is full."""
    alias, table, index, _, _ = _SORTS[state.sort_key]
    needed = {"p"} if state.status or state.category else set()
    if words:
        names = _by_name(words, "m", params)
        either = [f"({' AND '.join(names)})"] if names else []
        conditions.append(f"({' OR '.join([*either, _by_sku(words, params)])})")
        needed |= {"m", "v"}
    if alias == "t":
        conditions.append("t.lang = %(lang)s")
    joins = [f"STRAIGHT_JOIN {_JOINS[other].format(on=_ID[alias])}" for other in sorted(needed - {alias})]
    return f"{table} FORCE INDEX ({index}) {' '.join(joins)}"


def _gathering(state: TableState, words: SearchWords | None, conditions: list[str], params: dict[str, Any]) -> str:
    """FROM: all that fit, by search or facet, to be sorted."""
    alias = _SORTS[state.sort_key][0]
    source = "product p"
    if params["found"] is not None:
        conditions.append("p.id IN %(found)s")
    elif words:
        source = f"{_hits(words, params)} STRAIGHT_JOIN product p ON p.id = hit.product_id"
    return source if alias == "p" else f"{source} STRAIGHT_JOIN {_JOINS[alias].format(on='p.id')}"


def search_ids(tx: Tx, search: str, lang: str) -> list[int]:
    """The ids of all products that fit a search."""
    params: dict[str, Any] = {"lang": lang}
    return [
        row["id"] for row in tx.all(f"SELECT hit.product_id AS id FROM {_hits(search_words(search), params)}", params)
    ]


def counts(tx: Tx, search: str, lang: str) -> dict[tuple[str, int | None], int]:
    """How many products fit a search, by status and category: every facet's counts follow from it."""
    params: dict[str, Any] = {"lang": lang}
    hits = _hits(search_words(search), params)
    source = f"{hits} STRAIGHT_JOIN product p ON p.id = hit.product_id" if hits else "product p"
    rows = tx.all(
        f"SELECT p.status, p.category_id, COUNT(*) AS count FROM {source} GROUP BY p.category_id, p.status", params
    )
    return {(row["status"], row["category_id"]): row["count"] for row in rows}


def rows_of(tx: Tx, ids: list[int], lang: str) -> list[dict[str, Any]]:
    """The table's columns of these products, in the order of ``ids``."""
    if not ids:
        return []
    rows = tx.all(
        f"""SELECT p.id, p.status, p.category_id, p.changed_at, p.version, t.name, v.id AS variant_id, v.sku, v.price
            FROM {_FROM} WHERE p.id IN %(ids)s ORDER BY v.id DESC""",
        {"ids": ids, "lang": lang},
    )
    by_id = {row["id"]: row for row in rows}
    return [by_id[product_id] for product_id in ids if product_id in by_id]


def cursor_value(row: dict[str, Any], sort_key: str) -> str | None:
    """The sort value of a row, as a cursor carries it."""
    value = row["changed_at" if sort_key == "changed" else sort_key]
    return None if value is None else str(value)


# --- lists for programs --------------------------------------------------------------------------------------


def list_after(tx: Tx, after: int, limit: int, search: str, status: str | None, lang: str) -> list[dict[str, Any]]:
    """Products with their variant in the order of ids, beyond ``after``."""
    params: dict[str, Any] = {"lang": lang, "after": after, "limit": limit, "status": status}
    hits = _hits(search_words(search), params)
    hit = f" JOIN {hits} ON hit.product_id = p.id" if hits else ""
    return tx.all(
        f"""SELECT p.id, p.status, p.category_id, p.brand, p.mpn, p.version, p.made_at, p.changed_at, t.name,
                   t.description, v.id AS variant_id, v.sku, v.price, v.weight_g, v.gtin, v.version AS variant_version
            FROM {_FROM}{hit} WHERE p.id > %(after)s AND (%(status)s IS NULL OR p.status = %(status)s)
            ORDER BY p.id LIMIT %(limit)s""",
        params,
    )


def live_in(tx: Tx, category_ids: list[int], after: int, limit: int, lang: str) -> list[dict[str, Any]]:
    """Live products of categories, the newest first, before the id ``after`` (0: from the newest)."""
    return tx.all(
        f"""SELECT p.id, p.category_id, t.name, v.price FROM {_FROM}
            WHERE p.status = 'live' AND p.category_id IN %(ids)s AND (%(after)s = 0 OR p.id < %(after)s)
            ORDER BY p.id DESC LIMIT %(limit)s""",
        {"lang": lang, "ids": category_ids or [0], "after": after, "limit": limit},
    )


def live_counts(tx: Tx) -> dict[int, int]:
    """Live products by category."""
    rows = tx.all(
        """SELECT category_id, COUNT(*) AS count FROM product WHERE status = 'live' AND category_id IS NOT NULL
           GROUP BY category_id"""
    )
    return {row["category_id"]: row["count"] for row in rows}


def export_rows(tx: Tx, lang: str) -> Any:
    """All products one by one, for a file."""
    return tx.stream(
        f"""SELECT v.sku, t.name, v.price, v.weight_g, p.category_id, t.description, p.status
            FROM {_FROM} ORDER BY p.id""",
        {"lang": lang},
    )
