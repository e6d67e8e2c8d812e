"""The tables of relations."""

from collections.abc import Sequence
from datetime import datetime

from graupel.core.declarations.relations import RELATION, RELATION_KIND, RELATION_RULE
from graupel.db import Tx
from graupel.db.rows import Named
from graupel.features.relations.rows import (
    CodesRow,
    KindRow,
    OfferRow,
    ReferringRow,
    RelatedRow,
    RelationNameRow,
    RelationRow,
    RuleNameRow,
    RuleRow,
)

_KIND = f"SELECT id, {', '.join(RELATION_KIND.columns())}, version FROM relation_kind"
_RELATION = f"SELECT id, {', '.join(RELATION.columns())}, version FROM relation"


def kinds(tx: Tx, *, lock: bool = False) -> list[KindRow]:
    """All kinds in their order."""
    return tx.rows(KindRow, f"{_KIND} ORDER BY position, id {'FOR UPDATE' if lock else ''}")


def counts(tx: Tx) -> dict[int, int]:
    """How many relations there are of each kind, and rules of them."""
    rows = tx.all(
        """SELECT x.id, COUNT(*) AS n FROM (SELECT relation_kind_id AS id FROM relation
           UNION ALL SELECT relation_kind_id FROM relation_rule) x GROUP BY x.id"""
    )
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


def rules(tx: Tx, *, lock: bool = False) -> list[RuleRow]:
    """All rules, by kind and place."""
    return tx.rows(
        RuleRow,
        f"""SELECT rr.id, {", ".join(f"rr.{name}" for name in RELATION_RULE.columns())}, rr.version
            FROM relation_rule rr JOIN relation_kind k ON k.id = rr.relation_kind_id
            ORDER BY k.position, k.id, rr.position, rr.id
            {"FOR UPDATE" if lock else ""}""",
    )


def referring(tx: Tx, product_id: int, by_id: int, lang: str, limit: int) -> list[ReferringRow]:
    """Who has a product beside it, by name; ``has_it``: it has ``by_id`` beside it as well, or is that."""
    return tx.rows(
        ReferringRow,
        """SELECT r.id, r.product_id, t.name, r.relation_kind_id, k.name AS kind,
                  r.product_id = %(by)s OR EXISTS (
                    SELECT 1 FROM relation h WHERE h.product_id = r.product_id AND h.other_id = %(by)s
                    AND h.relation_kind_id = r.relation_kind_id) AS has_it
           FROM relation r JOIN relation_kind k ON k.id = r.relation_kind_id
           JOIN product_text t ON t.product_id = r.product_id AND t.lang = %(lang)s
           WHERE r.other_id = %(product)s ORDER BY t.name, r.id LIMIT %(limit)s""",
        {"product": product_id, "by": by_id, "lang": lang, "limit": limit},
    )


def by_ids(tx: Tx, ids: Sequence[int]) -> list[RelationRow]:
    """Relations by their ids, locked."""
    return tx.rows(RelationRow, f"{_RELATION} WHERE id IN %s ORDER BY id FOR UPDATE", [list(ids) or [0]])


def offers(tx: Tx, product_ids: Sequence[int], now: datetime) -> list[OfferRow]:
    """What costs less now together with one of these products. ``now``: UTC."""
    return tx.rows(
        OfferRow,
        """SELECT product_id, other_id, less_by, less FROM relation WHERE product_id IN %(ids)s AND less_by <> ''
           AND (less_from IS NULL OR less_from <= %(now)s) AND (less_until IS NULL OR less_until > %(now)s)
           ORDER BY id""",
        {"ids": list(product_ids) or [0], "now": now},
    )


def pairs(tx: Tx, product_ids: Sequence[int]) -> set[tuple[int, int, int]]:
    """What these products have beside them: product, kind and other."""
    rows = tx.all(
        "SELECT product_id, relation_kind_id, other_id FROM relation WHERE product_id IN %s", [list(product_ids) or [0]]
    )
    return {(row["product_id"], row["relation_kind_id"], row["other_id"]) for row in rows}


def counts_of(tx: Tx, product_ids: Sequence[int]) -> dict[int, int]:
    """How many each of these products has beside it."""
    rows = tx.all(
        "SELECT product_id, COUNT(*) AS n FROM relation WHERE product_id IN %s GROUP BY product_id",
        [list(product_ids) or [0]],
    )
    return {row["product_id"]: row["n"] for row in rows}


def every(tx: Tx) -> list[CodesRow]:
    """All relations by the codes of what they are between, or their first SKU where they have none."""
    return tx.rows(
        CodesRow,
        """SELECT COALESCE(p.code, s.sku) AS code, k.name AS kind, COALESCE(o.code, t.sku) AS other
           FROM relation r JOIN relation_kind k ON k.id = r.relation_kind_id
           JOIN product p ON p.id = r.product_id JOIN product_summary s ON s.product_id = p.id
           JOIN product o ON o.id = r.other_id JOIN product_summary t ON t.product_id = o.id
           ORDER BY r.product_id, k.position, k.id, r.position, r.id""",
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


def rule_names(tx: Tx, ids: Sequence[int]) -> list[RuleNameRow]:
    return tx.rows(
        RuleNameRow,
        """SELECT rr.id, k.name AS kind, c.name AS of_name, o.name AS other_name FROM relation_rule rr
           JOIN relation_kind k ON k.id = rr.relation_kind_id LEFT JOIN category c ON c.id = rr.of_category_id
           LEFT JOIN category o ON o.id = rr.other_category_id WHERE rr.id IN %s""",
        [list(ids) or [0]],
    )
