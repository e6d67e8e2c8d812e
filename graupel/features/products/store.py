"""The tables of products, their texts, variants and pictures."""

from typing import Any

from graupel.core.tables import PAGE_SIZE, Cursor, SearchWords, TableState, search_words
from graupel.db import Tx

_SORT_COLUMNS = {"name": "t.name", "sku": "v.sku", "price": "v.price", "changed": "p.changed_at"}
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


def _search(words: SearchWords | None, params: dict[str, Any]) -> str:
    """A join that keeps the products whose name or SKU fits; nothing where nothing is searched."""
    if words is None:
        return ""
    by_name = ["s.lang = %(lang)s"]
    if words.indexed:
        params["words"] = words.indexed
        by_name.append("MATCH (s.name) AGAINST (%(words)s IN BOOLEAN MODE)")
    for number, word in enumerate(words.compared):
        params[f"word{number}"] = f"{_like(word)}%"
        params[f"inner{number}"] = f"% {_like(word)}%"
        by_name.append(f"(s.name LIKE %(word{number})s OR s.name LIKE %(inner{number})s)")
    params["sku_like"] = f"{_like(words.sku_prefix)}%" if words.sku_prefix.isascii() else ""
    name_part = (
        f"SELECT s.product_id FROM product_text s WHERE {' AND '.join(by_name)} UNION " if len(by_name) > 1 else ""
    )
    return (
        f" JOIN ({name_part}SELECT sv.product_id FROM variant sv WHERE sv.sku LIKE %(sku_like)s) hit"
        " ON hit.product_id = p.id"
    )


def _like(text: str) -> str:
    return text.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_")


def _where(state: TableState, params: dict[str, Any], *, without: str = "") -> list[str]:
    found = []
    if state.status and without != "status":
        params["status"] = list(state.status)
        found.append("p.status IN %(status)s")
    if state.category and without != "category":
        params["category"] = list(state.category)
        found.append("p.category_id IN %(category)s")
    return found


def _after(state: TableState, params: dict[str, Any]) -> tuple[list[str], bool]:
    """Conditions for the rows beyond the cursor, and whether to read in descending order. NULL comes first."""
    cursor: Cursor | None = state.cursor
    descending = state.descending != bool(cursor and cursor.backwards)
    if cursor is None:
        return [], descending
    column, than = _SORT_COLUMNS[state.sort_key], "<" if descending else ">"
    params |= {"at": cursor.value, "at_id": cursor.row_id}
    beside = f"{column} <=> %(at)s AND p.id {than} %(at_id)s"
    if cursor.value is None:
        beyond = f"({beside})" if descending else f"(({beside}) OR {column} IS NOT NULL)"
        return [beyond], descending
    # The bare comparison lets the index be entered at the right place; the second decides among equals.
    nulls = f"{column} IS NULL OR " if descending and state.sort_key == "price" else ""
    return [f"({nulls}{column} {than}= %(at)s)", f"({nulls}{column} {than} %(at)s OR ({beside}))"], descending


def page_ids(tx: Tx, state: TableState, lang: str) -> list[int]:
    """Ids of a page's products and one more, in reading order from the cursor."""
    params: dict[str, Any] = {"lang": lang, "limit": PAGE_SIZE + 1}
    hit = _search(search_words(state.q), params)
    after, descending = _after(state, params)
    conditions = _where(state, params) + after
    way = "DESC" if descending else "ASC"
    sort = state.sort_key
    # Only what the order needs is joined: the rest is read for the page's few rows.
    source = "product p"
    if sort == "name":
        source = "product_text t JOIN product p ON p.id = t.product_id"
        conditions.append("t.lang = %(lang)s")
    elif sort in ("sku", "price"):
        source = "variant v JOIN product p ON p.id = v.product_id"
    rows = tx.all(
        f"""SELECT p.id FROM {source}{hit} {"WHERE " + " AND ".join(conditions) if conditions else ""}
            ORDER BY {_SORT_COLUMNS[sort]} {way}, p.id {way} LIMIT %(limit)s""",
        params,
    )
    return [row["id"] for row in rows]


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


def facet(tx: Tx, state: TableState, column: str, lang: str) -> dict[Any, int]:
    """Products by value of ``status`` or ``category_id``, within the search and the other facet."""
    params: dict[str, Any] = {"lang": lang}
    hit = _search(search_words(state.q), params)
    conditions = _where(state, params, without=column.removesuffix("_id"))
    rows = tx.all(
        f"""SELECT p.{column} AS value, COUNT(*) AS count FROM product p{hit}
            {"WHERE " + " AND ".join(conditions) if conditions else ""} GROUP BY p.{column}""",
        params,
    )
    return {row["value"]: row["count"] for row in rows}


# --- lists for programs --------------------------------------------------------------------------------------


def list_after(tx: Tx, after: int, limit: int, search: str, status: str | None, lang: str) -> list[dict[str, Any]]:
    """Products with their variant in the order of ids, beyond ``after``."""
    params: dict[str, Any] = {"lang": lang, "after": after, "limit": limit, "status": status}
    hit = _search(search_words(search), params)
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
