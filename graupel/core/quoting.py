"""What a variant costs at a destination and a moment, and why: from what was typed to what is paid, step by step.

typed value -> price rule of the destination -> sale and quantity price -> tax. Of sale price and quantity price the
lowest counts, unless the sale is joined to quantity prices. What is taken off everywhere is taken off the catalogue's
price, and the destination's rule comes after it; where a price was typed for the destination, percentages are taken
off that, and amounts pass the rule by themselves. terms/asked_sql.py says the same by sets.
"""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from decimal import Decimal
from enum import StrEnum

from graupel.core.endings import Ending
from graupel.core.price_rules import MOST_DECIMALS, PriceRule, rounded
from graupel.core.resolve import ValuePlace
from graupel.core.sales import Reduction, Sale, TakesOff, nearest
from graupel.core.taxes import TaxedLine, Taxing

NOTHING = Decimal(0)


@dataclass(frozen=True)
class QuantityPrice:
    """From so many pieces on a piece costs less. ``variant_id``: None for all of the product."""

    id: int
    from_quantity: int
    reduction: Reduction
    destination: str = ""
    variant_id: int | None = None


@dataclass(frozen=True)
class Place:
    """What a destination makes of the catalogue's prices.

    ``converts``: amounts of the catalogue hold there, as they are or by the rule's rate. ``ending``: of the catalogue;
    it holds there too, unless the destination has an ending or a currency of its own. ``catalogue_decimals``: of its
    currency.
    """

    destination: str = ""
    rule: PriceRule = field(default_factory=PriceRule)
    converts: bool = True
    ending: Ending | None = None
    own_currency: bool = False
    catalogue_decimals: int = MOST_DECIMALS

    @property
    def its_ending(self) -> Ending | None:
        """How prices end there."""
        return self.rule.ending or (None if self.own_currency else self.ending)


@dataclass(frozen=True)
class Typed:
    """A typed price. ``here``: it is the destination's own, or that is the catalogue's; ``at``: its place."""

    amount: Decimal
    here: bool = True
    at: ValuePlace | None = None


class StepKind(StrEnum):
    """What happens to a price."""

    TYPED = "typed"
    RULE = "rule"
    SALE = "sale"
    QUANTITY = "quantity"
    TAX = "tax"
    CHARGE = "charge"


@dataclass(frozen=True)
class Step:
    """One step: what it is, what the price is after it (of tax: how much), and what says so."""

    kind: StepKind
    amount: Decimal
    sale: Sale | None = None
    quantity: QuantityPrice | None = None


@dataclass(frozen=True)
class Quote:
    """What is asked for a piece. ``regular``: without sale and quantity price; ``sale``: the one that counts.

    ``line``: without and with tax, None where taxes are not set up.
    """

    asked: Decimal
    regular: Decimal
    steps: Sequence[Step]
    sale: Sale | None = None
    quantity: QuantityPrice | None = None
    line: TaxedLine | None = None

    @property
    def is_reduced(self) -> bool:
        """Whether a sale makes it cheaper."""
        return self.sale is not None and self.asked < self.regular


def regular(typed: Typed, place: Place) -> Decimal:
    """The price without sales: typed for the destination, or by its rule."""
    return typed.amount if typed.here else place.rule.apply(typed.amount)


def reduced(typed: Typed, reduction: Reduction, where: str, place: Place) -> Decimal | None:
    """What a price is after a reduction that was written for ``where``; None where it does not hold at the place."""
    own = where == place.destination
    amount = reduction.amount
    if not own and not place.converts and reduction.takes_off is not TakesOff.PERCENT:
        return None
    if reduction.takes_off is TakesOff.PRICE:
        return amount if own else place.rule.apply(amount)
    if own or typed.here:
        base = regular(typed, place)
        off = amount if own else place.rule.difference(amount)
        left = _left(base, reduction.takes_off, off if reduction.takes_off is TakesOff.AMOUNT else amount)
        ended = rounded(left, place.rule.decimals)
        return place.its_ending.apply(ended) if place.its_ending and reduction.ends_so else ended
    left = rounded(_left(typed.amount, reduction.takes_off, amount), place.catalogue_decimals)
    return place.rule.apply(place.ending.apply(left) if place.ending and reduction.ends_so else left)


def _left(base: Decimal, takes_off: TakesOff, amount: Decimal) -> Decimal:
    taken = base * amount / 100 if takes_off is TakesOff.PERCENT else amount
    return max(base - taken, NOTHING)


def quote(
    typed: Typed,
    place: Place,
    sales: Sequence[Sale] = (),
    quantities: Iterable[QuantityPrice] = (),
    quantity: int = 1,
    taxing: Taxing | None = None,
) -> Quote:
    """What a piece costs. ``sales``: those that hold and reach the variant; ``quantities``: those of the variant."""
    usual = regular(typed, place)
    sale, by_sale = _by_sale(typed, place, sales)
    bulk, by_quantity = _by_quantity(typed, place, quantities, quantity, usual)
    if sale and sale.joined and bulk and by_quantity is not None and sale.reduction.takes_off is not TakesOff.PRICE:
        there = reduced(Typed(by_quantity), sale.reduction, sale.destination, place)
        asked = min(by_quantity, there) if there is not None else by_quantity
    else:
        asked = min(one for one in (usual, by_sale, by_quantity) if one is not None)
        sale = sale if by_sale is not None and by_sale == asked < usual else None
        bulk = bulk if by_quantity is not None and by_quantity == asked < usual and not sale else None
    steps = _steps(typed, place, usual, asked, sale, bulk, by_quantity)
    line = taxing.line(asked) if taxing else None
    return Quote(asked, usual, [*steps, *_tax_steps(line, taxing)], sale, bulk, line)


def _by_sale(typed: Typed, place: Place, sales: Sequence[Sale]) -> tuple[Sale | None, Decimal | None]:
    """The nearest of those that hold at the place, and the price by it; of equally near ones the lowest."""
    found = {one.id: reduced(typed, one.reduction, one.destination, place) for one in sales}
    held = {key: price for key, price in found.items() if price is not None}
    near = nearest([one for one in sales if one.id in held], place.destination)
    best = min(near, key=lambda one: (held[one.id], one.id), default=None)
    return best, held[best.id] if best else None


def _by_quantity(
    typed: Typed, place: Place, quantities: Iterable[QuantityPrice], quantity: int, usual: Decimal
) -> tuple[QuantityPrice | None, Decimal | None]:
    """The lowest of those that hold for the quantity; the variant's own before its product's, a place's before all."""
    found = [one for one in quantities if one.destination in ("", place.destination)]
    ranks = [(one.variant_id is None, one.destination != place.destination) for one in found]
    near = [one for one, rank in zip(found, ranks, strict=True) if rank == min(ranks)]
    held = [
        (price, one.id, one)
        for one in near
        if one.from_quantity <= quantity
        and (price := reduced(typed, one.reduction, one.destination, place)) is not None
        and price < usual
    ]
    if not held:
        return None, None
    price, _, best = min(held, key=lambda one: one[:2])
    return best, price


def _steps(
    typed: Typed,
    place: Place,
    usual: Decimal,
    asked: Decimal,
    sale: Sale | None,
    bulk: QuantityPrice | None,
    by_quantity: Decimal | None,
) -> list[Step]:
    steps = [Step(StepKind.TYPED, typed.amount)]
    by_rule = not typed.here and (usual != typed.amount or place.rule != PriceRule())
    taken = None if sale and bulk else sale or bulk
    through = by_rule and taken is not None and taken.destination != place.destination
    if by_rule and not through:
        steps.append(Step(StepKind.RULE, usual))
    if bulk and by_quantity is not None:
        price = _before_rule(typed, bulk.reduction, place) if through else by_quantity
        steps.append(Step(StepKind.QUANTITY, price, quantity=bulk))
    if sale:
        price = _before_rule(typed, sale.reduction, place) if through else asked
        steps.append(Step(StepKind.SALE, price, sale=sale))
    if through:
        steps.append(Step(StepKind.RULE, asked))
    return steps


def _before_rule(typed: Typed, reduction: Reduction, place: Place) -> Decimal:
    """What is left of the catalogue's price before the destination's rule."""
    found = reduced(Typed(typed.amount), reduction, "", Place(ending=place.ending))
    return found if found is not None else typed.amount


def _tax_steps(line: TaxedLine | None, taxing: Taxing | None) -> list[Step]:
    if line is None or taxing is None:
        return []
    charge = [Step(StepKind.CHARGE, line.fixed)] if line.fixed else []
    rest = line.tax - line.fixed
    return charge + ([Step(StepKind.TAX, rest)] if taxing.percent else [])
