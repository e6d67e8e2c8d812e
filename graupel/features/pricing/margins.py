"""Margin and markup beside a price: typed they give the price, with the price ending; and what they are of one."""

from decimal import Decimal
from typing import Any

from graupel.context import Context
from graupel.core import pricing, quantities, terms
from graupel.core.errors import Refused
from graupel.core.price_rules import decimals, rounded
from graupel.core.resolve import DEFAULT_LENS
from graupel.core.taxes import Taxing
from graupel.db import Tx
from graupel.features.pricing.schemas import Margin
from graupel.features.terms import service as terms_service

_MOST = Decimal(100_000)


def work_out(ctx: Context, asked: Margin) -> dict[str, Any]:
    """ "price", "margin" and "markup" as text, "" where one can't be told. Raises Refused."""
    currency = ctx.settings.currency
    places = decimals(currency)

    def work(tx: Tx) -> tuple[Any, Taxing | None]:
        found = terms_service.written(ctx, tx)
        taxing = terms_service.taxing(ctx, found, DEFAULT_LENS, asked.tax_class, ctx.now(tx))
        return found.catalogue.price_ending, taxing

    ending, taxing = ctx.db.run(work)
    cost = quantities.parse_money(asked.cost, currency) if asked.cost.strip() else None
    if asked.margin.strip() or asked.markup.strip():
        if cost is None:
            raise Refused.because("margin.no_cost", "Type the cost first: margin and markup are worked out from it.")
        price: Decimal | None = pricing.ended(_gross(_from_percent(cost, asked, places), taxing, places), ending)
    else:
        price = pricing.ended(quantities.parse_money(asked.price, currency), ending) if asked.price.strip() else None
    return {"price": quantities.format_money(price)} | told(price, cost, taxing)


def _from_percent(cost: Decimal, asked: Margin, places: int) -> Decimal:
    text = asked.margin.strip() or asked.markup.strip()
    percent = terms.number(text, "percentage", least=-_MOST, most=_MOST, places=2)
    work_out = pricing.from_margin if asked.margin.strip() else pricing.from_markup
    return work_out(cost, percent, places)


def _gross(net: Decimal, taxing: Taxing | None, places: int) -> Decimal:
    """The price as it is typed: with tax, where prices are."""
    if taxing is None or not taxing.typed_with_tax:
        return net
    return rounded(net * (1 + taxing.percent / 100) + taxing.charge, places)


def told(price: Decimal | None, cost: Decimal | None, taxing: Taxing | None) -> dict[str, str]:
    """Margin and markup of a price as text."""
    net = taxing.line(price).net if taxing and price is not None else price
    return {
        name: "" if share is None else f"{share * 100:.1f} %"
        for name, share in (("margin", pricing.margin(net, cost)), ("markup", pricing.markup(net, cost)))
    }
