"""Loads the demo shop once, through the same services as everybody."""

import io
import zlib
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from decimal import Decimal

from graupel.context import Context
from graupel.core.attributes import Attribute, Fact, read_fact
from graupel.core.errors import Refused
from graupel.core.pictures import Picture
from graupel.core.products import ProductValues, Status
from graupel.core.roles import SYSTEM, Actor, Role
from graupel.core.stock import How, Typed
from graupel.demo import asking, belonging, buying, catalogue, films, judging, kits, pictures, selling, shops, terms
from graupel.demo import files as files_to_download
from graupel.demo import vocabulary as words
from graupel.demo.catalogue import ORIGINS
from graupel.demo.goods import Good, Numbers
from graupel.features.categories import service as categories
from graupel.features.destinations import service as destinations
from graupel.features.files import service as files
from graupel.features.listings import connecting, sending, standing
from graupel.features.media import service as media
from graupel.features.products import saving
from graupel.features.products import service as products
from graupel.features.users import service as users
from graupel.features.variants import making, setting
from graupel.features.variants.making import Wish
from graupel.features.vocabulary import attributes, types
from graupel.features.vocabulary import service as vocabulary
from graupel.features.vocabulary.attributes import ChoiceTyped, Definition
from graupel.features.vocabulary.types import Member
from graupel.jobs.worker import Worker

PEOPLE = [
    ("owner@skeinwright.example", "Mira Oldcastle", Role.OWNER, "owner-of-skeins"),
    ("editor@skeinwright.example", "Edda Thwaite", Role.EDITOR, "editor-of-skeins"),
    ("viewer@skeinwright.example", "Victor Holm", Role.VIEWER, "viewer-of-skeins"),
]
LISTED = 14
PRICE_LIST = (
    "sku,name,price,weight,category,description\n"
    'BT-HO-SQ-01,,"5,80",,,\nBT-HO-TO-02,,"5,80",,,\nBT-SH-SQ-07,,6.40,,,\n'
    'NDL-GAUGE,"Needle gauge, brass",8.90,22 g,Needles > Gauges,A gauge of brass with fourteen holes.\n'
    'HOOK-SET,"Set of crochet hooks, plum wood",17.50,62 g,Needles > Hooks,Six hooks of plum wood in a roll.\n'
    "BT-SH-TO-08,,$ 2.80,,,\n"
)


def is_loaded(ctx: Context) -> bool:
    """Whether the demo's people are there."""
    return ctx.db.run(lambda tx: int(tx.value("SELECT COUNT(*) FROM user"))) > 0


def load(ctx: Context, hall_address: str, hall_key: str, say: Callable[[str], None]) -> None:
    """People, goods with pictures, a channel with listings, and one file that was brought in."""
    for email, name, role, password in PEOPLE:
        users.add_user(ctx, SYSTEM, email, name, role, password)
    editor = users.actor_by_email(ctx, PEOPLE[1][0])
    known = _make_vocabulary(ctx, editor)
    numbers = Numbers()
    made = {}
    with ProcessPoolExecutor() as painters:
        goods = list(catalogue.goods())
        for good, drawn in zip(goods, painters.map(_draw, goods, chunksize=8), strict=True):
            made[good.sku] = (_make(ctx, editor, good, drawn, known, numbers), good)
    variants_made = ctx.db.run(lambda tx: tx.value("SELECT COUNT(*) FROM variant"))
    say(f"{len(made)} products with {variants_made:,} variants and pictures")
    worker = Worker(ctx)
    _bring_in(ctx, editor, worker)
    owner = users.actor_by_email(ctx, PEOPLE[0][0])
    channel_id = connecting.connect(ctx, owner, "ostlerby", hall_address, hall_key)
    _work_off(worker)
    _list(ctx, editor, channel_id, list(made.values()))
    say("one price list brought in, Ostlerby connected")
    asking.load(ctx, editor, list(made.values()))
    files_to_download.load(ctx, editor, list(made.values()))
    belonging.load(ctx, editor, list(made.values()))
    kits.load(ctx, editor, list(made.values()))
    say("what buyers may choose and download, and what belongs together")
    shops.load(ctx, owner, editor, [product_id for product_id, _ in made.values()], channel_id)
    say(f"German, category pages, and a second shop, {shops.OUTLET}")
    outlet = next(one for one in destinations.read_all(ctx).all if one.name == shops.OUTLET)
    terms.load(ctx, owner, editor, list(made.values()), outlet.code)
    selling.load(ctx, owner, editor, list(made.values()))
    say("taxes, price rules, sales and quantity prices")
    buying.load(ctx, owner, editor, list(made.values()))
    judging.load(ctx, editor, list(made.values()))
    say("orders of the shop window, a trial, and reviews")


@dataclass(frozen=True)
class Words:
    """Ids of what was made: types and attributes by name, choices by attribute and label."""

    types: dict[str, int]
    attributes: dict[str, Attribute]

    def choice(self, attribute: str, label: str) -> int:
        """The id of a choice."""
        return next(choice.id for choice in self.attributes[attribute].choices if choice.label == label)


def _make_vocabulary(ctx: Context, actor: Actor) -> Words:
    made = {}
    for name, (kind, unit, choices, help_text) in words.ATTRIBUTES.items():
        wanted = Definition(name, kind, unit, help_text, choices)
        made[name] = attributes.read(ctx, actor, attributes.make(ctx, actor, wanted).id).attribute
    colour = made["Colour"]
    swatches = [ChoiceTyped(one.id, one.label, *words.COLOURS[one.label]) for one in colour.choices]
    attributes.save(ctx, actor, colour.id, choices=swatches)
    types_made = {}
    for name, (prefix, members) in words.TYPES.items():
        type_id = vocabulary.make(ctx, actor, "type", name).id
        types_made[name] = type_id
        in_order = [Member(made[one].id, group, need, None, differs) for one, group, need, differs in members]
        types.save(ctx, actor, type_id, name, prefix, in_order)
    return Words(types_made, made)


def _draw(good: Good) -> list[bytes]:
    """Its pictures, and what else is to be seen of it; in a process of its own, for it takes most of the time."""
    seeds = [zlib.crc32(f"{good.sku}{number}".encode()) for number in range(len(good.shots))]
    drawn = [
        pictures.draw(shot.kind, shot.colour, seed, shot.side) for shot, seed in zip(good.shots, seeds, strict=True)
    ]
    made = {"film": lambda colour: films.film(colour, seeds[0]), "model": films.model}
    return drawn + [made[what](good.shots[0].colour) for what in good.also if what in made]


def _make(ctx: Context, actor: Actor, good: Good, drawn: list[bytes], known: Words, numbers: Numbers) -> int:
    """One product, then its variants with prices, stock and GTINs of their own."""
    product_id = saving.create(ctx, actor, _values(ctx, actor, good, drawn, known, numbers))
    if good.axes:
        _vary(ctx, actor, product_id, good, known, numbers)
    return product_id


def _shown(ctx: Context, actor: Actor, good: Good, drawn: list[bytes], known: Words) -> tuple[Picture, ...]:
    """The media of a good: pictures with the colour they show, then film, model and link."""
    shown: dict[int, Picture] = {}
    for number, (shot, content) in enumerate(zip(good.shots, drawn, strict=False)):
        file = media.take(ctx, actor, f"{good.sku.lower()}-{number + 1}.jpg", content)
        choices = (known.choice("Colour", shot.choice),) if shot.choice else ()
        shown.setdefault(file.id, Picture(file.id, shot.alt, "", choices))
    rest = drawn[len(good.shots) :]
    for what in good.also:
        if what == "link":
            file, title = media.take_link(ctx, actor, films.LINK, "Winding a skein"), "Winding a skein"
        else:
            ending, title = {"film": ("mp4", "How the thread lies"), "model": ("glb", "From all sides")}[what]
            file = media.take(ctx, actor, f"{good.sku.lower()}.{ending}", rest.pop(0))
        shown.setdefault(file.id, Picture(file.id, f"{good.name}: {title.lower()}", title))
    return tuple(shown.values())


def _values(
    ctx: Context, actor: Actor, good: Good, drawn: list[bytes], known: Words, numbers: Numbers
) -> ProductValues:
    facts = {known.attributes[name].id: _fact(known, name, said) for name, said in good.facts.items()}
    single = not good.axes
    return ProductValues(
        name=good.name,
        code=good.sku,
        type_id=known.types[good.kind],
        sku=good.sku,
        price=good.amount,
        list_price=Decimal(good.list_price) if good.list_price else None,
        cost=Decimal(good.cost) if good.cost else None,
        weight_g=good.weight_g,
        origin_country=ORIGINS.get(good.brand),
        stock=Decimal(good.stocked * 7 % 40) if single and good.stocked is not None else None,
        category_id=categories.make(ctx, actor, good.category).id,
        categories=tuple(categories.make(ctx, actor, path).id for path in good.further),
        brand=good.brand,
        mpn=good.mpn,
        gtin=numbers.next() if single and good.gtins else None,
        tags=good.tags,
        short_text=good.short_text,
        description=good.description,
        key_points=good.key_points,
        status=Status(good.status),
        pictures=_shown(ctx, actor, good, drawn, known),
        facts=facts,
    )


def _fact(known: Words, name: str, said: tuple[str, ...]) -> Fact:
    attribute = known.attributes[name]
    typed = [str(known.choice(name, label)) for label in said] if attribute.has_choices else list(said)
    return read_fact(attribute, typed)


def _vary(ctx: Context, actor: Actor, product_id: int, good: Good, known: Words, numbers: Numbers) -> None:
    """The one that is there gets the first value of each axis and another SKU; gaps are left out."""
    axes = tuple(
        (known.attributes[name].id, tuple(known.choice(name, label) for label in labels)) for name, labels in good.axes
    )
    first = products.read(ctx, actor, product_id).variants[0]
    codes = [known.attributes[name].choice(known.choice(name, labels[0])) for name, labels in good.axes]
    setting.save_one(ctx, actor, first.id, {"sku": "-".join([good.sku, *(one.code for one in codes if one)])})
    wish = Wish(axes, {key: choices[0] for key, choices in axes})
    planned = making.plan_making(ctx, actor, product_id, wish)
    kept = [one for place, one in enumerate(planned.plan.new) if not good.gaps or place % good.gaps]
    making.make(ctx, actor, product_id, wish, kept)
    _fill_variants(ctx, actor, product_id, good, known, numbers)


def _fill_variants(ctx: Context, actor: Actor, product_id: int, good: Good, known: Words, numbers: Numbers) -> None:
    made = products.read(ctx, actor, product_id).variants
    for label, price in good.own_prices.items():
        axis = next(name for name, labels in good.axes if label in labels)
        ids = [one.id for one in made if known.choice(axis, label) in one.combination]
        if ids:
            setting.set_values(ctx, actor, product_id, ids, "price", Decimal(price))
    if good.stocked is not None:
        stock = {
            one.id: Typed(How.COUNT, Decimal((place * 11 + good.stocked * 7) % 37)) for place, one in enumerate(made)
        }
        setting.set_each(ctx, actor, product_id, "stock", stock)
    if good.gtins:
        setting.set_each(ctx, actor, product_id, "gtin", {one.id: numbers.next() for one in made})


def _bring_in(ctx: Context, actor: Actor, worker: Worker) -> None:
    file_id = files.take(ctx, actor, "prices-autumn.csv", io.BytesIO(PRICE_LIST.encode()))
    rules = files.read(ctx, actor, file_id).rules
    files.request_plan(ctx, actor, file_id, rules)
    _work_off(worker)
    files.request_apply(ctx, actor, file_id, leave_out=True)
    _work_off(worker)


def _work_off(worker: Worker) -> None:
    while worker.work_one():
        pass


def _list(ctx: Context, actor: Actor, channel_id: int, goods: list[tuple[int, Good]]) -> None:
    """Send some goods of each kind; the hall answers while the demo runs."""
    sent = 0
    for number, (product_id, good) in enumerate(goods):
        wanted = good.status == "live" and good.hall and (number % 4 == 0 or number == 3)
        if not wanted or sent >= LISTED:
            continue
        standing.set_details(ctx, actor, product_id, channel_id, good.hall or "", good.name[:80])
        try:
            sending.request_send(ctx, actor, product_id, channel_id)
            sent += 1
        except Refused:
            continue  # what is still missing is shown at the product


def reconnect(ctx: Context, hall_address: str, hall_key: str) -> None:
    """Point the channel at the address that the hall has this time."""
    owner = users.actor_by_email(ctx, PEOPLE[0][0])
    for channel in connecting.list_channels(ctx, owner):
        if channel["address"] != hall_address:
            connecting.change(ctx, owner, channel["id"], channel["name"], hall_address, hall_key)
