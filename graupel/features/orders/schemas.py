"""Reports of orders as programs send them, and orders as they are told to programs."""

from collections.abc import Sequence
from datetime import date, datetime
from decimal import Decimal
from typing import Annotated, Literal

from pydantic import AwareDatetime, BaseModel, ConfigDict, Field

Code = Annotated[str, Field(min_length=1, max_length=80, pattern=r"^[^\x00-\x1f]+$")]


class LineIn(BaseModel):
    """How many of a SKU."""

    model_config = ConfigDict(extra="forbid")
    sku: Annotated[str, Field(min_length=1, max_length=64)]
    quantity: Annotated[Decimal, Field(gt=0, le=1_000_000, decimal_places=2)]


class ReportIn(BaseModel):
    """One report. ``id`` is its own: the same one sent again counts once.

    A payment or a cancellation without lines is of the whole order; an order and a return name theirs.
    """

    model_config = ConfigDict(extra="forbid")
    id: Code
    order: Code = Field(description="The order's number in the shop that reports it.")
    told: Literal["ordered", "paid", "cancelled", "returned", "sent"]
    lines: Annotated[list[LineIn], Field(max_length=500)] = []
    shop: Annotated[str, Field(max_length=12)] = Field("", description="The code of a further shop; blank: the first.")
    at: AwareDatetime | None = None


class ReportsIn(BaseModel):
    """Some reports, taken in one after the other."""

    model_config = ConfigDict(extra="forbid")
    reports: Annotated[list[ReportIn], Field(min_length=1, max_length=200)]


class ProblemOut(BaseModel):
    """A line that changes no stock, and why."""

    code: str
    sku: str
    message: str


class ReportOut(BaseModel):
    """What a report came to. ``repeated``: it was known, and nothing was done."""

    id: str
    repeated: bool
    problems: list[ProblemOut]


class ReportsOut(BaseModel):
    """The same of each, in their order."""

    reports: list[ReportOut]


class OrderSummary(BaseModel):
    """An order in a list. ``name``, ``total`` and ``currency``: null where another shop front reported it."""

    id: int
    number: str
    shop: str
    made_at: datetime
    trial: bool
    paid: bool
    sent: bool
    cancelled: bool
    returned: bool
    name: str | None
    total: Decimal | None
    currency: str | None


class OrderPage(BaseModel):
    """A page of orders, the newest first. ``next_before``: for the next page; null at the end."""

    items: Sequence[OrderSummary]
    next_before: int | None


class ChosenOut(BaseModel):
    """What was chosen with a line, or what it costs less. ``amount``: for each piece; ``once``: for the line."""

    label: str
    said: str
    amount: Decimal
    once: Decimal


class PartOut(BaseModel):
    """What of a kit's part was ordered in all."""

    sku: str
    name: str
    quantity: Decimal


class OrderedLineOut(BaseModel):
    """A line as it was ordered; ``ordered_as``: its SKU with the codes of what was chosen."""

    sku: str
    ordered_as: str
    name: str
    variant: str
    delivered: str
    quantity: Decimal
    unit: str
    piece: Decimal
    once: Decimal
    amount: Decimal
    net: Decimal
    tax_percent: Decimal
    weight_g: int
    chosen: Sequence[ChosenOut]
    parts: Sequence[PartOut]


class BuyerOut(BaseModel):
    """Who ordered, and where it goes."""

    mail: str
    name: str
    street: str
    postcode: str
    town: str
    country: str
    language: str
    note: str


class TotalsOut(BaseModel):
    """What it comes to, with tax but for what is called net. ``taxes``: by percent."""

    goods: Decimal
    goods_net: Decimal
    delivery: Decimal
    delivery_net: Decimal
    total: Decimal
    taxes: dict[str, Decimal]


class StockLineOut(BaseModel):
    """What an order holds of a SKU, took of it, and what came back."""

    sku: str
    reserved: Decimal
    taken: Decimal
    returned: Decimal


class OrderOut(OrderSummary):
    """An order. ``buyer``, ``totals`` and ``lines``: of one of the shop window alone; ``pays_by``: till, transfer or
    nothing; ``arrives``: between which days."""

    buyer: BuyerOut | None
    totals: TotalsOut | None
    pays_by: str | None
    arrives: tuple[date, date] | None
    lines: Sequence[OrderedLineOut]
    stock: Sequence[StockLineOut]


class ToldIn(BaseModel):
    """What is told of an order. ``lines``: what came back, of a return alone."""

    model_config = ConfigDict(extra="forbid")
    told: Literal["paid", "sent", "cancelled", "returned"]
    lines: Annotated[list[LineIn], Field(max_length=500)] = []
