"""Terms of sale as products' prices are worked out with: taxes, and the sales and quantity prices of a product."""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from decimal import Decimal
from zoneinfo import ZoneInfo

from graupel.context import Context
from graupel.core.price_rules import decimals
from graupel.core.quoting import QuantityPrice
from graupel.core.resolve import Lens
from graupel.core.sales import PromotionKind, Reach, Reduction, Sale, TakesOff
from graupel.core.taxes import TaxClass, Taxing, TaxRate
from graupel.core.terms import SellingTerms
from graupel.db import Tx
from graupel.features.destinations import terms
from graupel.features.history import service as history
from graupel.features.terms import store
from graupel.features.terms.rows import PromotionRow, QuantityPriceRow, SaleGoodsRow, SaleRow


@dataclass(frozen=True)
class Promotion:
    """A named span in which some goods cost less, with the id that destinations are told; UTC."""

    id: int
    code: str
    name: str
    kind: PromotionKind
    begins: datetime
    ends: datetime | None
    version: int = 1


@dataclass(frozen=True)
class Written:
    """What is said once for all goods: terms by destination, "" being the catalogue's, and the tax classes."""

    terms: Mapping[str, SellingTerms]
    classes: Mapping[int, TaxClass]
    promotions: Mapping[int, Promotion]

    @property
    def catalogue(self) -> SellingTerms:
        """The catalogue's own terms."""
        return self.terms[""]

    def of(self, destination: str) -> SellingTerms:
        """The terms of a destination."""
        return self.terms.get(destination) or SellingTerms(destination)

    @property
    def taxes_set_up(self) -> bool:
        """Whether anything is said of taxes: before, they show nowhere."""
        return bool(self.classes)


def utc(at: datetime) -> datetime:
    """A moment as the database has it, with its zone."""
    return at.replace(tzinfo=UTC)


def written(ctx: Context, tx: Tx) -> Written:
    """What is said once, kept until the next change of anything."""
    return ctx.counts.get((history.written_stamp(tx), "terms of sale"), lambda: _written(tx))


def _written(tx: Tx) -> Written:
    rates: dict[int, list[TaxRate]] = {}
    for row in store.tax_rates(tx):
        rate = TaxRate(row["country"], row["begins"], row["percent"], row["amount"])
        rates.setdefault(row["tax_class_id"], []).append(rate)
    classes = {row["id"]: TaxClass(row["id"], row["name"], rates.get(row["id"], ())) for row in store.tax_classes(tx)}
    promotions = {row["id"]: promotion_of(row) for row in store.promotions(tx)}
    return Written(terms.every(tx), classes, promotions)


def promotion_of(row: PromotionRow) -> Promotion:
    """A promotion from its row."""
    ends = row["ends"]
    return Promotion(
        row["id"],
        row["code"],
        row["name"],
        PromotionKind(row["kind"]),
        utc(row["begins"]),
        utc(ends) if ends else None,
        row["version"],
    )


def sale_of(row: SaleRow, goods: Sequence[SaleGoodsRow]) -> Sale:
    """A sale from its row and rows of its goods, which may be those of one product alone."""
    ends = row["ends"]
    return Sale(
        row["id"],
        row["title"],
        Reach(row["reach"]),
        frozenset((one["product_id"], one["variant_id"] or one["choice_id"] or 0) for one in goods),
        row["destination"],
        Reduction(TakesOff(row["takes_off"]), row["amount"], bool(row["ends_so"])),
        utc(row["begins"]),
        utc(ends) if ends else None,
        bool(row["joined"]),
        row["promotion_id"],
    )


def quantity_price_of(row: QuantityPriceRow) -> QuantityPrice:
    """A quantity price from its row."""
    reduction = Reduction(TakesOff(row["takes_off"]), row["amount"])
    return QuantityPrice(row["id"], row["from_quantity"], reduction, row["destination"], row["variant_id"])


#: Sales that ended longer ago play no part any more, not even in the lowest price of 30 days before another.
REMEMBERED = timedelta(days=120)


def sales_of(tx: Tx, product_id: int, since: datetime | None = None) -> list[Sale]:
    """The sales that reach a product or some of it, past ones since then, those on and those planned."""
    return tx.remembered(("sales", product_id, since), lambda: _sales_of(tx, product_id, since))


def _sales_of(tx: Tx, product_id: int, since: datetime | None) -> list[Sale]:
    rows = store.sales_of(tx, product_id, since.astimezone(UTC).replace(tzinfo=None) if since else None)
    goods: dict[int, list[SaleGoodsRow]] = {}
    for one in store.goods_of(tx, [row["id"] for row in rows if row["reach"] != Reach.ALL], product_id):
        goods.setdefault(one["sale_id"], []).append(one)
    return [sale_of(row, goods.get(row["id"], ())) for row in rows]


def foresee(tx: Tx, product_ids: Sequence[int], since: datetime) -> None:
    """Read the sales and quantity prices of many products at once, for ``sales_of`` and ``quantity_prices_of`` of each
    in a transaction that only looks; in others it does nothing, for there they are read anew."""
    if not tx.remembers or not product_ids:
        return
    rows = store.sales_of_many(tx, product_ids, since.astimezone(UTC).replace(tzinfo=None))
    goods: dict[tuple[int, int], list[SaleGoodsRow]] = {}
    for one in store.goods_of_many(tx, [row["id"] for row in rows if row["reach"] != Reach.ALL], product_ids):
        goods.setdefault((one["product_id"], one["sale_id"]), []).append(one)
    bulk: dict[int, list[QuantityPriceRow]] = {}
    for price in store.quantity_prices_of_many(tx, product_ids):
        bulk.setdefault(price["product_id"], []).append(price)
    for key in product_ids:
        reaching = [row for row in rows if row["reach"] == Reach.ALL or (key, row["id"]) in goods]
        sales = [sale_of(row, goods.get((key, row["id"]), ())) for row in reaching]
        tx.remembered(("sales", key, since), lambda sales=sales: sales)  # type: ignore[misc]
        prices = bulk.get(key, [])
        tx.remembered(("quantity prices", key), lambda prices=prices: prices)  # type: ignore[misc]


def ends_of(tx: Tx, sale_ids: Collection[int]) -> dict[int, datetime]:
    """When sales end; those without an end are left out."""
    return {row["id"]: utc(row["ends"]) for row in store.sales(tx, list(sale_ids)) if row["ends"]}


def quantity_prices_of(tx: Tx, product_id: int) -> list[QuantityPrice]:
    """What pieces of a product cost from so many on."""
    rows = tx.remembered(("quantity prices", product_id), lambda: store.quantity_prices(tx, product_id))
    return [quantity_price_of(row) for row in rows]


def taxing(
    ctx: Context, found: Written, lens: Lens, class_id: int | None, now: datetime, country: str | None = None
) -> Taxing | None:
    """How goods of a class are taxed at a destination and a moment; None where taxes are not set up.

    ``class_id``: None for the class of goods that need no other; ``country``: of the buyer, the destination's without.
    """
    if not found.taxes_set_up:
        return None
    of_class = found.classes.get(class_id or found.catalogue.goods_class_id or 0)
    place = country or found.of(lens.destination).country or found.catalogue.country or ""
    day = now.astimezone(ZoneInfo(ctx.settings.time_zone)).date()
    rate = of_class.rate(place, day) if of_class else None
    charge = rate.amount if rate else Decimal(0)
    return Taxing(
        of_class.name if of_class else "",
        rate.percent if rate else Decimal(0),
        lens.rule.difference(charge) if lens.rule else charge,
        found.catalogue.typed_with_tax,
        decimals(lens.currency or ctx.settings.currency),
    )
