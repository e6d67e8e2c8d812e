"""Loads the demo shop once, through the same services as everybody."""

import io
import zlib
from collections.abc import Callable

from graupel.context import Context
from graupel.core.errors import Refused
from graupel.core.products import Picture, ProductValues, Status
from graupel.core.roles import SYSTEM, Actor, Role
from graupel.demo import catalogue, pictures
from graupel.demo.catalogue import Good
from graupel.features.categories import service as categories
from graupel.features.files import service as files
from graupel.features.listings import service as listings
from graupel.features.media import service as media
from graupel.features.products import service as products
from graupel.features.users import service as users
from graupel.jobs.worker import Worker

PEOPLE = [
    ("owner@skeinwright.example", "Mira Oldcastle", Role.OWNER, "owner-of-skeins"),
    ("editor@skeinwright.example", "Edda Thwaite", Role.EDITOR, "editor-of-skeins"),
    ("viewer@skeinwright.example", "Victor Holm", Role.VIEWER, "viewer-of-skeins"),
]
LISTED = 14
PRICE_LIST = (
    "sku,name,price,weight,category,description\n"
    'LAN-SO-HEA,,"19,20",,,\nLAN-SO-JUN,,"19,20",,,\nLAN-SO-RUS,,18.50,,,\n'
    'NDL-CI-450,"Circular needle, steel, 4.5 mm, 80 cm",8.90,22 g,Needles > Circular,Steel needle of 4.5 mm.\n'
    'HOOK-400,"Crochet hook, plum wood, 4 mm",7.50,12 g,Hooks,A hook of plum wood.\n'
    "RIB-VEL-TAR,,$ 2.80,,,\n"
)


def is_loaded(ctx: Context) -> bool:
    """Whether the demo's people are there."""
    return ctx.db.run(lambda tx: int(tx.value("SELECT COUNT(*) FROM user"))) > 0


def load(ctx: Context, hall_address: str, hall_key: str, say: Callable[[str], None]) -> None:
    """People, goods with pictures, a channel with listings, and one file that was brought in."""
    for email, name, role, password in PEOPLE:
        users.add_user(ctx, SYSTEM, email, name, role, password)
    editor = users.actor_by_email(ctx, PEOPLE[1][0])
    made = {}
    for good in catalogue.goods():
        made[good.sku] = (_make(ctx, editor, good), good)
    say(f"{len(made)} products with pictures")
    worker = Worker(ctx)
    _bring_in(ctx, editor, worker)
    owner = users.actor_by_email(ctx, PEOPLE[0][0])
    channel_id = listings.connect(ctx, owner, "ostlerby", hall_address, hall_key)
    _work_off(worker)
    _list(ctx, editor, channel_id, list(made.values()))
    say("one price list brought in, Ostlerby connected")


def _make(ctx: Context, actor: Actor, good: Good) -> int:
    category = categories.make(ctx, actor, good.category)
    shown: tuple[Picture, ...] = ()
    if good.picture:
        kind, colour, side = good.picture
        content = pictures.draw(kind, colour, zlib.crc32(good.sku.encode()), side)
        file = media.take(ctx, actor, f"{good.sku.lower()}.jpg", content)
        shown = (Picture(file.id, good.alt),)
    return products.create(
        ctx,
        actor,
        ProductValues(
            name=good.name,
            sku=good.sku,
            price=good.amount,
            weight_g=good.weight_g,
            category_id=category.id,
            brand=good.brand,
            mpn=good.mpn,
            gtin=good.gtin,
            description=good.description,
            status=Status(good.status),
            pictures=shown,
        ),
    )


def _bring_in(ctx: Context, actor: Actor, worker: Worker) -> None:
    file_id = files.take(ctx, actor, "prices-autumn.csv", io.BytesIO(PRICE_LIST.encode()))
    columns = files.read(ctx, actor, file_id).row["columns"]
    files.request_plan(ctx, actor, file_id, columns, go_live=False)
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
        wanted = good.status == "live" and good.hall and (number % 4 == 0 or "QUA-TW-OAT" in good.sku)
        if not wanted or sent >= LISTED:
            continue
        listings.set_details(ctx, actor, product_id, channel_id, good.hall or "", good.name[:80])
        try:
            listings.request_send(ctx, actor, product_id, channel_id)
            sent += 1
        except Refused:
            continue  # what is still missing is shown at the product


def reconnect(ctx: Context, hall_address: str) -> None:
    """Point the channel at the address that the hall has this time."""
    owner = users.actor_by_email(ctx, PEOPLE[0][0])
    for channel in listings.list_channels(ctx, owner):
        if channel["address"] != hall_address:
            listings.connect(ctx, owner, channel["kind"], hall_address, "")
