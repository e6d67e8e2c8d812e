"""The tables of shops and of what destinations make of prices."""

from collections.abc import Mapping, Sequence
from typing import Any

from graupel.core.declarations.destinations import SELLING_TERMS, SHOP
from graupel.db import Tx
from graupel.db.rows import Named
from graupel.features.destinations.rows import ShopRow, TermsRow

FIELDS = SHOP.columns()
TERMS_FIELDS = SELLING_TERMS.columns()


def shops(tx: Tx) -> list[ShopRow]:
    return tx.rows(ShopRow, "SELECT * FROM shop ORDER BY id")


def shop(tx: Tx, shop_id: int, *, lock: bool = False) -> ShopRow | None:
    return tx.row(ShopRow, f"SELECT * FROM shop WHERE id = %s {'FOR UPDATE' if lock else ''}", [shop_id])


def names(tx: Tx, ids: Sequence[int]) -> list[Named]:
    return tx.rows(Named, "SELECT id, name FROM shop WHERE id IN %s", [list(ids)]) if ids else []


def insert(tx: Tx, values: Mapping[str, Any]) -> int:
    return tx.insert(
        f"INSERT INTO shop ({', '.join(FIELDS)}) VALUES ({', '.join(f'%({name})s' for name in FIELDS)})", values
    )


def update(tx: Tx, shop_id: int, values: Mapping[str, Any]) -> None:
    sets = ", ".join(f"{name} = %({name})s" for name in FIELDS if name in values)
    tx.run(f"UPDATE shop SET {sets}, version = version + 1 WHERE id = %(id)s", {**values, "id": shop_id})


def all_terms(tx: Tx) -> list[TermsRow]:
    return tx.rows(TermsRow, "SELECT * FROM selling_terms ORDER BY destination")


def terms(tx: Tx, destination: str, *, lock: bool = False) -> TermsRow | None:
    sql = f"SELECT * FROM selling_terms WHERE destination = %s {'FOR UPDATE' if lock else ''}"
    return tx.row(TermsRow, sql, [destination])


def terms_places(tx: Tx, ids: Sequence[int]) -> dict[int, str]:
    """Of which destinations terms are, by their ids."""
    rows = tx.all("SELECT id, destination FROM selling_terms WHERE id IN %s", [list(ids) or [0]])
    return {row["id"]: row["destination"] for row in rows}


def insert_terms(tx: Tx, values: Mapping[str, Any]) -> int:
    bound = ", ".join(f"%({name})s" for name in TERMS_FIELDS)
    return tx.insert(f"INSERT INTO selling_terms ({', '.join(TERMS_FIELDS)}) VALUES ({bound})", values)


def update_terms(tx: Tx, row_id: int, values: Mapping[str, Any]) -> None:
    sets = ", ".join(f"{name} = %({name})s" for name in TERMS_FIELDS if name in values)
    tx.run(f"UPDATE selling_terms SET {sets}, version = version + 1 WHERE id = %(id)s", {**values, "id": row_id})
