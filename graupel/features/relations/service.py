"""Which goods belong to a product, in which kinds and order; and the kinds themselves."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from graupel.context import Context
from graupel.core.declarations.relations import RELATION, RELATION_KIND
from graupel.core.errors import NotFound, Refused
from graupel.core.product_fields import one_line
from graupel.core.roles import Actor, Role
from graupel.db import DuplicateKey, Tx, declared
from graupel.features.history import meeting
from graupel.features.history import service as history
from graupel.features.history.meeting import Marks
from graupel.features.relations import cheaper, store
from graupel.features.relations.cheaper import Wish
from graupel.features.relations.rows import KindRow, RelatedRow, RelationRow
from graupel.features.variants.copying import Copied

#: A product has no more related goods.
MOST = 60
NAME_LENGTH = 80


@dataclass(frozen=True)
class Related:
    """A related product. ``product``: None where it is not there any more."""

    row: RelationRow
    product: RelatedRow | None


def kinds(tx: Tx) -> list[KindRow]:
    """The kinds of relation in their order."""
    return store.kinds(tx)


def of_product(ctx: Context, tx: Tx, product_id: int) -> list[Related]:
    """What is related to a product, by kind and place."""
    rows = store.of_product(tx, product_id)
    found = store.named(tx, [row["other_id"] for row in rows], ctx.settings.language)
    return [Related(row, found.get(row["other_id"])) for row in rows]


def flat(related: Sequence[Related]) -> dict[str, Any]:
    """What the part of a product shows, as plain data."""
    return {
        "related": [_key(one.row) for one in related],
        "together": sorted(f"{_key(one.row)} {said}" for one in related if (said := cheaper.said(one.row))),
    }


def _key(row: RelationRow) -> str:
    return f"{row['relation_kind_id']}.{row['other_id']}"


def relate(ctx: Context, actor: Actor, product_id: int, wishes: Sequence[Wish], name: str, marks: Marks = None) -> None:
    """Make these the related goods of a product, in this order. ``name``: the product's.

    Of a kind that holds both ways the other product has this one too, and no longer where it goes here.
    Raises Refused, Outdated.
    """
    actor.require(Role.EDITOR)
    typed = {f"{one.kind_id}.{one.other_id}": cheaper.typed(ctx, place, one) for place, one in enumerate(wishes)}

    def work(tx: Tx) -> None:
        known = {row["id"]: row for row in store.kinds(tx)}
        rows = store.of_product(tx, product_id, lock=True)
        there = store.named(tx, [one.other_id for one in wishes], ctx.settings.language)
        wanted = [
            f"{one.kind_id}.{one.other_id}"
            for one in wishes
            if one.kind_id in known and one.other_id in there and one.other_id != product_id
        ]
        mine = {
            "related": list(dict.fromkeys(wanted)),
            "together": sorted(f"{key} {said}" for key, said in typed.items() if said and key in wanted),
        }
        theirs = flat([Related(row, None) for row in rows])
        now = meeting.bring_together(tx, {"product": [product_id]}, marks, mine, theirs, _part_label)
        both, said = now["related"], dict(one.split(" ", 1) for one in now["together"])
        if len(both) > MOST:
            raise Refused.because("relation.many", f"A product has at most {MOST} related ones.", "related")
        with history.change_set(tx, actor, "product.relations", f"Related goods changed: {name}") as recorder:
            _write(tx, recorder, product_id, rows, {key: cheaper.columns(said.get(key, "")) for key in both}, known)

    ctx.db.run(work)


def _part_label(name: str) -> str:
    return "What goes with it" if name == "related" else "What costs less together"


def _write(
    tx: Tx,
    recorder: history.Recorder,
    product_id: int,
    rows: Sequence[RelationRow],
    wanted: Mapping[str, dict[str, Any]],
    known: Mapping[int, KindRow],
) -> None:
    left = {_key(row): row for row in rows}
    back = {(row["product_id"], row["relation_kind_id"]): row for row in _back(tx, product_id, rows, list(wanted))}
    for key in [key for key in left if key not in wanted]:
        row = left.pop(key)
        remove(tx, recorder, row)
        other = back.get((row["other_id"], row["relation_kind_id"]))
        if other and known[row["relation_kind_id"]]["mutual"]:
            remove(tx, recorder, other)
    for place, (key, costs) in enumerate(wanted.items()):
        kind_id, other_id = (int(part) for part in key.split("."))
        there = left.get(key)
        if there is None:
            insert(tx, recorder, product_id, kind_id, other_id, place, costs)
            if known[kind_id]["mutual"] and (other_id, kind_id) not in back:
                insert(tx, recorder, other_id, kind_id, product_id, store.count_of(tx, other_id, kind_id))
            continue
        after = {"position": place, **costs}
        before = {"position": there["position"], **cheaper.columns(cheaper.said(there))}
        if recorder.changed("relation", there["id"], before, after, there["version"] + 1):
            declared.update(tx, RELATION, there["id"], after)


def _back(tx: Tx, product_id: int, rows: Sequence[RelationRow], wanted: Sequence[str]) -> list[RelationRow]:
    others = {row["other_id"] for row in rows} | {int(key.partition(".")[2]) for key in wanted}
    return store.back(tx, product_id, sorted(others))


def insert(
    tx: Tx,
    recorder: history.Recorder,
    product_id: int,
    kind_id: int,
    other_id: int,
    position: int,
    costs: Mapping[str, Any] = cheaper.NO_LESS,
) -> None:
    """A new relation. ``costs``: what the other costs less together."""
    values = {
        "product_id": product_id,
        "relation_kind_id": kind_id,
        "other_id": other_id,
        "position": position,
        **costs,
    }
    recorder.made("relation", declared.insert(tx, RELATION, values), values)


def remove(tx: Tx, recorder: history.Recorder, row: RelationRow) -> None:
    """A relation goes."""
    values = {name: row[name] for name in RELATION.columns()}  # type: ignore[literal-required]
    recorder.removed("relation", row["id"], values, row["version"])
    declared.delete(tx, RELATION, row["id"])


def copy(copied: Copied) -> None:
    """A copy goes with what its original goes with; nothing else learns of it."""
    for row in store.of_product(copied.tx, copied.original):
        kind_id, other_id = row["relation_kind_id"], row["other_id"]
        costs = cheaper.columns(cheaper.said(row))
        insert(copied.tx, copied.recorder, copied.copy, kind_id, other_id, row["position"], costs)


# --- kinds ---------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class KindListed:
    """A kind with the number of relations of it."""

    row: KindRow
    count: int


def list_kinds(ctx: Context, actor: Actor) -> list[KindListed]:
    """The kinds of relation, in their order."""
    actor.require(Role.VIEWER)

    def work(tx: Tx) -> list[KindListed]:
        counts = store.counts(tx)
        return [KindListed(row, counts.get(row["id"], 0)) for row in store.kinds(tx)]

    return ctx.db.run(work)


def save_kind(
    ctx: Context, actor: Actor, kind_id: int | None, name: str, *, mutual: bool, offered: bool, marks: Marks = None
) -> None:
    """Make a kind of relation, or write it. Raises Refused, Outdated, NotFound."""
    actor.require(Role.EDITOR)
    plain = one_line(name, NAME_LENGTH, "A kind’s name", "relation")
    if not plain:
        raise Refused.because("relation.name", "A kind of relation needs a name, such as Goes well with.", "name")
    mine = {"name": plain, "mutual": int(mutual), "offered": int(offered)}

    def work(tx: Tx) -> None:
        rows = {row["id"]: row for row in store.kinds(tx, lock=True)}
        title = f"Kind of relation {'changed' if kind_id else 'made'}: {plain}"
        with history.change_set(tx, actor, "relation.kind", title) as recorder:
            if kind_id is None:
                values = mine | {"position": len(rows)}
                recorder.made("relation_kind", declared.insert(tx, RELATION_KIND, values), values)
                return
            row = rows.get(kind_id)
            if row is None:
                raise NotFound("This kind is not there any more.")
            theirs = {key: row[key] for key in mine}  # type: ignore[literal-required]
            now = meeting.bring_together(tx, {"relation_kind": [kind_id]}, marks, mine, theirs, _label)
            if recorder.changed("relation_kind", kind_id, theirs, now, row["version"] + 1):
                declared.update(tx, RELATION_KIND, kind_id, now)

    try:
        ctx.db.run(work)
    except DuplicateKey as error:
        raise Refused.because("relation.twice", f"There is a kind “{plain}” already.", "name") from error


def _label(name: str) -> str:
    return RELATION_KIND.field(name).label


def remove_kind(ctx: Context, actor: Actor, kind_id: int) -> None:
    """Take a kind away that nothing is related by. Raises Refused, NotFound."""
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> None:
        row = next((one for one in store.kinds(tx, lock=True) if one["id"] == kind_id), None)
        if row is None:
            raise NotFound("This kind is not there any more.")
        if store.counts(tx).get(kind_id):
            raise Refused.because(
                "relation.used", f"Goods are related by “{row['name']}”. Take them out first.", "name"
            )
        with history.change_set(tx, actor, "relation.kind", f"Kind of relation taken away: {row['name']}") as recorder:
            values = {name: row[name] for name in RELATION_KIND.columns()}  # type: ignore[literal-required]
            recorder.removed("relation_kind", kind_id, values, row["version"])
            declared.delete(tx, RELATION_KIND, kind_id)

    ctx.db.run(work)
