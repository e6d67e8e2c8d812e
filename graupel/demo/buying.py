"""What was ordered in the demo's shop window: open, paid, sent and cancelled orders, with choices, and a trial."""

from collections.abc import Mapping, Sequence
from datetime import timedelta

from graupel.context import Context
from graupel.core import choice_answers
from graupel.core.choices import Answer, Choice, Kind
from graupel.core.order_forms import PaysBy
from graupel.core.orders import Told
from graupel.core.products import Status
from graupel.core.roles import SYSTEM, Actor
from graupel.demo import pictures
from graupel.demo.goods import Good
from graupel.features.choices import reading as choices
from graupel.features.orders import baskets, handling, placing, reading, rules
from graupel.features.orders.basket_forms import Handed
from graupel.features.orders.wares import Place
from graupel.features.products import selling
from graupel.features.products import service as products
from graupel.features.shop import windows
from graupel.features.terms import stocks

Made = Sequence[tuple[int, Good]]
#: Who buys, in which language, how many of which kinds of goods, and what was done with it since.
BUYERS: list[tuple[dict[str, str], str, dict[str, int], list[Told]]] = [
    (
        {"mail": "ida@fellgate.example", "name": "Ida Fellgate", "street": "Mill Lane 4", "postcode": "12345",
         "town": "Fellside", "country": "DE", "note": "Please ring at the back door."},
        "", {"Yarn": 3, "Needles": 1}, [Told.PAID, Told.SENT],
    ),
    (
        {"mail": "anselm@holunder.example", "name": "Anselm Holunder", "street": "Webergasse 11", "postcode": "04711",
         "town": "Garnstadt", "country": "DE"},
        "de", {"Kit": 1, "Yarn": 2, "Pattern": 1}, [Told.PAID],
    ),
    (
        {"mail": "per@klinte.example", "name": "Per Klinte", "street": "Fyrvej 2", "postcode": "9990", "town": "Skagby",
         "country": "AT"},
        "", {"Needles": 2}, [],
    ),
    ({"mail": "wilma@ried.example", "name": "Wilma Ried"}, "de", {"Workshop": 1}, []),
    (
        {"mail": "tove@aaby.example", "name": "Tove Aaby", "street": "Ringvej 8", "postcode": "8000", "town": "Aaby",
         "country": "DE"},
        "", {"Yarn": 1}, [Told.CANCELLED],
    ),
]  # fmt: skip


def load(ctx: Context, owner: Actor, editor: Actor, made: Made) -> None:
    """Orders as buyers place them, and one that somebody of the shop played through."""
    told = "Skeinwright & Daughters\nAccount 20 26 11, Woolcombers’ Bank"
    rules.save(ctx, owner, {"transfer": "yes", "transfer_to": told, "mails": "orders@skeinwright.example"})
    for number, (buyer, lang, goods, then) in enumerate(BUYERS):
        if wanted := _some(made, goods, number):
            order_id = _order(ctx, f"demo-{number}", buyer, lang, wanted, None)
            for one in then:
                handling.tell(ctx, editor, order_id, one)
    _order(ctx, "demo-trial", BUYERS[0][0], "", _some(made, {"Yarn": 1}, 7), editor)


def _some(made: Made, goods: Mapping[str, int], offset: int) -> list[int]:
    """So many products of each kind, others for each order."""
    found = []
    for kind, count in goods.items():
        its_own = [key for key, good in made if good.kind == kind and good.status == Status.LIVE]
        if its_own:
            found += [its_own[(offset + one) % len(its_own)] for one in range(count)]
    return found


def _order(ctx: Context, secret: str, buyer: dict[str, str], lang: str, goods: list[int], viewer: Actor | None) -> int:
    window = windows.window(ctx, lang)
    place = Place(window.seen, window.shop)
    for count, product_id in enumerate(goods, 1):
        product = products.read(ctx, SYSTEM, product_id)
        sells = selling.read(ctx, product).sells
        variant = next((one for one in product.for_sale if (sells[one.id].most or 10) > 9), None)
        if variant:
            raw, files = _answers(ctx, product_id)
            baskets.put(ctx, place, secret, variant.id, str(count), raw, files)
    baskets.change(ctx, place, secret, {}, buyer)
    total = f"{baskets.read(ctx, place, secret).total:f}"
    page = placing.place(ctx, place, secret, placing.Form(buyer, str(PaysBy.TRANSFER), total), viewer)
    return reading.read_page(ctx, page).row["id"]


def _answers(ctx: Context, product_id: int) -> tuple[dict[str, list[str]], dict[int, Handed]]:
    """What a buyer says to the choices of a product: the second entry, a few words, a picture."""
    raw: dict[str, list[str]] = {}
    files: dict[int, Handed] = {}
    for one in ctx.db.run(lambda tx: choices.of_product(tx, product_id)):
        open_entries = [entry for entry in one.entries if not entry.sold_out]
        match one.kind:
            case Kind.ONE | Kind.SEVERAL:
                raw[f"c{one.id}"] = [str(open_entries[min(1, len(open_entries) - 1)].id)]
            case Kind.AMOUNTS:
                raw[f"c{one.id}-{open_entries[0].id}"] = ["2"]
            case Kind.LINE | Kind.TEXT:
                raw[f"c{one.id}"] = ["IF" if one.kind is Kind.LINE else "For the long evenings."]
            case Kind.NUMBER:
                raw[f"c{one.id}"] = ["96"]
            case Kind.DAY:
                raw[f"c{one.id}"] = [_open_day(ctx, one)]
            case Kind.FILE:
                files[one.id] = Handed("my swatch.jpg", pictures.draw("skein", "#8C7AA0", 7, 240))
    return raw, files


def _open_day(ctx: Context, choice: Choice) -> str:
    """The first day that can be chosen."""
    day = today = ctx.db.run(lambda tx: stocks.today(ctx, tx))
    while choice_answers.wrong_with(choice, Answer(text=day.isoformat()), today):
        day += timedelta(days=1)
    return day.isoformat()
