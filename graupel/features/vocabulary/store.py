"""The tables of the vocabulary."""

from collections.abc import Mapping, Sequence
from typing import Any

from graupel.db import Tx
from graupel.db.rows import Named
from graupel.features.vocabulary.rows import (
    AttributeRow,
    ChoiceRow,
    NamedTypeAttributeRow,
    NamedWordRow,
    TaggingRow,
    TypeAttributeRow,
    TypeRow,
)

#: Kinds of record with nothing but a name, and their tables.
NAMED = {"brand": "brand", "tag": "tag", "type": "product_type"}


# --- brands and tags -----------------------------------------------------------------------------------------


def names(tx: Tx, kind: str) -> list[NamedWordRow]:
    return tx.rows(
        NamedWordRow, f"SELECT id, name, version FROM {NAMED[kind]} ORDER BY name COLLATE utf8mb4_unicode_ci, id"
    )


def named(tx: Tx, kind: str, record_id: int, *, lock: bool = False) -> TypeRow | None:
    return tx.row(TypeRow, f"SELECT * FROM {NAMED[kind]} WHERE id = %s {'FOR UPDATE' if lock else ''}", [record_id])


def by_name(tx: Tx, kind: str, name: str) -> int | None:
    found = tx.value(f"SELECT id FROM {NAMED[kind]} WHERE name = %s", [name])
    return None if found is None else int(found)


def names_of(tx: Tx, kind: str, ids: Sequence[int]) -> list[Named]:
    return tx.rows(Named, f"SELECT id, name FROM {NAMED[kind]} WHERE id IN %s", [list(ids)]) if ids else []


def insert_named(tx: Tx, kind: str, name: str) -> int:
    return tx.insert(f"INSERT INTO {NAMED[kind]} (name) VALUES (%s)", [name])


def rename(tx: Tx, kind: str, record_id: int, name: str) -> None:
    tx.run(f"UPDATE {NAMED[kind]} SET name = %s, version = version + 1 WHERE id = %s", [name, record_id])


def delete_named(tx: Tx, kind: str, record_id: int) -> None:
    tx.run(f"DELETE FROM {NAMED[kind]} WHERE id = %s", [record_id])


def taggings(tx: Tx, kind: str, record_ids: Sequence[int]) -> list[TaggingRow]:
    """Taggings of records of a kind, with the tags' names."""
    if not record_ids:
        return []
    return tx.rows(
        TaggingRow,
        """SELECT g.id, g.tag_id, g.kind, g.record_id, g.version, t.name FROM tagging g JOIN tag t ON t.id = g.tag_id
           WHERE g.kind = %s AND g.record_id IN %s ORDER BY t.name COLLATE utf8mb4_unicode_ci""",
        [kind, list(record_ids)],
    )


def taggings_by_ids(tx: Tx, ids: Sequence[int]) -> list[Named]:
    return (
        tx.rows(Named, "SELECT g.id, t.name FROM tagging g JOIN tag t ON t.id = g.tag_id WHERE g.id IN %s", [list(ids)])
        if ids
        else []
    )


def tagged(tx: Tx, tag_id: int, kind: str, limit: int) -> list[int]:
    """Ids of records of a kind that carry a tag."""
    rows = tx.all("SELECT record_id FROM tagging WHERE tag_id = %s AND kind = %s LIMIT %s", [tag_id, kind, limit])
    return [row["record_id"] for row in rows]


def insert_tagging(tx: Tx, tag_id: int, kind: str, record_id: int) -> int:
    return tx.insert("INSERT INTO tagging (tag_id, kind, record_id) VALUES (%s, %s, %s)", [tag_id, kind, record_id])


def delete_tagging(tx: Tx, tagging_id: int) -> None:
    tx.run("DELETE FROM tagging WHERE id = %s", [tagging_id])


# --- attributes ----------------------------------------------------------------------------------------------


def attributes(tx: Tx, product_id: int | None = None, ids: Sequence[int] | None = None) -> list[AttributeRow]:
    """The shared attributes and the private ones of a product; or those of ``ids``."""
    if ids is not None:
        return tx.rows(AttributeRow, "SELECT * FROM attribute WHERE id IN %s ORDER BY name, id", [list(ids) or [0]])
    return tx.rows(
        AttributeRow,
        "SELECT * FROM attribute WHERE product_id IS NULL OR product_id = %s ORDER BY name, id",
        [product_id],
    )


def attributes_of_product(tx: Tx, product_id: int) -> list[AttributeRow]:
    return tx.rows(AttributeRow, "SELECT * FROM attribute WHERE product_id = %s ORDER BY name, id", [product_id])


def private_attributes(tx: Tx) -> list[AttributeRow]:
    return tx.rows(AttributeRow, "SELECT * FROM attribute WHERE product_id IS NOT NULL ORDER BY name, id LIMIT 500")


def attribute(tx: Tx, attribute_id: int, *, lock: bool = False) -> AttributeRow | None:
    return tx.row(AttributeRow, f"SELECT * FROM attribute WHERE id = %s {'FOR UPDATE' if lock else ''}", [attribute_id])


def attribute_by_name(tx: Tx, name: str, product_id: int | None) -> int | None:
    found = tx.value("SELECT id FROM attribute WHERE owner_key = %s AND name = %s", [product_id or 0, name])
    return None if found is None else int(found)


def insert_attribute(tx: Tx, values: Mapping[str, Any]) -> int:
    return tx.insert(
        """INSERT INTO attribute (product_id, name, kind, family, unit, unit_fixed, help)
           VALUES (%(product_id)s, %(name)s, %(kind)s, %(family)s, %(unit)s, %(unit_fixed)s, %(help)s)""",
        values,
    )


def update_attribute(tx: Tx, attribute_id: int, values: Mapping[str, Any]) -> None:
    tx.run(
        """UPDATE attribute SET product_id = %(product_id)s, name = %(name)s, unit = %(unit)s,
                  unit_fixed = %(unit_fixed)s, help = %(help)s, version = version + 1 WHERE id = %(id)s""",
        {**values, "id": attribute_id},
    )


def delete_attribute(tx: Tx, attribute_id: int) -> None:
    tx.run("DELETE FROM attribute WHERE id = %s", [attribute_id])


#: The swatch's picture is named by its bytes, as its address is.
_CHOICES = """SELECT h.*, m.sha256 AS swatch_sha FROM attribute_choice h
  LEFT JOIN media m ON m.id = h.swatch_media_id"""


def choices(tx: Tx, attribute_ids: Sequence[int]) -> list[ChoiceRow]:
    if not attribute_ids:
        return []
    return tx.rows(
        ChoiceRow,
        f"{_CHOICES} WHERE h.attribute_id IN %s ORDER BY h.attribute_id, h.position, h.id",
        [list(attribute_ids)],
    )


def choices_by_ids(tx: Tx, ids: Sequence[int]) -> list[ChoiceRow]:
    return tx.rows(ChoiceRow, f"{_CHOICES} WHERE h.id IN %s", [list(ids)]) if ids else []


def pictures_there(tx: Tx, media_ids: Sequence[int]) -> set[int]:
    """Which of these are pictures of the library."""
    if not media_ids:
        return set()
    rows = tx.all("SELECT id FROM media WHERE kind = 'picture' AND id IN %s", [list(media_ids)])
    return {row["id"] for row in rows}


def insert_choice(tx: Tx, values: Mapping[str, Any]) -> int:
    return tx.insert(
        """INSERT INTO attribute_choice (attribute_id, label, code, swatch, swatch_media_id, position)
           VALUES (%(attribute_id)s, %(label)s, %(code)s, %(swatch)s, %(swatch_media_id)s, %(position)s)""",
        values,
    )


def update_choice(tx: Tx, choice_id: int, values: Mapping[str, Any]) -> None:
    tx.run(
        """UPDATE attribute_choice SET label = %(label)s, code = %(code)s, swatch = %(swatch)s,
                  swatch_media_id = %(swatch_media_id)s, position = %(position)s, version = version + 1
           WHERE id = %(id)s""",
        {**values, "id": choice_id},
    )


def move_choice(tx: Tx, choice_id: int, values: Mapping[str, Any]) -> None:
    """To another attribute."""
    tx.run(
        """UPDATE attribute_choice SET attribute_id = %(attribute_id)s, code = %(code)s, position = %(position)s,
                  version = version + 1 WHERE id = %(id)s""",
        {**values, "id": choice_id},
    )


def delete_choice(tx: Tx, choice_id: int) -> None:
    tx.run("DELETE FROM attribute_choice WHERE id = %s", [choice_id])


# --- product types -------------------------------------------------------------------------------------------


def types(tx: Tx) -> list[TypeRow]:
    return tx.rows(TypeRow, "SELECT * FROM product_type ORDER BY name, id")


def type_attributes(tx: Tx, type_ids: Sequence[int]) -> list[TypeAttributeRow]:
    if not type_ids:
        return []
    return tx.rows(
        TypeAttributeRow,
        "SELECT * FROM type_attribute WHERE type_id IN %s ORDER BY type_id, position, id",
        [list(type_ids)],
    )


def type_attributes_by_ids(tx: Tx, ids: Sequence[int]) -> list[NamedTypeAttributeRow]:
    if not ids:
        return []
    return tx.rows(
        NamedTypeAttributeRow,
        """SELECT x.id, y.id AS type_id, y.name AS type, a.name FROM type_attribute x
           JOIN product_type y ON y.id = x.type_id JOIN attribute a ON a.id = x.attribute_id WHERE x.id IN %s""",
        [list(ids)],
    )


def update_type(tx: Tx, type_id: int, values: Mapping[str, Any]) -> None:
    tx.run(
        """UPDATE product_type SET name = %(name)s, code_prefix = %(code_prefix)s, delivered = %(delivered)s,
                  layout = %(layout)s, version = version + 1
           WHERE id = %(id)s""",
        {**values, "id": type_id},
    )


def take_number(tx: Tx, type_id: int) -> int:
    """The next running number of a type; two at once get different ones, for the row is locked."""
    number = int(tx.value("SELECT next_number FROM product_type WHERE id = %s FOR UPDATE", [type_id]))
    tx.run("UPDATE product_type SET next_number = next_number + 1 WHERE id = %s", [type_id])
    return number


def coming_number(tx: Tx, type_id: int) -> int:
    """The running number that a type gives next."""
    return int(tx.value("SELECT next_number FROM product_type WHERE id = %s", [type_id]) or 0)


def insert_type_attribute(tx: Tx, values: Mapping[str, Any]) -> int:
    return tx.insert(
        """INSERT INTO type_attribute
             (type_id, attribute_id, group_name, position, need, when_attribute_id, when_choice_id, may_differ)
           VALUES (%(type_id)s, %(attribute_id)s, %(group_name)s, %(position)s, %(need)s, %(when_attribute_id)s,
                   %(when_choice_id)s, %(may_differ)s)""",
        values,
    )


def update_type_attribute(tx: Tx, row_id: int, values: Mapping[str, Any]) -> None:
    tx.run(
        """UPDATE type_attribute SET group_name = %(group_name)s, position = %(position)s, need = %(need)s,
                  when_attribute_id = %(when_attribute_id)s, when_choice_id = %(when_choice_id)s,
                  may_differ = %(may_differ)s, version = version + 1 WHERE id = %(id)s""",
        {**values, "id": row_id},
    )


def delete_type_attribute(tx: Tx, row_id: int) -> None:
    tx.run("DELETE FROM type_attribute WHERE id = %s", [row_id])
