"""An order is placed in the shop window: what stands in the basket becomes an order that keeps what it was.

Whoever places one locks the stock of its goods first, so of two who want the last piece one gets it. What changed since
the buyer saw the basket is told instead of ordered. An order of somebody who is signed in is a trial: everything is
played through, and stock hears nothing of it.
"""

import json
import secrets
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal
from typing import Any

from graupel.context import Context
from graupel.core import order_forms
from graupel.core.baskets import Change, Line, Wanted
from graupel.core.choices import Addition, Answer, Choice, asked
from graupel.core.errors import GraupelError, NotFound, Refused
from graupel.core.kits import Part, chosen_parts
from graupel.core.order_forms import Buyer, PaysBy
from graupel.core.orders import Report, Told
from graupel.core.phrases import phrase
from graupel.core.problems import Problem
from graupel.core.roles import SYSTEM, Actor
from graupel.core.stock import plain
from graupel.db import DuplicateKey, Tx
from graupel.features.history import service as history
from graupel.features.kits import store as kits
from graupel.features.orders import after, basket_store, baskets, placed_store, rules, service, store
from graupel.features.orders.baskets import Reckoned
from graupel.features.orders.service import Reported
from graupel.features.orders.wares import Place
from graupel.features.terms import stock_store


class BasketChanged(GraupelError):
    """What stands in the basket is not what the buyer saw. ``changes``: what is otherwise."""

    def __init__(self, changes: Sequence[Change]) -> None:
        super().__init__("The basket changed.")
        self.changes = changes


@dataclass(frozen=True)
class Form:
    """What a buyer sends. ``shown``: the total that stood on the page, as text."""

    raw: Mapping[str, str]
    pays_by: str
    shown: str


def place(ctx: Context, where: Place, secret: str, form: Form, viewer: Actor | None) -> str:
    """Place an order of what stands in the basket; returns the secret of its page. Sent twice it is placed once.

    Raises BasketChanged, Refused with fields of the form, NotFound where there is no basket.
    """
    buyer = order_forms.read(form.raw)
    typed = {name: getattr(buyer, name) for name in order_forms.LENGTHS} | {"pays_by": form.pays_by}
    try:
        return ctx.db.run(lambda tx: _place(ctx, tx, where, secret, buyer, form, viewer))
    except BasketChanged:
        baskets.settle(ctx, where, secret, typed)
        raise
    except Refused:
        ctx.db.run(lambda tx: _remember(tx, where, secret, typed))
        raise


def _remember(tx: Tx, where: Place, secret: str, typed: Mapping[str, str]) -> None:
    row = basket_store.basket(tx, baskets.hashed(secret), where.shop.code, lock=True)
    if row:
        basket_store.update_basket(tx, row["id"], {"typed": json.dumps({**json.loads(row["typed"]), **typed})})


def _place(ctx: Context, tx: Tx, where: Place, secret: str, buyer: Buyer, form: Form, viewer: Actor | None) -> str:
    row = basket_store.basket(tx, baskets.hashed(secret), where.shop.code, lock=True)
    if row is None:
        raise NotFound("There is nothing in this basket.")
    wanted = [baskets.wanted_of(one) for one in basket_store.lines(tx, row["id"])]
    if not wanted and row["order_id"]:  # it was ordered already: sent twice, or from another tab
        found = placed_store.placed(tx, row["order_id"])
        if found:
            return found["secret"]
    typed = {**json.loads(row["typed"]), "country": buyer.country} if buyer.country else json.loads(row["typed"])
    row["typed"] = json.dumps(typed)
    stock_store.of_variants(tx, _stocked(tx, wanted), lock=True)
    reckoned = baskets.reckon(ctx, tx, where, row, wanted)
    if reckoned.basket.changes or f"{reckoned.total:f}" != form.shown:
        raise BasketChanged(reckoned.basket.changes)
    ways = rules.ways(ctx, tx, reckoned.total)
    _check(reckoned, buyer, form, ways, where.seen.language)
    order_id, page = _write(ctx, tx, where, reckoned, buyer, PaysBy(form.pays_by), viewer)
    basket_store.delete_lines(tx, [one.id for one in wanted])
    kept = {name: getattr(buyer, name) for name in order_forms.LENGTHS if name != "note"}
    basket_store.update_basket(tx, row["id"], {"order_id": order_id, "typed": json.dumps(kept)})
    return page


def _stocked(tx: Tx, wanted: Sequence[Wanted]) -> list[int]:
    """The variants whose stock an order may take, in their order: those that are wanted, and parts of kits."""
    ids = {one.variant_id for one in wanted}
    return sorted(ids | kits.variants_in(tx, sorted(ids)))


def _check(reckoned: Reckoned, buyer: Buyer, form: Form, ways: Sequence[PaysBy], lang: str) -> None:
    """Raises Refused with all that keeps the order from being placed, at its fields."""
    ships, told = reckoned.sending.ships, reckoned.sending
    wrong = order_forms.wrong(buyer, ships=ships, countries=reckoned.countries)
    problems = [Problem("order.field", phrase(words, lang, *at), name) for name, (words, at) in wrong.items()]
    if not reckoned.basket.can_be_ordered:
        problems.append(Problem("order.basket", phrase("Something in the basket has to be looked at first.", lang)))
    if ships and "country" not in wrong and told.cost is None:
        names = ", ".join(one.ware.name for one in reckoned.basket.lines if one.wanted.id in told.not_sent)
        said = phrase("Not sent there: {}", lang, names) if names else phrase("This is too heavy for one parcel.", lang)
        problems.append(Problem("order.country", said, "country"))
    if form.pays_by not in ways:
        problems.append(Problem("order.pays", phrase("Choose how you pay.", lang), "pays_by"))
    if problems:
        raise Refused(problems)


# --- writing -------------------------------------------------------------------------------------------------


def _write(
    ctx: Context,
    tx: Tx,
    where: Place,
    reckoned: Reckoned,
    buyer: Buyer,
    pays_by: PaysBy,
    viewer: Actor | None,
) -> tuple[int, str]:
    """The order with its lines; it reserves what it has, is paid where nothing is to be paid, and is told by mail."""
    now = ctx.now(tx).replace(tzinfo=None)
    trial, shop, page = viewer is not None, where.shop.code, secrets.token_urlsafe(24)
    order_id = store.insert_order(tx, shop, page, now, trial=trial)
    code = _name(tx, order_id, trial)
    title = f"Trial order {code}" if trial else f"Order {code}"
    with history.change_set(tx, viewer or SYSTEM, "order.placed", title) as recorder:
        recorder.made("order", order_id, {"destination": shop, "code": code})
        placed_store.insert_placed(tx, _values(where, reckoned, buyer, pays_by) | {"id": order_id, "secret": page})
        for position, line in enumerate(reckoned.basket.lines, 1):
            placed_store.insert_line(
                tx, _line(reckoned, line, where.seen.language) | {"order_id": order_id, "position": position}
            )
        counts = _counts(reckoned.basket.lines)
        by = viewer.name if viewer else ""
        ordered = Reported(shop, f"{code}-ordered", code, Report(Told.ORDERED, counts))
        service.note(tx, recorder, order_id, ordered, now, by)
        if pays_by is PaysBy.NOTHING:
            paid = Reported(shop, f"{code}-paid", code, Report(Told.PAID))
            service.note(tx, recorder, order_id, paid, now, by)
            placed_store.update_placed(tx, order_id, {"payment": "paid"})
    files = [one.kept_as for line in reckoned.basket.lines for one in line.wanted.answers.values() if one.kept_as]
    basket_store.files_belong(tx, files, order_id)
    after.follow(ctx, tx, order_id, "placed")
    return order_id, page


def _counts(lines: Sequence[Line]) -> dict[str, Decimal]:
    """What lines take from stock, by SKU: of a kit its parts."""
    found: dict[str, Decimal] = {}
    for line in lines:
        each = [(one.sku, one.quantity) for one in _parts(line)] or [(line.ware.sku, Decimal(1))]
        for sku, quantity in each:
            found[sku.upper()] = found.get(sku.upper(), Decimal(0)) + quantity * line.wanted.quantity
    return found


def _parts(line: Line) -> list[Part]:
    return chosen_parts(line.ware.parts, line.wanted.answers)


def _name(tx: Tx, order_id: int, trial: bool) -> str:
    """Its number: that of its row, and another where an outside shop has given out the same."""
    code = f"{'T' if trial else 'W'}{1000 + order_id}"
    for ending in ("", "-2", "-3"):
        try:
            store.name_order(tx, order_id, code + ending)
        except DuplicateKey:  # the statement alone was undone
            continue
        return code + ending
    raise Refused.because("order.number", "No number is free for this order. Try again.")


def _values(where: Place, reckoned: Reckoned, buyer: Buyer, pays_by: PaysBy) -> dict[str, Any]:
    carriage, arrival = reckoned.carriage, reckoned.sending.arrival
    address = {name: getattr(buyer, name) for name in order_forms.LENGTHS}
    if not reckoned.sending.ships:
        address |= {"street": "", "postcode": "", "town": "", "country": buyer.country or reckoned.country}
    taxes = {f"{percent.normalize():f}": f"{tax:f}" for percent, tax in reckoned.taxes().items()}
    return address | {
        "lang": where.seen.language,
        "currency": where.shop.currency,
        "goods": reckoned.basket.amount,
        "goods_net": reckoned.basket.net,
        "delivery": carriage.gross if carriage else 0,
        "delivery_net": carriage.net if carriage else 0,
        "total": reckoned.total,
        "ships": int(reckoned.sending.ships),
        "taxes": json.dumps(taxes),
        "first_day": arrival.first if arrival else None,
        "last_day": arrival.last if arrival else None,
        "pays_by": str(pays_by),
    }


def _line(reckoned: Reckoned, line: Line, lang: str) -> dict[str, Any]:
    stall = reckoned.stall(line)
    return {
        "variant_id": line.wanted.variant_id,
        "product_id": stall.product_id,
        "sku": line.ware.sku,
        "ordered_as": line.chosen.sku[:400],
        "name": stall.name[:300],
        "variant": stall.variant[:300],
        "way": str(stall.way),
        "quantity": line.wanted.quantity,
        "unit": stall.unit,
        "piece": line.chosen.piece,
        "once": line.chosen.once,
        "amount": line.amount,
        "net": line.net,
        "percent": line.ware.taxing.percent if line.ware.taxing else 0,
        "weight_g": line.weight_g,
        "chosen": json.dumps(said(reckoned, line, lang)),
        "parts": json.dumps(
            [
                {
                    "variant_id": one.variant_id,
                    "product_id": one.product_id,
                    "sku": one.sku,
                    "name": one.full_name,
                    "quantity": f"{plain(one.quantity * line.wanted.quantity):f}",
                }
                for one in _parts(line)
            ]
        ),
    }


def said(reckoned: Reckoned, line: Line, lang: str) -> list[dict[str, Any]]:
    """What a line of a kit has in it whatever is picked, what was chosen with a line, and what it costs less with other
    goods, in words: label, what was said, what it added, the file that was handed in."""
    adds: dict[int, list[Addition]] = {}
    for one in line.chosen.additions:
        adds.setdefault(one.choice.id, []).append(one)
    always = ", ".join(one.said for one in line.ware.parts if not one.pick)
    found = [_said(phrase("Contains", lang), always)] if always else []
    for choice in asked(line.ware.choices, line.wanted.answers):
        answer = line.wanted.answers.get(choice.id)
        if answer:
            amounts = adds.get(choice.id, [])
            each = sum((one.amount for one in amounts if not one.once), Decimal(0))
            once = sum((one.amount for one in amounts if one.once), Decimal(0))
            found.append(_said(choice.shown_label, in_words(choice, answer), each, once, answer.kept_as))
    if line.less:
        names = {one.product_id: one.name for one in reckoned.stalls.values()}
        because_of = ", ".join(names[key] for key in line.less.because_of)
        found.append(_said(phrase("Less together with", lang), because_of, once=-line.less.amount))
    return found


def _said(
    label: str, words: str, amount: Decimal = Decimal(0), once: Decimal = Decimal(0), file: str = ""
) -> dict[str, Any]:
    return {"label": label, "said": words, "amount": f"{amount:f}", "once": f"{once:f}", "file": file}


def in_words(choice: Choice, answer: Answer) -> str:
    """What was answered: labels of entries, with how many of each where that was asked, or what was written."""
    if not choice.is_picked:
        return answer.text
    labels = [(choice.entry(key), count) for key, count in sorted(answer.picked.items())]
    return ", ".join(f"{count} × {one.label}" if count > 1 else one.label for one, count in labels if one)
