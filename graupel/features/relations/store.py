"""The tables of relations."""

from collections.abc import Sequence
from datetime import datetime

from graupel.core.declarations.relations import RELATION, RELATION_KIND
from graupel.db import Tx
from graupel.db.rows import Named
from graupel.features.relations.rows import KindRow, OfferRow, RelatedRow, RelationNameRow, RelationRow

_KIND = f"SELECT id, {', '.join(RELATION_KIND.columns())}, version FROM relation_kind"
_RELATION = f"SELECT id, {', '.join(RELATION.columns())}, version FROM relation"


def kinds(tx: Tx, *, lock: bool = False) -> list[KindRow]:
    """All kinds in their order."""
    return tx.rows(KindRow, f"{_KIND} ORDER BY position, id {'FOR UPDATE' if lock else ''}")


def counts(tx: Tx) -> dict[int, int]:
    """How many relations there are of each kind."""
    rows = tx.all("SELECT relation_kind_id AS id, COUNT(*) AS n FROM relation GROUP BY relation_kind_id")
    return {row["id"]: row["n"] for row in rows}


def of_product(tx: Tx, product_id: int, *, lock: bool = False) -> list[RelationRow]:
    """The relations of a product in the order of their kinds and places."""
    return tx.rows(
        RelationRow,
        f"""SELECT r.id, {", ".join(f"r.{name}" for name in RELATION.columns())}, r.version FROM relation r
            JOIN relation_kind k ON k.id = r.relation_kind_id WHERE r.product_id = %s
            ORDER BY k.position, k.id, r.position, r.id {"FOR UPDATE" if lock else ""}""",
        [product_id],
    )


def back(tx: Tx, product_id: int, others: Sequence[int]) -> list[RelationRow]:
    """The relations that lead from others to a product."""
    return tx.rows(
        RelationRow,
        f"{_RELATION} WHERE other_id = %s AND product_id IN %s FOR UPDATE",
        [product_id, list(others) or [0]],
    )


def offers(tx: Tx, product_ids: Sequence[int], now: datetime) -> list[OfferRow]:
    """What costs less now together with one of these products. ``now``: UTC."""
    return tx.rows(
        OfferRow,
        """SELECT product_id, other_id, less_by, less FROM relation WHERE product_id IN %(ids)s AND less_by <> ''
           AND (less_from IS NULL OR less_from <= %(now)s) AND (less_until IS NULL OR less_until > %(now)s)
           ORDER BY id""",
        {"ids": list(product_ids) or [0], "now": now},
    )


def count_of(tx: Tx, product_id: int, kind_id: int) -> int:
    return int(
        tx.value("SELECT COUNT(*) FROM relation WHERE product_id = %s AND relation_kind_id = %s", [product_id, kind_id])
    )


def named(tx: Tx, ids: Sequence[int], lang: str) -> dict[int, RelatedRow]:
    """Products as the editor names them; those that are not there are left out."""
    rows = tx.rows(
        RelatedRow,
        """SELECT p.id, t.name, p.status, COALESCE(s.sku, '') AS sku, s.price_low FROM product p
           JOIN product_text t ON t.product_id = p.id AND t.lang = %s
           LEFT JOIN product_summary s ON s.product_id = p.id WHERE p.id IN %s""",
        [lang, list(ids) or [0]],
    )
    return {row["id"]: row for row in rows}


# --- names for History ---------------------------------------------------------------------------------------


def kind_names(tx: Tx, ids: Sequence[int]) -> list[Named]:
    return tx.rows(Named, "SELECT id, name FROM relation_kind WHERE id IN %s", [list(ids) or [0]])


def relation_names(tx: Tx, ids: Sequence[int], lang: str) -> list[RelationNameRow]:
    return tx.rows(
        RelationNameRow,
        """SELECT r.id, k.name AS kind, t.name AS other, r.product_id FROM relation r
           JOIN relation_kind k ON k.id = r.relation_kind_id
           LEFT JOIN product_text t ON t.product_id = r.other_id AND t.lang = %s WHERE r.id IN %s""",
        [lang, list(ids) or [0]],
    )
