"""The demo's terms of sale: taxes, price rules, sales that are over, on and planned, quantity prices, contents."""

from collections.abc import Sequence
from dataclasses import replace
from datetime import datetime, timedelta

from graupel.context import Context
from graupel.core import moments
from graupel.core.roles import Actor
from graupel.core.sales import Reach
from graupel.demo.goods import Good
from graupel.features.destinations import terms as destination_terms
from graupel.features.pricing import promotions, quantities, selling
from graupel.features.pricing.selling import Goods
from graupel.features.products import saving
from graupel.features.products import service as products
from graupel.features.terms import taxes
from graupel.features.variants import setting

#: Tax classes with their rates: country, from, percent, a piece.
CLASSES = {
    "Full rate": [("DE", "2021-01-01", "19", ""), ("AT", "2021-01-01", "20", ""), ("FR", "2021-01-01", "20", "")],
    "Reduced rate": [("DE", "2021-01-01", "7", ""), ("AT", "2021-01-01", "10", ""), ("FR", "2021-01-01", "5.5", "")],
    "Recording media": [("DE", "2021-01-01", "19", "0.35")],
    "Untaxed": [],
}
#: Goods of a kind that are taxed otherwise than most.
TAXED = {"Pattern": "Reduced rate", "Workshop": "Untaxed"}
Made = Sequence[tuple[int, Good]]


def load(ctx: Context, owner: Actor, editor: Actor, made: Made, outlet: str) -> None:
    """Everything that the pages of prices and taxes can show, in goods where it makes sense."""
    _taxes(ctx, owner, editor, made)
    destination_terms.save(ctx, editor, "", {"ending": ".90", "ending_way": "nearest", "jump_percent": "40"})
    destination_terms.save(ctx, editor, outlet, {"percent": "-15", "ending": ".x4", "ending_way": "down"})
    _contents(ctx, editor, made)
    _sales(ctx, editor, made, outlet)
    _quantities(ctx, editor, made)


def _taxes(ctx: Context, owner: Actor, editor: Actor, made: Made) -> None:
    ids = {}
    for name, rates in CLASSES.items():
        rows = [dict(zip(("country", "begins", "percent", "amount"), rate, strict=True)) for rate in rates]
        ids[name] = taxes.save(ctx, owner, None, name, rows)
    destination_terms.save(ctx, editor, "", {"country": "DE", "shows_lowest": "yes"})
    for product_id, good in made:
        if good.kind in TAXED:
            _change(ctx, editor, product_id, tax_class_id=ids[TAXED[good.kind]])


def _change(ctx: Context, actor: Actor, product_id: int, **values: object) -> None:
    product = products.read(ctx, actor, product_id)
    saving.save(ctx, actor, product_id, replace(product.values, **values), product.version)  # type: ignore[arg-type]


def _contents(ctx: Context, actor: Actor, made: Made) -> None:
    """What a skein holds; of yarn in two put-ups that of each."""
    for product_id, good in [one for one in made if one[1].kind == "Yarn"][:40]:
        labels = dict(good.axes).get("Put-up", ())
        if not labels:
            _change(ctx, actor, product_id, contents=f"{good.weight_g} g")
            continue
        product = products.read(ctx, actor, product_id)
        choices = {choice.label: choice.id for axis in product.axes for choice in axis.choices}
        for label in labels:
            ids = [one.id for one in product.variants if choices[label] in one.combination]
            if ids:
                setting.set_values(ctx, actor, product_id, ids, "contents", label)


def _sales(ctx: Context, actor: Actor, made: Made, outlet: str) -> None:
    zone, now = selling.zone_of(ctx), ctx.db.run(ctx.now)

    def day(days: int) -> str:
        at: datetime = now.astimezone(zone).replace(hour=0, minute=0) + timedelta(days=days)
        return moments.typed(at.replace(hour=0, minute=0), zone)

    def plan(goods: Goods, amount: str, begins: int, ends: int | None, **more: str) -> None:
        if goods.reach is not Reach.ALL and not goods.product_ids:
            return  # a smaller shop, as the tests load it, may have none of them
        span = {"begins": day(begins), "ends": "" if ends is None else day(ends)}
        selling.plan(ctx, actor, {"amount": amount, **span, **more}, goods)

    def promotion(code: str, name: str, kind: str, begins: int, ends: int) -> str:
        raw = {"code": code, "name": name, "kind": kind, "begins": day(begins), "ends": day(ends)}
        return str(promotions.save(ctx, actor, None, raw))

    live = [one for one in made if one[1].status == "live" and one[1].price]
    yarns = [one for one in live if one[1].kind == "Yarn"]
    summer = [key for key, good in yarns if "summer" in good.tags][:25]
    buttons = [key for key, good in live if good.category.endswith("Buttons")][:12]
    winter = promotion("WINTER-YARN", "Winter in the yard", "reduced", -5, 16)
    ends = promotion("BUTTON-ENDS", "Ends of buttons", "clearance", 10, 40)
    plan(Goods(Reach.PRODUCT, summer), "15 %", -5, 16, title="Summer yarns", promotion=winter, ends_so="yes")
    plan(Goods(Reach.PRODUCT, buttons), "30 %", 10, 40, title="Ends of buttons", promotion=ends)
    others = [key for key, _ in yarns if key not in summer]
    first, second, third = others[:1], others[1:2], others[2:3]
    plan(Goods(Reach.PRODUCT, first), "-1.90", -16, -9)
    plan(Goods(Reach.PRODUCT, first), "20 %", -4, 12, ends_so="yes", joined="yes")
    for product_id in second:
        _raise(ctx, actor, product_id)
    plan(Goods(Reach.PRODUCT, second), "12 %", 5, 19, ends_so="yes")
    plan(Goods(Reach.PRODUCT, third), "3.00", 3, 9)
    taken = {*first, *second}
    two = next((one for one in yarns if "Put-up" in dict(one[1].axes) and one[0] not in taken), None)
    if two:
        product = products.read(ctx, actor, two[0])
        fifty = next(c.id for axis in product.axes for c in axis.choices if c.label == "50 g")
        plan(Goods(Reach.CHOICE, [two[0]], [fifty]), "10 %", 20, 34, ends_so="yes")
        plan(Goods(Reach.VARIANT, [two[0]], [product.for_sale[-1].id]), "5.00", 1, 30)
    ribbons = [key for key, good in live if good.kind == "Ribbon"][:3]
    plan(Goods(Reach.PRODUCT, ribbons), "10 %", -2, 8, destination=outlet, title="Ribbon ends")


def _raise(ctx: Context, actor: Actor, product_id: int) -> None:
    product = products.read(ctx, actor, product_id)
    if product.values.price:
        _change(ctx, actor, product_id, price=product.values.price + 1)


def _quantities(ctx: Context, actor: Actor, made: Made) -> None:
    """Buttons by the dozen, yarn for a jumper, and a pattern for which one may pay more."""
    live = [one for one in made if one[1].status == "live" and one[1].price]
    for product_id, _ in [one for one in live if one[1].category.endswith("Buttons")][:6]:
        quantities.save(ctx, actor, product_id, [{"from": "6", "amount": "5 %"}, {"from": "12", "amount": "10 %"}])
    for product_id, good in [one for one in live if one[1].kind == "Yarn"][:8]:
        amount = good.amount
        assert amount is not None
        rows = [{"from": "10", "amount": f"{amount - amount / 20:.2f}"}]
        quantities.save(ctx, actor, product_id, rows)
    for product_id, good in [one for one in live if one[1].kind == "Pattern"][:3]:
        assert good.amount is not None
        _change(ctx, actor, product_id, buyer_raises=True, suggested_price=good.amount + 2)
