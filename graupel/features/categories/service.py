"""What a merchant does with categories: the trees, and one category."""

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import replace
from typing import Any

from graupel.context import Context
from graupel.core import categories as rules
from graupel.core import trees
from graupel.core.categories import CATEGORY_SEPARATOR, CategoryKind, Layout, Order, parse_category_path
from graupel.core.doubles import Double
from graupel.core.errors import NotFound, Refused
from graupel.core.resolve import Lens, key_of
from graupel.core.roles import Actor, Role
from graupel.core.trees import TreePlace as TreePlace
from graupel.db import DuplicateKey, Tx
from graupel.db.rows import picked
from graupel.features.categories import kinds, store
from graupel.features.categories import tree as reading
from graupel.features.categories.rows import CategoryRow
from graupel.features.categories.tree import Category, Tree, current, read_tree
from graupel.features.destinations.service import FIRST
from graupel.features.history import service as history
from graupel.features.wording import service as wording

__all__ = ["Category", "Tree", "current", "read_tree"]
load = reading.load
through = reading.through
MOST_AT_ONCE = 2000


# --- made where it is needed ---------------------------------------------------------------------------------


def make(ctx: Context, actor: Actor, path: str) -> Category:
    """The category at a path such as Yarn > Aran, made with all that is missing above it, and shown. Raises Refused."""
    actor.require(Role.EDITOR)
    path = parse_category_path(path)

    def work(tx: Tx) -> Category:
        store.lock_trees(tx)
        with history.change_set(tx, actor, "category.make", f"Category made: {path}") as recorder:
            category_id = make_path(tx, recorder, path)
        return load(tx).by_id[category_id]

    return ctx.db.run(work)


def near(ctx: Context, actor: Actor, path: str) -> list[Double]:
    """The paths that are there and much like one that is not; none where it is there. Raises Refused."""
    actor.require(Role.VIEWER)
    path = parse_category_path(path)

    def work(tx: Tx) -> list[Double]:
        tree = current(ctx, tx)
        return [] if tree.find(path) is not None else tree.near(path)

    return ctx.db.run(work)


def make_path(tx: Tx, recorder: history.Recorder, path: str) -> int:
    """The id of the category at a clean path; what is missing of it is made, and recorded. Raises Refused."""
    return make_paths(tx, recorder, [path])[path]


def make_paths(tx: Tx, recorder: history.Recorder, paths: Sequence[str], *, hidden: bool = False) -> dict[str, int]:
    """The ids of the categories at clean paths; what is missing of them is made and recorded.

    It is made in the tree that a path names, else in the first. The trees are read once, however many paths there are.
    Raises Refused where a path stands in several trees and names none.
    """
    known = load(tx)
    found = {path: there for path in dict.fromkeys(paths) if (there := known.find(path)) is not None}
    if len(found) == len(set(paths)):
        return found
    store.lock_trees(tx)
    wanted = [(path, known.split(path)) for path in dict.fromkeys(path for path in paths if path not in found)]
    first = first_tree(tx)
    ways = [(tree_id or first, within) for _, (tree_id, within) in wanted]
    made = make_exactly(tx, recorder, ways, hidden=hidden)
    return found | {path: one for (path, _), one in zip(wanted, made, strict=True)}


def make_exactly(
    tx: Tx, recorder: history.Recorder, ways: Iterable[tuple[int, str]], *, hidden: bool = False
) -> list[int]:
    """The ids of the categories on ways down from the top of a tree, by its id; what is missing of them is made. The
    trees are held."""
    siblings = {parent: len(children) for parent, children in trees.children(store.places(tx)).items()}
    levels: dict[tuple[int, str], int] = {}
    found = []
    for tree_id, within in ways:
        parent = -tree_id
        for name in within.split(CATEGORY_SEPARATOR):
            level = (parent, name.lower())
            if level not in levels:
                levels[level] = store.by_name(tx, parent, name) or _append(tx, recorder, name, parent, siblings, hidden)
            parent = levels[level]
        found.append(parent)
    return found


def _append(tx: Tx, recorder: history.Recorder, name: str, parent: int, siblings: dict[int, int], hidden: bool) -> int:
    """Make a category behind its siblings; ``siblings``: how many there are below each, brought up to date."""
    place = TreePlace(parent, siblings.get(parent, 0))
    siblings[parent] = place.position + 1
    return _insert(tx, recorder, name, place, hidden=hidden)


def first_tree(tx: Tx) -> int:
    """The id of the main navigation."""
    return int(store.trees(tx)[0]["id"])


def _insert(tx: Tx, recorder: history.Recorder, name: str, place: TreePlace, *, hidden: bool) -> int:
    values = {
        "parent_id": place.parent if place.parent > 0 else None,
        "tree_id": -place.parent if place.parent < 0 else None,
        "position": place.position,
        "name": name,
        "kind": str(CategoryKind.GOODS),
        "hidden": int(hidden),
        "in_navigation": 1,
        "link": "",
        "picture_id": None,
        "canonical": "",
        "layout": str(Layout.BANNER),
        "sorted_by": str(Order.NEWEST),
        "by_hand": "",
        "lead_product_id": None,
    }
    category_id = store.insert(tx, values)
    recorder.made("category", category_id, values)
    return category_id


# --- the trees -----------------------------------------------------------------------------------------------


def make_tree(ctx: Context, actor: Actor, name: str, shop_id: int = FIRST) -> int:
    """A further tree of a shop, such as one for the foot of the page; returns its id. Raises Refused."""
    actor.require(Role.EDITOR)
    name = rules.parse_name(name)

    def work(tx: Tx) -> int:
        there = store.lock_trees(tx)
        with history.change_set(tx, actor, "tree.make", f"Tree made: {name}") as recorder:
            values = {"name": name[:80], "position": len(there), "shop_id": shop_id}
            tree_id = store.insert_tree(tx, values)
            recorder.made("tree", tree_id, values)
        return tree_id

    try:
        return ctx.db.run(work)
    except DuplicateKey as error:
        raise Refused.because("tree.taken", f"There is a tree “{name}” already.", "name") from error


def first_tree_of(tx: Tx, recorder: history.Recorder, shop_id: int) -> None:
    """A new shop begins with an empty main navigation."""
    values = {"name": "Main navigation", "position": 0, "shop_id": shop_id}
    recorder.made("tree", store.insert_tree(tx, values), values)


def add(ctx: Context, actor: Actor, text: str, parent: int, before: int | None = None) -> list[int]:
    """New categories below a parent (as in core.trees), before one of its children or last; hidden until switched on.

    ``text``: one name, or a pasted list whose indents make a branch. Returns the ids of the first level. Raises
    Refused, also where a name is there already; then nothing is made.
    """
    actor.require(Role.EDITOR)
    typed = [replace(one, name=rules.parse_name(one.name)) for one in trees.parse_list(text)]
    if not typed or len(typed) > MOST_AT_ONCE:
        raise Refused.because("category.list", f"Type a name, or paste a list of at most {MOST_AT_ONCE:,}.", "names")

    def work(tx: Tx) -> list[int]:
        store.lock_trees(tx)
        places = store.places(tx)
        _refuse_gone(places, parent)
        above = len(trees.way(places, parent)) if parent > 0 else 0
        if above + max(one.depth for one in typed) + 1 > trees.MOST_DEEP:
            raise Refused.because("category.too_deep", f"Categories may stand {trees.MOST_DEEP} deep.", "names")
        tops = [one for one in typed if one.depth == 0]
        at, moved = trees.insert(places, parent, len(tops), before)
        what = tops[0].name if len(typed) == 1 else f"{len(typed)} categories"
        with history.change_set(tx, actor, "category.make", f"Category made: {what}") as recorder:
            place_all(tx, recorder, places, moved)
            return _insert_list(tx, recorder, typed, parent, at)

    return list(naming_double(ctx, work))


def _insert_list(tx: Tx, recorder: history.Recorder, typed: Sequence[trees.Typed], parent: int, at: int) -> list[int]:
    """Make the typed lines, each below the line that it is inside."""
    path, next_at, tops = [parent], {parent: at}, []
    for one in typed:
        del path[one.depth + 1 :]
        above = path[one.depth]
        made = _insert(tx, recorder, one.name, TreePlace(above, next_at.get(above, 0)), hidden=True)
        next_at[above] = next_at.get(above, 0) + 1
        path.append(made)
        if one.depth == 0:
            tops.append(made)
    return tops


def _refuse_gone(places: Mapping[int, TreePlace], parent: int) -> None:
    if parent > 0 and parent not in places:
        raise NotFound("The category above is not there any more.")


def place_all(
    tx: Tx, recorder: history.Recorder, places: Mapping[int, TreePlace], changed: Mapping[int, TreePlace]
) -> None:
    """Write and record where categories stand that were moved."""
    for category_id, becomes in changed.items():
        kinds.place(tx, recorder.change_set_id, category_id, places[category_id], becomes)


def naming_double(ctx: Context, work: Callable[[Tx], Any]) -> Any:
    """Run ``work``. Raises Refused where it makes a name stand twice at one place."""
    try:
        return ctx.db.run(work)
    except DuplicateKey as error:
        raise Refused.because(
            "category.taken", "There is a category of this name at this place already. Name it otherwise.", "name"
        ) from error


def move(ctx: Context, actor: Actor, ids: Sequence[int], parent: int, before: int | None = None) -> int:
    """Move categories with all below them; returns how many changed their parent. Raises Refused, NotFound."""
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> int:
        store.lock_trees(tx)
        places = store.places(tx)
        _refuse_gone(places, parent)
        changed = trees.move(places, ids, parent, before)
        title = f"Category moved: {', '.join(row['name'] for row in store.names(tx, list(ids)[:3]))}"
        with history.change_set(tx, actor, "category.move", title) as recorder:
            place_all(tx, recorder, places, changed)
        return sum(places[one].parent != place.parent for one, place in changed.items())

    return int(naming_double(ctx, work))


def rename(ctx: Context, actor: Actor, category_id: int, name: str) -> None:
    """Another name. Raises Refused, NotFound."""
    _change(ctx, actor, category_id, {"name": rules.parse_name(name)}, "Category renamed")


def rename_within(tx: Tx, recorder: history.Recorder, category_id: int, name: str) -> None:
    """The same within another act. Raises Refused, NotFound, DuplicateKey."""
    _write(tx, recorder, locked_row(tx, category_id), {"name": rules.parse_name(name)})


def translate_name(ctx: Context, actor: Actor, category_id: int, name: str, lens: Lens) -> None:
    """Another name for what a lens shows alone. Raises Refused, NotFound."""
    actor.require(Role.EDITOR)
    name = rules.parse_name(name)

    def work(tx: Tx) -> None:
        row = locked_row(tx, category_id)
        own = {key: held.value for key, held in wording.of_record(tx, "category", category_id).items()}
        with history.change_set(tx, actor, "category.save", f"Category changed: {row['name']}") as recorder:
            wanted = own | {key_of(lens, "name"): name}
            wording.save(tx, recorder, "category", category_id, wanted, {"name": row["name"]})

    ctx.db.run(work)


def switch(ctx: Context, actor: Actor, category_id: int, *, hidden: bool) -> None:
    """Hide a category with its branch, or show it. Raises NotFound."""
    _change(ctx, actor, category_id, {"hidden": int(hidden)}, "Category hidden" if hidden else "Category shown")


def _change(ctx: Context, actor: Actor, category_id: int, after: Mapping[str, Any], what: str) -> None:
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> None:
        row = locked_row(tx, category_id)
        with history.change_set(tx, actor, "category.save", f"{what}: {after.get('name', row['name'])}") as recorder:
            _write(tx, recorder, row, after)

    naming_double(ctx, work)


def _write(tx: Tx, recorder: history.Recorder, row: CategoryRow, after: Mapping[str, Any]) -> None:
    if recorder.changed("category", row["id"], picked(row, after), after, row["version"] + 1):
        store.update(tx, row["id"], after)


def locked_row(tx: Tx, category_id: int) -> CategoryRow:
    """A category\'s row, locked. Raises NotFound."""
    row = store.one(tx, category_id, lock=True)
    if row is None:
        raise NotFound("This category is not there any more.")
    return row


def search_words(ctx: Context, tx: Tx) -> dict[int, str]:
    """By category the words by which buyers may search it, in the default language; kept until something is written."""
    key = (history.written_stamp(tx), "search words of categories")
    return ctx.counts.get(key, lambda: store.search_words(tx, ctx.settings.language))
