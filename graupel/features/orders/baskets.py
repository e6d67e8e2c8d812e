"""What a buyer puts into a basket and does with it. A browser's basket is known by a secret that it carries.

A basket is read without being written: what can't be had any more is left out and told, and stands in the table until
the buyer does something.
"""

import hashlib
import json
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import timedelta
from decimal import Decimal
from typing import Any

from graupel.context import Context
from graupel.core import baskets as rules
from graupel.core import choice_answers, choices, sending, stock
from graupel.core.baskets import Basket, Change, Line, Wanted
from graupel.core.delivery import Way
from graupel.core.errors import NotFound, Refused
from graupel.core.ordering import MOST_ORDERED
from graupel.core.phrases import phrase
from graupel.core.price_rules import rounded
from graupel.core.problems import Problem
from graupel.core.sending import Sending
from graupel.core.taxes import Shown, TaxedLine, Taxing
from graupel.db import Tx
from graupel.features.orders import basket_forms as forms
from graupel.features.orders import basket_store as store
from graupel.features.orders import buyer_files, wares
from graupel.features.orders.rows import BasketLineRow, BasketRow
from graupel.features.orders.wares import Place, Stall
from graupel.features.relations import cheaper
from graupel.features.terms import deliveries, stocks
from graupel.features.terms import service as terms

#: A basket that nobody touched for so long is forgotten.
FORGOTTEN = timedelta(days=30)
#: So many go in with something at once.
MOST_WITH = 8


def hashed(secret: str) -> bytes:
    """What is kept of a browser's secret."""
    return hashlib.sha256(secret.encode("utf-8", "replace")).digest()


def wanted_of(row: BasketLineRow) -> Wanted:
    """A line from its row."""
    return Wanted(
        row["id"],
        row["variant_id"],
        stock.plain(row["quantity"]),
        forms.answers_of(row["answers"]),
        row["pays"],
        row["seen"],
        row["name"],
    )


# --- reading -------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Reckoned:
    """A basket with all that a buyer is told of it.

    ``carriage``: what delivery costs, as the shop shows prices, None where nothing is sent or nothing is known of it;
    ``countries``: those to which all of it goes; ``typed``: what was typed of the address.
    """

    basket: Basket = field(default_factory=Basket)
    stalls: Mapping[int, Stall] = field(default_factory=dict)
    sending: Sending = field(default_factory=Sending)
    carriage: TaxedLine | None = None
    carriage_percent: Decimal = Decimal(0)
    countries: frozenset[str] = frozenset()
    country: str = ""
    typed: Mapping[str, str] = field(default_factory=dict)
    order_id: int | None = None

    @property
    def total(self) -> Decimal:
        """What is paid, with tax and delivery."""
        return self.basket.amount + (self.carriage.gross if self.carriage else Decimal(0))

    @property
    def total_net(self) -> Decimal:
        """The same without tax."""
        return self.basket.net + (self.carriage.net if self.carriage else Decimal(0))

    def taxes(self) -> dict[Decimal, Decimal]:
        """The tax that is in it, by percent, that of delivery too."""
        found = self.basket.taxes()
        if self.carriage and self.carriage.tax:
            found[self.carriage_percent] = found.get(self.carriage_percent, Decimal(0)) + self.carriage.tax
        return dict(sorted(found.items()))

    @property
    def only_downloads(self) -> bool:
        """Whether all of it is downloaded."""
        ways = {one.delivering.way for one in self.stalls.values()}
        return bool(self.basket.lines) and ways == {Way.DOWNLOADED}

    def stall(self, line: Line) -> Stall:
        """What the window shows of a line."""
        return self.stalls[line.wanted.variant_id]


def read(ctx: Context, place: Place, secret: str) -> Reckoned:
    """A browser's basket; an empty one where it has none."""
    return ctx.db.look(lambda tx: _read(ctx, tx, place, secret))


def _read(ctx: Context, tx: Tx, place: Place, secret: str) -> Reckoned:
    row = store.basket(tx, hashed(secret), place.shop.code) if secret else None
    if row is None:
        return Reckoned()
    return reckon(ctx, tx, place, row, [wanted_of(one) for one in store.lines(tx, row["id"])])


def count(ctx: Context, place: Place, secret: str) -> int:
    """How many lines a browser's basket has."""
    return ctx.db.run(lambda tx: store.count(tx, hashed(secret), place.shop.code)) if secret else 0


def home_country(ctx: Context, tx: Tx, place: Place) -> str:
    """The country of buyers who said nothing else."""
    return place.seen.destination.terms.country or terms.written(ctx, tx).catalogue.country or ""


def reckon(ctx: Context, tx: Tx, place: Place, row: BasketRow, wanted: Sequence[Wanted]) -> Reckoned:
    """What a basket comes to for a buyer in the country that was typed."""
    typed: dict[str, str] = json.loads(row["typed"])
    country = typed.get("country") or home_country(ctx, tx, place)
    place = replace(place, country=country)
    stalls = wares.load(ctx, tx, place, sorted({one.variant_id for one in wanted}))
    offers = cheaper.offers(tx, sorted({one.product_id for one in stalls.values()}), ctx.now(tx))
    found = rules.basket(wanted, wares.wares_of(stalls), stocks.today(ctx, tx), offers)
    pieces = [
        stalls[one.wanted.variant_id].piece(one.wanted.id, one.wanted.quantity, one.weight_g, _value(place, one))
        for one in found.lines
    ]
    told = sending.sending(pieces, country, deliveries.said(ctx, tx).working, deliveries.local_now(ctx, tx))
    taxing = wares.carriage_taxing(ctx, tx, place)
    return Reckoned(
        found,
        stalls,
        told,
        _carriage(ctx, place, told, taxing),
        taxing.percent if taxing else Decimal(0),
        sending.countries_of(pieces),
        country,
        typed,
        row["order_id"],
    )


def _value(place: Place, line: Line) -> Decimal:
    """What a line counts where delivery asks for a value: as buyers see it."""
    return line.net if place.tax_shown is Shown.WITHOUT else line.amount


def _carriage(ctx: Context, place: Place, told: Sending, taxing: Taxing | None) -> TaxedLine | None:
    if not told.ships or told.cost is None or wares.rate_of(ctx, place) is None:
        return None
    return taxing.line(told.cost) if taxing else TaxedLine(rounded(told.cost), rounded(told.cost))


# --- putting in and changing ---------------------------------------------------------------------------------


def put(
    ctx: Context,
    place: Place,
    secret: str,
    variant_id: int,
    quantity: str,
    raw: Mapping[str, Sequence[str]],
    files: Mapping[int, forms.Handed],
    pays: str = "",
) -> Sequence[Change]:
    """Put a variant with what was chosen into the basket; the same again adds to its line. Returns what the basket
    changed of itself: fewer where not so many can be had.

    Raises Refused, naming "quantity", "pays", or a choice, "c7", in the buyer's language; NotFound.
    """
    lang = place.seen.language

    def look(tx: Tx) -> tuple[Stall | None, Any]:
        return wares.load(ctx, tx, place, [variant_id]).get(variant_id), stocks.today(ctx, tx)

    stall, today = ctx.db.run(look)
    if stall is None:
        raise NotFound("This article is not for sale any more.")
    asked = stall.ware.choices
    answers = forms.answers_with(asked, raw, files)
    problems = forms.said_wrong(asked, answers, choice_answers.wrong(asked, answers, today), lang)
    problems += forms.too_large(asked, files, lang)
    number = forms.read_quantity(quantity)
    if number is None:
        problems.append(Problem("order.quantity", phrase("A number, please, such as {}.", lang, "2"), "quantity"))
    paying = None
    try:
        paying = forms.read_pays(pays, stall.ware.rule.decimals) if stall.ware.raises else None
    except ValueError:
        problems.append(Problem("order.pays", phrase("A number, please, such as {}.", lang, "12.50"), "pays"))
    if problems or number is None:
        raise Refused(problems)
    given = {
        key: replace(one, kept_as=buyer_files.keep(ctx, files[key].name, files[key].content)) if key in files else one
        for key, one in answers.items()
    }
    relevant = {one.id for one in choices.asked(asked, given)}
    line = Wanted(0, variant_id, number, {key: one for key, one in given.items() if key in relevant}, paying)
    return ctx.db.run(lambda tx: _put(ctx, tx, place, secret, replace(line, name=stall.ware.name)))


def put_with(ctx: Context, place: Place, secret: str, variant_ids: Collection[int]) -> None:
    """Put in what goes with something, as it stands there at first and as few as an order may have; what is not for
    sale, or needs a word from the buyer, is left out."""

    def work(tx: Tx) -> None:
        today = stocks.today(ctx, tx)
        for key, stall in wares.load(ctx, tx, place, sorted(variant_ids)[:MOST_WITH]).items():
            ware = stall.ware
            if rules.needs_no_word(ware, today):
                answers = choices.defaults(ware.choices)
                _put(ctx, tx, place, secret, Wanted(0, key, ware.ordering.least, answers, name=ware.name))

    if variant_ids:
        ctx.db.run(work)


def _put(ctx: Context, tx: Tx, place: Place, secret: str, line: Wanted) -> Sequence[Change]:
    now = ctx.now(tx).replace(tzinfo=None)
    basket_id = store.insert_basket(tx, hashed(secret), place.shop.code, now)
    rows = store.lines(tx, basket_id)
    answers = forms.kept(line.answers)
    same = next(
        (
            one
            for one in rows
            if (one["variant_id"], one["answers"], one["pays"]) == (line.variant_id, answers, line.pays)
        ),
        None,
    )
    if same:
        store.update_line(tx, same["id"], {"quantity": min(same["quantity"] + line.quantity, MOST_ORDERED)})
    else:
        if len(rows) >= rules.MOST_LINES:
            said = phrase("At most {} lines fit into a basket.", place.seen.language, f"{rules.MOST_LINES}")
            raise Refused.because("basket.full", said)
        store.insert_line(
            tx,
            {
                "basket_id": basket_id,
                "variant_id": line.variant_id,
                "name": line.name[:300],
                "quantity": line.quantity,
                "answers": answers,
                "pays": line.pays,
            },
        )
    store.update_basket(tx, basket_id, {"order_id": None})
    return _note_seen(ctx, tx, place, secret, {})


def change(
    ctx: Context, place: Place, secret: str, quantities: Mapping[int, str], typed: Mapping[str, str]
) -> Sequence[Change]:
    """Have so many of each line, 0 for none, and keep what was typed of the address; returns what the basket changed of
    itself beyond that. A number that can't be read leaves its line as it is."""

    def work(tx: Tx) -> Sequence[Change]:
        row = store.basket(tx, hashed(secret), place.shop.code, lock=True) if secret else None
        if row is None:
            return ()
        there = {one["id"] for one in store.lines(tx, row["id"])}
        for line_id, text in quantities.items():
            number = forms.read_quantity(text)
            if line_id not in there:
                continue
            if number is not None:
                store.update_line(tx, line_id, {"quantity": number})
            elif not text.strip() or choice_answers.number_of(text) == 0:
                store.delete_lines(tx, [line_id])
        return _note_seen(ctx, tx, place, secret, typed)

    return ctx.db.run(work)


def _note_seen(ctx: Context, tx: Tx, place: Place, secret: str, typed: Mapping[str, str]) -> Sequence[Change]:
    """Keep a basket as it can be ordered now, and what a piece comes to, which the buyer is about to see.

    Returns what it changed of itself; that other prices hold is no news to who has just changed how many.
    """
    row = store.basket(tx, hashed(secret), place.shop.code, lock=True)
    if row is None:
        return ()
    values: dict[str, Any] = {"changed_at": ctx.now(tx).replace(tzinfo=None)}
    if typed:
        values["typed"] = json.dumps({**json.loads(row["typed"]), **typed})
        row["typed"] = values["typed"]
    store.update_basket(tx, row["id"], values)
    lines = {one["id"]: one for one in store.lines(tx, row["id"])}
    found = reckon(ctx, tx, place, row, [wanted_of(one) for one in lines.values()]).basket
    left = {one.wanted.id: one for one in found.lines}
    store.delete_lines(tx, [key for key in lines if key not in left])
    for key, one in left.items():
        now = {"quantity": one.wanted.quantity, "seen": one.chosen.piece, "name": one.ware.name[:300]}
        if any(lines[key][name] != value for name, value in now.items()):  # type: ignore[literal-required]
            store.update_line(tx, key, now)
    return [one for one in found.changes if one.why is not rules.Why.PRICE]


def settle(ctx: Context, place: Place, secret: str, typed: Mapping[str, str]) -> None:
    """Keep a basket as it can be ordered now, after the buyer was told what is otherwise."""
    ctx.db.run(lambda tx: _note_seen(ctx, tx, place, secret, typed))


def forget(ctx: Context, tx: Tx, limit: int = 2000) -> None:
    """Forget baskets, and files that were handed in for them, that nobody touched for long."""
    store.forget(tx, (ctx.now(tx) - FORGOTTEN).replace(tzinfo=None), limit)
    buyer_files.throw_away(ctx, tx, limit)
