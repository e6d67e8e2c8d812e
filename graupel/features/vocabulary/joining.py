"""Joining near-doubles, and deleting words that are, or were, in use."""

from collections.abc import Mapping
from dataclasses import dataclass

from graupel.context import Context
from graupel.core import doubles
from graupel.core.errors import NotFound, Refused
from graupel.core.roles import Actor, Role
from graupel.db import Tx
from graupel.db.rows import picked
from graupel.features.history import records
from graupel.features.history import service as history
from graupel.features.vocabulary import references, sharing, store
from graupel.features.vocabulary.choice_writing import CHOICE_FIELDS
from graupel.features.vocabulary.references import Use

WORDS = {"brand": "brand", "tag": "tag", "type": "product type", "attribute_choice": "choice", "attribute": "attribute"}
ADDRESSES = {"brand": "brands", "tag": "tags", "type": "types", "attribute": "attributes"}


@dataclass(frozen=True)
class Pair:
    """Two records that look alike: the one that is used more stays, unless told otherwise."""

    kind: str
    gone: int
    gone_name: str
    gone_products: int
    into: int
    into_name: str
    into_products: int
    why: str
    within: str = ""


def all_doubles(ctx: Context, actor: Actor) -> list[Pair]:
    """Near-doubles over the whole vocabulary: brands, tags, types, attributes, and the choices of each attribute."""
    actor.require(Role.VIEWER)

    def work(tx: Tx) -> list[Pair]:
        found = []
        for kind in ("brand", "tag", "type"):
            found += _pairs(ctx, tx, kind, {row["id"]: row["name"] for row in store.names(tx, kind)})
        shared = store.attributes(tx)
        found += _pairs(ctx, tx, "attribute", {row["id"]: row["name"] for row in shared})
        labels: dict[int, dict[int, str]] = {}
        for row in store.choices(tx, [row["id"] for row in shared]):
            labels.setdefault(row["attribute_id"], {})[row["id"]] = row["label"]
        for attribute in shared:
            found += _pairs(ctx, tx, "attribute_choice", labels.get(attribute["id"], {}), attribute["name"])
        return found

    return ctx.db.run(lambda tx: ctx.counts.get((history.written_stamp(tx), "doubles"), lambda: work(tx)))


def _pairs(ctx: Context, tx: Tx, kind: str, names: Mapping[int, str], within: str = "") -> list[Pair]:
    alike = doubles.pairs(names)
    if not alike:
        return []
    counts = references.product_counts(tx, kind, ctx.settings.language)
    found = []
    for one, other, why in alike:
        gone, into = (one, other) if counts.get(other, 0) > counts.get(one, 0) else (other, one)
        found.append(
            Pair(kind, gone, names[gone], counts.get(gone, 0), into, names[into], counts.get(into, 0), why, within)
        )
    return found


@dataclass(frozen=True)
class JoinPlan:
    """What putting ``into`` in the place of ``gone`` does; ``into`` None: it is only taken away."""

    kind: str
    gone: int
    gone_name: str
    use: Use
    into: int | None
    into_name: str
    clashes: list[int]
    others: list[tuple[int, str]]


def plan(ctx: Context, actor: Actor, kind: str, gone: int, into: int | None) -> JoinPlan:
    """The dry run of a join or deletion. Raises NotFound."""
    actor.require(Role.EDITOR)
    return ctx.db.run(lambda tx: _plan(ctx, tx, kind, gone, into))


def _plan(ctx: Context, tx: Tx, kind: str, gone: int, into: int | None) -> JoinPlan:
    lang = ctx.settings.language
    others = dict(_names(tx, kind, gone))
    if gone not in others:
        raise NotFound(f"This {WORDS[kind]} is not there any more.")
    if into is not None and (into not in others or into == gone):
        raise NotFound(f"The {WORDS[kind]} that is to take its place is not there any more.")
    return JoinPlan(
        kind,
        gone,
        others.pop(gone),
        references.use_of(tx, kind, gone, lang),
        into,
        others.get(into or 0, ""),
        references.clashes(tx, kind, gone, into, lang) if into is not None else [],
        list(others.items()),
    )


def _names(tx: Tx, kind: str, record_id: int) -> list[tuple[int, str]]:
    """The record and those that could take its place: of the same attribute, or of the same kind of value."""
    if kind in store.NAMED:
        return [(row["id"], row["name"]) for row in store.names(tx, kind)]
    if kind == "attribute_choice":
        choice = next(iter(store.choices_by_ids(tx, [record_id])), None)
        return [(c["id"], c["label"]) for c in store.choices(tx, [choice["attribute_id"]])] if choice else []
    row = store.attribute(tx, record_id)
    return [
        (a["id"], a["name"])
        for a in (store.attributes(tx, row["product_id"]) if row else [])
        if row and a["kind"] == row["kind"] and a["family"] == row["family"]
    ]


def join(ctx: Context, actor: Actor, kind: str, gone: int, into: int | None) -> None:
    """Put ``into`` in the place of ``gone`` everywhere and delete that; one change set, which can be rolled back.

    Without ``into`` it is deleted where nothing refers to it, a brand or tag also where it is used: then its products
    have none. Raises Refused, NotFound.
    """
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> None:
        found = _plan(ctx, tx, kind, gone, into)
        if into is None and found.use.total and kind not in ("brand", "tag"):
            raise Refused.because(
                "vocabulary.in_use",
                f"{found.gone_name} is used by {found.use.products} products. Choose what takes its place.",
            )
        title = f"{found.gone_name} joined with {found.into_name}" if into else f"{found.gone_name} deleted"
        with history.change_set(tx, actor, f"{kind}.join" if into else f"{kind}.delete", title) as recorder:
            if kind == "attribute" and into is not None:
                sharing.join_within(tx, recorder, gone, into, ctx.settings.language)
            else:
                references.replace(tx, recorder, kind, gone, into, ctx.settings.language)
            _remove(tx, recorder, kind, gone)

    ctx.db.run(work)


def _remove(tx: Tx, recorder: history.Recorder, kind: str, record_id: int) -> None:
    if kind == "attribute":
        sharing.remove_within(tx, recorder, record_id)
        return
    if kind == "attribute_choice":
        row = store.choices_by_ids(tx, [record_id])[0]
        recorder.removed(kind, record_id, picked(row, CHOICE_FIELDS), row["version"] + 1)
        store.delete_choice(tx, record_id)
        return
    found = store.named(tx, kind, record_id, lock=True)
    assert found is not None
    if kind == "type":
        for one in store.type_attributes(tx, [record_id]):
            fields = records.kind_of("type_attribute").fields
            recorder.removed("type_attribute", one["id"], picked(one, fields), one["version"] + 1)
            store.delete_type_attribute(tx, one["id"])
    if kind == "brand":
        for tagging in store.taggings(tx, "brand", [record_id]):
            values = picked(tagging, ("tag_id", "kind", "record_id"))
            recorder.removed("tagging", tagging["id"], values, tagging["version"] + 1)
            store.delete_tagging(tx, tagging["id"])
    values = picked(found, records.kind_of(kind).fields)
    recorder.removed(kind, record_id, values, found["version"] + 1)
    store.delete_named(tx, kind, record_id)


def address(ctx: Context, kind: str, record_id: int) -> str:
    """The page on which a record of the vocabulary stands."""
    if kind != "attribute_choice":
        return f"/vocabulary/{ADDRESSES[kind]}/{record_id}"
    found = ctx.db.run(lambda tx: store.choices_by_ids(tx, [record_id]))
    if not found:
        raise NotFound("This choice is not there any more.")
    return f"/vocabulary/attributes/{found[0]['attribute_id']}"
