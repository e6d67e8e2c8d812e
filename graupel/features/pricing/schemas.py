"""What the pages of prices and their part of the product editor send and ask."""

from typing import Annotated

from pydantic import Field

from graupel.core.sales import Reach
from graupel.web.sent import Among, Listed, Marks, Maybe, MaybeWhole, Parent, Sent, Several, Whole, one_of, rows_of

#: How many weeks a time line shows.
SPANS = {"4": "Month", "13": "Quarter", "52": "Year"}
#: What the time line can be narrowed by.
ONLY = ("", "below_cost", "not_below", "raised", "soon")
SALE_FIELDS = ("title", "destination", "amount", "ends_so", "joined", "begins", "ends", "promotion")


class Looked(Sent):
    """A time line: how much of time, and how many quarters of that earlier or later; the sale that is looked at."""

    weeks: Annotated[str, one_of(SPANS)] = "13"
    shift: Parent = 0
    only: Annotated[str, one_of(ONLY)] = ""
    sale: MaybeWhole = None

    @property
    def near(self) -> int:
        """The shift, within what dates can hold."""
        return max(-200, min(self.shift, 200))


class GoodsAsked(Looked):
    """For which goods a sale is planned: products by id, those that a table's address shows, or some of one product."""

    products: Listed = ()
    query: str = ""


class SaleTyped(Looked):
    """A sale as typed, and for which goods it is."""

    typed: Annotated[dict[str, str], Among(SALE_FIELDS)]
    reach: Maybe[Reach] = None
    products: Listed = ()
    query: str = ""
    target: Annotated[tuple[Whole, ...], Several()] = ()
    has: Annotated[tuple[str, ...], Several()] = ()
    marks: Marks = None

    @property
    def raw(self) -> dict[str, str]:
        """As core reads it; a box that is on the page and not ticked says no."""
        return {**{name: "" for name in self.has if name in ("ends_so", "joined")}, **self.typed}


class Moved(Looked):
    """A sale that was taken hold of; ``product``: on whose page."""

    begins: str = ""
    ends: str = ""
    product: MaybeWhole = None


class Asked(Sent):
    """Which price is asked about."""

    product: Whole
    variant: MaybeWhole = None
    quantity: Annotated[int, Field(ge=1, le=1_000_000)] = 1


class Margin(Sent):
    """A margin or markup that is typed beside a cost; ``ended``: a price to be moved to the price ending."""

    cost: str = ""
    margin: str = ""
    markup: str = ""
    price: str = ""
    tax_class: MaybeWhole = None


class TermsTyped(Sent):
    """Terms of sale of a destination, as typed."""

    typed: Annotated[
        dict[str, str],
        Among(("rate", "rate_on", "percent", "amount", "ending", "ending_way", "jump_percent")),
    ]
    marks: Marks = None


class PromotionTyped(Sent):
    """A promotion as typed."""

    typed: Annotated[dict[str, str], Among(("code", "name", "kind", "begins", "ends"))]
    marks: Marks = None


class QuantityPricesTyped(Sent):
    """Prices from so many pieces on, a row each."""

    starts: Annotated[tuple[str, ...], Several()] = Field((), alias="from")
    amount: Annotated[tuple[str, ...], Several()] = ()
    destination: Annotated[tuple[str, ...], Several()] = ()
    variant: Annotated[tuple[str, ...], Several()] = ()
    marks: Marks = None

    @property
    def rows(self) -> list[dict[str, str]]:
        """A row each, as core reads them."""
        empty = [""] * len(self.starts)
        columns = (self.starts, self.amount, self.destination or empty, self.variant or empty)
        names = ("from", "amount", "destination", "variant")
        return rows_of(names, columns)
