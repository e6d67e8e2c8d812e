"""Reports of orders as programs send them."""

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
