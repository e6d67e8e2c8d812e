"""What costs less together with a product: as it is typed beside a relation, as plain data, and as it is kept."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from decimal import Decimal
from typing import Any
from zoneinfo import ZoneInfo

from graupel.context import Context
from graupel.core import moments, together
from graupel.core.choices import AddsBy
from graupel.core.errors import Refused
from graupel.core.together import Offer
from graupel.db import Tx
from graupel.features.relations import store
from graupel.features.relations.rows import RelationRow


@dataclass(frozen=True)
class Wish:
    """A row of a product's relations as its form has it. ``less``: what the other costs less together with the product,
    "10 %" or "2.50", ``begins`` and ``ends`` from when and until when, in the shop's time zone; "" for nothing."""

    kind_id: int
    other_id: int
    less: str = ""
    begins: str = ""
    ends: str = ""


def said(row: RelationRow) -> str:
    """What it costs less together and when, as plain data; "" where it does not."""
    if not row["less_by"]:
        return ""
    span = (f"{at:%Y-%m-%dT%H:%M:%S}" if at else "-" for at in (row["less_from"], row["less_until"]))
    return " ".join([row["less_by"], f"{row['less']:f}", *span])


NO_LESS: dict[str, Any] = {"less_by": "", "less": Decimal(0), "less_from": None, "less_until": None}


def columns(said: str) -> dict[str, Any]:
    """The same again, as columns, as the journal has them."""
    if not said:
        return NO_LESS
    by, amount, *span = said.split(" ")
    begins, ends = (None if one == "-" else one.replace("T", " ") for one in span)
    return {"less_by": by, "less": Decimal(amount), "less_from": begins, "less_until": ends}


def typed(ctx: Context, place: int, wish: Wish) -> str:
    """What is typed beside a row, as plain data. Raises Refused, naming "less-3"."""
    zone = ZoneInfo(ctx.settings.time_zone)
    try:
        by, amount = together.parse(wish.less, ctx.settings.currency)
        begins, ends = (moments.parse(text, zone) if text.strip() else None for text in (wish.begins, wish.ends))
        if begins and ends and ends <= begins:
            raise Refused.because("together.span", "It would end before it begins.")
    except Refused as refusal:
        raise Refused([one.at(field=f"less-{place}") for one in refusal.problems]) from refusal
    if by is AddsBy.NOTHING:
        return ""
    span = (f"{at.astimezone(UTC):%Y-%m-%dT%H:%M:%S}" if at else "-" for at in (begins, ends))
    return " ".join([str(by), f"{amount.quantize(Decimal('0.01')):f}", *span])


def wish_of(ctx: Context, row: RelationRow) -> Wish:
    """A row as its form has it."""
    zone = ZoneInfo(ctx.settings.time_zone)
    span = (at and at.replace(tzinfo=UTC) for at in (row["less_from"], row["less_until"]))
    begins, ends = (moments.typed(at, zone) for at in span)
    less = together.show(AddsBy(row["less_by"]), row["less"])
    return Wish(row["relation_kind_id"], row["other_id"], less, begins, ends)


def offers(tx: Tx, product_ids: Sequence[int], now: datetime) -> list[Offer]:
    """What costs less now together with one of these products. ``now``: UTC."""
    rows = store.offers(tx, product_ids, now.replace(tzinfo=None))
    return [Offer(row["product_id"], row["other_id"], AddsBy(row["less_by"]), row["less"]) for row in rows]
