"""Rows of the area's tables, as its store reads them."""

from datetime import date, datetime
from decimal import Decimal
from typing import TypedDict


class StandingRow(TypedDict):
    """An order, and how it stands."""

    id: int
    destination: str
    code: str
    trial: int
    paid: int
    sent: int
    cancelled: int
    returned: int
    made_at: datetime


class OrderRow(StandingRow):
    """An order as it is written."""

    version: int


class OrderLineRow(TypedDict):
    """A line of an order, with what it did to stock so far."""

    id: int
    order_id: int
    sku: str
    variant_id: int | None
    product_id: int | None
    reserved: Decimal
    taken: Decimal
    returned: Decimal
    version: int


class ReportRow(TypedDict):
    """A report of an order. ``stock_lines``: what it takes of stock, where that is not what it told: JSON."""

    id: int
    code: str
    order_id: int
    told: str
    reported_lines: str
    stock_lines: str | None
    at: datetime
    by_name: str


class SkuRow(TypedDict):
    """Whose SKU it is."""

    sku: str
    variant_id: int
    product_id: int


class OrderNamedRow(TypedDict):
    """What a line of an order is called."""

    id: int
    sku: str
    code: str
    product_id: int | None


class BasketRow(TypedDict):
    """A basket. ``order_id``: what was ordered from it last."""

    id: int
    destination: str
    typed: str
    order_id: int | None


class BasketLineRow(TypedDict):
    """A line of a basket; ``answers``: JSON."""

    id: int
    variant_id: int
    name: str
    quantity: Decimal
    answers: str
    pays: Decimal | None
    seen: Decimal | None


class BuyerFileRow(TypedDict):
    """A file that a buyer handed in."""

    id: int
    kept_as: str
    sha256: str
    name: str
    bytes: int
    order_id: int | None


class PlacedRow(TypedDict):
    """What was ordered in the shop window, as it was then; amounts with tax but for those called net."""

    id: int
    secret: str
    lang: str
    currency: str
    mail: str
    name: str
    street: str
    postcode: str
    town: str
    country: str
    note: str
    goods: Decimal
    goods_net: Decimal
    delivery: Decimal
    delivery_net: Decimal
    total: Decimal
    ships: int
    taxes: str
    first_day: date | None
    last_day: date | None
    pays_by: str
    payment: str
    payment_tries: int
    payment_id: str


class PlacedLineRow(TypedDict):
    """A line of it; ``chosen`` and ``parts``, of a kit what was in it: JSON."""

    id: int
    order_id: int
    position: int
    variant_id: int
    product_id: int
    sku: str
    ordered_as: str
    name: str
    variant: str
    way: str
    quantity: Decimal
    unit: str
    piece: Decimal
    once: Decimal
    amount: Decimal
    net: Decimal
    percent: Decimal
    weight_g: int
    chosen: str
    parts: str


class ListedOrderRow(StandingRow):
    """An order in the list of all; of one that another shop front reported, without name and total."""

    name: str | None
    total: Decimal | None
    currency: str | None
    payment: str | None
    ships: int | None


class GoodsRow(TypedDict):
    """How many of what an order has."""

    order_id: int
    quantity: Decimal
    name: str


class OrderRulesRow(TypedDict):
    """How orders go."""

    id: int
    transfer: int
    transfer_to: str
    mails: str
    gives_at: str
    version: int


class DuePaymentRow(TypedDict):
    """An order whose payment is to be asked about, and how often that was done."""

    id: int
    looks: int
