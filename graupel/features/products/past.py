"""A product as it was at a moment, beside another moment or now: what differs, and as it was shown.

The mirror of a moment is drawn by what draws that of now, over a database in which the product, and what its prices
and words follow from, are put back; of that nothing lasts.
"""

from collections.abc import Callable, Collection, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime, timedelta
from decimal import Decimal
from typing import Any, TypeVar
from urllib.parse import quote

from graupel.caching import Keepers, KeptCounts
from graupel.context import Context
from graupel.core import moments
from graupel.core.errors import Refused
from graupel.core.past import State
from graupel.core.products import Status
from graupel.core.roles import Actor, Role
from graupel.db import DuplicateKey, Tx
from graupel.features.destinations.service import Seen
from graupel.features.history import as_of, keeping, pieces, records, restoring, scope, service
from graupel.features.history.as_of import Past
from graupel.features.history.pieces import Piece
from graupel.features.history.records import Shown
from graupel.features.history.restoring import Difference
from graupel.features.history.rows import ChangeRow, TrailRow
from graupel.features.history.service import RowShown
from graupel.features.prepared import service as prepared
from graupel.features.products import forms, mirrors
from graupel.features.products import service as products
from graupel.features.products.mirrors import Look
from graupel.features.terms import stock_store

T = TypeVar("T")
#: What the prices and words of a product follow from, beside itself: it is put back too.
AROUND = (
    *("shop", "selling_terms", "brand", "tag", "type", "attribute", "attribute_choice", "type_attribute"),
    *("tree", "category", "tax_class", "tax_rate", "selling_rules", "promotion", "sale", "sale_goods"),
)
#: Where more of it changed since, it is shown as it is now.
MOST_AROUND = 2_000
#: So many of the newest acts are offered as moments.
ACTS = 8
#: SQL: of goods of sales only those that are these products.
_THEIR_OWN = "(r.record_kind <> 'sale_goods' OR JSON_VALUE(COALESCE(r.was, r.became), '$.product_id') IN %(products)s)"


@dataclass(frozen=True)
class Side:
    """The product at a moment. ``at``: None for now; ``look``: the mirror, None where it was not there or can't be
    shown, with ``why``; ``around``: what it follows from is shown as of then too; ``on_hand``: None: not counted."""

    at: datetime | None
    look: Look | None
    on_hand: Decimal | None
    why: str = ""
    around: bool = True

    @property
    def exact(self) -> str:
        """The moment as an address carries it; "" for now."""
        return quote(moments.exact(self.at)) if self.at else ""


@dataclass(frozen=True)
class FieldThen:
    """A field that differs, in words. ``piece``: how the form names it, "" where it is not put back by itself."""

    label: str
    then: str
    other: str
    piece: str = ""


@dataclass(frozen=True)
class RecordThen:
    """A record that differs. ``what``: "changed", "made" between the moments, or "removed"."""

    kind: str
    shown: Shown
    what: str
    fields: list[FieldThen]
    piece: str = ""


@dataclass(frozen=True)
class AsOf:
    """A product at two moments. ``acts``: the newest that touched it, each after the moment before it."""

    product_id: int
    name: str
    then: Side
    other: Side
    rows: list[RecordThen]
    acts: list[tuple[str, TrailRow]]

    @property
    def is_restorable(self) -> bool:
        """Whether anything can be put back from here."""
        return any(row.piece or any(one.piece for one in row.fields) for row in self.rows)


def read(
    ctx: Context,
    actor: Actor,
    product_id: int,
    at: datetime,
    other: datetime | None,
    seen: Seen,
    prepared_id: int | None = None,
) -> AsOf:
    """``at``, ``other``: UTC; None for now; ``prepared_id``: of a prepared change that counts as made at moments ahead,
    beside those whose moment is set. Raises NotFound."""
    actor.require(Role.VIEWER)
    now = products.read(ctx, actor, product_id)

    def work(tx: Tx) -> tuple[Past, list[RecordThen]]:
        past = of(tx, ctx, product_id, [at] if other is None else [at, other], prepared_id)
        return past, _rows(tx, past, at, other)

    past, rows = ctx.db.run(work)
    acts = [(_before(one), one) for one in service.of_records(ctx, actor, now.history_keys, ACTS)]
    sides = [_side(ctx, past, product_id, one, seen) if one else _now(ctx, now, seen) for one in (at, other)]
    return AsOf(product_id, now.values.name, sides[0], sides[1], rows, acts)


def _before(act: TrailRow) -> str:
    return moments.exact(act["made_at"].replace(tzinfo=UTC) - timedelta(milliseconds=1))


def of(tx: Tx, ctx: Context, product_id: int, moments: Sequence[datetime], prepared_id: int | None = None) -> Past:
    """A product and all that belongs to it, as it was at moments, UTC, or will be by what is prepared."""
    now, lang = ctx.now(tx), ctx.settings.language
    keeping.refuse_forgotten(tx, min(moments))
    found = as_of.of_records(tx, lang, "product", [product_id], [now, *(at for at in moments if at < now)])
    for at in moments:
        if at > now:
            found = as_of.with_ahead(found, at, now, prepared.until(tx, lang, at, prepared_id))
    return found


def told(status: Status, *, is_ahead: bool) -> str:
    """What is seen of a product of another moment, in words."""
    if status is Status.LIVE:
        return "As buyers will see it" if is_ahead else "As buyers saw it"
    return f"As it {'will be' if is_ahead else 'was'}: {status}"


# --- the mirror of a moment ----------------------------------------------------------------------------------


def _now(ctx: Context, product: products.Product, seen: Seen) -> Side:
    on_hand, _ = ctx.db.run(lambda tx: stock_store.hourly(tx, product.id, None, ctx.now(tx)))
    return Side(None, _look(ctx, product, seen), on_hand)


def _look(ctx: Context, product: products.Product, seen: Seen) -> Look:
    typed = forms.typed_of(product)
    return mirrors.look(ctx, typed.fields, typed.pictures, product, seen)


def _side(ctx: Context, past: Past, product_id: int, at: datetime, seen: Seen) -> Side:
    on_hand = ctx.db.run(lambda tx: _there(tx, product_id, at))
    if past.then[at].get(("product", product_id)) is None:
        return Side(at, None, on_hand, "It was not there yet.")
    try:
        look, around = then(
            ctx, past, [product_id], at, lambda then, tx: _look(then, products.load(then, tx, product_id), seen)
        )
    except DuplicateKey:
        why = "It can't be shown as buyers saw it: a name of then is another’s now. What differs stands below."
        return Side(at, None, on_hand, why)
    return Side(at, look, on_hand, around=around)


def then(
    ctx: Context, past: Past, product_ids: Sequence[int], at: datetime, work: Callable[[Context, Tx], T]
) -> tuple[T, bool]:
    """Read something as it was at a moment, with a context of that moment; and whether what these products follow from
    is as of then too. Raises DuplicateKey where a name of then is another's now."""
    ahead = ctx.ahead + ctx.db.run(lambda tx: at - ctx.now(tx))
    around: list[Sequence[Difference] | None] = []
    there = replace(ctx, counts=KeptCounts(), keepers=Keepers(), ahead=ahead)

    def prepare(tx: Tx) -> None:
        found: Sequence[Difference] | None = past.around.get(at)
        if found is None:
            given = {"products": list(product_ids) or [0]}
            found = as_of.around(tx, ctx.settings.language, AROUND, at, MOST_AROUND, _THEIR_OWN, given)
        around.append(found)
        own = past.between(at, None)
        known = {(one.kind, one.id) for one in own}
        restoring.imagine(
            tx, ctx.settings.language, [*(one for one in found or () if (one.kind, one.id) not in known), *own]
        )

    return ctx.db.imagine(prepare, lambda tx: work(there, tx)), around[-1] is not None


def _there(tx: Tx, product_id: int, at: datetime) -> Decimal | None:
    """What there was of all variants that are counted now."""
    now, since = stock_store.hourly(tx, product_id, None, at)
    return None if now is None else now - sum((amount for _, amount in since), Decimal(0))


# --- what differs, and putting it back -----------------------------------------------------------------------


def _rows(tx: Tx, past: Past, at: datetime, other: datetime | None) -> list[RecordThen]:
    """Differences in words, each with what puts it back where that can be done."""
    order = scope.reading_order()
    found = sorted(past.between(at, other), key=lambda one: (one.kind != "product", order.index(one.kind), one.id))
    is_back = other is None and at not in past.around
    back = {(one.kind, one.id): one for one in _restorable(found)} if is_back else {}
    shown = [_as_row(one) for one in found]
    return [
        _row(row, told, back.get((one.kind, one.id)))
        for one, row, told in zip(found, shown, service.rows_in_words(tx, shown), strict=True)
    ]


def _row(row: ChangeRow, told: RowShown, back: Difference | None) -> RecordThen:
    is_whole = back is not None and (back.was is None or back.becomes is None)
    names = service.telling(row)
    fields = [
        FieldThen(label, then, other, pieces.key_of(back, name) if _has(back, name) and back else "")
        for name, (label, then, other) in zip(names, told.fields, strict=True)
    ]
    return RecordThen(told.kind, told.shown, told.action, fields, pieces.key_of(back) if back and is_whole else "")


def _has(back: Difference | None, name: str) -> bool:
    """Whether a field is put back by itself."""
    return back is not None and back.was is not None and back.becomes is not None and name in back.becomes


def _as_row(one: Difference) -> ChangeRow:
    """A difference as a row of the journal, from then on; without what it belongs to, which is this product."""
    owner = records.kind_of(one.kind).record.owner

    def plain(values: State) -> dict[str, Any] | None:
        return None if values is None else {name: value for name, value in values.items() if name != owner}

    return ChangeRow(
        record_kind=one.kind, record_id=one.id, version=one.version, was=plain(one.becomes), became=plain(one.was)
    )


def _restorable(found: Sequence[Difference]) -> list[Difference]:
    """What can be put back by itself: nothing of variants that were not there, and no variants that are gone where the
    product differs by something else since."""
    varied = any(one.kind == "product_axis" for one in found)
    new = {one.id for one in found if one.kind == "variant" and one.becomes is None}
    return [
        back
        for one in found
        if (back := pieces.restorable(one))
        and not _is_of(one, new)
        and not (varied and one.kind == "variant" and one.was is None)
    ]


def _is_of(one: Difference, variants: Collection[int]) -> bool:
    """Whether a record belongs to one of these variants."""
    record, values = records.kind_of(one.kind).record, one.was or {}
    if record.said_of[0]:
        return values.get(record.said_of[0]) == "variant" and values.get(record.said_of[1]) in variants
    return any(values.get(field.name) in variants for field in record.fields if field.refers_to == "variant")


def put_back(ctx: Context, actor: Actor, product_id: int, at: datetime, wanted: Sequence[Piece]) -> None:
    """Put pieces of a product back as they were at a moment, UTC. Raises Refused where somebody changed them since
    they were shown, or where they can't stand any more."""
    actor.require(Role.EDITOR)
    if at > ctx.db.run(ctx.now):
        raise Refused.because("moment.ahead", "That moment is still to come. Choose one in the past.", "at")

    def work(tx: Tx) -> None:
        name = products.load(ctx, tx, product_id, lock=True).values.name
        found = _restorable(of(tx, ctx, product_id, [at]).between(at, None))
        title = f"{name}: put back as it was on {at.astimezone(ctx.zone):%Y-%m-%d at %H:%M}"
        pieces.write(ctx, tx, actor, "product.restore", title, pieces.chosen(found, wanted))

    ctx.db.run(work)
