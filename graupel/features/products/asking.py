"""What a product's variants cost at a destination, now and at other moments, and why.

resolving.py says the same of many by sets.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from decimal import Decimal

from graupel.context import Context
from graupel.core import products as rules
from graupel.core.contents import UnitPrice, unit_price
from graupel.core.endings import Ending
from graupel.core.price_rules import PriceRule, decimals
from graupel.core.pricing import PriceRange, price_range
from graupel.core.products import ProductValues
from graupel.core.quoting import Place, QuantityPrice, Quote, Typed, quote
from graupel.core.resolve import DEFAULT_LENS, Lens, Resolved, inherited
from graupel.core.sales import Sale
from graupel.core.taxes import Taxing
from graupel.db import Tx
from graupel.features.products import resolving
from graupel.features.products.service import Product, Variant
from graupel.features.terms import service as terms
from graupel.features.terms import store as terms_store
from graupel.features.terms.service import REMEMBERED, Written


@dataclass(frozen=True)
class Asking:
    """A product's prices at the destination of a lens. ``product``: as kept, not through the lens; ``now``: UTC."""

    product: Product
    values: ProductValues
    lens: Lens
    place: Place
    written: Written
    sales: Sequence[Sale]
    quantities: Sequence[QuantityPrice]
    taxing: Taxing | None
    now: datetime

    def with_values(self, values: ProductValues) -> "Asking":
        """The same with other values, as they stand in a form."""
        return replace(self, values=values)

    def with_rule(self, rule: PriceRule | None, ending: Ending | None) -> "Asking":
        """The same by another price rule of the destination, and another ending of the catalogue."""
        lens = replace(self.lens, rule=rule)
        followed = rule or PriceRule(decimals=self.place.rule.decimals)
        place = replace(self.place, rule=followed, converts=lens.converts, ending=ending)
        return replace(self, lens=lens, place=place)

    def typed(self, variant: Variant | None) -> Typed | None:
        """The price that holds, as it was typed; ``variant`` None: of the product."""
        if variant and self.product.varies:
            return self.typed_as(rules.amount_typed("price", self.lens, self.values, variant.price, variant.own))
        return self.typed_as(rules.amount_typed("price", self.lens, self.values))

    def typed_as(self, found: Resolved[Decimal]) -> Typed | None:
        """A price that was found somewhere, with what it means here."""
        if found.value is None or found.place is None:
            return None
        return Typed(found.value, self.lens.rule is None or bool(found.place.destination), found.place)

    def quote(self, variant: Variant | None, quantity: int = 1, at: datetime | None = None) -> Quote | None:
        """What a piece costs; None without a price. ``at``: another moment than now."""
        typed = self.typed(variant)
        return None if typed is None else self.quote_of(typed, variant, quantity, at)

    def quote_of(self, typed: Typed, variant: Variant | None, quantity: int = 1, at: datetime | None = None) -> Quote:
        """The same of another price than the one that is typed now."""
        moment = at or self.now
        key, choices = (variant.id, variant.combination) if variant else (0, ())
        held = [one for one in self.sales if one.holds(moment) and one.reaches(self.product.id, key, choices)]
        bulk = [one for one in self.quantities if one.variant_id in (None, key)]
        return quote(typed, self.place, held, bulk, quantity, self.taxing)

    @property
    def quotes(self) -> dict[int, Quote]:
        """By variant for sale what a piece costs now; those without a price are left out."""
        found = ((one.id, self.quote(one)) for one in self.product.for_sale)
        return {key: one for key, one in found if one is not None}

    @property
    def range(self) -> PriceRange:
        """What buyers pay for a piece."""
        return price_range(one.asked for one in self.quotes.values())

    def unit_price(self, asked: Decimal, variant: Variant | None) -> UnitPrice | None:
        """The price by unit of measure; None where nothing is said of the contents."""
        contents = self.values.contents
        if variant and self.product.varies:
            contents = inherited(variant.contents, contents)
        return unit_price(asked, contents, self.values.priced_per, self.place.rule.decimals) if contents else None


def of(ctx: Context, tx: Tx, product: Product, lens: Lens, now: datetime | None = None) -> Asking:
    """The prices of a product, as it is kept, at the destination of a lens."""
    moment = now or ctx.now(tx)
    return replace(
        regular(ctx, tx, product, lens, moment),
        sales=terms.sales_of(tx, product.id, moment - REMEMBERED) if product.id else [],
        quantities=terms.quantity_prices_of(tx, product.id) if product.id else [],
    )


def regular(ctx: Context, tx: Tx, product: Product, lens: Lens, now: datetime) -> Asking:
    """The same without sales and quantity prices, for who knows them already or looks at what is asked beside them."""
    found = terms.written(ctx, tx)
    rule = lens.rule or PriceRule(decimals=decimals(lens.currency or ctx.settings.currency))
    place = Place(
        lens.destination,
        rule,
        lens.converts,
        found.catalogue.price_ending,
        lens.currency is not None,
        decimals(ctx.settings.currency),
    )
    return Asking(
        product,
        product.values,
        lens,
        place,
        found,
        (),
        (),
        terms.taxing(ctx, found, lens, product.values.tax_class_id, now),
        now,
    )


def read(ctx: Context, product: Product, lens: Lens) -> Asking:
    """The same in a transaction of its own."""
    return ctx.db.run(lambda tx: of(ctx, tx, product, lens))


@dataclass(frozen=True)
class AskedNow:
    """What a piece of a variant costs now. ``regular``: without a sale; ``until``: when the sale that counts ends."""

    asked: Decimal
    regular: Decimal
    until: datetime | None = None

    @property
    def is_reduced(self) -> bool:
        """Whether a sale makes it cheaper."""
        return self.asked < self.regular


def any_sale(tx: Tx, destination: str = "") -> bool:
    """Whether any sale holds at a destination now."""
    return bool(terms_store.running(tx, destination, terms_store.moment(tx)))


def of_many(
    ctx: Context, tx: Tx, product_ids: Sequence[int], lens: Lens = DEFAULT_LENS
) -> dict[int, dict[int, AskedNow]]:
    """By product what each of its variants for sale costs now; those without a price are left out."""
    if not product_ids:
        return {}
    fields = ("price", resolving.ASKED)
    rows = list(resolving.variants(tx, lens, fields, ctx.settings.language, product_ids).rows)
    ends = terms.ends_of(tx, {row["asked_sale"] for row in rows if row["asked_sale"]})
    found: dict[int, dict[int, AskedNow]] = {}
    for row in rows:
        if row["asked"] is not None:
            until = ends.get(row["asked_sale"]) if row["asked"] < row["price"] else None
            one = AskedNow(row["asked"], row["price"], until)
            found.setdefault(row["product_id"], {})[row["variant_id"]] = one
    return found


def now_of(ctx: Context, product_ids: Sequence[int]) -> dict[int, dict[int, AskedNow]]:
    """The same in a transaction of its own, for the catalogue's own shop."""
    return ctx.db.run(lambda tx: of_many(ctx, tx, product_ids))
