"""What a merchant does with categories: the trees, and one category."""

from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from graupel.context import Context
from graupel.core import categories as rules
from graupel.core import trees
from graupel.core.attributes import Fact
from graupel.core.categories import CategoryValues, Kind, Layout, Order
from graupel.core.errors import NotFound, Refused
from graupel.core.imports import CATEGORY_SEPARATOR, parse_category_path
from graupel.core.problems import Problem
from graupel.core.resolve import CATEGORY, OF_CATEGORY, Lens, Place, key_of, places, places_of, resolve
from graupel.core.roles import Actor, Role
from graupel.core.trees import Place as TreePlace
from graupel.db import DuplicateKey, Tx
from graupel.features.categories import kinds, store
from graupel.features.categories import tree as reading
from graupel.features.categories.tree import Category, Tree, current, read_tree
from graupel.features.destinations.service import FIRST
from graupel.features.history import meeting
from graupel.features.history import service as history
from graupel.features.history.meeting import Marks
from graupel.features.media import service as media
from graupel.features.media.service import Media
from graupel.features.vocabulary import facts as fact_rows
from graupel.features.vocabulary import references
from graupel.features.vocabulary import service as vocabulary
from graupel.features.vocabulary.references import Use
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


def make_path(tx: Tx, recorder: history.Recorder, path: str) -> int:
    """The id of the category at a clean path; what is missing of it is made, and recorded. Raises Refused."""
    return make_paths(tx, recorder, [path])[path]


def make_paths(tx: Tx, recorder: history.Recorder, paths: Sequence[str]) -> dict[str, int]:
    """The ids of the categories at clean paths; what is missing of them is made and recorded.

    It is made in the tree that a path names, else in the first. The trees are read once, however many paths there are.
    Raises Refused where a path stands in several trees and names none.
    """
    known = load(tx)
    found = {path: there for path in dict.fromkeys(paths) if (there := known.find(path)) is not None}
    if len(found) == len(set(paths)):
        return found
    store.lock_trees(tx)
    first = first_tree(tx)
    siblings = {parent: len(children) for parent, children in trees.children(store.places(tx)).items()}
    levels: dict[tuple[int, str], int] = {}
    for path in dict.fromkeys(path for path in paths if path not in found):
        tree_id, within = known.split(path)
        parent = -(tree_id or first)
        for name in within.split(CATEGORY_SEPARATOR):
            level = (parent, name.lower())
            if level not in levels:
                levels[level] = store.by_name(tx, parent, name) or _append(tx, recorder, name, parent, siblings)
            parent = levels[level]
        found[path] = parent
    return found


def _append(tx: Tx, recorder: history.Recorder, name: str, parent: int, siblings: dict[int, int]) -> int:
    """Make a category behind its siblings; ``siblings``: how many there are below each, brought up to date."""
    place = TreePlace(parent, siblings.get(parent, 0))
    siblings[parent] = place.position + 1
    return _insert(tx, recorder, name, place, hidden=False)


def first_tree(tx: Tx) -> int:
    """The id of the main navigation."""
    return int(store.trees(tx)[0]["id"])


def _insert(tx: Tx, recorder: history.Recorder, name: str, place: TreePlace, *, hidden: bool) -> int:
    values = {
        "parent_id": place.parent if place.parent > 0 else None,
        "tree_id": -place.parent if place.parent < 0 else None,
        "position": place.position,
        "name": name,
        "kind": str(Kind.GOODS),
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
            _place_all(tx, recorder, places, moved)
            return _insert_list(tx, recorder, typed, parent, at)

    return list(_naming_double(ctx, work))


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


def _place_all(
    tx: Tx, recorder: history.Recorder, places: Mapping[int, TreePlace], changed: Mapping[int, TreePlace]
) -> None:
    for category_id, becomes in changed.items():
        kinds.place(tx, recorder.change_set_id, category_id, places[category_id], becomes)


def _naming_double(ctx: Context, work: Callable[[Tx], Any]) -> Any:
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
            _place_all(tx, recorder, places, changed)
        return sum(places[one].parent != place.parent for one, place in changed.items())

    return int(_naming_double(ctx, work))


def rename(ctx: Context, actor: Actor, category_id: int, name: str) -> None:
    """Another name. Raises Refused, NotFound."""
    _change(ctx, actor, category_id, {"name": rules.parse_name(name)}, "Category renamed")


def translate_name(ctx: Context, actor: Actor, category_id: int, name: str, lens: Lens) -> None:
    """Another name for what a lens shows alone. Raises Refused, NotFound."""
    actor.require(Role.EDITOR)
    name = rules.parse_name(name)

    def work(tx: Tx) -> None:
        row = _row(tx, category_id)
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
        row = _row(tx, category_id)
        with history.change_set(tx, actor, "category.save", f"{what}: {after.get('name', row['name'])}") as recorder:
            before = {name: row[name] for name in after}
            if recorder.changed("category", category_id, before, after, row["version"] + 1):
                store.update(tx, category_id, after)

    _naming_double(ctx, work)


def _row(tx: Tx, category_id: int) -> dict[str, Any]:
    row = store.one(tx, category_id, lock=True)
    if row is None:
        raise NotFound("This category is not there any more.")
    return row


# --- one category --------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Detail:
    """One category with its words in the default language, its picture, and how many products use it."""

    category: Category
    values: CategoryValues
    version: int
    picture: Media | None
    use: Use
    own: Mapping[str, str] = field(default_factory=dict)
    sources: Mapping[str, str | None] = field(default_factory=dict)


def seen(values: CategoryValues, own: Mapping[str, str], lens: Lens) -> CategoryValues:
    """A category's words as a lens shows them; ``own``: what is written for destinations and languages."""
    where = places(lens, OF_CATEGORY, worded=True)
    words = {
        name: resolve({Place(CATEGORY): getattr(values, name)} | places_of(own, name, CATEGORY), where).value or ""
        for name in ("name", *rules.TEXTS)
    }
    shown: dict[str, Any] = dict(words)
    return replace(values, **shown)


def read(ctx: Context, actor: Actor, category_id: int) -> Detail:
    """One of them. Raises NotFound."""
    actor.require(Role.VIEWER)

    return ctx.db.run(lambda tx: _detail(ctx, tx, category_id))


def _detail(ctx: Context, tx: Tx, category_id: int, *, lock: bool = False) -> Detail:
    row = store.one(tx, category_id, lock=lock)
    if row is None:
        raise NotFound("This category is not there any more.")
    lang = ctx.settings.language
    text = store.text(tx, category_id, lang) or {}
    values = CategoryValues(
        row["name"],
        Kind(row["kind"]),
        bool(row["hidden"]),
        bool(row["in_navigation"]),
        row["link"],
        canonical=row["canonical"],
        picture_id=row["picture_id"],
        layout=Layout(row["layout"]),
        lead_product_id=row["lead_product_id"],
        facts=fact_rows.facts_of(store.facts(tx, category_id)),
        tags=tuple(vocabulary.tags_of(tx, "category", [category_id]).get(category_id, [])),
        **{name: text.get(name, "") for name in rules.TEXTS},
    )
    picture = media.by_ids(tx, [row["picture_id"]]).get(row["picture_id"]) if row["picture_id"] else None
    own = wording.of_record(tx, "category", category_id)
    return Detail(
        current(ctx, tx).by_id[category_id],
        values,
        row["version"],
        picture,
        references.use_of(tx, "category", category_id, lang),
        {key: held.value for key, held in own.items()},
        {key: held.source for key, held in own.items()},
    )


def save(
    ctx: Context,
    actor: Actor,
    category_id: int,
    typed: CategoryValues,
    marks: Marks = None,
    own: Mapping[str, str] | None = None,
    still: Collection[str] = (),
) -> None:
    """Write what was typed of one category, with what others alone changed since the page was made.

    ``own``: words for a destination or a language by key, those that are not named stay; ``still``: keys of
    translations that hold for the original as it is now.
    Raises Refused, NotFound, and Outdated where both changed the same field.
    """
    actor.require(Role.EDITOR)
    lang = ctx.settings.language

    def work(tx: Tx) -> None:
        there = _detail(ctx, tx, category_id, lock=True)
        values, words_own = _brought_together(ctx, tx, there, typed, own or {}, marks)
        row, text = _row(tx, category_id), store.text(tx, category_id, lang)
        if values.picture_id and not any(one.is_picture for one in media.by_ids(tx, [values.picture_id]).values()):
            raise Refused([Problem("category.picture", "This picture is not in the library any more.", "picture_id")])
        plain = ("name", "link", "canonical", "picture_id", "lead_product_id")
        after = {name: getattr(values, name) for name in plain} | {"layout": str(values.layout)}
        after |= {
            "kind": str(values.kind),
            "hidden": int(values.hidden),
            "in_navigation": int(values.in_navigation),
        }
        with history.change_set(tx, actor, "category.save", f"Category changed: {values.name}") as recorder:
            before = {name: row[name] for name in after}
            if recorder.changed("category", category_id, before, after, row["version"] + 1):
                store.update(tx, category_id, after)
            _save_text(tx, recorder, category_id, lang, values, text)
            _save_facts(tx, recorder, category_id, values.facts)
            words = {name: getattr(values, name) for name in rules.WORDS}
            wording.save(tx, recorder, "category", category_id, {**there.own, **words_own}, words, still)
            tags = [vocabulary.make_within(tx, recorder, "tag", name) for name in values.tags]
            vocabulary.set_tags(tx, recorder, "category", category_id, tags)

    _naming_double(ctx, work)


def _brought_together(
    ctx: Context, tx: Tx, there: Detail, typed: CategoryValues, own: Mapping[str, str], marks: Marks
) -> tuple[CategoryValues, dict[str, str]]:
    """What was typed, with what others alone changed since. Raises Outdated."""
    category_id = there.category.id
    known = vocabulary.current(ctx, tx).attributes

    def label(name: str) -> str:
        if name.startswith("fact-"):
            return known[int(name[5:])].name if int(name[5:]) in known else "A field"
        return rules.LABELS.get(name.rpartition(".")[2], name)

    keys = {"category": [category_id]}
    mine = rules.flat(typed, {**there.own, **own})
    return rules.unflat(meeting.bring_together(tx, keys, marks, mine, rules.flat(there.values, there.own), label))


def _save_text(
    tx: Tx,
    recorder: history.Recorder,
    category_id: int,
    lang: str,
    values: CategoryValues,
    text: Mapping[str, Any] | None,
) -> None:
    after = {name: getattr(values, name) for name in rules.TEXTS}
    if text is None:
        if any(after.values()):
            whole = {"category_id": category_id, "lang": lang, **after}
            recorder.made("category_text", store.insert_text(tx, whole), whole)
    elif recorder.changed("category_text", text["id"], text, after, text["version"] + 1):
        store.update_text(tx, text["id"], after)


def _save_facts(tx: Tx, recorder: history.Recorder, category_id: int, facts: Mapping[int, Fact]) -> None:
    there = {(row["attribute_id"], row["choice_id"]): fact_rows.as_kept(row) for row in store.facts(tx, category_id)}
    wanted = fact_rows.rows_of({"category_id": category_id}, facts)
    for key in there.keys() - wanted.keys():
        row = there[key]
        gone = {name: row[name] for name in store.FACT_FIELDS}
        recorder.removed("category_fact", row["id"], gone, row["version"] + 1)
        store.delete_fact(tx, row["id"])
    for key, values in wanted.items():
        known = there.get(key)
        if known is None:
            recorder.made("category_fact", store.insert_fact(tx, values), values)
            continue
        before, after = ({name: one[name] for name in fact_rows.FIELDS} for one in (known, values))
        if recorder.changed("category_fact", known["id"], before, after, known["version"] + 1):
            store.update_fact(tx, known["id"], values)


# --- deleting ------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class DeletePlan:
    """What deleting a category does. ``going``: it and, where its branch goes with it, all below; ``rising``: those
    that move up to its parent instead. ``products``: how many lose a category and get ``into``.
    """

    category: Category
    going: list[int]
    rising: list[int]
    products: int
    into: Category | None
    choices: list[Category] = field(default_factory=list)


def plan_deleting(
    ctx: Context, actor: Actor, category_id: int, *, with_branch: bool, into: int | None = None
) -> DeletePlan:
    """The dry run of a deletion. Raises NotFound."""
    actor.require(Role.EDITOR)
    return ctx.db.run(lambda tx: _plan_deleting(ctx, tx, category_id, with_branch, into))


def _plan_deleting(ctx: Context, tx: Tx, category_id: int, with_branch: bool, into: int | None) -> DeletePlan:
    tree = current(ctx, tx)
    category = tree.by_id.get(category_id)
    if category is None:
        raise NotFound("This category is not there any more.")
    going = tree.with_all_below(category_id) if with_branch else [category_id]
    products = references.products_using(tx, "category", going, ctx.settings.language)
    choices = [one for one in tree if one.id not in going and one.kind is Kind.GOODS]
    target = tree.by_id.get(into or 0)
    return DeletePlan(
        category,
        going,
        [] if with_branch else list(category.below),
        products,
        target if target and target.id not in going else None,
        choices,
    )


def delete(ctx: Context, actor: Actor, category_id: int, *, with_branch: bool, into: int | None = None) -> None:
    """Delete a category; its goods go to another, what is below it goes too or moves up. Raises Refused, NotFound."""
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> None:
        store.lock_trees(tx)
        plan = _plan_deleting(ctx, tx, category_id, with_branch, into)
        if plan.products and plan.into is None:
            raise Refused.because("category.goods", f"Say where its {plan.products:,} products go.", "into")
        with history.change_set(tx, actor, "category.delete", f"Category deleted: {plan.category.path}") as recorder:
            places = store.places(tx)
            if plan.rising:
                after = _next_sibling(places, category_id)
                moved = trees.move(places, plan.rising, places[category_id].parent, after)
                _place_all(tx, recorder, places, moved)
                places = {**places, **moved}
            for gone in plan.going:
                if plan.into:
                    references.replace(tx, recorder, "category", gone, plan.into.id, ctx.settings.language)
            left = trees.remove(places, plan.going)
            _remove(tx, recorder, plan.going)
            _place_all(tx, recorder, places, left)

    _naming_double(ctx, work)


def _next_sibling(places: Mapping[int, TreePlace], category_id: int) -> int | None:
    siblings = trees.children(places)[places[category_id].parent]
    at = siblings.index(category_id) + 1
    return siblings[at] if at < len(siblings) else None


def _remove(tx: Tx, recorder: history.Recorder, ids: Sequence[int]) -> None:
    """Journal and delete categories with their words and tags; parents stand before children in ``ids``."""
    for text in store.texts_of(tx, ids):
        recorder.removed(
            "category_text", text["id"], {name: text[name] for name in store.TEXT_FIELDS}, text["version"] + 1
        )
        store.delete_text(tx, text["id"])
    for category_id in ids:
        _save_facts(tx, recorder, category_id, {})
        vocabulary.set_tags(tx, recorder, "category", category_id, [])
        row = _row(tx, category_id)
        recorder.removed("category", category_id, {name: row[name] for name in store.FIELDS}, row["version"] + 1)
    store.delete(tx, ids)


def move_goods(ctx: Context, actor: Actor, category_id: int, into: int) -> int:
    """Move all goods of one category to another, in one act; returns how many products. Raises Refused, NotFound."""
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> int:
        tree = current(ctx, tx)
        if category_id not in tree.by_id or into not in tree.by_id or into == category_id:
            raise NotFound("Choose another category that is still there.")
        lang = ctx.settings.language
        number = references.products_using(tx, "category", [category_id], lang)
        title = f"Goods moved: {tree.path(category_id)} → {tree.path(into)}"
        with history.change_set(tx, actor, "category.goods", title) as recorder:
            references.replace(tx, recorder, "category", category_id, into, lang)
        return number

    return ctx.db.run(work)
