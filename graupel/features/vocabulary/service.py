"""Reading the vocabulary, and what a merchant does with brands and tags."""

import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from graupel.context import Context
from graupel.core import doubles
from graupel.core.attributes import Attribute, AttributeKind, Choice
from graupel.core.doubles import Double
from graupel.core.errors import NotFound, Refused
from graupel.core.product_types import Need, ProductType, TypeAttribute
from graupel.core.resolve import Lens
from graupel.core.roles import Actor, Role
from graupel.db import DuplicateKey, Tx
from graupel.features.history import meeting
from graupel.features.history import service as history
from graupel.features.history.meeting import Marks
from graupel.features.vocabulary import references, store
from graupel.features.vocabulary.rows import TypeRow
from graupel.features.wording import service as wording

LENGTHS = {"brand": 120, "tag": 60, "type": 80}
WORDS = {"brand": "brand", "tag": "tag", "type": "product type"}
EXAMPLES = {"brand": "Carrow Mill", "tag": "summer", "type": "Yarn"}


@dataclass(frozen=True)
class Vocabulary:
    """The attributes, types, brands and tags as they are at a moment. ``attributes``: with private ones if asked."""

    attributes: Mapping[int, Attribute]
    types: Mapping[int, ProductType]
    brands: Mapping[int, str]
    tags: Mapping[int, str]

    def type_of(self, type_id: int | None) -> ProductType | None:
        """A product type, or None."""
        return self.types.get(type_id or 0)


def load(tx: Tx, product_id: int | None = None) -> Vocabulary:
    """The whole vocabulary as a transaction sees it; with the private attributes of a product, if one is named."""
    attributes = load_attributes(tx, store.attributes(tx, product_id))
    rows = store.types(tx)
    members: dict[int, list[TypeAttribute]] = {}
    for row in store.type_attributes(tx, [row["id"] for row in rows]):
        if row["attribute_id"] in attributes:
            members.setdefault(row["type_id"], []).append(_type_attribute(row, attributes))
    return Vocabulary(
        attributes,
        {
            row["id"]: ProductType(
                row["id"],
                row["name"],
                tuple(members.get(row["id"], ())),
                row["code_prefix"],
                row["next_number"],
                row["delivered"],
                row["layout"],
            )
            for row in rows
        },
        {row["id"]: row["name"] for row in store.names(tx, "brand")},
        {row["id"]: row["name"] for row in store.names(tx, "tag")},
    )


def current(ctx: Context, tx: Tx, product_id: int | None = None) -> Vocabulary:
    """The vocabulary for looking, not for deciding: what is shared is kept until the catalogue changes."""
    shared = ctx.counts.get((history.written_stamp(tx), "vocabulary"), lambda: load(tx))
    own = tx.remembered(("own attributes", product_id), lambda: _own(tx, product_id)) if product_id else {}
    return replace(shared, attributes={**shared.attributes, **own}) if own else shared


def _own(tx: Tx, product_id: int) -> dict[int, Attribute]:
    return load_attributes(tx, store.attributes_of_product(tx, product_id))


def read(ctx: Context, product_id: int | None = None) -> Vocabulary:
    """The vocabulary; everybody may see it."""
    return ctx.db.run(lambda tx: current(ctx, tx, product_id))


def seen(ctx: Context, lens: Lens, product_id: int | None = None) -> Vocabulary:
    """The vocabulary with the names and labels that buyers read through a lens."""
    return ctx.db.run(lambda tx: through(ctx, tx, lens, product_id))


def through(ctx: Context, tx: Tx, lens: Lens, product_id: int | None = None) -> Vocabulary:
    """The same within a transaction."""
    words = current(ctx, tx, product_id)
    if not lens.lang:
        return words
    said = ctx.counts.get((history.written_stamp(tx), "vocabulary in", lens.chain), lambda: _translations(tx, lens))
    return in_words(words, *said)


def _translations(tx: Tx, lens: Lens) -> tuple[dict[int, str], dict[int, str]]:
    """Names of attributes and labels of choices by id, in the first language of a lens that has one."""
    return wording.in_lens(tx, "attribute", "name", lens), wording.in_lens(tx, "choice", "label", lens)


def in_words(words: Vocabulary, names: Mapping[int, str], labels: Mapping[int, str]) -> Vocabulary:
    """The vocabulary with other names of attributes and labels of choices."""
    attributes = {
        key: replace(
            one,
            name=names.get(key, one.name),
            choices=tuple(replace(c, label=labels.get(c.id, c.label)) for c in one.choices),
        )
        for key, one in words.attributes.items()
    }
    types = {
        key: replace(one, attributes=tuple(replace(m, attribute=attributes[m.attribute.id]) for m in one.attributes))
        for key, one in words.types.items()
    }
    return replace(words, attributes=attributes, types=types)


def load_attributes(tx: Tx, rows: Sequence[Mapping[str, Any]]) -> dict[int, Attribute]:
    """Attributes with their choices, by id, in the order of the rows."""
    choices: dict[int, list[Choice]] = {}
    for row in store.choices(tx, [row["id"] for row in rows]):
        choices.setdefault(row["attribute_id"], []).append(choice_of(row))
    return {
        row["id"]: Attribute(
            row["id"],
            row["name"],
            AttributeKind(row["kind"]),
            row["family"],
            row["unit"],
            row["help"],
            row["product_id"],
            tuple(choices.get(row["id"], ())),
            bool(row["unit_fixed"]),
        )
        for row in rows
    }


def choice_of(row: Mapping[str, Any]) -> Choice:
    """A choice from its row."""
    picture = f"/media/{row['swatch_sha']}/thumb" if row["swatch_sha"] else None
    return Choice(row["id"], row["label"], row["code"], row["swatch"], row["swatch_media_id"], row["position"], picture)


def _type_attribute(row: Mapping[str, Any], attributes: Mapping[int, Attribute]) -> TypeAttribute:
    when = (row["when_attribute_id"], row["when_choice_id"]) if row["when_choice_id"] else None
    return TypeAttribute(
        attributes[row["attribute_id"]], row["group_name"], Need(row["need"]), when, bool(row["may_differ"])
    )


# --- brands and tags -----------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Named:
    """A brand, tag or type, and how many products use it."""

    id: int
    name: str
    products: int


def list_named(ctx: Context, actor: Actor, kind: str) -> list[Named]:
    """All of a kind, in alphabetical order."""
    actor.require(Role.VIEWER)

    def work(tx: Tx) -> list[Named]:
        counts = references.product_counts(tx, kind, ctx.settings.language)
        return [Named(row["id"], row["name"], counts.get(row["id"], 0)) for row in store.names(tx, kind)]

    return ctx.db.run(work)


def product_counts(ctx: Context, kind: str) -> dict[int, int]:
    """How many products use each record of a kind."""
    return ctx.db.run(
        lambda tx: ctx.counts.get(
            (history.written_stamp(tx), "uses", kind),
            lambda: references.product_counts(tx, kind, ctx.settings.language),
        )
    )


@dataclass(frozen=True)
class NamedDetail:
    """One brand, tag or type, where it is used, and names much like it."""

    id: int
    name: str
    version: int
    use: references.Use
    doubles: list[tuple[int, Double]] = field(default_factory=list)
    tags: list[str] = field(default_factory=list)


def read_named(ctx: Context, actor: Actor, kind: str, record_id: int) -> NamedDetail:
    """One of them. Raises NotFound."""
    actor.require(Role.VIEWER)

    def work(tx: Tx) -> NamedDetail:
        row = store.named(tx, kind, record_id)
        if row is None:
            raise NotFound(f"There is no {WORDS[kind]} {record_id}.")
        return NamedDetail(
            record_id,
            row["name"],
            row["version"],
            references.use_of(tx, kind, record_id, ctx.settings.language),
            _doubles(tx, kind, row["name"]),
            [g["name"] for g in store.taggings(tx, kind, [record_id])] if kind == "brand" else [],
        )

    return ctx.db.run(work)


def _doubles(tx: Tx, kind: str, name: str) -> list[tuple[int, Double]]:
    ids = {row["name"]: row["id"] for row in store.names(tx, kind)}
    return [(ids[double.other], double) for double in doubles.near(name, ids)]


@dataclass(frozen=True)
class Made:
    """A record that was made, or was there, and the names that look much like it."""

    id: int
    name: str
    is_new: bool
    doubles: list[Double] = field(default_factory=list)


def make(ctx: Context, actor: Actor, kind: str, name: str) -> Made:
    """The brand, tag or type of this name, made where it is not there, with those that look like it. Raises Refused."""
    actor.require(Role.EDITOR)
    name = parse_name(kind, name)

    def work(tx: Tx) -> Made:
        known = store.by_name(tx, kind, name)
        if known is not None:
            return Made(known, name, False)
        near = [double for _, double in _doubles(tx, kind, name)]
        with history.change_set(tx, actor, f"{kind}.make", f"{WORDS[kind].capitalize()} made: {name}") as recorder:
            return Made(make_within(tx, recorder, kind, name), name, True, near)

    try:
        return ctx.db.run(work)
    except DuplicateKey:  # somebody made the same at the same moment
        return ctx.db.run(work)


#: What a new word holds beside its name.
_AT_FIRST = {"type": {"code_prefix": "", "delivered": "", "layout": ""}}


def names_of(tx: Tx, kind: str) -> dict[int, str]:
    """All brands, tags or types."""
    return {row["id"]: row["name"] for row in store.names(tx, kind)}


def make_within(tx: Tx, recorder: history.Recorder, kind: str, name: str) -> int:
    """The id of the brand, tag or type of a clean name, made and recorded where it is not there."""
    known = store.by_name(tx, kind, name)
    if known is not None:
        return known
    record_id = store.insert_named(tx, kind, name)
    recorder.made(kind, record_id, {"name": name, **_AT_FIRST.get(kind, {})})
    return record_id


def parse_name(kind: str, text: str) -> str:
    """A name on one line. Raises Refused where it is empty or too long."""
    name = re.sub(r"\s+", " ", re.sub(r"[\x00-\x1f\x7f]", " ", text)).strip()
    if not name or len(name) > LENGTHS[kind]:
        raise Refused.because(
            f"{kind}.name",
            f"A {WORDS[kind]} needs a name of 1 to {LENGTHS[kind]} characters, such as {EXAMPLES[kind]}.",
            "name",
        )
    return name


def rename(
    ctx: Context,
    actor: Actor,
    kind: str,
    record_id: int,
    name: str,
    tags: Iterable[str] | None = None,
    marks: Marks = None,
) -> None:
    """Another name for a brand or tag, and of a brand its tags, with what others changed since the page was made.

    ``tags``: None leaves them. Raises Refused where another has the name: then the two can be joined; Outdated.
    """
    actor.require(Role.EDITOR)
    name = parse_name(kind, name)
    wanted = None if tags is None else _tag_names(tags)

    def work(tx: Tx) -> None:
        row = locked(tx, kind, record_id)
        there = flat_name(row["name"], tags_of(tx, kind, [record_id]).get(record_id, []))
        mine = flat_name(name, there["tags"] if wanted is None else wanted)
        both = meeting.bring_together(tx, {kind: [record_id]}, marks, mine, there, str.capitalize)
        title = f"{WORDS[kind].capitalize()} renamed: {row['name']} → {both['name']}"
        with history.change_set(tx, actor, f"{kind}.rename", title) as recorder:
            rename_within(tx, recorder, kind, row, both["name"])
            if wanted is not None:
                set_tags(tx, recorder, kind, record_id, [make_within(tx, recorder, "tag", one) for one in both["tags"]])

    try:
        ctx.db.run(work)
    except DuplicateKey as error:
        raise Refused.because(
            f"{kind}.taken", f"There is a {WORDS[kind]} “{name}” already. Join the two instead.", "name"
        ) from error


def locked(tx: Tx, kind: str, record_id: int) -> TypeRow:
    """The row of a brand or tag, which nobody else writes meanwhile. Raises NotFound."""
    row = store.named(tx, kind, record_id, lock=True)
    if row is None:
        raise NotFound(f"There is no {WORDS[kind]} {record_id}.")
    return row


def rename_within(tx: Tx, recorder: history.Recorder, kind: str, row: Mapping[str, Any], name: str) -> None:
    """Another name for the brand or tag of a row, within another act. Raises DuplicateKey."""
    if recorder.changed(kind, row["id"], {"name": row["name"]}, {"name": name}, row["version"] + 1):
        store.rename(tx, kind, row["id"], name)


def flat_name(name: str, tags: Iterable[str]) -> dict[str, Any]:
    """What the page of a brand or tag shows, as plain data."""
    return {"name": name, "tags": sorted(tags)}


# --- taggings ------------------------------------------------------------------------------------------------


def tag_ids_of(tx: Tx, kind: str, record_id: int) -> tuple[int, ...]:
    """The tags that a record carries, in alphabetical order."""
    return tuple(row["tag_id"] for row in store.taggings(tx, kind, [record_id]))


def tags_of(tx: Tx, kind: str, record_ids: Sequence[int]) -> dict[int, list[str]]:
    """The names of the tags that records carry, by the records' ids."""
    found: dict[int, list[str]] = {}
    for row in store.taggings(tx, kind, record_ids):
        found.setdefault(row["record_id"], []).append(row["name"])
    return found


def set_tags(tx: Tx, recorder: history.Recorder, kind: str, record_id: int, tag_ids: Iterable[int]) -> bool:
    """Make a record's tags these; returns whether anything differed. Raises Refused for a tag that is not there."""
    wanted = set(tag_ids)
    there = {row["tag_id"]: row for row in store.taggings(tx, kind, [record_id])}
    if len(store.names_of(tx, "tag", sorted(wanted))) != len(wanted):
        raise Refused.because("tag.unknown", "A tag is not there any more. Choose it again.", "tags")
    for tag_id in there.keys() - wanted:
        row = there[tag_id]
        recorder.removed(
            "tagging", row["id"], {"tag_id": tag_id, "kind": kind, "record_id": record_id}, row["version"] + 1
        )
        store.delete_tagging(tx, row["id"])
    for tag_id in sorted(wanted - there.keys()):
        tagging_id = store.insert_tagging(tx, tag_id, kind, record_id)
        recorder.made("tagging", tagging_id, {"tag_id": tag_id, "kind": kind, "record_id": record_id})
    return wanted != there.keys()


def _tag_names(names: Iterable[str]) -> list[str]:
    """Clean names of tags, each once. Raises Refused."""
    return list(dict.fromkeys(parse_name("tag", name) for name in names if name.strip()))
