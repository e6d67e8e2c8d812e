"""What a price looks like to a buyer: with or without tax, what it was, by measure, from so many pieces on."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal
from zoneinfo import ZoneInfo

from graupel.context import Context
from graupel.core.contents import UnitPrice
from graupel.core.phrases import phrase
from graupel.core.price_rules import PriceRule, rounded
from graupel.core.pricing import PriceRange, price_range
from graupel.core.quoting import Quote
from graupel.core.taxes import Shown, TaxedLine, Taxing
from graupel.core.terms import SellingTerms
from graupel.db import Tx
from graupel.features.pricing import past
from graupel.features.products.asking import Asking
from graupel.features.products.service import Variant
from graupel.features.shop.windows import Window
from graupel.features.terms import service as terms
from graupel.features.terms.service import Written


@dataclass(frozen=True)
class Offer:
    """A price as a buyer sees it. ``beside``: the other one where both are shown, without tax.

    ``was``: what is crossed out; ``lowest``: of the 30 days before the sale, where the shop tells it; ``until``: when
    the sale ends. ``steps``: from how many pieces on which price; ``raises``: a buyer may pay more, ``suggested``:
    how much is asked for then.
    """

    price: Decimal
    beside: Decimal | None = None
    was: Decimal | None = None
    lowest: Decimal | None = None
    until: datetime | None = None
    unit: UnitPrice | None = None
    tax_note: str = ""
    steps: Sequence[tuple[int, Decimal]] = ()
    raises: bool = False
    suggested: Decimal | None = None


def shown(amount: Decimal, taxing: Taxing | None, how: Shown) -> Decimal:
    """An amount as it is typed, as the shop shows it."""
    if taxing is None:
        return amount
    line = taxing.line(amount)
    return line.net if how is Shown.WITHOUT else line.gross


def shown_line(
    piece: Decimal, quantity: Decimal, once: Decimal, taxing: Taxing | None, how: Shown, rule: PriceRule
) -> Decimal:
    """What so many pieces come to, and what comes once beside them, as the shop shows it."""
    if taxing is None:
        return rounded(max(piece * quantity + once, Decimal(0)), rule.decimals)
    line = taxing.line(piece, quantity, once)
    return line.net if how is Shown.WITHOUT else line.gross


def _beside(line: TaxedLine | None, how: Shown) -> Decimal | None:
    return line.net if line and how is Shown.BOTH else None


def tax_note(taxing: Taxing | None, how: Shown, lang: str) -> str:
    """Whether tax is in the price; "" where none is taken."""
    if taxing is None or not (taxing.percent or taxing.charge):
        return ""
    rate = f"{taxing.percent.normalize():f}"
    return phrase("plus {} % tax", lang, rate) if how is Shown.WITHOUT else phrase("{} % tax included", lang, rate)


def of_variant(
    ctx: Context, window: Window, asking: Asking, variant: Variant, list_price: Decimal | None
) -> Offer | None:
    """What one variant costs; None without a price. ``list_price``: as the lens shows it."""
    quote = asking.quote(variant)
    if quote is None:
        return None
    said, values = asking.written.of(window.lens.destination), asking.values
    how, taxing = said.tax_shown, asking.taxing
    before = quote.regular if quote.is_reduced else list_price if list_price and list_price > quote.asked else None
    price = shown(quote.asked, taxing, how)
    return Offer(
        price,
        _beside(quote.line, how),
        shown(before, taxing, how) if before is not None else None,
        _lowest(ctx, asking, variant, quote, said),
        _until(ctx, quote),
        asking.unit_price(price, variant),
        tax_note(taxing, how, window.seen.language),
        _steps(asking, variant, quote, how),
        values.buyer_raises,
        values.suggested_price if values.buyer_raises else None,
    )


def _until(ctx: Context, quote: Quote) -> datetime | None:
    """When the sale ends, in the shop's time zone."""
    ends = quote.sale.ends if quote.sale else None
    return ends.astimezone(ZoneInfo(ctx.settings.time_zone)) if ends else None


def _lowest(ctx: Context, asking: Asking, variant: Variant, quote: Quote, said: SellingTerms) -> Decimal | None:
    if not said.shows_lowest or quote.sale is None:
        return None
    begins = quote.sale.begins
    found = ctx.db.run(lambda tx: past.lowest_before(tx, asking, variant, begins))
    return None if found is None else shown(found, asking.taxing, said.tax_shown)


def _steps(asking: Asking, variant: Variant, quote: Quote, how: Shown) -> list[tuple[int, Decimal]]:
    """From how many pieces on a piece costs less, each step with its price."""
    found: list[tuple[int, Decimal]] = []
    last = quote.asked
    for count in sorted({one.from_quantity for one in asking.quantities}):
        there = asking.quote(variant, count)
        if there and there.asked < last:
            found.append((count, shown(there.asked, asking.taxing, how)))
            last = there.asked
    return found


def of_all(window: Window, asking: Asking) -> PriceRange:
    """What the variants cost, as the shop shows it."""
    how = asking.written.of(window.lens.destination).tax_shown
    return price_range(shown(one.asked, asking.taxing, how) for one in asking.quotes.values())


@dataclass(frozen=True)
class Shelves:
    """How prices on shelves are shown, by the tax class of their products; the work of each is done once."""

    written: Written
    how: Shown
    taxing: Mapping[int | None, Taxing | None]

    def shown(self, amount: Decimal, class_id: int | None) -> Decimal:
        """An amount as it is typed, as the shop shows it."""
        return shown(amount, self.taxing[class_id], self.how)


def shelves(ctx: Context, tx: Tx, window: Window, class_ids: Sequence[int | None]) -> Shelves:
    """What shelves with goods of these tax classes need."""
    found, now = terms.written(ctx, tx), ctx.now(tx)
    taxing = {key: terms.taxing(ctx, found, window.lens, key, now) for key in set(class_ids)}
    return Shelves(found, found.of(window.lens.destination).tax_shown, taxing)
