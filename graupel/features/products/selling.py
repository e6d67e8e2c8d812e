"""What sells of a product's variants, and how they may be ordered: of one by core, of many by sets in SQL."""

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date
from decimal import Decimal
from typing import Any

from graupel.context import Context
from graupel.core import availability, ordering, showing
from graupel.core.availability import Held, Layer, Layers, Sells, Standing
from graupel.core.declarations.products import VARIANT
from graupel.core.ordering import Ordering
from graupel.core.products import ProductValues
from graupel.core.showing import plural
from graupel.core.stock import plain
from graupel.db import Tx
from graupel.features.products.rows import SellingRow
from graupel.features.products.service import Product, Variant
from graupel.features.terms import sells_sql, stocks
from graupel.features.terms.stocks import SaidOfSelling

_NAMES = (*availability.FIELDS, *ordering.FIELDS)


@dataclass(frozen=True)
class Selling:
    """By variant what sells, and how it may be ordered."""

    sells: Mapping[int, Sells]
    ordering: Mapping[int, Ordering]
    said: SaidOfSelling

    @property
    def can_be_had(self) -> bool:
        """Whether a buyer can order any of it."""
        return any(one.can_be_had for one in self.sells.values())

    @property
    def hidden(self) -> frozenset[int]:
        """The variants that buyers do not see."""
        return frozenset(key for key, one in self.sells.items() if one.hidden)


def layers_of(said: SaidOfSelling, values: ProductValues, variant: Variant | None) -> Layers:
    """What is said of how a variant sells, nearest first; of its product alone without a variant.

    The only variant of a product that does not vary says what its product's values say.
    """
    own = {name: getattr(variant, name) for name in _NAMES} if variant else {}
    product = {name: getattr(values, name) for name in _NAMES}
    return {Layer.VARIANT: own, Layer.PRODUCT: product, **said.layers(values.type_id)}


def of_product(ctx: Context, tx: Tx, product: Product) -> Selling:
    """What sells of a product's variants for sale, as they were read."""
    said, day = stocks.said(ctx, tx), stocks.today(ctx, tx)
    layers = {one.id: layers_of(said, product.values, one if product.varies else None) for one in product.for_sale}
    held = {
        one.id: Held(one.stock is not None, one.stock or Decimal(0), one.reserved, product.made)
        for one in product.for_sale
    }
    return Selling(
        {key: availability.sells(held[key], availability.rules_of(found), day) for key, found in layers.items()},
        {key: ordering.ordering_of(found, product.values.sold_in) for key, found in layers.items()},
        said,
    )


def read(ctx: Context, product: Product) -> Selling:
    """The same in a transaction of its own."""
    return ctx.db.run(lambda tx: of_product(ctx, tx, product))


_SAID_BY = {
    Layer.PRODUCT: "as the product",
    Layer.TYPE: "as its type",
    Layer.SHOP: "as the shop’s",
    None: "as is usual",
}


@dataclass(frozen=True)
class Above:
    """What holds of a rule where a record says nothing: the value, as text, and by whom ("as the shop's")."""

    value: Any
    text: str
    by: str


def above(said: SaidOfSelling, type_id: int | None, product: ProductValues | None = None) -> dict[str, Above]:
    """What holds of each rule where a record says nothing.

    ``product``: of a variant, its product's values.
    """
    layers: dict[Layer, Mapping[str, Any]] = dict(said.layers(type_id))
    if product:
        layers[Layer.PRODUCT] = {name: getattr(product, name) for name in _NAMES}
    found = {}
    for name in _NAMES:
        value, layer = availability.layered(name, layers)
        usual = availability.FIELDS[name][1] if name in availability.FIELDS else _USUAL[name]
        shown = usual if value is None else value
        text = "" if shown is None else showing.show(VARIANT.field(name).kind, shown)
        found[name] = Above(shown, text, _SAID_BY[layer])
    return found


_USUAL = {"order_least": Decimal(1), "order_most": None, "order_step": Decimal(1)}


def in_words(selling: Selling) -> list[str]:
    """What sells, in sentences: of one variant what there is to say, of several how many stand how."""
    if len(selling.sells) == 1:
        return [availability.sentence(one) for one in selling.sells.values()]
    counted = Counter(one.standing for one in selling.sells.values())
    return [f"{plural(counted[one], 'variant')} {_STANDS[one]}" for one in Standing if counted[one]]


_STANDS = {
    Standing.IN: "with enough",
    Standing.UNCOUNTED: "without counting",
    Standing.LOW: "below the threshold",
    Standing.LATER: "sold on, to be sent later",
    Standing.COMING: "announced",
    Standing.OUT: "with nothing left to sell",
    Standing.OFF: "switched off",
}


@dataclass(frozen=True)
class SellsNow:
    """What sells of a variant now, as it is told to programs. ``ready`` and ``most``: None without end."""

    standing: Standing
    ready: Decimal | None
    most: Decimal | None
    back_on: date | None
    coming_on: date | None


def of_many(tx: Tx, product_ids: Sequence[int]) -> dict[int, SellsNow]:
    """What sells of all variants of these products, by the variants' ids."""
    if not product_ids:
        return {}
    sql = sells_sql.now(tx)
    rows = tx.rows(
        SellingRow,
        f"""SELECT v.id, {sql.standing} AS standing, {sql.ready} AS ready, {sql.most} AS most,
                   {sells_sql.RULE["back_on"]} AS back_on, {sells_sql.RULE["coming_on"]} AS coming_on
            FROM variant v JOIN product p ON p.id = v.product_id {sells_sql.JOINS} WHERE v.product_id IN %s""",
        [list(product_ids)],
    )
    return {row["id"]: _now(row) for row in rows}


def now_of(ctx: Context, product_ids: Sequence[int]) -> dict[int, SellsNow]:
    """The same in a transaction of its own."""
    return ctx.db.run(lambda tx: of_many(tx, product_ids))


def _now(row: SellingRow) -> SellsNow:
    ready, most = (None if one is None else plain(one) for one in (row["ready"], row["most"]))
    return SellsNow(Standing(row["standing"]), ready, most, row["back_on"], row["coming_on"])


def hidden_of(tx: Tx, product_ids: Sequence[int]) -> frozenset[int]:
    """The variants of these products that buyers do not see while none is left."""
    if not product_ids:
        return frozenset()
    rows = tx.all(
        f"""SELECT v.id FROM variant v JOIN product p ON p.id = v.product_id {sells_sql.JOINS}
            WHERE v.product_id IN %s AND NOT v.archived AND {sells_sql.now(tx).hidden}""",
        [list(product_ids)],
    )
    return frozenset(row["id"] for row in rows)


def without_hidden(product: Product, hidden: frozenset[int]) -> Product:
    """The product as buyers see it, without the variants that are hidden while none is left."""
    if not hidden:
        return product
    return replace(product, variants=tuple(one for one in product.variants if one.id not in hidden))
