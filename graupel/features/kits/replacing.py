"""Another product in the place of one in the kits that have it: where it has one variant only, so it is plain which."""

from graupel.context import Context
from graupel.core.declarations.kits import KIT_PART
from graupel.db import Tx, declared
from graupel.features.history.service import Recorder
from graupel.features.kits import store
from graupel.features.products import many
from graupel.features.relations.replacing import MOST_PLACES, Referrer, Spot


def _only_variant(ctx: Context, tx: Tx, product_id: int) -> int | None:
    found = many.load_priced(ctx, tx, [product_id]).get(product_id)
    return found.for_sale[0].id if found and len(found.for_sale) == 1 else None


def _why_not(tx: Tx, ctx: Context, by_id: int, kit_id: int) -> str:
    """Why a product can't be a part of a kit in the place of another; "" where it can."""
    if by_id == kit_id or store.are_kits(tx, [by_id]):
        return "left: a kit can’t be in a kit"
    return "" if _only_variant(ctx, tx, by_id) else "left: the other has several variants; choose one in the kit"


def _spots(ctx: Context, tx: Tx, product_id: int, by_id: int) -> list[Spot]:
    rows = store.used_by(tx, product_id, ctx.settings.language, MOST_PLACES)
    return [
        Spot(row["id"], row["name"], "Part of a kit", _why_not(tx, ctx, by_id, row["id"]) if by_id else "")
        for row in rows
    ]


def _replace(ctx: Context, tx: Tx, recorder: Recorder, product_id: int, by_id: int) -> None:
    variant_id = _only_variant(ctx, tx, by_id)
    for row in store.with_parts_of(tx, product_id):
        if variant_id is None or _why_not(tx, ctx, by_id, row["product_id"]):
            continue
        before, after = {"variant_id": row["variant_id"]}, {"variant_id": variant_id}
        if recorder.changed("kit_part", row["id"], before, after, row["version"] + 1):
            declared.update(tx, KIT_PART, row["id"], after)


PARTS = Referrer(_spots, _replace)
