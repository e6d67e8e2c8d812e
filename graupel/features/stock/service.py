"""Stock by location: looked at, booked by typing, moved, and its record."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from decimal import Decimal

from graupel.context import Context
from graupel.core import stock
from graupel.core.availability import Standing
from graupel.core.errors import NotFound, Refused
from graupel.core.problems import Problem
from graupel.core.roles import Actor, Role
from graupel.core.showing import plural
from graupel.core.stock import CodeLine, Reason, Typed
from graupel.db import Tx
from graupel.features.history import service as history
from graupel.features.products import facet_index
from graupel.features.products import service as products
from graupel.features.products import store as product_store
from graupel.features.stock import store
from graupel.features.stock.rows import CodeRow, EntryRow, StockLineRow
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

    @property
    def standing(self) -> Standing:
        """How it stands."""
        return Standing(self.row["standing"])

    @property
    def is_low(self) -> bool:
        """Whether it is below its threshold."""
        free = (self.row["on_hand"] or Decimal(0)) - (self.row["reserved"] or Decimal(0))
        return bool(self.row["counted"]) and free < self.row["low_stock"]


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
            asked.show if asked.show in store.SHOWN else "counted",
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
        _known_location(tx, location)
        with history.change_set(tx, actor, "stock.book", f"Stock {reason}: {named}") as recorder:
            return bool(booking.book_typed(tx, recorder, [Wish(variant_id, typed, reason, location)]))

    return ctx.db.run(work)


def _named(ctx: Context, tx: Tx, variant_id: int) -> str:
    rows = store.lines(tx, "counted", ctx.settings.language, "", 1, only=[variant_id])
    if not rows:
        raise NotFound("This variant is not there any more.")
    return f"{rows[0]['name']}, {rows[0]['sku']}"


def _known_location(tx: Tx, location: int | None) -> None:
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
        wishes = [
            Wish(known[one.sku.upper()], one.typed, one.reason, places.get((one.location or "").casefold()), one.as_of)
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


# --- many at once, by their codes ------------------------------------------------------------------------------


@dataclass(frozen=True)
class Meant:
    """A variant that codes mean: how many were typed or scanned, and what is there at the location looked at."""

    variant: CodeRow
    amount: Decimal
    there: Decimal

    @property
    def change(self) -> Decimal:
        """By how much a count changes what is there."""
        return self.amount - self.there


@dataclass(frozen=True)
class ByCodes:
    """What a list of codes comes to, variants in the order in which they were first named; what can't be taken."""

    meant: Sequence[Meant]
    problems: Sequence[Problem] = field(default_factory=list)


def by_codes(ctx: Context, actor: Actor, text: str, location: int | None) -> ByCodes:
    """The variants that typed or scanned codes mean at a location, the first without one. Raises NotFound."""
    actor.require(Role.VIEWER)
    return ctx.db.run(lambda tx: _by_codes(ctx, tx, text, location))


def _by_codes(ctx: Context, tx: Tx, text: str, location: int | None) -> ByCodes:
    _known_location(tx, location)
    typed, problems = stock.read_codes(text)
    known = _known_codes(store.by_codes(tx, [one.code for one in typed], ctx.settings.language))
    sums: dict[int, Decimal] = {}
    for one in typed:
        variant = known.get(one.code.upper())
        if variant is None:
            problems.append(_unknown(one))
            continue
        sums[variant["id"]] = sums.get(variant["id"], Decimal(0)) + one.amount
    at = location or booking.first_location(tx)
    levels = {
        row["variant_id"]: row["on_hand"]
        for row in terms_store.at_locations(tx, list(sums))
        if row["location_id"] == at
    }
    by_id = {variant["id"]: variant for variant in known.values()}
    meant = [Meant(by_id[key], amount, levels.get(key, Decimal(0))) for key, amount in sums.items()]
    return ByCodes(meant, problems)


def _known_codes(rows: Sequence[CodeRow]) -> dict[str, CodeRow]:
    by_gtin = {row["gtin"]: row for row in rows if row["gtin"]}
    return {code: row for code, row in by_gtin.items() if code} | {row["sku"].upper(): row for row in rows}


def _unknown(one: CodeLine) -> Problem:
    message = f"Line {one.line}: nothing has the SKU or GTIN “{one.code[:40]}”. Mend the line, or take it out."
    return Problem("code.unknown", message, "codes", one.line)


def count(ctx: Context, actor: Actor, text: str, location: int | None, began: str = "") -> int:
    """Book a count of what was typed or scanned at a location; returns how many variants changed.

    ``began``: when the count began, UTC as the page wrote it: what was sold since is taken off. Raises Refused.
    """
    actor.require(Role.EDITOR)
    as_of = stock.moment(began)

    def work(tx: Tx) -> int:
        found = _by_codes(ctx, tx, text, location)
        _refuse(found)
        wishes = [
            Wish(one.variant["id"], Typed(stock.How.COUNT, one.amount), Reason.COUNTED, location, as_of)
            for one in found.meant
        ]
        with history.change_set(tx, actor, "stock.count", f"Counted: {plural(len(wishes), 'variant')}") as recorder:
            return booking.book_typed(tx, recorder, wishes)

    return ctx.db.run(work)


def _refuse(found: ByCodes) -> None:
    if found.problems:
        raise Refused(list(found.problems))
    if not found.meant:
        raise Refused.because("codes.none", "Type or scan a code first, one a line.", "codes")


def move(ctx: Context, actor: Actor, text: str, source: int, to: int) -> int:
    """Move what was typed or scanned from one location to another; returns of how many variants. Raises Refused.

    More may be moved than the record has: whoever carries it sees that it is there.
    """
    actor.require(Role.EDITOR)
    if source == to:
        raise Refused.because("stock.move", "Choose two locations.", "to")

    def work(tx: Tx) -> int:
        names = {row["id"]: row["name"] for row in terms_store.locations(tx)}
        if not {source, to} <= names.keys():
            raise NotFound("This location is not there any more.")
        found = _by_codes(ctx, tx, text, source)
        _refuse(found)
        title = f"Moved from {names[source]} to {names[to]}: {plural(len(found.meant), 'variant')}"
        lines: list[booking.Line] = []
        for one in found.meant:
            lines.append((one.variant["id"], source, -one.amount, Reason.MOVED, None))
            lines.append((one.variant["id"], to, one.amount, Reason.MOVED, None))
        terms_store.of_variants(tx, sorted(one.variant["id"] for one in found.meant), lock=True)
        with history.change_set(tx, actor, "stock.move", title) as recorder:
            booking.book(tx, recorder, lines)
        return len(found.meant)

    return ctx.db.run(work)


def product_of(ctx: Context, variant_id: int) -> int | None:
    """The product of a variant."""
    return ctx.db.run(lambda tx: product_store.product_of_variant(tx, variant_id))


def said(ctx: Context) -> stocks.SaidOfSelling:
    """What is said once of how goods are sold."""
    return ctx.db.run(lambda tx: stocks.said(ctx, tx))
