"""The demo's further languages and shops: German, the outlet, category pages, what is written for Ostlerby."""

import csv
import io
from dataclasses import replace
from decimal import Decimal

from graupel.context import Context
from graupel.core.attributes import Fact
from graupel.core.categories import CategoryKind, Layout, Order
from graupel.core.conditions import Condition
from graupel.core.roles import Actor
from graupel.demo.german import german
from graupel.features.assortments import service as assortments
from graupel.features.categories import editing
from graupel.features.categories import service as categories
from graupel.features.destinations import shops
from graupel.features.products import saving
from graupel.features.products import service as products
from graupel.features.products.service import Product
from graupel.features.translating import exchange
from graupel.features.translating.store import Asked
from graupel.features.vocabulary import service as vocabulary

OUTLET = "Last Skeins"
#: Category -> layout, text, and the order of its goods.
PAGES = {
    "Yarn": (Layout.ASIDE, "<p>Yarns from small mills, wound in our own yard.</p>", Order.NEWEST),
    "Yarn > Aran": (
        Layout.BANNER,
        "<p>Round threads for jumpers that are worn for years. What is dyed by hand differs a little from skein to "
        "skein: take enough for the whole piece.</p>",
        Order.NAME,
    ),
    "Yarn > Lace": (
        Layout.LEAD,
        "<p>Threads of silk and mohair, thin enough for a shawl that goes through a ring.</p>",
        Order.DEAREST,
    ),
    "Notions > Buttons": (Layout.GRID, "", Order.CHEAPEST),
    "Needles": (Layout.ASIDE, "", Order.NAME),
}
#: Pages of text at the foot of the shop.
TOLD = {
    "About us": "<p>Skeinwright &amp; Daughters winds yarn in a yard behind the old tram shed. Three of us dye, two pack, "
    "and everybody knits.</p><h2>Come and see</h2><p>The yard is open on Saturdays from ten to four.</p>",
    "Care of wool": "<p>Wash by hand in cool water, press it in a towel, and dry it lying flat.</p>",
}
GERMAN_PAGES = {
    TOLD["About us"]: "<p>Skeinwright &amp; Daughters wickelt Garn auf einem Hof hinter dem alten Straßenbahnschuppen. "
    "Drei von uns färben, zwei packen, und alle stricken.</p><h2>Besuchen Sie uns</h2><p>Der Hof ist samstags von zehn "
    "bis vier geöffnet.</p>",
    TOLD["Care of wool"]: "<p>Von Hand in kühlem Wasser waschen, in einem Handtuch ausdrücken, liegend trocknen.</p>",
    "<p>Yarns from small mills, wound in our own yard.</p>": "<p>Garne aus kleinen Spinnereien, auf unserem Hof "
    "gewickelt.</p>",
    PAGES["Yarn > Aran"][1]: "<p>Runde Fäden für Pullover, die jahrelang getragen werden. Handgefärbtes fällt von "
    "Strang zu Strang ein wenig anders aus: Nehmen Sie genug für das ganze Stück.</p>",
    PAGES["Yarn > Lace"][1]: "<p>Fäden aus Seide und Mohair, dünn genug für ein Tuch, das durch einen Ring geht.</p>",
}


def load(ctx: Context, owner: Actor, editor: Actor, goods: list[int], channel_id: int) -> None:
    """German for the shop, the outlet with its trees, pages of categories, and prices and titles for destinations."""
    shops.add_language(ctx, owner, "de")
    _pages(ctx, editor)
    _foot(ctx, editor)
    _outlet(ctx, owner, editor, goods)
    _for_ostlerby(ctx, editor, goods, channel_id)
    _translate(ctx, editor)
    _change_originals(ctx, editor, goods)


def _pages(ctx: Context, actor: Actor) -> None:
    for path, (layout, text, order) in PAGES.items():
        detail = editing.read(ctx, actor, categories.make(ctx, actor, path).id)
        picture = _picture_of(ctx, actor, detail.category.id) if layout is Layout.BANNER else None
        alt = "Skeins in the light of the window" if picture else ""
        values = replace(detail.values, layout=layout, description=text, picture_id=picture, picture_alt=alt)
        values = replace(values, facts=_fields(ctx, path))
        editing.save(ctx, actor, detail.category.id, values)
        assortments.set_order(ctx, actor, detail.category.id, order)


def _fields(ctx: Context, path: str) -> dict[int, Fact]:
    """On which needles the yarns of a category are knitted."""
    attribute = next(one for one in vocabulary.read(ctx).attributes.values() if one.name == "Needle size")
    sizes = {"Yarn > Aran": "5 mm", "Yarn > Lace": "3 mm"}
    choice = next((one for one in attribute.choices if one.label == sizes.get(path)), None)
    return {attribute.id: Fact((choice.id,))} if choice else {}


def _picture_of(ctx: Context, actor: Actor, category_id: int) -> int | None:
    ids = assortments.placed(ctx, actor, category_id).ids
    shown = products.read(ctx, actor, ids[0]).values.pictures if ids else ()
    return shown[0].media_id if shown else None


def _foot(ctx: Context, actor: Actor) -> None:
    foot = next(key for key, name in categories.read_tree(ctx).trees.items() if name == "Foot of the page")
    text = "The shop\n  About us\n  Dye days\n  Gifts\nService\n  Care of wool\n  Needle gauge"
    made = categories.add(ctx, actor, text, -foot)
    tree = categories.read_tree(ctx)
    links = {"Dye days": "Workshops", "Gifts": "Kits", "Needle gauge": "Needles > Gauges"}
    for one in [tree.by_id[key] for top in made for key in tree.with_all_below(top)]:
        detail = editing.read(ctx, actor, one.id)
        to = f"/shop/c/{categories.make(ctx, actor, links[one.name]).id}" if one.name in links else ""
        kind = CategoryKind.LINK if to else CategoryKind.PAGE if one.name in TOLD else CategoryKind.HEADING
        values = replace(detail.values, kind=kind, link=to, hidden=False, description=TOLD.get(one.name, ""))
        if one.name == "About us":
            values = replace(values, layout=Layout.ASIDE, picture_id=_picture_of(ctx, actor, _yarn(ctx, actor)))
            values = replace(values, picture_alt="A skein as it leaves our yard")
        editing.save(ctx, actor, one.id, values)


def _yarn(ctx: Context, actor: Actor) -> int:
    return categories.make(ctx, actor, "Yarn > Aran").id


def _outlet(ctx: Context, owner: Actor, editor: Actor, goods: list[int]) -> None:
    """A small shop: summer yarns, what is cheap, ends of ribbon; with prices of its own for some."""
    raw = {"name": OUTLET, "address_part": "outlet", "languages": "de en", "currency": ""}
    shop_id = shops.make_shop(ctx, owner, raw)
    words = vocabulary.read(ctx)
    summer = next(key for key, name in words.tags.items() if name == "summer")
    ribbon = next(key for key, one in words.types.items() if one.name == "Ribbon")
    assortments.save_conditions(ctx, editor, "shop", shop_id, [Condition("price", "below", None, "12.00")])
    kits = categories.make(ctx, editor, "Kits").id
    assortments.put_in_shop(ctx, editor, shop_id, "category", [kits])
    assortments.put_in_shop(ctx, editor, shop_id, "product", goods[:3])
    assortments.put_in_shop(ctx, editor, shop_id, "product", goods[-2:], left_out=True)
    tree_id = categories.read_tree(ctx).of_shop(shop_id)[0]
    made = categories.add(ctx, editor, "Under ten euro\nSummer yarns\nRibbon ends", -tree_id)
    filled = [
        [Condition("price", "below", None, "10.00")],
        [Condition("tag", "is", summer), Condition("price", "below", None, "25.00")],
        [Condition("type", "is", ribbon), Condition("price", "below", None, "12.00")],
    ]
    for category_id, conditions in zip(made, filled, strict=True):
        categories.switch(ctx, editor, category_id, hidden=False)
        assortments.save_conditions(ctx, editor, "category", category_id, conditions)
    for product_id in goods[:40:2]:
        product = products.read(ctx, editor, product_id)
        if product.values.price:
            _write(ctx, editor, product, {f"s{shop_id}..price": _reduced(product.values.price)})


def _reduced(price: Decimal) -> str:
    return f"{(price * 7 / 10).quantize(Decimal('0.1')):.2f}"


def _write(ctx: Context, actor: Actor, product: Product, own: dict[str, str]) -> None:
    values = replace(product.values, own={**product.values.own, **own})
    saving.save(ctx, actor, product.id, values, product.version)


def _for_ostlerby(ctx: Context, actor: Actor, goods: list[int], channel_id: int) -> None:
    for product_id in goods[:24:3]:
        product = products.read(ctx, actor, product_id)
        name = f"{product.values.name} from Skeinwright, hand wound"
        own = {f"c{channel_id}..name": name[:80]}
        if product.values.price:
            own[f"c{channel_id}..price"] = f"{product.values.price + Decimal('0.60'):.2f}"
        _write(ctx, actor, product, own)


def _translate(ctx: Context, actor: Actor) -> None:
    """What a translator would do with the table that is taken out; every eleventh text is left for later."""
    out = b"".join(exchange.take_out(ctx, actor, "de", [], Asked(), "csv")).decode("utf-8-sig")
    rows = list(csv.DictReader(io.StringIO(out, newline="")))
    for number, row in enumerate(rows):
        said = GERMAN_PAGES.get(row["original"]) or german(row["original"])
        row["translation"] = "" if row["key"].startswith("product") and number % 11 == 5 else said
    table = io.StringIO()
    writer = csv.DictWriter(table, rows[0].keys())
    writer.writeheader()
    writer.writerows(rows)
    sha256 = exchange.keep(ctx, actor, io.BytesIO(table.getvalue().encode()))
    exchange.apply(ctx, actor, "de", sha256, "german-autumn.csv")


def _change_originals(ctx: Context, actor: Actor, goods: list[int]) -> None:
    """Some originals change after they were translated."""
    for product_id in goods[4:40:7]:
        product = products.read(ctx, actor, product_id)
        text = product.values.short_text.replace("100 grams", "100 grams, in a softer twist than before")
        saving.save(ctx, actor, product_id, replace(product.values, short_text=text), product.version)
