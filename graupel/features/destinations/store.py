"""The table of shops."""

from collections.abc import Mapping, Sequence
from typing import Any

from graupel.core.declarations.destinations import SHOP
from graupel.db import Tx
from graupel.db.rows import Named
from graupel.features.destinations.rows import ShopRow

FIELDS = SHOP.columns()


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
