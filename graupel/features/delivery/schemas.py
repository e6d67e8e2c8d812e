"""What the page of delivery and tax sends."""

from typing import Annotated

from graupel.features.delivery.service import Stands
from graupel.web.sent import Among, Ids, Marks, MaybeWhole, Sent, Several, Ticked, rows_of

TAX_TERMS = ("tax_shown", "country", "typed_with_tax", "shows_lowest", "goods_class_id", "delivery_class_id")


class TaxClassTyped(Sent):
    """A tax class with its rates, a row each."""

    name: str = ""
    country: Annotated[tuple[str, ...], Several()] = ()
    begins: Annotated[tuple[str, ...], Several()] = ()
    percent: Annotated[tuple[str, ...], Several()] = ()
    amount: Annotated[tuple[str, ...], Several()] = ()
    marks: Marks = None

    @property
    def rows(self) -> list[dict[str, str]]:
        """A row each, as the service reads them."""
        names = ("country", "begins", "percent", "amount")
        columns = (self.country, self.begins, self.percent, self.amount)
        return rows_of(names, columns)


class TaxTermsTyped(Sent):
    """How prices are kept and shown, and which classes are the usual ones."""

    typed: Annotated[dict[str, str], Among(TAX_TERMS)]
    goods_class_id: MaybeWhole = None
    delivery_class_id: MaybeWhole = None
    marks: Marks = None


class PromiseTyped(Sent):
    """A delivery promise with its countries, a row each, and for what it stands."""

    name: str = ""
    cost_by: str = "weight"
    countries: Annotated[tuple[str, ...], Several()] = ()
    days: Annotated[tuple[str, ...], Several()] = ()
    steps: Annotated[tuple[str, ...], Several()] = ()
    free_from: Annotated[tuple[str, ...], Several()] = ()
    for_shop: Ticked = False
    types: Ids = ()
    categories: Ids = ()
    marks: Marks = None

    @property
    def rows(self) -> list[dict[str, str]]:
        """A row each, as the service reads them."""
        names = ("countries", "days", "steps", "free_from")
        columns = (self.countries, self.days, self.steps, self.free_from)
        return rows_of(names, columns)

    @property
    def stands(self) -> Stands:
        """For what it stands."""
        return Stands(self.for_shop, self.types, self.categories)


class WorkingTyped(Sent):
    """When the shop works."""

    days: Annotated[tuple[str, ...], Several()] = ()
    cut_off: str = ""
    closed: str = ""
    marks: Marks = None


class CarriageTyped(Sent):
    """What delivery of a product costs, a country each."""

    country: Annotated[tuple[str, ...], Several()] = ()
    amount: Annotated[tuple[str, ...], Several()] = ()
    marks: Marks = None

    @property
    def rows(self) -> list[dict[str, str]]:
        """A row each, as the service reads them."""
        return rows_of(("country", "amount"), (self.country, self.amount))
