"""The rows of a time line: which price holds when, for a product and for the whole shop."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta

from graupel.context import Context
from graupel.core.quantities import format_money
from graupel.core.sales import Reach, Sale
from graupel.core.showing import plural
from graupel.core.time_lines import RAISED_WITHIN, Line, Piece, between, is_gap
from graupel.core.variants import label_of
from graupel.db import Tx
from graupel.features.destinations import service as destinations
from graupel.features.pricing import past
from graupel.features.products import asking, many
from graupel.features.products.asking import Asking
from graupel.features.products.service import Variant
from graupel.features.terms import service as terms
from graupel.features.terms import store as terms_store
from graupel.features.terms.rows import SaleRow

#: So many rows stand on one page.
MOST_ROWS = 40


@dataclass(frozen=True)
class Target:
    """What a row is about: a product, a variant or a choice of it, at a destination; or a sale by itself."""

    product_id: int
    reach: Reach
    within: int
    destination: str
    sale_id: int = 0


def of_product(ctx: Context, tx: Tx, found: Asking, since: datetime, until: datetime) -> list[Line]:
    """The rows of one product at the destination of a lens: all of it, then its choices and variants with sales."""
    here = [one for one in found.sales if one.destination in ("", found.lens.destination)]
    grouped: dict[tuple[Reach, int], list[Sale]] = {(Reach.PRODUCT, 0): []}
    for one in here:
        for _, within in one.targets or {(0, 0)}:
            grouped.setdefault((one.reach, within), []).append(one)
    order = list(Reach)
    keys = sorted(grouped, key=lambda key: (key[0] is not Reach.PRODUCT, -order.index(key[0]), key[1]))
    lines = [_line(tx, found, reach, within, grouped[reach, within], since, until) for reach, within in keys]
    return [
        replace(line, name=line.about or _OF_ALL.get(key[0], line.name), about="")
        for key, line in zip(keys, lines, strict=True)
    ]


_OF_ALL = {Reach.PRODUCT: "The product", Reach.ALL: "All of the shop"}


def _line(
    tx: Tx, found: Asking, reach: Reach, within: int, sales: Sequence[Sale], since: datetime, until: datetime
) -> Line:
    product = found.product
    reached = _reached(found, reach, within)
    name = "All goods of the shop" if reach is Reach.ALL else product.values.name
    about = _about(found, reach, within)
    pieces = [piece_of(one, found.now) for one in sales]
    if reach is not Reach.ALL:
        pieces = [*_prices(tx, found, reached, pieces, since, until), *pieces]
    return Line(name, f"/products/{product.id}", pieces, about)


def _reached(found: Asking, reach: Reach, within: int) -> list[Variant]:
    sold = found.product.for_sale
    if reach is Reach.VARIANT:
        return [one for one in sold if one.id == within]
    return [one for one in sold if within in one.combination] if reach is Reach.CHOICE else sold


def _about(found: Asking, reach: Reach, within: int) -> str:
    if reach is Reach.CHOICE:
        choices = {choice.id: choice.label for axis in found.product.axes for choice in axis.choices}
        return f"all of {choices.get(within, 'a choice that is gone')}"
    if reach is Reach.VARIANT:
        one = next((one for one in found.product.variants if one.id == within), None)
        return label_of(found.product.axes, one.combination) or one.sku if one else "a variant that is gone"
    return ""


def piece_of(sale: Sale, now: datetime, words: str = "") -> Piece:
    """A sale as a piece of a row."""
    kind = "planned" if sale.begins > now else "over" if sale.ends and sale.ends <= now else "sale"
    label = sale.reduction.in_words
    return Piece(kind, sale.begins, sale.ends, label, sale.id, sale.begins <= now, words or sale.title or label)


def _prices(
    tx: Tx, found: Asking, reached: Sequence[Variant], sales: Sequence[Piece], since: datetime, until: datetime
) -> list[Piece]:
    """What is asked while no sale holds, as it changed; raises shortly before a sale stand out."""
    held = past.typed_in(tx, found, reached, since, min(until, found.now)) if reached else []
    begun = [one.begins for one in sales]
    pieces: list[Piece] = []
    for place, (begins, asked) in enumerate(held):
        ends = held[place + 1][0] if place + 1 < len(held) else until
        before = held[place - 1][1] if place else asked
        raised = before is not None and asked is not None and asked > before
        soon = [at for at in begun if raised and begins <= at <= begins + RAISED_WITHIN]
        for free, end in between(sales, begins, ends) if asked is not None else ():
            kind = "gap" if is_gap(free, end, sales) else "raised" if any(free < at for at in soon) else "price"
            pieces.append(Piece(kind, free, end, format_money(asked), words=_WORDS[kind]))
    return pieces


_WORDS = {
    "price": "without a sale",
    "raised": "raised shortly before a sale",
    "gap": "the price goes up for a few days between two sales",
}


# --- the whole shop ------------------------------------------------------------------------------------------


def of_shop(
    ctx: Context,
    tx: Tx,
    rows: Sequence[SaleRow],
    names: dict[int, str],
    now: datetime,
    since: datetime,
    until: datetime,
) -> list[Line]:
    """A row for each thing that sales are for; ``names``: of sales."""
    goods: dict[int, list[tuple[int, int]]] = {}
    counts = terms_store.goods_count(tx, [row["id"] for row in rows])
    few = [row["id"] for row in rows if counts.get(row["id"], 0) == 1]
    for one in terms_store.goods_of(tx, few):
        goods.setdefault(one["sale_id"], []).append((one["product_id"], one["variant_id"] or one["choice_id"] or 0))
    targets: dict[Target, list[Sale]] = {}
    for row in rows:
        product_id, within = goods[row["id"]][0] if row["id"] in goods else (0, 0)
        alone = 0 if product_id else row["id"]
        target = Target(product_id, Reach(row["reach"]), within, row["destination"], alone)
        targets.setdefault(target, []).append(terms.sale_of(row, ()))
    drawn = dict(list(targets.items())[:MOST_ROWS])
    products = many.load_priced(ctx, tx, [one.product_id for one in drawn if one.product_id])
    everywhere = destinations.current(ctx, tx)
    lines = []
    for target, sales in drawn.items():
        if target.product_id in products:
            lens = everywhere.lens(target.destination)
            found = asking.regular(ctx, tx, products[target.product_id], lens, now)
            line = _line(tx, found, target.reach, target.within, sales, since, until)
        else:
            line = _line_of_several(target, sales, names, counts, now)
        at = f"at {everywhere.by_code(target.destination).name}" if target.destination else ""
        lines.append(replace(line, about=", ".join(filter(None, (line.about, at)))))
    return lines


def _line_of_several(
    target: Target, sales: Sequence[Sale], names: dict[int, str], counts: dict[int, int], now: datetime
) -> Line:
    """The row of a sale that is for more than one thing, or for all goods."""
    sale_id = target.sale_id or sales[0].id
    of_what = "product" if target.reach is Reach.PRODUCT else "part"
    about = "all goods" if target.reach is Reach.ALL else plural(counts.get(sale_id, 0), of_what)
    return Line(names[sale_id], f"/prices?sale={sale_id}", [piece_of(one, now, names[one.id]) for one in sales], about)


def lens_span(now: datetime, weeks: int, shift: int) -> tuple[datetime, datetime]:
    """What a time line shows: a quarter of it before now, the rest after; ``shift``: so many quarters later."""
    span = timedelta(weeks=weeks)
    begins = now - span / 4 + span / 4 * shift
    return begins, begins + span
