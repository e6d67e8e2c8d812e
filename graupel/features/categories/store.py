"""The tables of trees, categories and their words."""

from collections.abc import Mapping, Sequence
from typing import Any

from graupel.core.declarations.categories import CATEGORY, CATEGORY_FACT, CATEGORY_TEXT
from graupel.core.trees import TreePlace
from graupel.db import Tx
from graupel.db.rows import Named
from graupel.features.categories.rows import (
    CategoryFactRow,
    CategoryRow,
    CategoryTextRow,
    HeldTreeRow,
    NamedOfCategory,
    TreeRow,
    WholeTreeRow,
)

FIELDS = CATEGORY.columns()
TEXT_FIELDS = CATEGORY_TEXT.columns()


def lock_trees(tx: Tx) -> list[HeldTreeRow]:
    """Whoever changes the structure holds the trees: so two at once can't break them. To be the first of a read.

    The row is written, because a lock would not be seen by another node of a cluster.
    """
    tx.run("UPDATE held SET times = times + 1 WHERE name = 'trees'")
    return tx.rows(HeldTreeRow, "SELECT id, name, shop_id FROM tree ORDER BY shop_id, position, id FOR UPDATE")


def trees(tx: Tx) -> list[WholeTreeRow]:
    return tx.rows(WholeTreeRow, "SELECT id, name, position, shop_id, version FROM tree ORDER BY shop_id, position, id")


def tree_names(tx: Tx, ids: Sequence[int]) -> list[Named]:
    return tx.rows(Named, "SELECT id, name FROM tree WHERE id IN %s", [list(ids)]) if ids else []


def insert_tree(tx: Tx, values: Mapping[str, Any]) -> int:
    return tx.insert("INSERT INTO tree (name, position, shop_id) VALUES (%(name)s, %(position)s, %(shop_id)s)", values)


_ROW = "id, parent_id, tree_id, position, name, kind, hidden, in_navigation, link, version"


def all_rows(tx: Tx) -> list[TreeRow]:
    return tx.rows(TreeRow, f"SELECT {_ROW} FROM category ORDER BY position, name")


def whole_rows(tx: Tx) -> list[CategoryRow]:
    return tx.rows(CategoryRow, "SELECT * FROM category ORDER BY id")


def rows_of(tx: Tx, ids: Sequence[int]) -> list[TreeRow]:
    return tx.rows(TreeRow, f"SELECT {_ROW} FROM category WHERE id IN %s", [list(ids)]) if ids else []


def touched(tx: Tx, change_set_ids: Sequence[int], most: int) -> list[int]:
    """The categories that change sets touched, at most so many."""
    if not change_set_ids:
        return []
    rows = tx.all(
        """SELECT DISTINCT record_id AS id FROM change_row WHERE change_set_id IN %s AND record_kind = 'category'
           LIMIT %s""",
        [list(change_set_ids), most],
    )
    return [row["id"] for row in rows]


def places(tx: Tx) -> dict[int, TreePlace]:
    """Where every category stands, for core.trees."""
    return {
        row["id"]: TreePlace(row["parent_key"], row["position"])
        for row in tx.all("SELECT id, parent_key, position FROM category")
    }


def state(tx: Tx) -> str:
    """Another text after every change of a category or tree."""
    rows = tx.all(
        """SELECT COUNT(*) AS number, MAX(id) AS newest, SUM(version) AS versions FROM category
           UNION ALL SELECT COUNT(*), MAX(id), SUM(version) FROM tree"""
    )
    return " ".join(f"{row['number']}-{row['newest']}-{row['versions']}" for row in rows)


def one(tx: Tx, category_id: int, *, lock: bool = False) -> CategoryRow | None:
    return tx.row(CategoryRow, f"SELECT * FROM category WHERE id = %s {'FOR UPDATE' if lock else ''}", [category_id])


def text(tx: Tx, category_id: int, lang: str) -> CategoryTextRow | None:
    return tx.row(
        CategoryTextRow, "SELECT * FROM category_text WHERE category_id = %s AND lang = %s", [category_id, lang]
    )


def search_words(tx: Tx, lang: str) -> dict[int, str]:
    """The search words of categories that have some, by category."""
    rows = tx.all("SELECT category_id, search_words FROM category_text WHERE lang = %s AND search_words <> ''", [lang])
    return {row["category_id"]: row["search_words"] for row in rows}


def addresses(tx: Tx, lang: str) -> dict[int, str]:
    """The address parts that were typed, by category."""
    rows = tx.all("SELECT category_id, address_part FROM category_text WHERE lang = %s AND address_part <> ''", [lang])
    return {row["category_id"]: row["address_part"] for row in rows}


def texts_of(tx: Tx, ids: Sequence[int]) -> list[CategoryTextRow]:
    return tx.rows(CategoryTextRow, "SELECT * FROM category_text WHERE category_id IN %s", [list(ids)]) if ids else []


def text_names(tx: Tx, ids: Sequence[int]) -> list[NamedOfCategory]:
    if not ids:
        return []
    return tx.rows(
        NamedOfCategory,
        """SELECT t.id, t.category_id, c.name FROM category_text t JOIN category c ON c.id = t.category_id
           WHERE t.id IN %s""",
        [list(ids)],
    )


def by_name(tx: Tx, parent: int, name: str) -> int | None:
    """The category of this name below a parent; ``parent`` as in core.trees."""
    found = tx.value("SELECT id FROM category WHERE parent_key = %s AND name = %s FOR UPDATE", [parent, name])
    return None if found is None else int(found)


def insert(tx: Tx, values: Mapping[str, Any]) -> int:
    names = [name for name in FIELDS if name in values]
    return tx.insert(
        f"INSERT INTO category ({', '.join(names)}) VALUES ({', '.join(f'%({name})s' for name in names)})", values
    )


def update(tx: Tx, category_id: int, values: Mapping[str, Any]) -> None:
    sets = ", ".join(f"{name} = %({name})s" for name in FIELDS if name in values)
    tx.run(f"UPDATE category SET {sets}, version = version + 1 WHERE id = %(id)s", {**values, "id": category_id})


def delete(tx: Tx, ids: Sequence[int]) -> None:
    """Categories, children before parents."""
    tx.many("DELETE FROM category WHERE id = %s", [[one_id] for one_id in reversed(list(ids))])


def insert_text(tx: Tx, values: Mapping[str, Any]) -> int:
    return tx.insert(
        f"""INSERT INTO category_text ({", ".join(TEXT_FIELDS)})
            VALUES ({", ".join(f"%({name})s" for name in TEXT_FIELDS)})""",
        values,
    )


def update_text(tx: Tx, row_id: int, values: Mapping[str, Any]) -> None:
    sets = ", ".join(f"{name} = %({name})s" for name in TEXT_FIELDS if name in values)
    tx.run(f"UPDATE category_text SET {sets}, version = version + 1 WHERE id = %(id)s", {**values, "id": row_id})


def delete_text(tx: Tx, row_id: int) -> None:
    tx.run("DELETE FROM category_text WHERE id = %s", [row_id])


FACT_FIELDS = CATEGORY_FACT.columns()


def facts(tx: Tx, category_id: int) -> list[CategoryFactRow]:
    return facts_of(tx, [category_id])


def facts_of(tx: Tx, ids: Sequence[int]) -> list[CategoryFactRow]:
    sql = f"SELECT id, version, {', '.join(FACT_FIELDS)} FROM category_fact WHERE category_id IN %s ORDER BY id"
    return tx.rows(CategoryFactRow, sql, [list(ids)]) if ids else []


def fact_names(tx: Tx, ids: Sequence[int]) -> list[NamedOfCategory]:
    if not ids:
        return []
    return tx.rows(
        NamedOfCategory,
        """SELECT f.id, f.category_id, CONCAT(c.name, ': ', a.name) AS name FROM category_fact f
           JOIN category c ON c.id = f.category_id JOIN attribute a ON a.id = f.attribute_id WHERE f.id IN %s""",
        [list(ids)],
    )


def insert_fact(tx: Tx, values: Mapping[str, Any]) -> int:
    return tx.insert(
        f"""INSERT INTO category_fact ({", ".join(FACT_FIELDS)})
            VALUES ({", ".join(f"%({name})s" for name in FACT_FIELDS)})""",
        values,
    )


def update_fact(tx: Tx, row_id: int, values: Mapping[str, Any]) -> None:
    tx.run(
        """UPDATE category_fact SET number = %(number)s, unit = %(unit)s, text = %(text)s, version = version + 1
           WHERE id = %(id)s""",
        {**values, "id": row_id},
    )


def delete_fact(tx: Tx, row_id: int) -> None:
    tx.run("DELETE FROM category_fact WHERE id = %s", [row_id])


def names(tx: Tx, ids: Sequence[int]) -> list[Named]:
    return tx.rows(Named, "SELECT id, name FROM category WHERE id IN %s", [list(ids)]) if ids else []


def version(tx: Tx, category_id: int) -> int:
    """A category's version; 0 where it is gone."""
    return int(tx.value("SELECT version FROM category WHERE id = %s", [category_id]) or 0)
