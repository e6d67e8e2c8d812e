"""Reading the category tree, and making categories where they are needed."""

from collections.abc import Mapping
from dataclasses import dataclass

from graupel.context import Context
from graupel.core.imports import CATEGORY_SEPARATOR, parse_category_path
from graupel.core.roles import Actor, Role
from graupel.db import Tx
from graupel.features.categories import store
from graupel.features.history import records
from graupel.features.history import service as history
from graupel.features.history.records import Column

records.register(
    records.RecordKind(
        "category",
        "Category",
        lambda tx, ids: {
            r["id"]: records.Shown(r["name"], f"/products?category={r['id']}") for r in store.names(tx, list(ids))
        },
        plain="category",
        table="category c",
        key="c.id",
        version="c.version",
        fields={
            "parent_id": Column("c.parent_id", True, "category"),
            "name": Column("c.name"),
            "position": Column("c.position", True),
        },
        removable="""(NOT EXISTS (SELECT 1 FROM product cp WHERE cp.category_id = c.id)
                  AND NOT EXISTS (SELECT 1 FROM category cc WHERE cc.parent_id = c.id))""",
        foreseen="""(NOT EXISTS (SELECT 1 FROM product cp LEFT JOIN change_row x ON x.change_set_id = r.change_set_id
                      AND x.record_kind = 'product' AND x.record_id = cp.id
                      WHERE cp.category_id = c.id AND (x.record_id IS NULL OR (x.was IS NULL AND cp.was_live)))
                  AND NOT EXISTS (SELECT 1 FROM category cc LEFT JOIN change_row y
                      ON y.change_set_id = r.change_set_id AND y.record_kind = 'category' AND y.record_id = cc.id
                      WHERE cc.parent_id = c.id AND y.record_id IS NULL))""",
    )
)


@dataclass(frozen=True)
class Category:
    """A category with its way from the root. ``below``: ids of its children, in order."""

    id: int
    name: str
    path: str
    depth: int
    parent_id: int | None
    below: tuple[int, ...]


class Tree:
    """All categories, in the order of the tree."""

    def __init__(self, rows: list[dict[str, object]]) -> None:
        children: dict[object, list[dict[str, object]]] = {}
        for row in rows:
            children.setdefault(row["parent_id"], []).append(row)
        self.by_id: dict[int, Category] = {}
        stack = [(row, "", 0) for row in reversed(children.get(None, []))]
        while stack:
            row, above, depth = stack.pop()
            path = f"{above}{CATEGORY_SEPARATOR}{row['name']}" if above else str(row["name"])
            below = children.get(row["id"], [])
            category_id = int(str(row["id"]))
            self.by_id[category_id] = Category(
                category_id,
                str(row["name"]),
                path,
                depth,
                None if row["parent_id"] is None else int(str(row["parent_id"])),
                tuple(int(str(child["id"])) for child in below),
            )
            stack += [(child, path, depth + 1) for child in reversed(below)]

    def __iter__(self):  # type: ignore[no-untyped-def]
        return iter(self.by_id.values())

    def path(self, category_id: int | None) -> str:
        """The path of a category; nothing where there is none."""
        found = self.by_id.get(category_id or 0)
        return found.path if found else ""

    def with_all_below(self, category_id: int) -> list[int]:
        """The category and everything below it."""
        found, todo = [], [category_id]
        while todo:
            at = todo.pop()
            if at in self.by_id:
                found.append(at)
                todo += self.by_id[at].below
        return found

    def by_path(self) -> Mapping[str, int]:
        """Ids by lower-case path; and by bare name, where only one category has it."""
        names: dict[str, list[int]] = {}
        for category in self:
            names.setdefault(category.name.lower(), []).append(category.id)
        single = {name: ids[0] for name, ids in names.items() if len(ids) == 1}
        return single | {category.path.lower(): category.id for category in self}


def tree(tx: Tx) -> Tree:
    """The tree as the transaction sees it."""
    return Tree(store.all_rows(tx))


def current(ctx: Context, tx: Tx) -> Tree:
    """The tree as the transaction sees it, kept until the catalogue changes."""
    return ctx.counts.get((history.stamp(tx), "tree"), lambda: tree(tx))


def read_tree(ctx: Context) -> Tree:
    """The tree; everybody may see it."""
    return ctx.db.run(lambda tx: current(ctx, tx))


def make(ctx: Context, actor: Actor, path: str) -> Category:
    """The category at a path such as Yarn > Aran, made with all that is missing above it. Raises Refused."""
    actor.require(Role.EDITOR)
    path = parse_category_path(path)

    def work(tx: Tx) -> Category:
        with history.change_set(tx, actor, "category.make", f"Category made: {path}") as recorder:
            category_id = make_path(tx, recorder, path)
        return tree(tx).by_id[category_id]

    return ctx.db.run(work)


def make_path(tx: Tx, recorder: history.Recorder, path: str) -> int:
    """The id of the category at a clean path; what is missing of it is made and recorded."""
    known = tree(tx).by_path().get(path.lower())
    if known is not None:
        return known
    parent: int | None = None
    for name in path.split(CATEGORY_SEPARATOR):
        parent = store.by_name(tx, parent, name) or _insert(tx, recorder, parent, name)
    assert parent is not None
    return parent


def _insert(tx: Tx, recorder: history.Recorder, parent: int | None, name: str) -> int:
    position = store.next_position(tx, parent)
    category_id = store.insert(tx, parent, name, position)
    recorder.made("category", category_id, {"parent_id": parent, "name": name, "position": position})
    return category_id
