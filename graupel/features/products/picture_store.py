"""The tables of the pictures of products, and of what these belong to."""

from collections.abc import Mapping
from typing import Any

from graupel.db import Tx
from graupel.features.products.rows import BelongingRow, MainPictureRow, NamedOfProduct, PictureRow


def pictures(tx: Tx, product_id: int) -> list[PictureRow]:
    return tx.rows(
        PictureRow,
        """SELECT id, media_id, position, alt, title, version FROM picture WHERE product_id = %s
                     ORDER BY position, id""",
        [product_id],
    )


def main_pictures(tx: Tx, product_ids: list[int]) -> dict[int, MainPictureRow]:
    """The first of each product that has any, pictures before videos and models."""
    if not product_ids:
        return {}
    rows = tx.rows(
        MainPictureRow,
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


def belonging(tx: Tx, product_id: int) -> list[BelongingRow]:
    """What the pictures of a product belong to."""
    return tx.rows(
        BelongingRow,
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


def belonging_names(tx: Tx, ids: list[int]) -> list[NamedOfProduct]:
    if not ids:
        return []
    return tx.rows(
        NamedOfProduct,
        """SELECT f.id, f.product_id, m.file_name AS name FROM picture_for f JOIN picture c ON c.id = f.picture_id
           JOIN media m ON m.id = c.media_id WHERE f.id IN %s""",
        [ids],
    )


def picture_names(tx: Tx, ids: list[int]) -> list[NamedOfProduct]:
    return (
        tx.rows(
            NamedOfProduct,
            """SELECT c.id, c.product_id, m.file_name AS name FROM picture c JOIN media m ON m.id = c.media_id
                     WHERE c.id IN %s""",
            [ids],
        )
        if ids
        else []
    )
