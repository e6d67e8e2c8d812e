"""Why something costs what it costs: the steps of a quote in words, each with the page where it is set."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal
from zoneinfo import ZoneInfo

from graupel.context import Context
from graupel.core import pricing
from graupel.core.errors import NotFound
from graupel.core.quoting import Quote, Step, StepKind
from graupel.core.resolve import Lens, Level, inherited
from graupel.core.roles import Actor, Role
from graupel.core.sales import Sale
from graupel.core.variants import label_of
from graupel.db import Tx
from graupel.features.destinations import service as destinations
from graupel.features.destinations.service import Destinations
from graupel.features.pricing import past
from graupel.features.products import asking
from graupel.features.products import service as products
from graupel.features.products.asking import Asking
from graupel.features.products.service import Product, Variant


@dataclass(frozen=True)
class StepShown:
    """A step in words; ``amount``: the price after it, of tax how much it is."""

    words: str
    amount: Decimal
    link: str = ""


@dataclass(frozen=True)
class Why:
    """Why a variant costs what it costs. ``steps``: none without a price; ``margin``: of what is paid without tax;
    ``beside``: what a buyer may add to it, each with by how much."""

    product: Product
    variant: Variant
    named: str
    destination: str
    quantity: int
    steps: Sequence[StepShown]
    quote: Quote | None
    margin: Decimal | None
    lowest: Decimal | None
    currency: str
    beside: Sequence[StepShown] = ()


#: What later areas let buyers add to a price, for a variant and what is asked for it.
Beside = Callable[[Tx, Asking, Quote], list[StepShown]]
_BESIDE: list[Beside] = []


def on_beside(found: Beside) -> None:
    """Register what may come on top of a price."""
    if found not in _BESIDE:
        _BESIDE.append(found)


def ask(ctx: Context, actor: Actor, product_id: int, variant_id: int | None, lens: Lens, quantity: int = 1) -> Why:
    """Why a variant of a product, its first without an id, costs what it costs at a destination. Raises NotFound."""
    actor.require(Role.VIEWER)

    def work(tx: Tx) -> Why:
        product = products.load(ctx, tx, product_id)
        found = asking.of(ctx, tx, product, lens)
        sold = product.for_sale or list(product.variants)
        variant = next((one for one in product.variants if one.id == variant_id), None) if variant_id else sold[0]
        if variant is None:
            raise NotFound("This variant is not there any more.")
        quote = found.quote(variant, quantity)
        places = destinations.current(ctx, tx)
        steps = [_said(ctx, places, found, variant, one) for one in quote.steps] if quote else []
        lowest = past.lowest_before(tx, found, variant, quote.sale.begins) if quote and quote.sale else None
        return Why(
            product,
            variant,
            label_of(product.axes, variant.combination) if product.varies else "",
            places.by_code(lens.destination).name,
            quantity,
            steps,
            quote,
            _margin(product, variant, quote),
            lowest,
            lens.currency or ctx.settings.currency,
            [step for add in _BESIDE for step in add(tx, found, quote)] if quote else [],
        )

    return ctx.db.run(work)


def _margin(product: Product, variant: Variant, quote: Quote | None) -> Decimal | None:
    if quote is None:
        return None
    net = quote.line.net if quote.line else quote.asked
    cost: Decimal | None = inherited(variant.cost, product.values.cost)
    return pricing.margin(net, cost)


def _said(ctx: Context, places: Destinations, found: Asking, variant: Variant, step: Step) -> StepShown:
    product = found.product
    if step.kind is StepKind.TYPED:
        return StepShown(_typed(places, found, variant), step.amount, f"/products/{product.id}#field-price")
    if step.kind is StepKind.RULE:
        code = found.lens.destination
        words = f"price rule of {places.by_code(code).name}: {found.place.rule.in_words}"
        return StepShown(words, step.amount, f"/prices/rules#rule-{code}")
    if step.sale:
        return StepShown(
            _sale(step.sale, ZoneInfo(ctx.settings.time_zone)), step.amount, f"/prices/sales/{step.sale.id}"
        )
    if step.quantity:
        words = f"from {step.quantity.from_quantity} pieces: {step.quantity.reduction.in_words}"
        return StepShown(words, step.amount, f"/products/{product.id}#sales")
    return StepShown(_tax(found, step), step.amount, "/delivery")


def _typed(places: Destinations, found: Asking, variant: Variant) -> str:
    typed = found.typed(variant)
    at = typed.at if typed else None
    where = f"for {places.by_code(at.destination).name}" if at and at.destination else "for everywhere"
    source = ", with the product" if at and found.product.varies and at.level == Level.PRODUCT else ""
    return f"typed {where}{source}"


def _sale(sale: Sale, zone: ZoneInfo) -> str:
    until = f" until {moment(sale.ends, zone)}" if sale.ends else ""
    named = f" “{sale.title}”" if sale.title else ""
    return f"sale{named}: {sale.reduction.in_words}{until}"


def moment(at: datetime, zone: ZoneInfo) -> str:
    """ "12 Dec", with the time where that is not midnight."""
    local = at.astimezone(zone)
    time = "" if (local.hour, local.minute) == (0, 0) else f", {local:%H:%M}"
    return f"{local:%-d %b}{time}"


def _tax(found: Asking, step: Step) -> str:
    taxing = found.taxing
    assert taxing is not None
    if step.kind is StepKind.CHARGE:
        return f"fixed charge of class {taxing.name}"
    where = "is in it" if taxing.typed_with_tax else "comes on top"
    return f"tax of {taxing.percent.normalize():f} % ({taxing.name}) {where}"
