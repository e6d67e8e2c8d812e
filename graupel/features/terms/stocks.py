"""Stock as products know it: what is there of variants, and the rules by which it sells."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from typing import Any
from zoneinfo import ZoneInfo

from graupel.context import Context
from graupel.core.availability import Held, Layer
from graupel.core.declarations.stock import RULES
from graupel.core.stock import plain
from graupel.db import Tx
from graupel.features.history import service as history
from graupel.features.terms import stock_store as store
from graupel.features.terms.rows import LocationRow, SellingRulesRow

_NAMES = tuple(field.name for field in RULES)


@dataclass(frozen=True)
class SaidOfSelling:
    """What is said once of how goods are sold: for the shop, and by type. ``locations`` in their order of use."""

    shop: SellingRulesRow | None
    types: Mapping[int, SellingRulesRow]
    locations: Sequence[LocationRow]

    @property
    def has_locations(self) -> bool:
        """Whether there are several: with one, nobody sees the word."""
        return len(self.locations) > 1

    def layers(self, type_id: int | None) -> dict[Layer, Mapping[str, Any]]:
        """The layers above a product."""
        found: dict[Layer, Mapping[str, Any]] = {}
        if type_id is not None and type_id in self.types:
            found[Layer.TYPE] = _said(self.types[type_id])
        if self.shop:
            found[Layer.SHOP] = _said(self.shop)
        return found


def _said(row: SellingRulesRow) -> dict[str, Any]:
    return {name: row[name] for name in _NAMES}  # type: ignore[literal-required]


def said(ctx: Context, tx: Tx) -> SaidOfSelling:
    """What is said once, kept until the next change of anything."""
    return ctx.counts.get((history.written_stamp(tx), "rules of selling"), lambda: _read(tx))


def _read(tx: Tx) -> SaidOfSelling:
    rows = store.selling_rules(tx)
    return SaidOfSelling(
        next((row for row in rows if row["type_id"] is None), None),
        {row["type_id"]: row for row in rows if row["type_id"] is not None},
        store.locations(tx),
    )


def held(tx: Tx, variant_ids: Sequence[int]) -> dict[int, Held]:
    """What is there of variants; nothing of those that were never counted."""
    return {
        key: Held(bool(row["counted"]), plain(row["on_hand"]), plain(row["reserved"]))
        for key, row in store.of_variants(tx, variant_ids).items()
    }


def today(ctx: Context, tx: Tx) -> date:
    """The day of the shop."""
    return ctx.now(tx).astimezone(ZoneInfo(ctx.settings.time_zone)).date()


def on_hand(there: Held | None) -> Decimal | None:
    """What is there of a variant, None where it is not counted."""
    return there.on_hand if there and there.counted else None
