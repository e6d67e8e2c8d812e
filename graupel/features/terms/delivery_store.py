"""The tables of delivery: promises, for what they stand, costs of single goods, days of work."""

from collections.abc import Sequence

from graupel.db import Tx
from graupel.db.rows import Named
from graupel.features.terms.rows import (
    OwnCarriageRow,
    PromiseForRow,
    PromiseRow,
    PromiseZoneRow,
    WorkingRow,
)


def promises(tx: Tx) -> list[PromiseRow]:
    return tx.rows(PromiseRow, "SELECT id, name, cost_by, version FROM promise ORDER BY name, id")


def promise(tx: Tx, promise_id: int, *, lock: bool = False) -> PromiseRow | None:
    sql = f"SELECT id, name, cost_by, version FROM promise WHERE id = %s {'FOR UPDATE' if lock else ''}"
    return tx.row(PromiseRow, sql, [promise_id])


def zones(tx: Tx) -> list[PromiseZoneRow]:
    return tx.rows(
        PromiseZoneRow,
        """SELECT id, promise_id, position, countries, first_days, last_days, steps, free_from, version
           FROM promise_zone ORDER BY promise_id, position, id""",
    )


def stand_for(tx: Tx) -> list[PromiseForRow]:
    """For what promises stand: all goods first, then types, then categories."""
    return tx.rows(
        PromiseForRow,
        """SELECT f.id, f.promise_id, f.type_id, f.category_id, f.version FROM promise_for f
           ORDER BY f.type_id, f.category_id""",
    )


def products_with(tx: Tx, promise_id: int) -> int:
    return int(tx.value("SELECT COUNT(*) FROM product WHERE promise_id = %s", [promise_id]))


def carriage(tx: Tx, product_id: int) -> list[OwnCarriageRow]:
    return tx.rows(
        OwnCarriageRow,
        "SELECT id, product_id, country, amount, version FROM own_carriage WHERE product_id = %s ORDER BY country",
        [product_id],
    )


def working(tx: Tx, *, lock: bool = False) -> WorkingRow | None:
    sql = "SELECT id, days, CAST(cut_off AS CHAR) AS cut_off, closed, version FROM working ORDER BY id LIMIT 1"
    return tx.row(WorkingRow, f"{sql} {'FOR UPDATE' if lock else ''}")


# --- names for History ---------------------------------------------------------------------------------------


def zone_names(tx: Tx, ids: Sequence[int]) -> list[Named]:
    return tx.rows(
        Named,
        """SELECT z.id, CONCAT(p.name, ', ', z.countries) AS name FROM promise_zone z
           JOIN promise p ON p.id = z.promise_id WHERE z.id IN %s""",
        [list(ids) or [0]],
    )


def stand_names(tx: Tx, ids: Sequence[int]) -> list[Named]:
    return tx.rows(
        Named,
        """SELECT f.id, CONCAT(p.name, ' for ', COALESCE(y.name, c.name, 'all goods')) AS name FROM promise_for f
           JOIN promise p ON p.id = f.promise_id LEFT JOIN product_type y ON y.id = f.type_id
           LEFT JOIN category c ON c.id = f.category_id WHERE f.id IN %s""",
        [list(ids) or [0]],
    )


def carriage_names(tx: Tx, ids: Sequence[int]) -> list[OwnCarriageRow]:
    return tx.rows(
        OwnCarriageRow,
        "SELECT id, product_id, country, amount, version FROM own_carriage WHERE id IN %s",
        [list(ids) or [0]],
    )
