"""A basket and an order in words, as a buyer reads them."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal
from typing import Any

from graupel.core.baskets import Change, Line, Why
from graupel.core.choices import Choice
from graupel.core.delivery import Arrival
from graupel.core.downloads import Standing
from graupel.core.phrases import phrase
from graupel.core.stock import show
from graupel.core.taxes import Shown
from graupel.features.media.service import Media
from graupel.features.orders import placing
from graupel.features.orders.basket_forms import said_wrong
from graupel.features.orders.baskets import Reckoned
from graupel.features.orders.reading import Order
from graupel.features.shop import menus, offers
from graupel.features.shop.windows import Window
from graupel.web import formats


@dataclass(frozen=True)
class ShownLine:
    """A line of a basket: ``amount`` as the shop shows prices; ``wrong``: what has to be looked at first."""

    id: int
    name: str
    variant: str
    path: str
    picture: Media | None
    chosen: Sequence[tuple[str, str]]
    quantity: str
    unit: str
    each: Decimal
    amount: Decimal
    wrong: Sequence[str]


def lines(window: Window, found: Reckoned) -> list[ShownLine]:
    """The lines of a basket."""
    return [_line(window, found, one) for one in found.basket.lines]


def _line(window: Window, found: Reckoned, line: Line) -> ShownLine:
    stall = found.stall(line)
    without = window.terms.tax_shown is Shown.WITHOUT
    piece = line.ware.taxing.line(line.chosen.piece) if line.ware.taxing else None
    each = line.chosen.piece if piece is None else piece.net if without else piece.gross
    path = menus.product_path(window.path, stall.product_id, stall.address_part, stall.name)
    problems = said_wrong(line.ware.choices, line.wanted.answers, line.wrong, window.seen.language)
    labels: dict[str, Choice] = {f"c{one.id}": one for one in line.ware.choices}
    return ShownLine(
        line.wanted.id,
        stall.name,
        stall.variant,
        f"{path}?v={line.wanted.variant_id}",
        stall.picture,
        [(one["label"], _with_amount(window, line, one)) for one in placing.said(found, line, window.seen.language)],
        show(line.wanted.quantity),
        stall.unit,
        each,
        line.net if without else line.amount,
        [f"{labels[one.field or ''].shown_label}: {one.message}" for one in problems],
    )


def _with_amount(window: Window, line: Line, chosen: Mapping[str, Any]) -> str:
    """What was chosen, with what it adds to a piece or once to the line, as the shop shows prices."""

    def signed(amount: Decimal) -> str:
        shown = offers.shown(abs(amount), line.ware.taxing, window.terms.tax_shown)
        return f"{'+' if amount > 0 else '−'}{_money(window, shown)}"

    each, once = Decimal(chosen["amount"]), Decimal(chosen["once"])
    told = [signed(each)] if each else []
    told += [f"{signed(once)} {phrase('once', window.seen.language)}"] if once else []
    return f"{chosen['said']} ({', '.join(told)})" if told else str(chosen["said"])


def changes(window: Window, found: Sequence[Change]) -> list[str]:
    """What a basket changed of itself, a sentence each."""
    return list(dict.fromkeys(_change(window, one) for one in found))


def _change(window: Window, one: Change) -> str:
    lang = window.seen.language
    match one.why:
        case Why.GONE:
            return phrase("{} is not for sale any more and was taken out.", lang, one.name)
        case Why.SOLD_OUT:
            return phrase("{} is sold out and was taken out.", lang, one.name)
        case Why.FEWER:
            return phrase("Of {} only {} can be had: there are so many now.", lang, one.name, show(one.now))
        case Why.RULES:
            return phrase("Of {} an order has {}, not {}.", lang, one.name, show(one.now), show(one.was))
        case Why.PRICE:
            was, now = (
                formats.money(amount, window.shop.currency, window.seen.locale) for amount in (one.was, one.now)
            )
            return phrase("{} costs {} now; it was {}.", lang, one.name, now, was)


def _money(window: Window, amount: Decimal) -> str:
    return formats.money(amount, window.shop.currency, window.seen.locale)


def total(window: Window, found: Reckoned) -> str:
    """What it comes to now, for who saw something else."""
    return phrase("The total is {} now.", window.seen.language, _money(window, found.total))


def arrives(window: Window, arrival: Arrival | None) -> str:
    """Between which days it arrives, "" where nothing is known."""
    if arrival is None:
        return ""
    first, last = (formats.weekday(day, window.seen.locale) for day in (arrival.first, arrival.last))
    lang = window.seen.language
    return phrase("Arrives on {}", lang, first) if first == last else phrase("Arrives {} to {}", lang, first, last)


def not_sent(window: Window, found: Reckoned) -> str:
    """What does not go to the buyer's country, "" where all of it does, or nobody said which that is."""
    if not found.country:
        return ""
    lang = window.seen.language
    names = [one.ware.name for one in found.basket.lines if one.wanted.id in found.sending.not_sent]
    if names:
        return phrase("Not sent there: {}", lang, ", ".join(names))
    too_heavy = found.sending.ships and found.sending.cost is None
    return phrase("This is too heavy for one parcel.", lang) if too_heavy else ""


def downloads(window: Window) -> dict[Standing, str]:
    """Why a download can't be had, by how it stands."""
    lang = window.seen.language
    return {
        Standing.USED_UP: phrase("This download was used up.", lang),
        Standing.EXPIRED: phrase("This download has ended.", lang),
        Standing.CLOSED: phrase("This download was closed.", lang),
        Standing.BUSY: phrase("It is being downloaded at this moment. Try again in a minute.", lang),
    }


def standing(window: Window, found: Order) -> str:
    """How an order stands, for its buyer."""
    lang, stands, placed = window.seen.language, found.standing, found.placed
    if stands.cancelled:
        return phrase("Your order was cancelled.", lang)
    if stands.sent:
        return phrase("Your order is on its way.", lang)
    if stands.paid:
        return phrase("We have received your payment.", lang)
    if placed and placed["payment"] == "refused":
        return phrase("The payment was refused. You can try again.", lang)
    if placed and placed["payment"] == "waiting":
        return phrase("Your payment is on its way to us.", lang)
    return phrase("Your order has come in.", lang)
