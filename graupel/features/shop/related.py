"""What goes with an article, as a buyer sees it: by kind, and what of it can go into the basket at the same time."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal
from itertools import islice
from typing import Any

from graupel.context import Context
from graupel.core import baskets, together
from graupel.core import choices as choice_rules
from graupel.core.facets import Ids
from graupel.core.together import Offer
from graupel.db import Tx
from graupel.features.assortments import service as assortments
from graupel.features.categories import service as categories
from graupel.features.kits import reading as kits
from graupel.features.orders import wares
from graupel.features.orders.wares import Stall
from graupel.features.products import many
from graupel.features.products.service import Product
from graupel.features.relations import by_category, cheaper
from graupel.features.relations import service as relations
from graupel.features.shop import offers, service
from graupel.features.shop.framing import place_of
from graupel.features.shop.windows import Window
from graupel.features.terms import stocks
from graupel.features.wording import service as wording

#: So many of a kind are shown, and so many can be put in with the article.
SHOWN, TOGETHER = 8, 4


@dataclass(frozen=True)
class Group:
    """The related goods of one kind: its name for buyers, and rows as a shelf has them."""

    name: str
    rows: Sequence[Mapping[str, Any]]


@dataclass(frozen=True)
class Offered:
    """One that can go into the basket with the article, with what it costs as the shop shows prices.

    ``was``: what it costs by itself, where it costs less together.
    """

    variant_id: int
    name: str
    price: Decimal
    was: Decimal | None = None


def of_article(ctx: Context, tx: Tx, window: Window, product: Product) -> list[Group]:
    """What goes with an article, of what the shop shows: what was related by hand, then what rules bring."""
    shown = assortments.shown_in(ctx, tx, window.shop)
    related = _related(ctx, tx, product, shown)
    ids = [other for _, other in related]
    if not ids:
        return []
    kinds = {row["id"]: row for row in relations.kinds(tx)}
    names = wording.in_lens(tx, "relation_kind", "name", window.lens) if window.lens.lang else {}
    can_be_had = assortments.set_of(ctx, tx, {"had": ("yes",)}, shown)
    rows = {row["id"]: row for row in service.rows(ctx, tx, window, list(dict.fromkeys(ids)), can_be_had)}
    groups: dict[int, list[Mapping[str, Any]]] = {}
    for kind_id, other in related:
        if other in rows:
            groups.setdefault(kind_id, []).append(rows[other])
    return [Group(names.get(key) or kinds[key]["name"], of_kind[:SHOWN]) for key, of_kind in groups.items()]


@dataclass(frozen=True)
class Contained:
    """What is in a kit whatever is picked: how much of what, and the path of its article where the shop shows it."""

    said: str
    path: str = ""


def contained(ctx: Context, tx: Tx, window: Window, product_id: int) -> list[Contained]:
    """What a kit always has in it, in its order."""
    parts = [one for one in kits.of_product(ctx, tx, product_id, window.lens).parts if not one.pick and not one.gone]
    if not parts:
        return []
    shown = assortments.shown_in(ctx, tx, window.shop)
    ids = list(dict.fromkeys(one.product_id for one in parts if one.product_id in shown))
    paths = {row["id"]: row["path"] for row in service.rows(ctx, tx, window, ids, shown)}
    return [Contained(one.said, paths.get(one.product_id, "")) for one in parts]


def _related(ctx: Context, tx: Tx, product: Product, shown: Ids) -> list[tuple[int, int]]:
    """Kinds with what is related, by hand and then by rules of categories: no more of a kind than is shown."""
    by_hand = [one.row for one in relations.of_product(ctx, tx, product.id)]
    found = [(row["relation_kind_id"], row["other_id"]) for row in by_hand if row["other_id"] in shown]
    for rule in by_category.of_goods(ctx, tx, [product.values.category_id, *product.values.categories]):
        kind_id, other = rule.row["relation_kind_id"], rule.row["other_category_id"]
        left = SHOWN - sum(kind == kind_id for kind, _ in found)
        if left <= 0 or not rule.other:
            continue
        below = categories.current(ctx, tx).with_all_below(other)
        goods = assortments.set_of(ctx, tx, {"category": below}, shown)
        there = {one for kind, one in found if kind == kind_id} | {product.id}
        new = (one for one in assortments.shelf(ctx, tx, None, goods, None) if one not in there)
        found += [(kind_id, one) for one in islice(new, left)]
    return found


def offered(ctx: Context, tx: Tx, window: Window, product_id: int) -> list[Offered]:
    """Of what goes with an article, what can go into the basket at the same time without a word from the buyer: sold in
    one variant only, that can be had, with nothing that must be chosen."""
    kinds = {row["id"] for row in relations.kinds(tx) if row["offered"]}
    shown = assortments.shown_in(ctx, tx, window.shop)
    related = [one.row for one in relations.of_product(ctx, tx, product_id)]
    fitting = [row["other_id"] for row in related if row["relation_kind_id"] in kinds and row["other_id"] in shown]
    ids = list(dict.fromkeys(fitting))
    if not ids:
        return []
    products = many.load_priced(ctx, tx, ids[: 2 * TOGETHER])
    only = [one.for_sale[0].id for key in ids if (one := products.get(key)) and len(one.for_sale) == 1]
    stalls, today = wares.load(ctx, tx, place_of(window), only), stocks.today(ctx, tx)
    offers_now = cheaper.offers(tx, [product_id], ctx.now(tx))
    fitting_stalls = [stalls[key] for key in only if key in stalls and baskets.needs_no_word(stalls[key].ware, today)]
    return [_offered(window, one, offers_now) for one in fitting_stalls[:TOGETHER]]


def _offered(window: Window, stall: Stall, now: Sequence[Offer]) -> Offered:
    asked = stall.ware.asked(max(int(stall.ware.ordering.least), 1))
    off = together.as_shown(asked, [one for one in now if one.other_id == stall.product_id], stall.ware.rule)
    was = price_of(window, stall) if off else None
    return Offered(stall.ware.variant_id, stall.ware.name, price_of(window, stall, off), was)


def price_of(window: Window, stall: Stall, off: Decimal = Decimal(0)) -> Decimal:
    """What the fewest that can be ordered cost, with what stands there at first, as the shop shows prices.

    ``off``: what one of them costs less.
    """
    least, taxing = stall.ware.ordering.least, stall.ware.taxing
    asked = stall.ware.asked(max(int(least), 1))
    line = choice_rules.chosen(
        stall.ware.choices, choice_rules.defaults(stall.ware.choices), asked, rule=stall.ware.rule
    )
    return offers.shown_line(line.piece, least, line.once - off, taxing, window.terms.tax_shown, stall.ware.rule)
