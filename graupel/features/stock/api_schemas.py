"""Bookings of stock as programs send them."""

from datetime import UTC
from decimal import Decimal
from typing import Annotated, Literal, Self

from pydantic import AwareDatetime, BaseModel, ConfigDict, Field, model_validator

from graupel.core.stock import How, Reason, Typed
from graupel.features.stock.service import Coded


class BookingIn(BaseModel):
    """Stock that changed, or was counted. One of ``change`` and ``count``; ``as_of``: when a count held.

    ``location``: the name of one, the first without.
    """

    model_config = ConfigDict(extra="forbid")
    sku: Annotated[str, Field(min_length=1, max_length=64)]
    change: Annotated[Decimal, Field(ge=-100_000_000, le=100_000_000, decimal_places=2)] | None = None
    count: Annotated[Decimal, Field(ge=-100_000_000, le=100_000_000, decimal_places=2)] | None = None
    reason: Literal["corrected", "counted", "received", "returned", "lost"] | None = None
    location: Annotated[str, Field(max_length=120)] | None = None
    as_of: AwareDatetime | None = None

    @model_validator(mode="after")
    def _one_of_both(self) -> Self:
        if (self.change is None) == (self.count is None):
            raise ValueError("give either change or count")
        return self

    @property
    def coded(self) -> Coded:
        """As the service takes it."""
        typed = Typed(How.COUNT, self.count) if self.count is not None else Typed(How.BY, self.change or Decimal(0))
        usual = Reason.COUNTED if self.count is not None else Reason.CORRECTED
        as_of = self.as_of.astimezone(UTC).replace(tzinfo=None) if self.as_of else None
        return Coded(self.sku, typed, Reason(self.reason) if self.reason else usual, self.location, as_of)


class BookingsIn(BaseModel):
    """Some bookings, all of which are made or none."""

    model_config = ConfigDict(extra="forbid")
    bookings: Annotated[list[BookingIn], Field(min_length=1, max_length=500)]


class BookingsOut(BaseModel):
    """How many variants changed."""

    changed: int
