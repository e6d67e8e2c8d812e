"""What a merchant does with the goods of categories and of shops."""

from array import array
from collections.abc import Hashable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from graupel.context import Context
from graupel.core.categories import Order, arrange
from graupel.core.conditions import Condition
from graupel.core.errors import NotFound, Refused
from graupel.core.facets import NONE, Ids, NewestFirst
from graupel.core.roles import Actor, Role
from graupel.db import Tx
from graupel.db.rows import Named, picked
from graupel.features.assortments import gathering, store
from graupel.features.categories import service as categories
from graupel.features.categories import store as category_store
from graupel.features.destinations import service as destinations
from graupel.features.destinations import shops
from graupel.features.destinations.service import Shop
from graupel.features.history import service as history
from graupel.features.products import facet_index, placing, resolving
from graupel.features.products import store as product_store
from graupel.features.products.facet_index import held

SAMPLES = 12
#: So many goods can be put in order by hand; more than anybody would.
MOST_BY_HAND = 2000


def set_of(ctx: Context, tx: Tx, chosen: Mapping[str, Iterable[Any]], within: Ids | None = None) -> Ids:
    """The products that have chosen values of facets."""
    with held(ctx, tx) as index:
        return index.select({facet: tuple(values) for facet, values in chosen.items()}, within)


def category_sets(ctx: Context, tx: Tx) -> dict[Any, Ids]:
    """The products of each category itself, by its id."""
    with held(ctx, tx) as index:
        return dict(index.sets("category"))


# --- conditions ----------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class GatheringPlan:
    """What other conditions would do: how many goods come, go and stay, and the first of those that move."""

    come: int
    go: int
    stay: int
    coming: list[Named]
    going: list[Named]


def plan_conditions(
    ctx: Context, actor: Actor, owner: str, owner_id: int, wanted: Sequence[Condition]
) -> GatheringPlan:
    """The dry run: who would come and go under these conditions. Writes nothing."""
    actor.require(Role.VIEWER)
    lang = ctx.settings.language

    def work(tx: Tx) -> GatheringPlan:
        now = store.conditions(tx, owner, owner_id)
        there = set(gathering.fitting(tx, now, lang))
        then = set(gathering.fitting(tx, wanted, lang))
        come, go = sorted(then - there), sorted(there - then)
        return GatheringPlan(
            len(come),
            len(go),
            len(there & then),
            product_store.names(tx, come[:SAMPLES], lang),
            product_store.names(tx, go[:SAMPLES], lang),
        )

    return ctx.db.run(work)


def save_conditions(ctx: Context, actor: Actor, owner: str, owner_id: int, wanted: Sequence[Condition]) -> bool:
    """Make the conditions of a category or a shop these; returns whether anything differed."""
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> bool:
        title = f"Conditions changed: {_name_of(ctx, tx, owner, owner_id)}"
        rows = store.condition_rows(tx, owner, owner_id)
        if [store.condition_of(row) for row in rows] == list(wanted):
            return False
        with history.change_set(tx, actor, "conditions.save", title) as recorder:
            for row in rows:
                gone = picked(row, store.CONDITION_FIELDS)
                recorder.removed("goods_condition", row["id"], gone, row["version"] + 1)
                store.delete_condition(tx, row["id"])
            for place, one in enumerate(wanted):
                made = {"owner": owner, "owner_id": owner_id, "position": place} | one.__dict__
                recorder.made("goods_condition", store.insert_condition(tx, made), made)
        return True

    return ctx.db.run(work)


def _name_of(ctx: Context, tx: Tx, owner: str, owner_id: int) -> str:
    if owner == "shop":
        found = next((one for one in destinations.shops(ctx, tx) if one.id == owner_id), None)
        if found is None:
            raise NotFound(f"There is no shop {owner_id}.")
        return found.name
    row = category_store.one(tx, owner_id, lock=True)
    if row is None:
        raise NotFound("This category is not there any more.")
    return str(row["name"])


# --- the goods of a category ---------------------------------------------------------------------------------


@dataclass(frozen=True)
class Placed:
    """The goods that stand in a category itself, in the shop's order.

    ``ways``: by product id, "main", "further" or "filled" by its conditions; ``version``: of the category.
    """

    ids: list[int]
    ways: Mapping[int, str]
    order: Order
    conditions: list[Condition]
    version: int


def placed(ctx: Context, actor: Actor, category_id: int) -> Placed:
    """The goods of a category itself, whatever their status but archived ones. Raises NotFound."""
    actor.require(Role.VIEWER)

    def work(tx: Tx) -> Placed:
        row = category_store.one(tx, category_id)
        if row is None:
            raise NotFound("This category is not there any more.")
        ways = dict.fromkeys(store.filled(tx, category_id), "filled") | store.placed(tx, category_id)
        gone = set_of(ctx, tx, {"status": ("archived",)})
        archived = set(gone & Ids(ways))
        ids = _in_order(ctx, tx, row, [one for one in ways if one not in archived])
        conditions = store.conditions(tx, "category", category_id)
        return Placed(ids, ways, Order(row["sorted_by"]), conditions, row["version"])

    return ctx.db.run(work)


def _in_order(ctx: Context, tx: Tx, row: Mapping[str, Any], ids: Sequence[int]) -> list[int]:
    found = store.in_order(tx, ids, row["sorted_by"], ctx.settings.language)
    if row["sorted_by"] != Order.HAND:
        return list(_ahead(ctx, tx, found))
    return arrange(found, [int(one) for one in row["by_hand"].split()])


def _ahead(ctx: Context, tx: Tx, ids: Sequence[int]) -> Sequence[int]:
    """The same with those first that stand before others wherever no order by hand is."""
    first = _before_others(ctx, tx)
    if not first:
        return ids
    there = set(ids)
    ahead = dict.fromkeys(one for one in first if one in there)
    return array("I", [*ahead, *(one for one in ids if one not in ahead)])


def _before_others(ctx: Context, tx: Tx) -> Sequence[int]:
    """The products that stand before others wherever no order by hand is."""
    return ctx.counts.get((history.written_stamp(tx), "before others"), lambda: store.before_others(tx))


def set_order(ctx: Context, actor: Actor, category_id: int, order: Order, by_hand: Sequence[int] | None = None) -> None:
    """In which order a category shows its goods; ``by_hand``: ids from the first, those that stay as they are may lack.

    Without any, an order by hand begins with the goods as they stand. Raises Refused, NotFound.
    """
    actor.require(Role.EDITOR)
    if order is Order.HAND and not by_hand:
        by_hand = placed(ctx, actor, category_id).ids[:MOST_BY_HAND]
    if by_hand is not None and len(by_hand) > MOST_BY_HAND:
        raise Refused.because("order.too_many", f"At most {MOST_BY_HAND:,} goods are ordered by hand.")

    def work(tx: Tx) -> None:
        row = category_store.one(tx, category_id, lock=True)
        if row is None:
            raise NotFound("This category is not there any more.")
        after: dict[str, Any] = {"sorted_by": str(order)}
        if by_hand is not None:
            after["by_hand"] = " ".join(map(str, by_hand))
        with history.change_set(tx, actor, "category.order", f"Goods ordered: {row['name']}") as recorder:
            if recorder.changed("category", category_id, picked(row, after), after, row["version"] + 1):
                category_store.update(tx, category_id, after)

    ctx.db.run(work)


def put_in(ctx: Context, actor: Actor, category_id: int, product_ids: Sequence[int]) -> int:
    """Put products in a category: as their main one where they have none, else as a further one; returns how many."""
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> int:
        name = _name_of(ctx, tx, "category", category_id)
        there = store.placed(tx, category_id)
        new = [one for one in dict.fromkeys(product_ids) if one not in there]
        with history.change_set(tx, actor, "category.put_in", f"Goods put in: {name}") as recorder:
            for product_id in new:
                placing.place_within(tx, recorder, product_id, category_id)
        return len(new)

    return ctx.db.run(work)


def take_out(ctx: Context, actor: Actor, category_id: int, product_ids: Sequence[int]) -> int:
    """Take products out of a category, where they stand by hand; returns how many. Raises Refused.

    A product whose main category this is gets its first further one as the main one; a live one that has none stays.
    """
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> int:
        name = _name_of(ctx, tx, "category", category_id)
        there = store.placed(tx, category_id)
        going = [one for one in dict.fromkeys(product_ids) if one in there]
        with history.change_set(tx, actor, "category.take_out", f"Goods taken out: {name}") as recorder:
            for product_id in going:
                placing.displace_within(tx, recorder, product_id, category_id)
        return len(going)

    return ctx.db.run(work)


# --- what a shop shows ---------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Assortment:
    """What a shop shows: conditions, categories with all below, single products, and those that are left out."""

    conditions: list[Condition]
    categories: list[int]
    products: list[int]
    left_out: list[int]
    shown: int
    unpriced: int


def assortment(ctx: Context, actor: Actor, shop: Shop) -> Assortment:
    """The assortment of a shop, and how many live products it shows."""
    actor.require(Role.VIEWER)

    def work(tx: Tx) -> Assortment:
        rows = store.shop_goods(tx, shop.id)
        return Assortment(
            store.conditions(tx, "shop", shop.id),
            [row["record_id"] for row in rows if row["kind"] == "category"],
            [row["record_id"] for row in rows if row["kind"] == "product" and not row["left_out"]],
            [row["record_id"] for row in rows if row["kind"] == "product" and row["left_out"]],
            len(shown_in(ctx, tx, shop)),
            unpriced_in(ctx, tx, shop),
        )

    return ctx.db.run(work)


def shown_in(ctx: Context, tx: Tx, shop: Shop) -> Ids:
    """The live products that a shop shows; kept while the catalogue is the same.

    Left out by hand comes before everything; then any of: the shop shows all, a category, a condition, by hand. What
    has no price in the shop's currency can't be bought there, and is not shown; nor is what hides itself at zero.
    """
    return ctx.counts.get(
        (facet_index.mark(ctx, tx), "assortment", shop.id, shop.version),
        lambda: _assorted(ctx, tx, shop) - _unpriced(ctx, tx, shop) - _hidden(ctx, tx),
    )


def _hidden(ctx: Context, tx: Tx) -> Ids:
    """What nothing is left of, and is hidden while that is so."""
    return set_of(ctx, tx, {"had": ("hidden",)})


def unpriced_in(ctx: Context, tx: Tx, shop: Shop) -> int:
    """How many live products a shop would show if they had a price in its currency."""
    return len(_assorted(ctx, tx, shop) & _unpriced(ctx, tx, shop))


def _unpriced(ctx: Context, tx: Tx, shop: Shop) -> Ids:
    """The live products without a price in a shop that has a currency of its own, and no rate to it."""
    if destinations.current(ctx, tx).lens(shop.code).converts:
        return NONE
    live = set_of(ctx, tx, {"status": ("live",)})
    return live - Ids(resolving.priced_at(tx, shop.code))


def _assorted(ctx: Context, tx: Tx, shop: Shop) -> Ids:
    live = set_of(ctx, tx, {"status": ("live",)})
    rows = store.shop_goods(tx, shop.id)
    left_out = Ids([row["record_id"] for row in rows if row["left_out"]])
    if shop.shows_all:
        return live - left_out
    tree = categories.current(ctx, tx)
    within = [one for row in rows if row["kind"] == "category" for one in tree.with_all_below(row["record_id"])]
    shown = set_of(ctx, tx, {"category": within}) if within else NONE
    shown |= Ids([row["record_id"] for row in rows if row["kind"] == "product"])
    if asked := store.conditions(tx, "shop", shop.id):
        shown |= Ids(gathering.fitting(tx, asked, ctx.settings.language))
    return (shown & live) - left_out


def is_shown(ctx: Context, tx: Tx, shop: Shop, product_id: int) -> bool:
    """Whether a shop shows a live product."""
    return product_id in shown_in(ctx, tx, shop)


def set_shows_all(ctx: Context, actor: Actor, shop: Shop, shows_all: bool) -> None:
    """Whether a shop shows everything that is live, or what is chosen for it. Raises Outdated, NotFound."""
    actor.require(Role.EDITOR)
    shops.change(ctx, actor, shop.id, {"shows": "all" if shows_all else "some"})


def put_in_shop(
    ctx: Context, actor: Actor, shop_id: int, kind: str, ids: Sequence[int], *, left_out: bool = False
) -> int:
    """Put products or categories into a shop's assortment, or leave products out of it; returns how many changed."""
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> int:
        name = _name_of(ctx, tx, "shop", shop_id)
        there = {row["record_id"]: row for row in store.shop_goods(tx, shop_id) if row["kind"] == kind}
        changed = 0
        with history.change_set(tx, actor, "shop.assortment", f"Assortment changed: {name}") as recorder:
            for record_id in dict.fromkeys(ids):
                row = there.get(record_id)
                if row is None:
                    made = {"shop_id": shop_id, "kind": kind, "record_id": record_id, "left_out": int(left_out)}
                    recorder.made("shop_goods", store.insert_shop_goods(tx, made), made)
                    changed += 1
                elif bool(row["left_out"]) != left_out:
                    was = {"left_out": row["left_out"]}
                    recorder.changed("shop_goods", row["id"], was, {"left_out": int(left_out)}, row["version"] + 1)
                    store.set_left_out(tx, row["id"], left_out)
                    changed += 1
        return changed

    return ctx.db.run(work)


def forget_in_shop(ctx: Context, actor: Actor, shop_id: int, kind: str, ids: Sequence[int]) -> int:
    """Nothing is said of these products or categories for a shop any more; returns of how many something was."""
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> int:
        name = _name_of(ctx, tx, "shop", shop_id)
        rows = [row for row in store.shop_goods(tx, shop_id) if row["kind"] == kind and row["record_id"] in set(ids)]
        with history.change_set(tx, actor, "shop.assortment", f"Assortment changed: {name}") as recorder:
            for row in rows:
                gone = picked(row, store.SHOP_FIELDS)
                recorder.removed("shop_goods", row["id"], gone, row["version"] + 1)
                store.delete_shop_goods(tx, row["id"])
        return len(rows)

    return ctx.db.run(work)


# --- shelves of the shop window ------------------------------------------------------------------------------


def shelf(ctx: Context, tx: Tx, category_id: int | None, found: Ids, known_by: Hashable) -> Sequence[int]:
    """The products of a set in the order of a category, or the newest first.

    A category's order is kept while the catalogue is the same; ``known_by``: what the set was made from.
    """
    if not category_id:
        return NewestFirst(found, _before_others(ctx, tx))

    def make() -> Sequence[int]:
        row = category_store.one(tx, category_id)
        return array("I", _in_order(ctx, tx, row, list(found)) if row else found)

    return ctx.counts.get((facet_index.mark(ctx, tx), "shelf", category_id, known_by), make)


def choices_within(ctx: Context, tx: Tx, found: Ids, choice_ids: Iterable[int]) -> dict[Any, int]:
    """How many products of a set have each of some choices, by its id."""
    with held(ctx, tx) as index:
        return index.count("fact", choice_ids, found)


def condition_names(words: Any) -> dict[str, Mapping[int, str]]:
    """The names that conditions refer to, by what is asked and id."""
    choices = {c.id: f"{a.name} {c.label}" for a in words.attributes.values() for c in a.choices}
    types = {key: one.name for key, one in words.types.items()}
    return {"brand": words.brands, "tag": words.tags, "type": types, "choice": choices}
