"""The SQL of the search over everything: few rows, each by an index or among the newest."""

from collections.abc import Sequence
from typing import Any

from graupel.db import Tx, like

#: Titles of acts are looked through no further back than so many.
NEWEST_CHANGES = 20_000


def products(tx: Tx, ids: Sequence[int], lang: str) -> list[dict[str, Any]]:
    """Names, statuses and first SKUs of products."""
    if not ids:
        return []
    return tx.all(
        """SELECT p.id, t.name, p.status, s.sku FROM product p
           JOIN product_text t ON t.product_id = p.id AND t.lang = %(lang)s
           JOIN product_summary s ON s.product_id = p.id WHERE p.id IN %(ids)s""",
        {"ids": list(ids), "lang": lang},
    )


def variants(tx: Tx, text: str, lang: str, limit: int) -> list[dict[str, Any]]:
    """Variants by the beginning of a GTIN or an id elsewhere; of products that vary by that of a SKU too, others are
    found by it themselves."""
    params = {"like": f"{like(text)}%", "lang": lang, "limit": limit}
    return tx.all(
        """SELECT v.sku, v.gtin, v.elsewhere, v.product_id, t.name FROM (
             (SELECT id FROM variant WHERE sku LIKE %(like)s ORDER BY sku LIMIT %(limit)s)
             UNION (SELECT id FROM variant WHERE gtin LIKE %(like)s LIMIT %(limit)s)
             UNION (SELECT id FROM variant WHERE elsewhere LIKE %(like)s LIMIT %(limit)s)) found
           JOIN variant v ON v.id = found.id
           JOIN product_text t ON t.product_id = v.product_id AND t.lang = %(lang)s
           WHERE EXISTS (SELECT 1 FROM product_axis a WHERE a.product_id = v.product_id) OR v.gtin LIKE %(like)s
             OR v.elsewhere LIKE %(like)s
           ORDER BY v.sku LIMIT %(limit)s""",
        params,
    )


def media(tx: Tx, text: str, limit: int) -> list[dict[str, Any]]:
    """Files of the library by all words of their names, the newest first. By their products they are found there."""
    words = [f"%{like(word)}%" for word in text.split()]
    fits = " AND ".join(["file_name LIKE %s"] * len(words))
    return tx.all(f"SELECT id, file_name, kind FROM media WHERE {fits} ORDER BY id DESC LIMIT %s", [*words, limit])


def files(tx: Tx, text: str, limit: int) -> list[dict[str, Any]]:
    """Files that were brought in, the newest first."""
    return tx.all(
        "SELECT id, name AS title FROM import_file WHERE name LIKE %s ORDER BY id DESC LIMIT %s",
        [f"%{like(text)}%", limit],
    )


def changes(tx: Tx, text: str, limit: int) -> list[dict[str, Any]]:
    """Change sets by their titles, the newest first, among the newest."""
    return tx.all(
        """SELECT id, title FROM (SELECT id, title FROM change_set ORDER BY id DESC LIMIT %s) newest
           WHERE title LIKE %s ORDER BY id DESC LIMIT %s""",
        [NEWEST_CHANGES, f"%{like(text)}%", limit],
    )
