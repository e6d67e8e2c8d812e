"""A choice that should be variants becomes what its product differs by; and variants that should be a choice, a choice.

Stock is counted for variants only, so what is an article of its own has to be one; and what is only added while
ordering makes variants for nothing. Each step is a change set, and can be taken back.
"""

from dataclasses import dataclass
from decimal import Decimal

from graupel.context import Context
from graupel.core import choices as rules
from graupel.core.attributes import Attribute, AttributeKind
from graupel.core.choices import Choice, Kind
from graupel.core.errors import Refused
from graupel.core.price_rules import PriceRule
from graupel.core.resolve import inherited
from graupel.core.roles import Actor, Role
from graupel.features.choices import reading, service, uses
from graupel.features.products import service as products
from graupel.features.products.service import Product
from graupel.features.variants import making, setting, taking
from graupel.features.variants.making import Wish
from graupel.features.vocabulary import attributes
from graupel.features.vocabulary import service as vocabulary
from graupel.features.vocabulary.attributes import Definition

LEAST_ENTRIES = 2
#: With more variants than these nobody means a choice.
MOST_VARIANTS = 60


@dataclass(frozen=True)
class Meant:
    """An attribute that a choice repeats, or the only one that variants differ by, in words."""

    id: int
    name: str


def can_vary(choice: Choice) -> bool:
    """Whether a choice could be what a product differs by: one of several is picked."""
    return choice.kind is Kind.ONE and len(choice.entries) >= LEAST_ENTRIES


def meant_as_choice(product: Product) -> Meant | None:
    """What a product differs by where that could as well be a choice: one attribute, and no stock is counted."""
    counted = any(one.stock is not None for one in product.variants)
    if len(product.axes) != 1 or counted or product.made or len(product.for_sale) > MOST_VARIANTS:
        return None
    attribute = product.axes[0].attribute
    return Meant(attribute.id, attribute.name)


def to_axis(ctx: Context, actor: Actor, product_id: int, choice_id: int) -> None:
    """Have a product differ by what a choice asks, with what its entries add in the prices; it is not asked any more.

    What an entry adds once to a line, and weights, are not taken along. Raises Refused, NotFound.
    """
    actor.require(Role.EDITOR)
    choice = ctx.db.run(lambda tx: reading.there(tx, choice_id))
    if not can_vary(choice):
        said = "Only a choice of which one entry is picked can become what a product differs by."
        raise Refused.because("choice.vary", said)
    product = products.read(ctx, actor, product_id)
    attribute = _attribute(ctx, actor, choice)
    ids = {one.label.casefold(): one.id for one in attribute.choices}
    wanted = [ids[one.label.casefold()] for one in choice.entries]
    there = tuple((axis.attribute.id, axis.ids) for axis in product.axes)
    making.make(ctx, actor, product_id, Wish((*there, (attribute.id, tuple(wanted))), {attribute.id: wanted[0]}))
    _add_to_prices(ctx, actor, product_id, attribute.id, choice, ids)
    asked = [one.id for one in ctx.db.run(lambda tx: reading.of_product(tx, product_id)) if one.id != choice_id]
    uses.ask(ctx, actor, product_id, asked, product.values.name)


def _attribute(ctx: Context, actor: Actor, choice: Choice) -> Attribute:
    """The attribute of a choice's name with all its labels, made where it is not there."""
    known = vocabulary.read(ctx).attributes.values()
    name = choice.shown_label.casefold()
    found = next((one for one in known if one.can_vary and one.name.casefold() in (name, choice.name.casefold())), None)
    labels = [one.label for one in choice.entries]
    if found is None:
        wanted = Definition(choice.name, AttributeKind.ONE_CHOICE, choices=labels)
        return attributes.read(ctx, actor, attributes.make(ctx, actor, wanted).id).attribute
    missing = [one for one in labels if one.casefold() not in {c.label.casefold() for c in found.choices}]
    for label in missing:
        attributes.add_choice(ctx, actor, found.id, label)
    return attributes.read(ctx, actor, found.id).attribute


def _add_to_prices(
    ctx: Context, actor: Actor, product_id: int, attribute_id: int, choice: Choice, ids: dict[str, int]
) -> None:
    product = products.read(ctx, actor, product_id)
    place = product.differs_by.index(attribute_id)
    entries = {ids[one.label.casefold()]: one for one in choice.entries}
    prices: dict[int, Decimal] = {}
    for variant in product.for_sale:
        entry, base = entries.get(variant.combination[place]), inherited(variant.price, product.values.price)
        more = rules.adds(entry, base, PriceRule()) if entry and base is not None and not entry.once else Decimal(0)
        if more and base is not None:
            prices[variant.id] = max(base + more, Decimal(0))
    if prices:
        setting.set_each(ctx, actor, product_id, "price", prices)


def to_choice(ctx: Context, actor: Actor, product_id: int) -> None:
    """Ask what a product differs by as a choice instead, with the differences of prices; the first variant stays.

    Raises Refused, NotFound.
    """
    actor.require(Role.EDITOR)
    product = products.read(ctx, actor, product_id)
    meant = meant_as_choice(product)
    if meant is None or not product.for_sale:
        said = "Only where a product differs by one attribute, and no stock is counted, can that become a choice."
        raise Refused.because("choice.of_axis", said)
    labels = {one.id: one.label for one in product.axes[0].choices}
    prices = {one.id: inherited(one.price, product.values.price) or Decimal(0) for one in product.for_sale}
    first = product.for_sale[0]
    rows = [
        {"label": labels[one.combination[0]], "adds": _difference(prices[one.id] - prices[first.id])}
        | ({"state": "default"} if one.id == first.id else {})
        for one in product.for_sale
    ]
    dropping = taking.plan_dropping(ctx, actor, product_id, meant.id, first.combination[0])
    raw = {"name": meant.name, "kind": "one", "needed": "yes"}
    service.save(ctx, actor, None, raw, rows, product_id=product_id)
    taking.drop_axis(ctx, actor, product_id, meant.id, first.combination[0], dropping.signature)


def _difference(amount: Decimal) -> str:
    return f"{amount:+.2f}" if amount else ""
