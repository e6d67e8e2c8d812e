"""The tables of products, their texts, variants and pictures."""

from collections.abc import Mapping, Sequence
from typing import Any

from graupel.core.declarations.products import FACETS, MOVES_UP, PRODUCT, VARIANT
from graupel.core.tables import Cursor, SearchWords, search_words
from graupel.db import Tx, like
from graupel.features.products.columns import (
    PRODUCT_COLUMNS,
    TEXT_COLUMNS,
    VARIANT_COLUMNS,
    choice_pairs,
    inherited_sql,
)

_FROM = "product p JOIN product_text t ON t.product_id = p.id AND t.lang = %(lang)s"
_BRAND = "LEFT JOIN brand b ON b.id = p.brand_id"
_COLUMNS = ", ".join(
    [
        "p.id, p.was_live, p.version, p.made_at, p.changed_at, COALESCE(b.name, '') AS brand",
        *map(PRODUCT.column, PRODUCT.names),
    ]
)


# --- one product ---------------------------------------------------------------------------------------------


def read(tx: Tx, product_id: int, lang: str, *, lock: bool = False) -> dict[str, Any] | None:
    return tx.one(
        f"SELECT {_COLUMNS} FROM {_FROM} {_BRAND} WHERE p.id = %(id)s {'FOR UPDATE' if lock else ''}",
        {"id": product_id, "lang": lang},
    )


def product_of_variant(tx: Tx, variant_id: int) -> int | None:
    found = tx.value("SELECT product_id FROM variant WHERE id = %s", [variant_id])
    return None if found is None else int(found)


def owners_of_skus(tx: Tx, skus: Sequence[str], lang: str) -> dict[str, dict[str, Any]]:
    """Who has, or had, each of these SKUs (upper case): variant, product and its name; None for one that is gone."""
    if not skus:
        return {}
    rows = tx.all(
        """SELECT UPPER(g.sku) AS sku, g.variant_id, v.product_id, t.name, v.sku AS current FROM given_sku g
           LEFT JOIN variant v ON v.id = g.variant_id
           LEFT JOIN product_text t ON t.product_id = v.product_id AND t.lang = %(lang)s WHERE g.sku IN %(skus)s""",
        {"skus": list(skus), "lang": lang},
    )
    return {row["sku"]: row for row in rows}


def given_of(tx: Tx, skus: Sequence[str]) -> set[str]:
    """Which of these SKUs were ever given, upper case."""
    if not skus:
        return set()
    return {row["sku"] for row in tx.all("SELECT UPPER(sku) AS sku FROM given_sku WHERE sku IN %s", [list(skus)])}


def skus_beginning(tx: Tx, beginning: str) -> set[str]:
    """All SKUs ever given that begin like this, upper case."""
    rows = tx.all("SELECT UPPER(sku) AS sku FROM given_sku WHERE sku LIKE %s", [f"{like(beginning)}%"])
    return {row["sku"] for row in rows}


def owner_of_code(tx: Tx, code: str) -> int | None:
    found = tx.value("SELECT id FROM product WHERE code = %s", [code])
    return None if found is None else int(found)


def insert_product(tx: Tx, values: Mapping[str, Any], lang: str) -> int:
    names = [name for name in PRODUCT_COLUMNS if name in values]
    product_id = tx.insert(
        f"""INSERT INTO product ({", ".join(names)}, was_live, made_at, changed_at)
            VALUES ({_bound(names)}, %(status)s = 'live', UTC_TIMESTAMP(3), UTC_TIMESTAMP(3))""",
        values,
    )
    texts = [name for name in TEXT_COLUMNS if name in values]
    tx.run(
        f"INSERT INTO product_text (product_id, lang, {', '.join(texts)}) VALUES (%(id)s, %(lang)s, {_bound(texts)})",
        {**values, "id": product_id, "lang": lang},
    )
    return product_id


def update_product(tx: Tx, product_id: int, values: Mapping[str, Any], lang: str) -> None:
    """Write the named columns of a product and its text."""
    sets = [f"p.{name} = %({name})s" for name in PRODUCT_COLUMNS if name in values]
    sets += [f"t.{name} = %({name})s" for name in TEXT_COLUMNS if name in values]
    live = "p.was_live = p.was_live OR %(status)s = 'live'," if "status" in values else ""
    tx.run(
        f"""UPDATE product p JOIN product_text t ON t.product_id = p.id AND t.lang = %(lang)s
            SET {live} {", ".join(sets)}, p.version = p.version + 1, p.changed_at = UTC_TIMESTAMP(3)
            WHERE p.id = %(id)s""",
        {**values, "id": product_id, "lang": lang},
    )


def _bound(names: Sequence[str]) -> str:
    return ", ".join(f"%({name})s" for name in names)


# --- variants ------------------------------------------------------------------------------------------------


def variants(tx: Tx, product_ids: Sequence[int], *, lock: bool = False) -> list[dict[str, Any]]:
    """All variants of these products, in the order they were made."""
    if not product_ids:
        return []
    return tx.all(
        f"""SELECT id, {", ".join(VARIANT_COLUMNS)}, version FROM variant WHERE product_id IN %s
            ORDER BY product_id, id {"FOR UPDATE" if lock else ""}""",
        [list(product_ids)],
    )


def insert_variants(tx: Tx, rows: Sequence[Mapping[str, Any]]) -> list[int]:
    """Make variants; returns their ids in the order of the rows. Columns not named are NULL or their default."""
    names = [name for name in VARIANT_COLUMNS if name in rows[0]]
    tx.many(
        f"INSERT INTO variant ({', '.join(names)}) VALUES ({', '.join(['%s'] * len(names))})",
        [[row[name] for name in names] for row in rows],
    )
    found = tx.all("SELECT id, UPPER(sku) AS sku FROM variant WHERE sku IN %s", [[row["sku"] for row in rows]])
    by_sku = {row["sku"]: row["id"] for row in found}
    return [by_sku[row["sku"].upper()] for row in rows]


def update_variant(tx: Tx, variant_id: int, values: Mapping[str, Any]) -> None:
    """Write the named columns of one variant."""
    sets = ", ".join(f"{name} = %({name})s" for name in values)
    tx.run(f"UPDATE variant SET {sets}, version = version + 1 WHERE id = %(id)s", {**values, "id": variant_id})


def axes(tx: Tx, product_ids: Sequence[int]) -> list[dict[str, Any]]:
    """What products differ by, in order."""
    if not product_ids:
        return []
    return tx.all(
        """SELECT id, product_id, attribute_id, position, version FROM product_axis WHERE product_id IN %s
           ORDER BY product_id, position""",
        [list(product_ids)],
    )


def insert_axis(tx: Tx, product_id: int, attribute_id: int, position: int) -> int:
    return tx.insert(
        "INSERT INTO product_axis (product_id, attribute_id, position) VALUES (%s, %s, %s)",
        [product_id, attribute_id, position],
    )


def update_axis(tx: Tx, axis_id: int, position: int) -> None:
    tx.run("UPDATE product_axis SET position = %s, version = version + 1 WHERE id = %s", [position, axis_id])


def delete_axis(tx: Tx, axis_id: int) -> None:
    tx.run("DELETE FROM product_axis WHERE id = %s", [axis_id])


# --- facts and further categories ------------------------------------------------------------------------------


def facts(tx: Tx, product_ids: Sequence[int]) -> list[dict[str, Any]]:
    if not product_ids:
        return []
    return tx.all(
        """SELECT id, product_id, attribute_id, choice_id, number, unit, text, version FROM fact
           WHERE product_id IN %s ORDER BY id""",
        [list(product_ids)],
    )


def insert_fact(tx: Tx, values: Mapping[str, Any]) -> int:
    return tx.insert(
        """INSERT INTO fact (product_id, attribute_id, choice_id, number, unit, text)
           VALUES (%(product_id)s, %(attribute_id)s, %(choice_id)s, %(number)s, %(unit)s, %(text)s)""",
        values,
    )


def update_fact(tx: Tx, fact_id: int, values: Mapping[str, Any]) -> None:
    tx.run(
        """UPDATE fact SET number = %(number)s, unit = %(unit)s, text = %(text)s, version = version + 1
           WHERE id = %(id)s""",
        {**values, "id": fact_id},
    )


def delete_fact(tx: Tx, fact_id: int) -> None:
    tx.run("DELETE FROM fact WHERE id = %s", [fact_id])


def further_categories(tx: Tx, product_id: int) -> list[dict[str, Any]]:
    return tx.all(
        "SELECT id, category_id, version FROM product_category WHERE product_id = %s ORDER BY id", [product_id]
    )


def insert_further_category(tx: Tx, product_id: int, category_id: int) -> int:
    return tx.insert(
        "INSERT INTO product_category (product_id, category_id) VALUES (%s, %s)", [product_id, category_id]
    )


def delete_further_category(tx: Tx, row_id: int) -> None:
    tx.run("DELETE FROM product_category WHERE id = %s", [row_id])


# --- names for History -----------------------------------------------------------------------------------------


def names(tx: Tx, ids: list[int], lang: str) -> list[dict[str, Any]]:
    return (
        tx.all("SELECT product_id AS id, name FROM product_text WHERE lang = %s AND product_id IN %s", [lang, ids])
        if ids
        else []
    )


def fact_names(tx: Tx, ids: list[int]) -> list[dict[str, Any]]:
    if not ids:
        return []
    return tx.all(
        "SELECT f.id, f.product_id, a.name FROM fact f JOIN attribute a ON a.id = f.attribute_id WHERE f.id IN %s",
        [ids],
    )


def axis_names(tx: Tx, ids: list[int]) -> list[dict[str, Any]]:
    if not ids:
        return []
    return tx.all(
        """SELECT x.id, x.product_id, a.name FROM product_axis x JOIN attribute a ON a.id = x.attribute_id
           WHERE x.id IN %s""",
        [ids],
    )


def further_category_names(tx: Tx, ids: list[int]) -> list[dict[str, Any]]:
    if not ids:
        return []
    return tx.all(
        """SELECT x.id, x.product_id, c.name FROM product_category x JOIN category c ON c.id = x.category_id
           WHERE x.id IN %s""",
        [ids],
    )


def variant_text_names(tx: Tx, ids: list[int]) -> list[dict[str, Any]]:
    if not ids:
        return []
    return tx.all(
        """SELECT x.id, v.product_id, v.sku AS name FROM variant_text x JOIN variant v ON v.id = x.variant_id
           WHERE x.id IN %s""",
        [ids],
    )


def variant_names(tx: Tx, ids: list[int]) -> list[dict[str, Any]]:
    return tx.all("SELECT id, product_id, sku AS name FROM variant WHERE id IN %s", [ids]) if ids else []


# --- pictures ------------------------------------------------------------------------------------------------


def pictures(tx: Tx, product_id: int) -> list[dict[str, Any]]:
    return tx.all(
        """SELECT id, media_id, position, alt, title, version FROM picture WHERE product_id = %s
                     ORDER BY position, id""",
        [product_id],
    )


def main_pictures(tx: Tx, product_ids: list[int]) -> dict[int, dict[str, Any]]:
    """The first of each product that has any, pictures before videos and models."""
    if not product_ids:
        return {}
    rows = tx.all(
        """SELECT c.id, c.product_id, c.media_id, c.alt FROM picture c JOIN media m ON m.id = c.media_id
           WHERE c.product_id IN %s
           ORDER BY c.product_id, m.kind = 'picture', c.position DESC, c.id DESC""",
        [product_ids],
    )
    return {row["product_id"]: row for row in rows}


def insert_picture(tx: Tx, values: Mapping[str, Any]) -> int:
    return tx.insert(
        """INSERT INTO picture (product_id, media_id, position, alt, title)
           VALUES (%(product_id)s, %(media_id)s, %(position)s, %(alt)s, %(title)s)""",
        values,
    )


def update_picture(tx: Tx, picture_id: int, values: Mapping[str, Any]) -> None:
    tx.run(
        """UPDATE picture SET position = %(position)s, alt = %(alt)s, title = %(title)s, version = version + 1
           WHERE id = %(id)s""",
        {**values, "id": picture_id},
    )


def delete_picture(tx: Tx, picture_id: int) -> None:
    tx.run("DELETE FROM picture WHERE id = %s", [picture_id])


def belonging(tx: Tx, product_id: int) -> list[dict[str, Any]]:
    """What the pictures of a product belong to."""
    return tx.all(
        "SELECT id, picture_id, variant_id, choice_id, version FROM picture_for WHERE product_id = %s ORDER BY id",
        [product_id],
    )


def insert_belonging(tx: Tx, values: Mapping[str, Any]) -> int:
    return tx.insert(
        """INSERT INTO picture_for (product_id, picture_id, variant_id, choice_id)
           VALUES (%(product_id)s, %(picture_id)s, %(variant_id)s, %(choice_id)s)""",
        values,
    )


def delete_belonging(tx: Tx, row_id: int) -> None:
    tx.run("DELETE FROM picture_for WHERE id = %s", [row_id])


def belonging_names(tx: Tx, ids: list[int]) -> list[dict[str, Any]]:
    if not ids:
        return []
    return tx.all(
        """SELECT f.id, f.product_id, m.file_name AS name FROM picture_for f JOIN picture c ON c.id = f.picture_id
           JOIN media m ON m.id = c.media_id WHERE f.id IN %s""",
        [ids],
    )


def picture_names(tx: Tx, ids: list[int]) -> list[dict[str, Any]]:
    return (
        tx.all(
            """SELECT c.id, c.product_id, m.file_name AS name FROM picture c JOIN media m ON m.id = c.media_id
                     WHERE c.id IN %s""",
            [ids],
        )
        if ids
        else []
    )


# --- the table -----------------------------------------------------------------------------------------------

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
            FROM {_FROM} JOIN product_summary s ON s.product_id = p.id
            LEFT JOIN variant o ON o.product_id = p.id AND o.combination = '' WHERE p.id IN %(ids)s""",
        {"ids": ids, "lang": lang},
    )
    by_id = {row["id"]: row for row in rows}
    return [by_id[product_id] for product_id in ids if product_id in by_id]


# --- what the facets count -----------------------------------------------------------------------------------


def place_of(tx: Tx, product_id: int) -> dict[str, Any] | None:
    """A product's main category, locked."""
    return tx.one("SELECT id, status, category_id, version FROM product WHERE id = %s FOR UPDATE", [product_id])


def set_main_category(tx: Tx, product_id: int, category_id: int | None) -> None:
    tx.run(
        """UPDATE product SET category_id = %s, version = version + 1, changed_at = UTC_TIMESTAMP(3)
           WHERE id = %s""",
        [category_id, product_id],
    )


def ids_after(tx: Tx, after: int, limit: int) -> list[int]:
    """Ids of products in their order, beyond ``after``."""
    return [row["id"] for row in tx.all("SELECT id FROM product WHERE id > %s ORDER BY id LIMIT %s", [after, limit])]


def facet_products(tx: Tx, ids: Sequence[int]) -> list[dict[str, Any]]:
    """What facets need of products."""
    return tx.all(
        """SELECT p.id, p.status, p.type_id, p.brand_id, p.category_id, s.price_low, s.price_high, s.stock,
                  s.lacks_gtin, s.lacks_picture, s.lacks_alt, s.lacks_description
           FROM product p JOIN product_summary s ON s.product_id = p.id WHERE p.id IN %s""",
        [list(ids)],
    )


_OF = "product_id IN %(ids)s"
#: SELECTs of (product id, value) of what a product may have several of.
_FACET_PAIRS = {
    "category": f"""SELECT product_id AS id, category_id AS value FROM product_category WHERE {_OF}
                    UNION SELECT product_id, category_id FROM category_filled WHERE {_OF}""",
    "tag": "SELECT record_id AS id, tag_id AS value FROM tagging WHERE kind = 'product' AND record_id IN %(ids)s",
    "has": f"""SELECT DISTINCT product_id AS id, attribute_id AS value FROM fact WHERE {_OF}
               UNION SELECT product_id, attribute_id FROM product_axis WHERE {_OF}""",
    "fact": " UNION ".join(
        [
            f"SELECT product_id AS id, choice_id AS value FROM fact WHERE choice_id IS NOT NULL AND {_OF}",
            *choice_pairs(f"NOT archived AND {_OF}"),
        ]
    ),
}


# Fields that variants inherit, each with the values of all its variants for sale.
_FACET_PAIRS |= {
    field.name: f"""SELECT DISTINCT v.product_id AS id, {inherited_sql(field.name)} AS value FROM variant v
                    JOIN product p ON p.id = v.product_id WHERE NOT v.archived AND v.product_id IN %(ids)s
                    AND {inherited_sql(field.name)} IS NOT NULL"""
    for field in FACETS
}


def facet_pairs(tx: Tx, what: str, ids: Sequence[int]) -> list[dict[str, Any]]:
    """(product id, value) of what products may have several of: "category", "tag", "has", "fact", or a field."""
    return tx.all(_FACET_PAIRS[what], {"ids": list(ids)})


# --- lists for programs --------------------------------------------------------------------------------------


def list_after(tx: Tx, after: int, limit: int, search: str, status: str | None, lang: str) -> list[dict[str, Any]]:
    """Products in the order of ids, beyond ``after``."""
    params: dict[str, Any] = {"lang": lang, "after": after, "limit": limit, "status": status}
    hits = _hits(search_words(search), params)
    hit = f" JOIN {hits} ON hit.product_id = p.id" if hits else ""
    return tx.all(
        f"""SELECT {_COLUMNS} FROM {_FROM}{hit} {_BRAND}
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
        f"SELECT p.id, t.name, t.short_text, t.address_part FROM {_FROM} WHERE p.id IN %(ids)s",
        {"lang": lang, "ids": list(ids)},
    )
    by_id = {row["id"]: row for row in rows}
    return [by_id[one] for one in ids if one in by_id]


def export_rows(tx: Tx, lang: str) -> Any:
    """All variants one by one with their products, for a file."""
    inherited = [f"{inherited_sql(name)} AS {name}" for name in VARIANT.in_files if name != "sku"]
    return tx.stream(
        f"""SELECT v.sku, {", ".join([*map(PRODUCT.column, PRODUCT.in_files), *inherited])}, p.status
            FROM {_FROM} JOIN variant v ON v.product_id = p.id WHERE NOT v.archived ORDER BY p.id, v.id""",
        {"lang": lang},
    )
