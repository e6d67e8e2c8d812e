"""Stock by location: looked at, booked by typing, moved, and its record."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal

from graupel.context import Context
from graupel.core import stock
from graupel.core.errors import NotFound, Refused
from graupel.core.problems import Problem
from graupel.core.roles import Actor, Role
from graupel.core.showing import plural
from graupel.core.stock import Reason, Typed
from graupel.db import Tx
from graupel.features.history import service as history
from graupel.features.products import facet_index
from graupel.features.products import service as products
from graupel.features.stock import store
from graupel.features.stock.rows import EntryRow, StockLineRow
from graupel.features.terms import booking, stocks
from graupel.features.terms import stock_store as terms_store
from graupel.features.terms.booking import Wish
from graupel.features.terms.rows import LocationRow

SHOWN = 50
MOST_SEARCHED = 2_000
ENTRIES = 60


@dataclass(frozen=True)
class StockLine:
    """A variant on the page: what is there in all and by location, and what sells."""

    row: StockLineRow
    at: Mapping[int, Decimal]

    @property
    def label(self) -> str:
        """Its product's name with its choices."""
        return f"{self.row['name']}, {self.row['choices']}" if self.row["choices"] else self.row["name"]


@dataclass(frozen=True)
class Page:
    """A page of variants. ``after``: where the next one begins, None at the end; ``counted`` and ``low``: of all."""

    lines: Sequence[StockLine]
    after: str | None
    locations: Sequence[LocationRow]
    counted: int
    low: int


@dataclass(frozen=True)
class Asked:
    """What is looked at: which lines (store.SHOWN), what was searched, at which location something lies."""

    show: str = "counted"
    q: str = ""
    location: int | None = None
    after: str = ""


def read(ctx: Context, actor: Actor, asked: Asked) -> Page:
    """Variants with what is there of them."""
    actor.require(Role.VIEWER)

    def work(tx: Tx) -> Page:
        among = _searched(ctx, tx, asked.q)
        found = store.lines(
            tx,
            asked.show,
            ctx.settings.language,
            asked.after,
            SHOWN + 1,
            among=among,
            location=asked.location,
        )
        after = found[SHOWN - 1]["sku"] if len(found) > SHOWN else None
        return Page(_with_levels(tx, found[:SHOWN]), after, terms_store.locations(tx), *store.counts(tx))

    return ctx.db.run(work)


def _searched(ctx: Context, tx: Tx, typed: str) -> list[int] | None:
    """The products that a text means; None where nothing is searched."""
    if not typed.strip():
        return None
    found = facet_index.search(ctx, tx, typed)
    return list(found)[-MOST_SEARCHED:] if found else []


def _with_levels(tx: Tx, rows: Sequence[StockLineRow]) -> list[StockLine]:
    at: dict[int, dict[int, Decimal]] = {}
    for one in terms_store.at_locations(tx, [row["id"] for row in rows]):
        at.setdefault(one["variant_id"], {})[one["location_id"]] = one["on_hand"]
    return [StockLine(row, at.get(row["id"], {})) for row in rows]


def line(ctx: Context, actor: Actor, variant_id: int) -> StockLine:
    """One variant, as ``read`` gives it. Raises NotFound."""
    actor.require(Role.VIEWER)

    def work(tx: Tx) -> StockLine:
        rows = store.lines(tx, "counted", ctx.settings.language, "", 1, only=[variant_id])
        if not rows:
            raise NotFound("This variant is not there any more.")
        return _with_levels(tx, rows)[0]

    return ctx.db.run(work)


def read_reason(text: str) -> Reason:
    """A reason that a person may choose. Raises Refused."""
    if text not in stock.TYPED_REASONS:
        raise Refused.because("stock.reason", "Choose why: corrected, counted, received, returned or lost.", "reason")
    return Reason(text)


def book(
    ctx: Context, actor: Actor, variant_id: int, location: int | None, text: str, shown: str, reason: Reason
) -> bool:
    """Book what was typed of a variant at a location; ``shown``: what stood there, "" where it was not counted.

    Returns whether anything changed. Raises Refused, NotFound.
    """
    actor.require(Role.EDITOR)
    was = stock.count(shown)
    typed = stock.parse(text, was) if text.strip() or was is not None else Typed(stock.How.BY)

    def work(tx: Tx) -> bool:
        named = _named(ctx, tx, variant_id)
        refuse_unknown(tx, location)
        with history.change_set(tx, actor, "stock.book", f"Stock {reason}: {named}") as recorder:
            at = location or booking.first_location(tx)
            return bool(booking.book_typed(tx, recorder, [Wish(variant_id, typed, reason, at)]))

    return ctx.db.run(work)


def _named(ctx: Context, tx: Tx, variant_id: int) -> str:
    rows = store.lines(tx, "counted", ctx.settings.language, "", 1, only=[variant_id])
    if not rows:
        raise NotFound("This variant is not there any more.")
    return f"{rows[0]['name']}, {rows[0]['sku']}"


def refuse_unknown(tx: Tx, location: int | None) -> None:
    """Raises NotFound where a location is not there; None stands for the first."""
    if location is not None and location not in {row["id"] for row in terms_store.locations(tx)}:
        raise NotFound("This location is not there any more.")


@dataclass(frozen=True)
class Coded:
    """A booking by SKU, as programs send it; ``location``: the name of one; ``as_of``: when a count held, UTC."""

    sku: str
    typed: Typed
    reason: Reason
    location: str | None = None
    as_of: datetime | None = None


def book_codes(ctx: Context, actor: Actor, wanted: Sequence[Coded]) -> int:
    """Book some variants by their SKUs, all or none; returns how many changed. Raises Refused, naming each."""
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> int:
        skus = [one.sku for one in wanted if one.sku.isascii()]
        known = {row["sku"].upper(): row["id"] for row in store.by_codes(tx, skus, ctx.settings.language)}
        places = {row["name"].casefold(): row["id"] for row in terms_store.locations(tx)}
        problems = []
        for place, one in enumerate(wanted):
            if one.sku.upper() not in known:
                problems.append(Problem("sku.unknown", f"Nothing has the SKU {one.sku}.", f"bookings.{place}.sku"))
            if one.location is not None and one.location.casefold() not in places:
                message = f"There is no location “{one.location}”."
                problems.append(Problem("location.unknown", message, f"bookings.{place}.location"))
        if problems:
            raise Refused(problems)
        first = booking.first_location(tx)
        wishes = [
            Wish(
                known[one.sku.upper()],
                one.typed,
                one.reason,
                places.get((one.location or "").casefold(), first),
                one.as_of,
            )
            for one in wanted
        ]
        with history.change_set(tx, actor, "stock.book", f"Stock booked: {plural(len(wishes), 'line')}") as recorder:
            return booking.book_typed(tx, recorder, wishes)

    return ctx.db.run(work)


# --- the record ----------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Record:
    """The record of a product, or of one of its variants: what is there, and what changed it, the newest first.

    ``after``: what was there after each entry; ``older``: where older ones begin, None at the end.
    """

    product: products.Product
    lines: Sequence[StockLine]
    entries: Sequence[EntryRow]
    after: Mapping[int, Decimal]
    older: int | None
    locations: Sequence[LocationRow]


def record(
    ctx: Context, actor: Actor, product_id: int, variant_id: int | None = None, before: int | None = None
) -> Record:
    """The record of stock. Raises NotFound."""
    actor.require(Role.VIEWER)

    def work(tx: Tx) -> Record:
        product = products.load(ctx, tx, product_id)
        wanted = [one.id for one in product.variants if variant_id in (None, one.id)]
        rows = store.lines(tx, "counted", ctx.settings.language, "", len(wanted) + 1, only=wanted)
        found = store.entries(tx, product_id, variant_id, before, ENTRIES + 1)
        shown = found[:ENTRIES]
        older = shown[-1]["id"] if len(found) > ENTRIES else None
        return Record(product, _with_levels(tx, rows), shown, _sums(tx, shown), older, terms_store.locations(tx))

    return ctx.db.run(work)


def _sums(tx: Tx, entries: Sequence[EntryRow]) -> dict[int, Decimal]:
    """What was there of its variant after each entry."""
    sums: dict[int, Decimal] = {}
    found = {}
    for one in entries:
        if one["variant_id"] not in sums:
            sums[one["variant_id"]] = store.sum_until(tx, one["variant_id"], one["id"])
        found[one["id"]] = sums[one["variant_id"]]
        sums[one["variant_id"]] -= one["amount"]
    return found


def said(ctx: Context) -> stocks.SaidOfSelling:
    """What is said once of how goods are sold."""
    return ctx.db.run(lambda tx: stocks.said(ctx, tx))
