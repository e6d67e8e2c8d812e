"""The tables of products, their texts, variants and facts."""

from collections.abc import Mapping, Sequence
from typing import Any

from graupel.core.declarations.products import PRODUCT
from graupel.db import Tx
from graupel.db.rows import Named
from graupel.features.products.columns import (
    PRODUCT_COLUMNS,
    TEXT_COLUMNS,
    VARIANT_COLUMNS,
)
from graupel.features.products.rows import (
    AxisRow,
    FactRow,
    FurtherCategoryRow,
    NamedOfProduct,
    PlaceRow,
    ProductRow,
    SkuOwnerRow,
    VariantRow,
)

FROM = "product p JOIN product_text t ON t.product_id = p.id AND t.lang = %(lang)s"
BRAND = "LEFT JOIN brand b ON b.id = p.brand_id"
COLUMNS = ", ".join(
    [
        "p.id, p.was_live, p.version, p.made_at, p.changed_at, COALESCE(b.name, '') AS brand",
        *map(PRODUCT.column, PRODUCT.names),
    ]
)


# --- one product ---------------------------------------------------------------------------------------------


def read(tx: Tx, product_id: int, lang: str, *, lock: bool = False) -> ProductRow | None:
    return tx.row(
        ProductRow,
        f"SELECT {COLUMNS} FROM {FROM} {BRAND} WHERE p.id = %(id)s {'FOR UPDATE' if lock else ''}",
        {"id": product_id, "lang": lang},
    )


def product_of_variant(tx: Tx, variant_id: int) -> int | None:
    found = tx.value("SELECT product_id FROM variant WHERE id = %s", [variant_id])
    return None if found is None else int(found)


def amounts(tx: Tx, product_id: int) -> dict[str, Any]:
    """The prices that a product holds for its variants."""
    return tx.one("SELECT price, list_price FROM product WHERE id = %s", [product_id]) or {}


def owners_of_skus(tx: Tx, skus: Sequence[str], lang: str) -> dict[str, SkuOwnerRow]:
    """Who has, or had, each of these SKUs (upper case): variant, product and its name; None for one that is gone."""
    if not skus:
        return {}
    rows = tx.rows(
        SkuOwnerRow,
        """SELECT UPPER(g.sku) AS sku, g.variant_id, v.product_id, t.name, v.sku AS current
           FROM (SELECT sku, variant_id FROM former_sku WHERE sku IN %(skus)s
                 UNION ALL SELECT sku, id FROM variant WHERE sku IN %(skus)s) g
           LEFT JOIN variant v ON v.id = g.variant_id
           LEFT JOIN product_text t FORCE INDEX (PRIMARY) ON t.product_id = v.product_id AND t.lang = %(lang)s""",
        {"skus": list(skus), "lang": lang},
    )
    # One that a variant has again, after another one, is that variant's.
    return {row["sku"]: row for row in sorted(rows, key=lambda row: str(row["current"]).upper() == row["sku"])}


def given_of(tx: Tx, skus: Sequence[str]) -> set[str]:
    """Which of these SKUs were ever given, upper case."""
    if not skus:
        return set()
    given = """SELECT UPPER(sku) AS sku FROM former_sku WHERE sku IN %(skus)s
               UNION SELECT UPPER(sku) FROM variant WHERE sku IN %(skus)s"""
    return {row["sku"] for row in tx.all(given, {"skus": list(skus)})}


def was_given(tx: Tx, sku: str) -> bool:
    """Whether a SKU was ever given."""
    return bool(given_of(tx, [sku]))


def owner_of_code(tx: Tx, code: str) -> int | None:
    found = tx.value("SELECT id FROM product WHERE code = %s", [code])
    return None if found is None else int(found)


def live_within(tx: Tx, category_ids: Sequence[int]) -> int:
    """How many live products have one of these as their main category."""
    sql = "SELECT COUNT(*) FROM product WHERE category_id IN %s AND status = 'live'"
    return int(tx.value(sql, [list(category_ids) or [0]]))


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


def place_of(tx: Tx, product_id: int) -> PlaceRow | None:
    """A product's main category, locked."""
    return tx.row(
        PlaceRow, "SELECT id, status, category_id, version FROM product WHERE id = %s FOR UPDATE", [product_id]
    )


def set_main_category(tx: Tx, product_id: int, category_id: int | None) -> None:
    tx.run(
        """UPDATE product SET category_id = %s, version = version + 1, changed_at = UTC_TIMESTAMP(3)
           WHERE id = %s""",
        [category_id, product_id],
    )


# --- variants ------------------------------------------------------------------------------------------------


def variants(tx: Tx, product_ids: Sequence[int], *, lock: bool = False) -> list[VariantRow]:
    """All variants of these products, in the order they were made."""
    if not product_ids:
        return []
    return tx.rows(
        VariantRow,
        f"""SELECT id, {", ".join(VARIANT_COLUMNS)}, version FROM variant WHERE product_id IN %s
            ORDER BY product_id, id {"FOR UPDATE" if lock else ""}""",
        [list(product_ids)],
    )


def variants_by_ids(tx: Tx, variant_ids: Sequence[int]) -> list[VariantRow]:
    """Some variants, by product and id; those that are not there are left out."""
    return tx.rows(
        VariantRow,
        f"""SELECT id, {", ".join(VARIANT_COLUMNS)}, version FROM variant WHERE id IN %s ORDER BY product_id, id""",
        [list(variant_ids) or [0]],
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


def axes(tx: Tx, product_ids: Sequence[int]) -> list[AxisRow]:
    """What products differ by, in order."""
    if not product_ids:
        return []
    return tx.rows(
        AxisRow,
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


def facts(tx: Tx, product_ids: Sequence[int]) -> list[FactRow]:
    if not product_ids:
        return []
    return tx.rows(
        FactRow,
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


def further_categories(tx: Tx, product_id: int) -> list[FurtherCategoryRow]:
    return tx.rows(
        FurtherCategoryRow,
        "SELECT id, category_id, version FROM product_category WHERE product_id = %s ORDER BY id",
        [product_id],
    )


def insert_further_category(tx: Tx, product_id: int, category_id: int) -> int:
    return tx.insert(
        "INSERT INTO product_category (product_id, category_id) VALUES (%s, %s)", [product_id, category_id]
    )


def delete_further_category(tx: Tx, row_id: int) -> None:
    tx.run("DELETE FROM product_category WHERE id = %s", [row_id])


# --- names for History -----------------------------------------------------------------------------------------


def names(tx: Tx, ids: list[int], lang: str) -> list[Named]:
    return (
        tx.rows(
            Named, "SELECT product_id AS id, name FROM product_text WHERE lang = %s AND product_id IN %s", [lang, ids]
        )
        if ids
        else []
    )


def fact_names(tx: Tx, ids: list[int]) -> list[NamedOfProduct]:
    if not ids:
        return []
    return tx.rows(
        NamedOfProduct,
        "SELECT f.id, f.product_id, a.name FROM fact f JOIN attribute a ON a.id = f.attribute_id WHERE f.id IN %s",
        [ids],
    )


def axis_names(tx: Tx, ids: list[int]) -> list[NamedOfProduct]:
    if not ids:
        return []
    return tx.rows(
        NamedOfProduct,
        """SELECT x.id, x.product_id, a.name FROM product_axis x JOIN attribute a ON a.id = x.attribute_id
           WHERE x.id IN %s""",
        [ids],
    )


def further_category_names(tx: Tx, ids: list[int]) -> list[NamedOfProduct]:
    if not ids:
        return []
    return tx.rows(
        NamedOfProduct,
        """SELECT x.id, x.product_id, c.name FROM product_category x JOIN category c ON c.id = x.category_id
           WHERE x.id IN %s""",
        [ids],
    )


def variant_text_names(tx: Tx, ids: list[int]) -> list[NamedOfProduct]:
    if not ids:
        return []
    return tx.rows(
        NamedOfProduct,
        """SELECT x.id, v.product_id, v.sku AS name FROM variant_text x JOIN variant v ON v.id = x.variant_id
           WHERE x.id IN %s""",
        [ids],
    )


def variant_names(tx: Tx, ids: list[int]) -> list[NamedOfProduct]:
    return (
        tx.rows(NamedOfProduct, "SELECT id, product_id, sku AS name FROM variant WHERE id IN %s", [ids]) if ids else []
    )
