"""What the pages of goods, conditions and assortments send and ask."""

from typing import Annotated, Literal

from pydantic import Field

from graupel.core.categories import Order
from graupel.core.conditions import QUESTIONS
from graupel.web.sent import Ids, Listed, Search, Sent, Several, Texts, Ticked, Whole, one_of

Question = Annotated[str, one_of(QUESTIONS)]
Op = Annotated[str, one_of({op for _, ops in QUESTIONS.values() for op in ops})]


class Paged(Sent):
    """On which page of the goods somebody is, and what was searched for to be put in."""

    begin: Whole = Field(0, alias="from")
    q: Search = ""


class Goods(Paged):
    """Products that are put in, taken out, or moved; ``order``: all goods of the page, as they stand then."""

    ids: Listed = ()
    order: Listed | None = None


class Ordered(Paged):
    """The order of the goods, by hand with the ids of the page."""

    ids: Listed = ()
    order: Order = Order.HAND


class Asked(Sent):
    """Conditions, a row each: the question, how it is asked, and the value as typed."""

    field: Annotated[tuple[Question, ...], Several()] = ()
    op: Annotated[tuple[Op, ...], Several()] = ()
    value: Texts = ()

    @property
    def rows(self) -> list[dict[str, str]]:
        rows = zip(self.field, self.op, self.value, strict=False)
        return [{"field": field, "op": op, "value": value} for field, op, value in rows]


class Row(Sent):
    """For which question a further row is."""

    field: Question = "brand"


class Shows(Sent):
    """What a shop shows; ``has_categories``: the list of categories was on the page."""

    shows: Literal["all", "some"] = "all"
    has_categories: Ticked = Field(False, alias="has-categories")
    categories: Ids = ()


class ShopGoods(Sent):
    """Products that are put into a shop, left out of it, or of which nothing is said any more."""

    what: Literal["in", "out", "forget"] = "in"
    ids: Listed = ()
