"""The tables of kits."""

from collections.abc import Collection, Sequence

from graupel.core.declarations.kits import KIT, KIT_PART
from graupel.db import Tx
from graupel.features.kits.rows import KitRow, PartNameRow, PartRow, SkuPartRow, UsedByRow

_KIT = f"SELECT id, {', '.join(KIT.columns())}, version FROM kit"
_PART = f"SELECT id, {', '.join(KIT_PART.columns())}, version FROM kit_part"


def hold(tx: Tx) -> None:
    """Let nobody else say what kits are made of until this ends: two at once could put a kit into a kit."""
    tx.run("UPDATE held SET times = times + 1 WHERE name = 'kits'")


def kits(tx: Tx, product_ids: Sequence[int], *, lock: bool = False) -> dict[int, KitRow]:
    """How these products are priced as kits, by product."""
    rows = tx.rows(KitRow, f"{_KIT} WHERE product_id IN %s {'FOR UPDATE' if lock else ''}", [list(product_ids) or [0]])
    return {row["product_id"]: row for row in rows}


def parts(tx: Tx, product_ids: Sequence[int], *, lock: bool = False) -> list[PartRow]:
    """What these products are made of, each in its order."""
    return tx.rows(
        PartRow,
        f"""{_PART} WHERE product_id IN %s ORDER BY product_id, position, id {"FOR UPDATE" if lock else ""}""",
        [list(product_ids) or [0]],
    )


def variants_in(tx: Tx, variant_ids: Sequence[int]) -> set[int]:
    """The variants that those of some variants are made of that are kits'."""
    rows = tx.all(
        """SELECT DISTINCT kp.variant_id AS id FROM variant k JOIN kit_part kp ON kp.product_id = k.product_id
           WHERE k.id IN %s""",
        [list(variant_ids) or [0]],
    )
    return {row["id"] for row in rows}


def by_skus(tx: Tx, skus: Sequence[str]) -> dict[str, int]:
    """Variants by SKU, in capitals; those that nothing has are left out."""
    plain = [one for one in skus if one.isascii()] or [""]
    rows = tx.all("SELECT UPPER(sku) AS sku, id FROM variant WHERE sku IN %s", [plain])
    return {row["sku"]: row["id"] for row in rows}


def are_kits(tx: Tx, product_ids: Collection[int]) -> set[int]:
    """Those of some products that are kits."""
    rows = tx.all("SELECT DISTINCT product_id AS id FROM kit_part WHERE product_id IN %s", [list(product_ids) or [0]])
    return {row["id"] for row in rows}


def used_by(tx: Tx, product_id: int, lang: str, limit: int) -> list[UsedByRow]:
    """The kits that have a variant of a product in them, by name."""
    return tx.rows(
        UsedByRow,
        """SELECT DISTINCT kp.product_id AS id, t.name FROM variant v JOIN kit_part kp ON kp.variant_id = v.id
           JOIN product_text t ON t.product_id = kp.product_id AND t.lang = %s WHERE v.product_id = %s
           ORDER BY t.name, kp.product_id LIMIT %s""",
        [lang, product_id, limit],
    )


def with_parts_of(tx: Tx, product_id: int) -> list[PartRow]:
    """The parts of kits that are variants of a product, locked."""
    return tx.rows(
        PartRow,
        f"{_PART} WHERE variant_id IN (SELECT v.id FROM variant v WHERE v.product_id = %s) ORDER BY id FOR UPDATE",
        [product_id],
    )


def concerned(tx: Tx, table: str) -> bool:
    """Whether a table of touched products has a kit, or one that has something of them in it."""
    return bool(
        tx.value(
            f"""SELECT 1 FROM kit_part kp STRAIGHT_JOIN {table} t ON t.product_id = kp.product_id
                UNION ALL
                SELECT 1 FROM kit_part kp STRAIGHT_JOIN variant v ON v.id = kp.variant_id
                STRAIGHT_JOIN {table} t ON t.product_id = v.product_id LIMIT 1"""
        )
    )


def all_kits(tx: Tx) -> list[int]:
    """All kits, in the order of their ids."""
    return [row["id"] for row in tx.all("SELECT DISTINCT product_id AS id FROM kit_part ORDER BY product_id")]


def with_skus(tx: Tx, skus: Sequence[str]) -> list[SkuPartRow]:
    """What those of some SKUs that are kits' are made of, in the order of parts."""
    return tx.rows(
        SkuPartRow,
        """SELECT k.sku AS kit_sku, kp.id AS part_id, kp.variant_id, v.sku, kp.quantity, kp.pick
           FROM variant k JOIN kit_part kp ON kp.product_id = k.product_id JOIN variant v ON v.id = kp.variant_id
           WHERE k.sku IN %s ORDER BY k.sku, kp.position, kp.id""",
        [list(skus) or [""]],
    )


# --- names for History ---------------------------------------------------------------------------------------


def kit_names(tx: Tx, ids: Sequence[int], lang: str) -> list[PartNameRow]:
    return tx.rows(
        PartNameRow,
        """SELECT k.id, k.product_id, t.name AS kit, NULL AS part, NULL AS sku FROM kit k
           LEFT JOIN product_text t ON t.product_id = k.product_id AND t.lang = %s WHERE k.id IN %s""",
        [lang, list(ids) or [0]],
    )


def part_names(tx: Tx, ids: Sequence[int], lang: str) -> list[PartNameRow]:
    return tx.rows(
        PartNameRow,
        """SELECT kp.id, kp.product_id, t.name AS kit, o.name AS part, v.sku FROM kit_part kp
           LEFT JOIN product_text t ON t.product_id = kp.product_id AND t.lang = %(lang)s
           LEFT JOIN variant v ON v.id = kp.variant_id
           LEFT JOIN product_text o ON o.product_id = v.product_id AND o.lang = %(lang)s WHERE kp.id IN %(ids)s""",
        {"lang": lang, "ids": list(ids) or [0]},
    )
