"""Shelves narrowed by price: as the shop shows it, of any variant that is for sale."""

from collections.abc import Callable
from dataclasses import dataclass
from decimal import Decimal

from graupel.context import Context
from graupel.core.errors import Refused
from graupel.core.facets import Ids
from graupel.core.quantities import MAX_PRICE, parse_money
from graupel.db import Tx
from graupel.features.products import resolving
from graupel.features.shop import offers
from graupel.features.shop.windows import Window
from graupel.features.terms import sells_sql
from graupel.features.terms import service as terms

#: Of so few goods only their own prices are looked at.
FEW = 5_000
_CENT = Decimal("0.01")


@dataclass(frozen=True)
class Span:
    """From which price to which; None where nobody said."""

    low: Decimal | None = None
    high: Decimal | None = None

    def __bool__(self) -> bool:
        return self.low is not None or self.high is not None


def read(low: str, high: str, currency: str) -> Span:
    """A span as a buyer typed it, the lower one first; what is no price is left out."""
    found = [_price(text, currency) for text in (low, high)]
    if None not in found and found[0] > found[1]:  # type: ignore[operator]
        found.reverse()
    return Span(*found)


def _price(text: str, currency: str) -> Decimal | None:
    try:
        return parse_money(text, currency) if text.strip() else None
    except Refused:
        return None


def within(ctx: Context, tx: Tx, window: Window, goods: Ids, span: Span) -> Ids:
    """Those of some goods of which a variant that buyers see costs what is asked for."""
    written = terms.written(ctx, tx)
    classes = [None, *written.classes]
    shelves = offers.shelves(ctx, tx, window, classes)
    clauses: list[str] = []
    bounds: dict[str, Decimal | int | None] = {}
    for place, one in enumerate(classes):
        low, high = _typed(lambda amount, key=one: shelves.shown(amount, key), span)  # type: ignore[misc]
        bounds |= {f"class{place}": one, f"low{place}": low, f"high{place}": high}
        clauses.append(f"(p.tax_class_id <=> %(class{place})s AND x.asked BETWEEN %(low{place})s AND %(high{place})s)")
    few = list(goods) if len(goods) <= FEW else None
    found = resolving.select(tx, window.lens, (resolving.ASKED,), ctx.settings.language, few)
    rows = tx.all(
        f"""SELECT DISTINCT x.product_id AS id FROM ({found.sql}) x JOIN product p ON p.id = x.product_id
            JOIN variant v ON v.id = x.variant_id {sells_sql.JOINS}
            WHERE ({" OR ".join(clauses)}) AND NOT {sells_sql.now(tx).hidden}""",
        {**found.params, **bounds},
    )
    return Ids(goods & Ids(row["id"] for row in rows))


def _typed(shown: Callable[[Decimal], Decimal], span: Span) -> tuple[Decimal, Decimal]:
    """The least and the highest typed amount that are shown within a span."""
    low = _first(shown, span.low) if span.low is not None else Decimal(0)
    high = _first(shown, span.high + _CENT) - _CENT if span.high is not None else MAX_PRICE
    return low, high


def _first(shown: Callable[[Decimal], Decimal], bound: Decimal) -> Decimal:
    """The least amount that is shown as ``bound`` or more: what is shown never falls as the amount rises."""
    low, high = 0, int(MAX_PRICE / _CENT) + 1
    while low < high:
        middle = (low + high) // 2
        if shown(middle * _CENT) >= bound:
            high = middle
        else:
            low = middle + 1
    return low * _CENT
