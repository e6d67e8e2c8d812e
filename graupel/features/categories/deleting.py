"""Deleting categories, and moving all goods of one to another."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

from graupel.context import Context
from graupel.core import trees
from graupel.core.categories import CategoryKind
from graupel.core.errors import NotFound, Refused
from graupel.core.roles import Actor, Role
from graupel.core.trees import TreePlace as TreePlace
from graupel.db import Tx
from graupel.db.rows import picked
from graupel.features.categories import editing, service, store
from graupel.features.categories.tree import Category, current
from graupel.features.history import service as history
from graupel.features.vocabulary import references
from graupel.features.vocabulary import service as vocabulary

#: By area: how many of its records can't be without one of some categories, such as goods that are live.
_NEEDS: dict[str, Callable[[Tx, Sequence[int]], int]] = {}


def register_need(area: str, count: Callable[[Tx, Sequence[int]], int]) -> None:
    """Make known what can't be without a category. To do so again changes nothing."""
    _NEEDS[area] = count


@dataclass(frozen=True)
class DeletePlan:
    """What deleting a category does. ``going``: it and, where its branch goes with it, all below; ``rising``: those
    that move up to its parent instead. ``products``: how many lose a category and get ``into``, if one is chosen;
    ``needing``: how many of them can't be without, so that one has to be.
    """

    category: Category
    going: list[int]
    rising: list[int]
    products: int
    needing: int
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
    choices = [one for one in tree if one.id not in going and one.kind is CategoryKind.GOODS]
    target = tree.by_id.get(into or 0)
    return DeletePlan(
        category,
        going,
        [] if with_branch else list(category.below),
        products,
        sum(count(tx, going) for count in _NEEDS.values()),
        target if target and target.id not in going else None,
        choices,
    )


def delete(ctx: Context, actor: Actor, category_id: int, *, with_branch: bool, into: int | None = None) -> None:
    """Delete a category; its goods go to another, what is below it goes too or moves up. Raises Refused, NotFound."""
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> None:
        store.lock_trees(tx)
        plan = _plan_deleting(ctx, tx, category_id, with_branch, into)
        if plan.needing and plan.into is None:
            raise Refused.because(
                "category.goods", f"Say where {_goods(plan.needing)} with it as main category.", "into"
            )
        with history.change_set(tx, actor, "category.delete", f"Category deleted: {plan.category.path}") as recorder:
            places = store.places(tx)
            if plan.rising:
                after = _next_sibling(places, category_id)
                moved = trees.move(places, plan.rising, places[category_id].parent, after)
                service.place_all(tx, recorder, places, moved)
                places = {**places, **moved}
            for gone in plan.going:
                instead = plan.into.id if plan.into else None
                references.replace(tx, recorder, "category", gone, instead, ctx.settings.language)
            left = trees.remove(places, plan.going)
            _remove(tx, recorder, plan.going)
            service.place_all(tx, recorder, places, left)

    service.naming_double(ctx, work)


def _goods(count: int) -> str:
    return "the live product goes" if count == 1 else f"the {count:,} live products go"


def _next_sibling(places: Mapping[int, TreePlace], category_id: int) -> int | None:
    siblings = trees.children(places)[places[category_id].parent]
    at = siblings.index(category_id) + 1
    return siblings[at] if at < len(siblings) else None


def _remove(tx: Tx, recorder: history.Recorder, ids: Sequence[int]) -> None:
    """Journal and delete categories with their words and tags; parents stand before children in ``ids``."""
    for text in store.texts_of(tx, ids):
        recorder.removed("category_text", text["id"], picked(text, store.TEXT_FIELDS), text["version"] + 1)
        store.delete_text(tx, text["id"])
    for category_id in ids:
        editing.save_facts(tx, recorder, category_id, {})
        vocabulary.set_tags(tx, recorder, "category", category_id, [])
        row = service.locked_row(tx, category_id)
        recorder.removed("category", category_id, picked(row, store.FIELDS), row["version"] + 1)
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
