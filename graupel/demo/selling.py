"""The demo's stock, orders and delivery: each feature at least once, in goods where it makes sense."""

from collections.abc import Sequence
from dataclasses import replace
from datetime import timedelta
from decimal import Decimal

from graupel.context import Context
from graupel.core.orders import Report, Told
from graupel.core.roles import Actor
from graupel.demo.goods import Good
from graupel.features.delivery import carriage
from graupel.features.delivery import service as delivery
from graupel.features.delivery.service import Stands
from graupel.features.orders import service as orders
from graupel.features.orders.service import Reported
from graupel.features.products import saving
from graupel.features.products import service as products
from graupel.features.stock import counting, places
from graupel.features.terms import stocks
from graupel.features.vocabulary import service as vocabulary
from graupel.features.vocabulary import types as vocabulary_types

Made = Sequence[tuple[int, Good]]
#: Countries, days of work, cost, free from.
PARCEL = [
    ("DE", "1-2", "up to 1 kg 3.90, up to 5 kg 5.90, 8.90", "60.00"),
    ("AT, NL, BE, LU, DK", "2-4", "up to 2 kg 7.90, 12.90", "120.00"),
    ("FR, IT, ES, PT, PL, SE, FI, IE", "3-6", "up to 2 kg 9.90, 16.90", ""),
    ("CH, GB, NO, US, CA", "6-12", "up to 2 kg 18.90", ""),
]
LETTER = [("DE", "2-4", "1.90", ""), ("AT, NL, BE, LU, DK, FR", "4-8", "3.90", "")]


def load(ctx: Context, owner: Actor, editor: Actor, made: Made) -> None:
    """Everything that the pages of stock and delivery can show."""
    _delivery(ctx, editor, made)
    _rules(ctx, owner, editor, made)
    _orders(ctx, editor, made)
    _stall(ctx, editor, made)


def _change(ctx: Context, actor: Actor, product_id: int, **values: object) -> None:
    product = products.read(ctx, actor, product_id)
    saving.save(ctx, actor, product_id, replace(product.values, **values), product.version)  # type: ignore[arg-type]


def _of(made: Made, kind: str) -> list[int]:
    return [product_id for product_id, good in made if good.kind == kind]


def _rows(rows: Sequence[tuple[str, str, str, str]]) -> list[dict[str, str]]:
    return [dict(zip(("countries", "days", "steps", "free_from"), row, strict=True)) for row in rows]


def _delivery(ctx: Context, actor: Actor, made: Made) -> None:
    types = {one.name: key for key, one in vocabulary.read(ctx).types.items()}
    by_weight = {"cost_by": "weight"}
    delivery.save_promise(ctx, actor, None, {"name": "Parcel", **by_weight}, _rows(PARCEL), Stands(shop=True))
    ribbons = [types["Ribbon"]] if "Ribbon" in types else []
    delivery.save_promise(ctx, actor, None, {"name": "Letter", **by_weight}, _rows(LETTER), Stands(types=ribbons))
    today = ctx.db.run(lambda tx: stocks.today(ctx, tx))
    closed = f"{today.year}-12-24, {today.year}-12-25, {today.year}-12-31"
    delivery.save_working(ctx, actor, {"days": "01234", "cut_off": "14:00", "closed": closed})
    for kind, way, layout in (("Pattern", "downloaded", "below"), ("Workshop", "service", "words")):
        if kind in types:
            found = vocabulary_types.read(ctx, actor, types[kind]).type
            members = vocabulary_types.members_of(found)
            name, prefix = found.name, found.code_prefix
            vocabulary_types.save(ctx, actor, found.id, name, prefix, members, delivered=way, layout=layout)
    for product_id in _of(made, "Yarn")[:12]:
        _change(ctx, actor, product_id, packed_size="180x120x90", customs_code="51091010")
    for product_id in _of(made, "Kit")[:2]:
        rows = [{"country": "CH", "amount": "24.00"}, {"country": "US", "amount": "not sent"}]
        carriage.save(ctx, actor, product_id, rows)


def _rules(ctx: Context, owner: Actor, editor: Actor, made: Made) -> None:
    """Below 5 it is reported; ribbon by the tenth of a metre, needles that come later, kits that hide when gone."""
    types = {one.name: key for key, one in vocabulary.read(ctx).types.items()}
    places.save(ctx, editor, None, {"low_stock": "5", "at_zero": "stop"})
    if "Ribbon" in types:
        places.save(ctx, editor, types["Ribbon"], {"order_least": "0.5", "order_step": "0.1", "low_stock": "15"})
    places.save_notice(ctx, owner, "stock@skeinwright.example")
    today = ctx.db.run(lambda tx: stocks.today(ctx, tx))
    for product_id in _of(made, "Ribbon"):
        _change(ctx, editor, product_id, sold_in="m")
    needles, kits, yarns = _of(made, "Needles"), _of(made, "Kit"), _of(made, "Yarn")
    if needles:
        _change(ctx, editor, needles[0], at_zero="go_on", back_on=today + timedelta(days=16))
    for product_id in kits[:1]:
        _change(ctx, editor, product_id, at_zero="hide", order_most=Decimal(1))
    if len(yarns) > 8:
        _change(ctx, editor, yarns[2], held_back=Decimal(4))
        _change(ctx, editor, yarns[5], coming_on=today + timedelta(days=24))
        _change(ctx, editor, yarns[6], at_zero="limit", zero_limit=Decimal(10))
        _change(ctx, editor, yarns[7], order_step=Decimal(5), order_least=Decimal(10))


def _orders(ctx: Context, actor: Actor, made: Made) -> None:
    """Some orders of the last days: open, paid, cancelled, partly come back."""
    counted = [product_id for product_id, good in made if good.stocked is not None and good.kind == "Yarn"][:12]
    for place, product_id in enumerate(counted):
        product = products.read(ctx, actor, product_id)
        number = f"{1041 + place}"
        lines = {one.sku: Decimal(2) for one in product.for_sale[place % 3 : place % 3 + 2] if (one.stock or 0) > 2}
        if not lines:
            continue
        orders.take(ctx, actor, Reported("", f"{number}-ordered", number, Report(Told.ORDERED, lines)))
        if place % 3:
            orders.take(ctx, actor, Reported("", f"{number}-paid", number, Report(Told.PAID)))
        if place % 5 == 4:
            back = {sku: Decimal(1) for sku in list(lines)[:1]}
            orders.take(ctx, actor, Reported("", f"{number}-returned", number, Report(Told.RETURNED, back)))
        if place % 4 == 3:
            orders.take(ctx, actor, Reported("", f"{number}-cancelled", number, Report(Told.CANCELLED)))


def _stall(ctx: Context, actor: Actor, made: Made) -> None:
    """A second location with some yarn on it."""
    stall = places.add(ctx, actor, "Market stall")
    skus = []
    for product_id in _of(made, "Yarn")[:4]:
        product = products.read(ctx, actor, product_id)
        skus += [one.sku for one in product.for_sale if (one.stock or 0) > 8][:5]
    if skus:
        counting.move(ctx, actor, "\n".join(f"{sku} 3" for sku in skus), 1, stall)
