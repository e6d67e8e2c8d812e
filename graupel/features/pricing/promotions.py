"""Promotions: named spans in which some goods cost less, with the id that destinations are told."""

from collections.abc import Mapping
from typing import Any
from zoneinfo import ZoneInfo

from graupel.context import Context
from graupel.core import moments, sale_plans
from graupel.core.declarations.terms import PROMOTION
from graupel.core.errors import NotFound, Refused
from graupel.core.roles import Actor, Role
from graupel.core.showing import plural
from graupel.db import DuplicateKey, Tx, declared
from graupel.db.rows import picked
from graupel.features.history import meeting
from graupel.features.history import service as history
from graupel.features.history.meeting import Marks
from graupel.features.terms import service as terms
from graupel.features.terms import store
from graupel.features.terms.rows import PromotionRow
from graupel.features.terms.service import Promotion


def every(ctx: Context, actor: Actor) -> list[Promotion]:
    """All promotions, the one that begins last first."""
    actor.require(Role.VIEWER)
    return ctx.db.run(lambda tx: [terms.promotion_of(row) for row in store.promotions(tx)])


def _columns(typed: sale_plans.PromotionTyped) -> dict[str, Any]:
    return {
        "code": typed.code,
        "name": typed.name,
        "kind": str(typed.kind),
        "begins": moments.kept(typed.begins),
        "ends": moments.kept(typed.ends),
    }


def _kept(row: PromotionRow) -> dict[str, Any]:
    ends = row["ends"]
    return {
        "code": row["code"],
        "name": row["name"],
        "kind": row["kind"],
        "begins": f"{row['begins']:%Y-%m-%d %H:%M:%S}",
        "ends": f"{ends:%Y-%m-%d %H:%M:%S}" if ends else None,
    }


def flat(ctx: Context) -> dict[int, dict[str, Any]]:
    """What a page shows of each promotion, as plain data."""
    return ctx.db.run(lambda tx: {row["id"]: _kept(row) for row in store.promotions(tx)})


def save(ctx: Context, actor: Actor, promotion_id: int | None, raw: Mapping[str, str], marks: Marks = None) -> int:
    """Make a promotion, or change one; returns its id. Raises Refused, Outdated, NotFound."""
    actor.require(Role.EDITOR)
    zone = ZoneInfo(ctx.settings.time_zone)

    def work(tx: Tx) -> int:
        typed = sale_plans.read_promotion(raw, zone, ctx.now(tx).replace(microsecond=0))
        values = _columns(typed)
        did = "changed" if promotion_id else "made"
        with history.change_set(tx, actor, "promotion.save", f"Promotion {did}: {typed.name}") as recorder:
            if promotion_id is None:
                made = declared.insert(tx, PROMOTION, values)
                recorder.made("promotion", made, values)
                return made
            row = store.promotion(tx, promotion_id, lock=True)
            if row is None:
                raise NotFound("This promotion is not there any more.")
            there, keys = _kept(row), {"promotion": [promotion_id]}
            both = meeting.bring_together(tx, keys, marks, values, there, lambda name: PROMOTION.field(name).label)
            after = picked(both, values)
            if recorder.changed("promotion", promotion_id, there, after, row["version"] + 1):
                declared.update(tx, PROMOTION, promotion_id, after)
            return promotion_id

    try:
        kept: int = ctx.db.run(work)
    except DuplicateKey as double:
        what = f"Another promotion has the id “{raw.get('code', '')}” already."
        raise Refused.because("promotion.code", what, "code") from double
    return kept


def remove(ctx: Context, actor: Actor, promotion_id: int) -> None:
    """Take a promotion away to which no sale belongs. Raises Refused, NotFound."""
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> None:
        row = store.promotion(tx, promotion_id, lock=True)
        if row is None:
            raise NotFound("This promotion is not there any more.")
        if used := store.sales_in(tx, promotion_id):
            what = f"{plural(used, 'sale')} {'belongs' if used == 1 else 'belong'} to “{row['name']}”."
            raise Refused.because("promotion.used", f"{what} Take them out of it first.", "code")
        with history.change_set(tx, actor, "promotion.remove", f"Promotion taken away: {row['name']}") as recorder:
            recorder.removed("promotion", promotion_id, _kept(row), row["version"] + 1)
            declared.delete(tx, PROMOTION, promotion_id)

    ctx.db.run(work)
