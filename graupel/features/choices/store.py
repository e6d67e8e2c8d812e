"""The tables of buyer choices."""

from collections.abc import Sequence

from graupel.core.declarations.choices import BUYER_CHOICE, CHOICE_ENTRY, CHOICE_USE
from graupel.db import Tx
from graupel.db.rows import Named
from graupel.features.choices.rows import ChoiceRow, EntryNameRow, EntryRow, UseNameRow, UseRow

_CHOICE = f"SELECT id, {', '.join(BUYER_CHOICE.columns())}, version FROM buyer_choice"
_ENTRY = f"SELECT id, {', '.join(CHOICE_ENTRY.columns())}, version FROM choice_entry"
_USE = f"SELECT id, {', '.join(CHOICE_USE.columns())}, version FROM choice_use"


def shared(tx: Tx) -> list[ChoiceRow]:
    """The reusable choices, by name."""
    return tx.rows(ChoiceRow, f"{_CHOICE} WHERE product_id IS NULL ORDER BY name, id")


def asked_with(tx: Tx, product_ids: Sequence[int]) -> list[ChoiceRow]:
    """The choices that are asked with any of these products."""
    return tx.rows(
        ChoiceRow,
        f"{_CHOICE} WHERE id IN (SELECT buyer_choice_id FROM choice_use WHERE product_id IN %s) ORDER BY name, id",
        [list(product_ids) or [0]],
    )


def choice(tx: Tx, choice_id: int, *, lock: bool = False) -> ChoiceRow | None:
    return tx.row(ChoiceRow, f"{_CHOICE} WHERE id = %s {'FOR UPDATE' if lock else ''}", [choice_id])


def waiting_for(tx: Tx, choice_id: int) -> list[ChoiceRow]:
    """The choices that are asked only when this one was answered."""
    return tx.rows(ChoiceRow, f"{_CHOICE} WHERE when_choice_id = %s ORDER BY name", [choice_id])


def entries(tx: Tx, choice_ids: Sequence[int]) -> list[EntryRow]:
    return tx.rows(
        EntryRow,
        f"{_ENTRY} WHERE buyer_choice_id IN %s ORDER BY buyer_choice_id, position, id",
        [list(choice_ids) or [0]],
    )


def uses(tx: Tx, product_ids: Sequence[int], *, lock: bool = False) -> list[UseRow]:
    """Which choices are asked with products, in their order."""
    return tx.rows(
        UseRow,
        f"{_USE} WHERE product_id IN %s ORDER BY product_id, position, id {'FOR UPDATE' if lock else ''}",
        [list(product_ids) or [0]],
    )


def uses_of(tx: Tx, choice_id: int) -> list[UseRow]:
    """With which products a choice is asked."""
    return tx.rows(UseRow, f"{_USE} WHERE buyer_choice_id = %s ORDER BY product_id", [choice_id])


def use_counts(tx: Tx) -> dict[int, int]:
    """With how many products each choice is asked, archived ones left out."""
    rows = tx.all(
        """SELECT u.buyer_choice_id AS id, COUNT(*) AS n FROM choice_use u JOIN product p ON p.id = u.product_id
           WHERE p.status <> 'archived' GROUP BY u.buyer_choice_id"""
    )
    return {row["id"]: row["n"] for row in rows}


def products_with(tx: Tx, choice_id: int, lang: str, limit: int) -> list[Named]:
    """The first of the products that a choice is asked with, by name."""
    return tx.rows(
        Named,
        """SELECT p.id, t.name FROM choice_use u JOIN product p ON p.id = u.product_id AND p.status <> 'archived'
           JOIN product_text t ON t.product_id = p.id AND t.lang = %s
           WHERE u.buyer_choice_id = %s ORDER BY t.name, p.id LIMIT %s""",
        [lang, choice_id, limit],
    )


# --- names for History ---------------------------------------------------------------------------------------


def names(tx: Tx, ids: Sequence[int]) -> list[Named]:
    return tx.rows(Named, "SELECT id, name FROM buyer_choice WHERE id IN %s", [list(ids) or [0]])


def entry_names(tx: Tx, ids: Sequence[int]) -> list[EntryNameRow]:
    return tx.rows(
        EntryNameRow,
        """SELECT e.id, e.label, e.buyer_choice_id, c.name AS choice FROM choice_entry e
           JOIN buyer_choice c ON c.id = e.buyer_choice_id WHERE e.id IN %s""",
        [list(ids) or [0]],
    )


def use_names(tx: Tx, ids: Sequence[int]) -> list[UseNameRow]:
    return tx.rows(
        UseNameRow,
        """SELECT u.id, c.name AS choice, u.product_id FROM choice_use u JOIN buyer_choice c ON c.id = u.buyer_choice_id
           WHERE u.id IN %s""",
        [list(ids) or [0]],
    )
