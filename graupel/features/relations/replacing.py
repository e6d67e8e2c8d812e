"""Another product in the place of one, wherever that is referred to: relations here, and what later areas add."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from graupel.context import Context
from graupel.core.declarations.relations import RELATION
from graupel.core.errors import NotFound, Refused
from graupel.core.roles import Actor, Role
from graupel.core.showing import plural
from graupel.db import DuplicateKey, Tx, declared
from graupel.features.history import service as history
from graupel.features.history.service import Recorder
from graupel.features.relations import store

#: So many places are read and shown at once; an act replaces no more.
MOST_PLACES = 5_000


@dataclass(frozen=True)
class Spot:
    """Where a product is referred to. ``what``: as what, in words; ``then``: what becomes of it.

    "" that it is replaced, else that and why it is taken out or left.
    """

    product_id: int
    name: str
    what: str
    then: str = ""


@dataclass(frozen=True)
class Referrer:
    """A kind of reference. ``find``: the places of a product, and what becomes of them with another in its place (0:
    none); ``replace``: does that."""

    find: Callable[[Context, Tx, int, int], Sequence[Spot]]
    replace: Callable[[Context, Tx, Recorder, int, int], None]


_REFERRERS: list[Referrer] = []


def register(referrer: Referrer) -> None:
    """Make a kind of reference known."""
    if referrer not in _REFERRERS:
        _REFERRERS.append(referrer)


def spots(ctx: Context, actor: Actor, product_id: int, by_id: int = 0) -> list[Spot]:
    """Where a product is referred to, and what would become of it with another in its place."""
    actor.require(Role.VIEWER)
    return ctx.db.run(lambda tx: [one for each in _REFERRERS for one in each.find(ctx, tx, product_id, by_id)])


def replace(ctx: Context, actor: Actor, product_id: int, by_id: int, shown: int) -> None:
    """Put another product in the place of one, everywhere. ``shown``: how many places the dry run named; with another
    number it has to be looked at again. Raises Refused, NotFound."""
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> None:
        named = store.named(tx, [product_id, by_id], ctx.settings.language)
        if by_id not in named or by_id == product_id:
            raise NotFound("This product is not there any more. Choose another.")
        there = [one for each in _REFERRERS for one in each.find(ctx, tx, product_id, by_id)]
        if len(there) != shown:
            said = f"It is referred to in {plural(len(there), 'place')} now, and {shown:,} were shown. Look again."
            raise Refused.because("replace.changed", said)
        was = named[product_id]["name"] if product_id in named else "a product that is gone"
        title = f"{named[by_id]['name']} in the place of {was}"
        with history.change_set(tx, actor, "product.replaced", title) as recorder:
            for each in _REFERRERS:
                each.replace(ctx, tx, recorder, product_id, by_id)

    try:
        ctx.db.run(work)
    except DuplicateKey as error:
        raise Refused.because("replace.changed", "Somebody changed one of the places meanwhile. Look again.") from error


# --- relations -----------------------------------------------------------------------------------------------


def _related(ctx: Context, tx: Tx, product_id: int, by_id: int) -> list[Spot]:
    rows = store.referring(tx, product_id, by_id, ctx.settings.language, MOST_PLACES)
    return [
        Spot(
            row["product_id"], row["name"], row["kind"], "taken out: it has the other already" if row["has_it"] else ""
        )
        for row in rows
    ]


def _replace_related(ctx: Context, tx: Tx, recorder: Recorder, product_id: int, by_id: int) -> None:
    found = store.referring(tx, product_id, by_id, ctx.settings.language, MOST_PLACES)
    has_it = {row["id"]: bool(row["has_it"]) for row in found}
    for row in store.by_ids(tx, list(has_it)):
        if has_it[row["id"]]:
            values = {name: row[name] for name in RELATION.columns()}  # type: ignore[literal-required]
            recorder.removed("relation", row["id"], values, row["version"])
            declared.delete(tx, RELATION, row["id"])
        elif recorder.changed("relation", row["id"], {"other_id": product_id}, {"other_id": by_id}, row["version"] + 1):
            declared.update(tx, RELATION, row["id"], {"other_id": by_id})


RELATED = Referrer(_related, _replace_related)
