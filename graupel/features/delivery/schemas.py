"""What the page of delivery and tax sends."""

from typing import Annotated

from graupel.web.sent import Among, Marks, MaybeWhole, Sent, Several

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
        return [dict(zip(names, row, strict=True)) for row in zip(*columns, strict=False)]


class TaxTermsTyped(Sent):
    """How prices are kept and shown, and which classes are the usual ones."""

    typed: Annotated[dict[str, str], Among(TAX_TERMS)]
    goods_class_id: MaybeWhole = None
    delivery_class_id: MaybeWhole = None
    marks: Marks = None
