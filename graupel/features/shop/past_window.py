"""The whole shop window as it was at a moment, or will be by what is prepared.

What changed since is written back into a transaction that does not last, and drawn by what draws the shop of today.
Goods that files brought since are left out of what it shows, however many they are.
"""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from typing import Any, TypeVar

from graupel.caching import KeptCounts
from graupel.context import Context
from graupel.core.errors import Refused
from graupel.db import DuplicateKey, Tx
from graupel.features.assortments import gathering
from graupel.features.history import as_of, keeping, packs, restoring, scope
from graupel.features.history.following import Recorded, Wrote
from graupel.features.history.restoring import Difference
from graupel.features.prepared import service as prepared
from graupel.features.products import facet_index, summary

T = TypeVar("T")

#: Where more changes were made since a moment, the window is not put back to it: people would wait for it.
MOST = 5_000
#: What no buyer sees follows from these.
_UNSEEN = ("keeping", "stock_notice", "listing", "import_profile", "file_source", "file_outlet")


@dataclass(frozen=True)
class _Otherwise:
    """What has to be imagined: ``changes`` to write, and the goods that are to be left out: ``new`` products."""

    changes: Sequence[Difference]
    new: Sequence[int]


def then(ctx: Context, at: datetime, work: Callable[[Context, Tx], T], prepared_id: int | None = None) -> T:
    """Look at the shop window of a moment, UTC, with a context of that moment. ``prepared_id``: of a prepared change
    that counts as made at moments ahead. Raises Refused where the moment is forgotten, or too much changed since."""
    now = ctx.db.run(ctx.now)
    there = replace(ctx, counts=KeptCounts(), ahead=ctx.ahead + (at - now))
    ctx.db.run(lambda tx: facet_index.mark(ctx, tx))  # brought up to date before anything is imagined
    imagined: list[Context] = []

    def prepare(tx: Tx) -> None:
        found = _otherwise(ctx, tx, at, now, prepared_id)
        change_set_id = restoring.imagine(tx, ctx.settings.language, found.changes)
        touched = _brought_after(tx, ctx.settings.language, change_set_id, found.changes)
        back = [one.id for one in found.changes if one.kind == "category" and one.was is None]
        imagined.append(replace(there, keepers=facet_index.imagining(ctx, tx, touched, found.new, back)))

    try:
        return ctx.db.imagine(prepare, lambda tx: work(imagined[-1], tx))
    except DuplicateKey as error:
        raise Refused.because(
            "window.doubled",
            "The shop of that moment can’t be shown: a name of then stands for something else now. "
            "Choose a later moment.",
            "at",
        ) from error


def _otherwise(ctx: Context, tx: Tx, at: datetime, now: datetime, prepared_id: int | None) -> _Otherwise:
    lang = ctx.settings.language
    if at > now:
        return _Otherwise(as_of.one_by_one(prepared.until(tx, lang, at, prepared_id)), ())
    keeping.refuse_forgotten(tx, at)
    changes = as_of.all_since(tx, lang, _UNSEEN, at, MOST)
    moment = {"at": at.astimezone(UTC).replace(tzinfo=None), "most": MOST + 1}
    variants = _packed_variants(tx, moment)
    if changes is None or len(changes) + len(variants) > MOST:
        raise Refused.because(
            "window.too_much",
            f"More than {MOST:,} changes were made since that moment, too many to show the whole shop without them. "
            "Choose a later moment, or look at one product as it was: its page leads there.",
            "at",
        )
    held = scope.held(tx, lang, {"variant": variants})
    gone = [Difference("variant", key, version + 1, values, None) for (_, key), (version, values) in held.items()]
    added = set(variants)
    stay = [one for one in changes if one.kind != "variant" or one.id not in added]
    new = [int(row["id"]) for row in tx.all(packs.since_sql("product"), moment)]
    return _Otherwise([*stay, *gone], new)


def _packed_variants(tx: Tx, moment: Mapping[str, Any]) -> list[int]:
    """The variants that files added since to products that were there."""
    sql = f"""SELECT v.id FROM ({packs.since_sql("variant")}) m STRAIGHT_JOIN variant v ON v.id = m.id
              STRAIGHT_JOIN product p ON p.id = v.product_id WHERE p.made_at <= %(at)s LIMIT %(most)s"""
    return [int(row["id"]) for row in tx.all(sql, moment)]


def _brought_after(tx: Tx, lang: str, change_set_id: int, changes: Sequence[Difference]) -> list[int]:
    """Bring after what follows from the changes, and a buyer sees; the products that they touched."""
    recorded = Recorded(change_set_id, lang, (), Wrote(dict.fromkeys(one.kind for one in changes)))
    with summary.touched_by(tx, recorded) as touched:
        summary.summarise_touched(tx, touched)
        gathering.follow_products(tx, touched)
    gathering.refill_owners(tx, recorded)
    return summary.touched_ids(tx, change_set_id)
