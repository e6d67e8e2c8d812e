"""Reading the category trees."""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

from graupel.context import Context
from graupel.core.categories import CATEGORY_SEPARATOR, CategoryKind
from graupel.core.doubles import Double, near
from graupel.core.errors import Refused
from graupel.core.resolve import Lens
from graupel.db import Tx
from graupel.features.categories import store
from graupel.features.categories.keeping import RowKeeper
from graupel.features.history import service as history
from graupel.features.wording import service as wording

#: Stands between a tree and a path within it, where it must be said which tree is meant.
TREE_SIGN = ": "


@dataclass(slots=True, eq=False)  # frozen ones take three times as long to make, and there are thousands
class Category:
    """A category with its way from the top. ``below``: ids of its children, in order.

    ``path``: the names from the top down; where several trees have the same, with its tree before it.

    ``hidden``: by itself; ``shown``: neither it nor any above it is hidden.
    """

    id: int
    name: str
    path: str
    depth: int
    parent_id: int | None
    below: tuple[int, ...]
    tree_id: int = 0
    kind: CategoryKind = CategoryKind.GOODS
    hidden: bool = False
    shown: bool = True
    in_navigation: bool = True
    link: str = ""

    @property
    def parent(self) -> int:
        """The parent as core.trees has it: a category, or the tree as a negative number."""
        return -self.tree_id if self.parent_id is None else self.parent_id


class Tree:
    """All categories of all trees, in order, parents before children."""

    def __init__(self, rows: Sequence[Mapping[str, Any]], trees: Sequence[Mapping[str, Any]] = ()) -> None:
        self.trees: dict[int, str] = {row["id"]: row["name"] for row in trees}
        self.shops: dict[int, int] = {row["id"]: row["shop_id"] for row in trees}
        children: dict[int | None, list[Mapping[str, Any]]] = {}
        for row in rows:
            children.setdefault(row["parent_id"], []).append(row)
        places = {tree_id: place for place, tree_id in enumerate(self.trees)}
        tops = sorted(children.get(None, []), key=lambda row: places.get(row["tree_id"], len(places)))
        self.by_id: dict[int, Category] = {}
        stack = [(row, None) for row in reversed(tops)]
        while stack:
            row, above = stack.pop()
            below = children.get(row["id"], [])
            made = _category(row, above, tuple(child["id"] for child in below))
            self.by_id[made.id] = made
            stack += [(child, made) for child in reversed(below)]  # type: ignore[misc]
        self._plain = _grouped((one.path, one.id) for one in self)
        self._labels = _labels(self.trees, self.shops)
        for ids in self._plain.values():
            for one in ids if len(ids) > 1 else ():
                self.by_id[one].path = self._full_path(self.by_id[one].path, self.by_id[one].tree_id)

    def __iter__(self) -> Iterator[Category]:
        return iter(self.by_id.values())

    def of_shop(self, shop_id: int) -> list[int]:
        """The ids of the trees of one shop, the main navigation first."""
        return [tree_id for tree_id, shop in self.shops.items() if shop == shop_id]

    def tops(self, tree_id: int) -> list[Category]:
        """The first level of one tree."""
        return [one for one in self if one.parent_id is None and one.tree_id == tree_id]

    def children(self, category: Category) -> list[Category]:
        """What stands just below a category, in order."""
        return [self.by_id[one] for one in category.below]

    def path(self, category_id: int | None) -> str:
        """The path of a category; nothing where there is none."""
        found = self.by_id.get(category_id or 0)
        return found.path if found else ""

    def way(self, category_id: int | None) -> list[Category]:
        """From the top down to a category."""
        found: list[Category] = []
        at = self.by_id.get(category_id or 0)
        while at:
            found.insert(0, at)
            at = self.by_id.get(at.parent_id or 0)
        return found

    def search(self, text: str) -> list[Category]:
        """Categories whose paths hold all words; those whose own names hold them first, then the higher ones."""
        words = text.casefold().split()
        found = [one for one in self if words and all(word in one.path.casefold() for word in words)]
        return sorted(found, key=lambda one: (not all(word in one.name.casefold() for word in words), one.depth))

    def with_all_below(self, category_id: int) -> list[int]:
        """The category and everything below it, parents before children."""
        found, todo = [], [category_id]
        while todo:
            at = todo.pop()
            if at in self.by_id:
                found.append(at)
                todo += reversed(self.by_id[at].below)
        return found

    def find(self, path: str) -> int | None:
        """The id of the category at a path such as Yarn > Aran, None where there is none.

        The tree may stand before it, as in "Foot of the page: Help"; a bare name is enough where only one has it.
        Raises Refused where several trees have the path, or several categories the bare name, with all of them.
        """
        tree_id, rest = self.split(path)
        ids = self._plain.get(rest.lower(), ())
        if tree_id is not None:
            return next((one for one in ids if self.by_id[one].tree_id == tree_id), None)
        if len(ids) > 1:
            found = [f"“{self.by_id[one].path}”" for one in ids]
            raise Refused.because(
                "category.ambiguous",
                f"“{path}” stands in {len(ids)} trees. Write {', '.join(found[:-1])} or {found[-1]}.",
                "category",
            )
        named = self._named.get(rest.lower(), ())
        if not ids and len(named) > 1:
            found = [f"“{self.by_id[one].path}”" for one in named[:4]]
            raise Refused.because(
                "category.ambiguous",
                f"“{path}” may mean {', '.join(found[:-1])} or {found[-1]}. Write the whole path.",
                "category",
            )
        return ids[0] if ids else named[0] if named else None

    def at(self, path: str, otherwise: int | None = None) -> int | None:
        """The id of the category at exactly this path, in the tree that it names, else in the tree ``otherwise``, else
        in the only one that has it."""
        named, rest = self.split(path)
        tree_id = named or otherwise
        ids = [one for one in self._plain.get(rest.lower(), ()) if tree_id in (None, self.by_id[one].tree_id)]
        return ids[0] if len(ids) == 1 else None

    def near(self, path: str) -> list[Double]:
        """Paths that are there and much like one that is not: where its first new name would stand beside a double."""
        tree_id, rest = self.split(path)
        names, above = rest.split(CATEGORY_SEPARATOR), []
        here = self.tops(tree_id or next(iter(self.trees), 0))
        while names:
            found = next((one for one in here if one.name.lower() == names[0].lower()), None)
            if found is None:
                break
            here = self.children(found)
            above.append(names.pop(0))
        if not names:
            return []
        doubles = near(names[0], [one.name for one in here])
        return [Double(path, CATEGORY_SEPARATOR.join([*above, one.other, *names[1:]]), one.why) for one in doubles]

    def missing(self, path: str) -> list[str]:
        """The paths that would be made for one, from the top down."""
        tree_id, rest = self.split(path)
        names = rest.split(CATEGORY_SEPARATOR)
        here, at = self.tops(tree_id or next(iter(self.trees), 0)), 0
        for at, name in enumerate(names):
            found = next((one for one in here if one.name.lower() == name.lower()), None)
            if found is None:
                return [CATEGORY_SEPARATOR.join(names[: end + 1]) for end in range(at, len(names))]
            here = self.children(found)
        return []

    def split(self, path: str) -> tuple[int | None, str]:
        """A path with its tree taken off: the tree's id, None where it names none, and the path within it."""
        label, sign, rest = path.partition(TREE_SIGN)
        known = {name.lower(): tree_id for tree_id, name in self._labels.items()} if sign else {}
        tree_id = known.get(label.lower()) if path.lower() not in self._plain else None
        return (tree_id, rest.strip()) if tree_id is not None and rest.strip() else (None, path)

    @cached_property
    def _named(self) -> Mapping[str, Sequence[int]]:
        return _grouped((one.name, one.id) for one in self)

    def _full_path(self, path: str, tree_id: int) -> str:
        label = self._labels.get(tree_id)
        return f"{label}{TREE_SIGN}{path}" if label else path


def _grouped(pairs: Iterable[tuple[str, int]]) -> dict[str, list[int]]:
    found: dict[str, list[int]] = {}
    for text, one in pairs:
        found.setdefault(text.lower(), []).append(one)
    return found


def _labels(trees: Mapping[int, str], shops: Mapping[int, int]) -> dict[int, str]:
    """How trees are named before a path: those of one name with the number of their shop."""
    named = _grouped((name, tree_id) for tree_id, name in trees.items())
    return {
        tree_id: f"{name} (shop {shops[tree_id]})" if len(named[name.lower()]) > 1 else name
        for tree_id, name in trees.items()
    }


def _category(row: Mapping[str, Any], above: Category | None, below: tuple[int, ...]) -> Category:
    return Category(
        row["id"],
        row["name"],
        f"{above.path}{CATEGORY_SEPARATOR}{row['name']}" if above else row["name"],
        above.depth + 1 if above else 0,
        row["parent_id"],
        below,
        above.tree_id if above else row["tree_id"] or 0,
        CategoryKind(row["kind"]),
        bool(row["hidden"]),
        not row["hidden"] and (above is None or above.shown),
        bool(row["in_navigation"]),
        row["link"],
    )


def load(tx: Tx) -> Tree:
    """The trees as the transaction sees them."""
    return Tree(store.all_rows(tx), store.trees(tx))


def _state(tx: Tx) -> str:
    return tx.remembered("categories", lambda: store.state(tx))


def current(ctx: Context, tx: Tx) -> Tree:
    """The trees as the transaction sees them, kept until a category changes."""
    state = _state(tx)
    return ctx.counts.get((state, "tree"), lambda: Tree(ctx.keepers.get(RowKeeper).rows(tx, state), store.trees(tx)))


def through(ctx: Context, tx: Tx, lens: Lens) -> Tree:
    """The trees with the names that a lens shows; names that are missing in its language stand as they are."""
    if lens.is_default:
        return current(ctx, tx)

    def make() -> Tree:
        rows = ctx.keepers.get(RowKeeper).rows(tx, _state(tx))
        names = wording.in_lens(tx, "category", "name", lens)
        trees = wording.in_lens(tx, "tree", "name", lens)
        return Tree(
            [{**row, "name": names.get(row["id"], row["name"])} for row in rows],
            [row | {"name": trees.get(row["id"], row["name"])} for row in store.trees(tx)],
        )

    return ctx.counts.get((history.written_stamp(tx), "tree in", lens.destination, lens.chain), make)


def read_tree(ctx: Context) -> Tree:
    """The trees; everybody may see them."""
    return ctx.db.run(lambda tx: current(ctx, tx))
