"""Another product in the place of one in the kits that have it: where it has one variant only, so it is plain which."""

from dataclasses import dataclass

from graupel.context import Context
from graupel.core.declarations.kits import KIT_PART
from graupel.db import Tx, declared
from graupel.features.history.service import Recorder
from graupel.features.kits import store
from graupel.features.products import many
from graupel.features.relations.replacing import MOST_PLACES, Referrer, Spot


@dataclass(frozen=True)
class _Instead:
    """What would come into kits: the only variant of a product, or None and why it can't."""

    product_id: int
    variant_id: int | None
    why_not: str = ""

    def into(self, kit_id: int) -> str:
        """Why it can't come into a kit; "" where it can."""
        return _IN_KIT if kit_id == self.product_id else self.why_not


_IN_KIT = "left: a kit can’t be in a kit"
_SEVERAL = "left: the other has several variants; choose one in the kit"


def _instead(ctx: Context, tx: Tx, by_id: int) -> _Instead:
    if store.are_kits(tx, [by_id]):
        return _Instead(by_id, None, _IN_KIT)
    found = many.load_priced(ctx, tx, [by_id]).get(by_id)
    only = found.for_sale[0].id if found and len(found.for_sale) == 1 else None
    return _Instead(by_id, only, "" if only else _SEVERAL)


def _spots(ctx: Context, tx: Tx, product_id: int, by_id: int) -> list[Spot]:
    rows = store.used_by(tx, product_id, ctx.settings.language, MOST_PLACES)
    instead = _instead(ctx, tx, by_id) if by_id and rows else None
    return [Spot(row["id"], row["name"], "Part of a kit", instead.into(row["id"]) if instead else "") for row in rows]


def _replace(ctx: Context, tx: Tx, recorder: Recorder, product_id: int, by_id: int) -> None:
    instead = _instead(ctx, tx, by_id)
    for row in store.with_parts_of(tx, product_id):
        if instead.into(row["product_id"]):
            continue
        before, after = {"variant_id": row["variant_id"]}, {"variant_id": instead.variant_id}
        if recorder.changed("kit_part", row["id"], before, after, row["version"] + 1):
            declared.update(tx, KIT_PART, row["id"], after)


PARTS = Referrer(_spots, _replace)
