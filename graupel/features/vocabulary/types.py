"""What a merchant does with product types."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from graupel.context import Context
from graupel.core.delivery import Way
from graupel.core.errors import NotFound, Refused
from graupel.core.product_types import ArticleLayout, Need, ProductType, code_of, parse_prefix
from graupel.core.roles import Actor, Role
from graupel.db import DuplicateKey, Tx
from graupel.db.rows import picked
from graupel.features.history import meeting
from graupel.features.history import service as history
from graupel.features.history.meeting import Marks
from graupel.features.vocabulary import references, service, store
from graupel.features.vocabulary.rows import TypeRow

FIELDS = ("group_name", "position", "need", "when_attribute_id", "when_choice_id", "may_differ")


@dataclass(frozen=True)
class Member:
    """An attribute of a type as the type's page has it, in its place of the order."""

    attribute_id: int
    group: str = ""
    need: Need = Need.NO
    when_choice_id: int | None = None
    may_differ: bool = False


@dataclass(frozen=True)
class TypeDetail:
    """A type and how it is used."""

    type: ProductType
    version: int
    use: references.Use
    vocabulary: service.Vocabulary


def read(ctx: Context, actor: Actor, type_id: int) -> TypeDetail:
    """One type. Raises NotFound."""
    actor.require(Role.VIEWER)

    def work(tx: Tx) -> TypeDetail:
        row = store.named(tx, "type", type_id)
        if row is None:
            raise NotFound(f"There is no product type {type_id}.")
        vocabulary = service.load(tx)
        use = references.use_of(tx, "type", type_id, ctx.settings.language)
        return TypeDetail(vocabulary.types[type_id], row["version"], use, vocabulary)

    return ctx.db.run(work)


def flat(found: ProductType) -> dict[str, Any]:
    """What the page of a type shows, as plain data; its attributes under "member-12", and their order."""
    said = {"name": found.name, "code_prefix": found.code_prefix, "delivered": found.delivered, "layout": found.layout}
    return _flat(said, members_of(found))


def members_of(found: ProductType) -> list[Member]:
    """Its attributes, as they are saved."""
    return [
        Member(o.attribute.id, o.group, o.need, o.when[1] if o.when else None, o.may_differ) for o in found.attributes
    ]


def _flat(said: Mapping[str, str], members: Sequence[Member]) -> dict[str, Any]:
    plain: dict[str, Any] = dict(said)
    for one in members:
        when = one.when_choice_id if one.need is Need.WHEN else None
        plain[f"member-{one.attribute_id}"] = [one.group, str(one.need), when, one.may_differ]
    return plain | {"order": [one.attribute_id for one in members]}


def _members_of(plain: Mapping[str, Any]) -> list[Member]:
    members = {key: plain.get(f"member-{key}") for key in plain["order"]}
    return [Member(key, one[0], Need(one[1]), one[2], one[3]) for key, one in members.items() if one]


def save(
    ctx: Context,
    actor: Actor,
    type_id: int,
    name: str,
    prefix: str,
    members: Sequence[Member],
    marks: Marks = None,
    delivered: str | None = None,
    layout: str | None = None,
) -> None:
    """Name, code prefix and attributes of a type, in order, with what others alone changed since it was made.

    ``delivered``: how its goods are, "" for shipped, and ``layout`` how their articles look; None leaves it.

    A product keeps its values of an attribute that the type no longer names: they are set aside, and come back
    with it. Raises Refused, NotFound, Outdated.
    """
    actor.require(Role.EDITOR)
    name, prefix = service.parse_name("type", name), parse_prefix(prefix)
    if delivered and delivered not in tuple(Way):
        raise Refused.because("delivered.unknown", "Goods are shipped, downloaded, or a service.", "delivered")

    if layout and layout not in tuple(ArticleLayout):
        raise Refused.because("layout.unknown", "Choose one of the layouts.", "layout")

    def work(tx: Tx) -> None:
        _locked(tx, type_id)
        there = service.load(tx).types[type_id]
        names = {f"member-{one.attribute.id}": one.attribute.name for one in there.attributes}
        both = meeting.bring_together(
            tx,
            {"type": [type_id]},
            marks,
            _flat(
                {
                    "name": name,
                    "code_prefix": prefix,
                    "delivered": _said(delivered, there),
                    "layout": there.layout if layout is None else layout,
                },
                members,
            ),
            flat(there),
            lambda field: names.get(field) or {"order": "The order"}.get(field, field.capitalize()),
        )
        with history.change_set(tx, actor, "type.change", f"Product type changed: {both['name']}") as recorder:
            write(tx, recorder, type_id, both)

    try:
        ctx.db.run(work)
    except DuplicateKey as error:
        raise Refused.because("type.taken", f"There is a product type “{name}” already.", "name") from error


def write(tx: Tx, recorder: history.Recorder, type_id: int, wanted: Mapping[str, Any]) -> None:
    """Make a type what is wanted, as ``flat`` has it, and record it. Raises Refused, NotFound."""
    row = _locked(tx, type_id)
    before = picked(row, ("name", "code_prefix", "delivered", "layout"))
    after = picked(wanted, before)
    if recorder.changed("type", type_id, before, after, row["version"] + 1):
        store.update_type(tx, type_id, after)
    save_members(tx, recorder, type_id, _members_of(wanted))


def _locked(tx: Tx, type_id: int) -> TypeRow:
    row = store.named(tx, "type", type_id, lock=True)
    if row is None:
        raise NotFound(f"There is no product type {type_id}.")
    return row


def _said(delivered: str | None, there: ProductType) -> str:
    return there.delivered if delivered is None else "" if delivered == Way.SHIPPED else delivered


def save_members(tx: Tx, recorder: history.Recorder, type_id: int, members: Sequence[Member]) -> None:
    """Make a type's attributes these, in this order. Raises Refused where one can't be."""
    attributes = service.load_attributes(tx, store.attributes(tx))
    ids = [member.attribute_id for member in members]
    if len(set(ids)) != len(ids) or not set(ids) <= attributes.keys():
        raise Refused.because("type.attributes", "An attribute is named twice, or is not there any more.", "attributes")
    there = {row["attribute_id"]: row for row in store.type_attributes(tx, [type_id])}
    for attribute_id in there.keys() - set(ids):
        row = there[attribute_id]
        values = {"type_id": type_id, "attribute_id": attribute_id, **picked(row, FIELDS)}
        recorder.removed("type_attribute", row["id"], values, row["version"] + 1)
        store.delete_type_attribute(tx, row["id"])
    owners = {choice.id: a.id for a in attributes.values() for choice in a.choices}
    for position, member in enumerate(members):
        values = _columns(member, position, owners)
        if values["may_differ"] and not attributes[member.attribute_id].can_vary:
            raise Refused.because(
                "type.may_differ", f"Variants can't differ by {attributes[member.attribute_id].name}.", "attributes"
            )
        _write_member(tx, recorder, type_id, member.attribute_id, there.get(member.attribute_id), values)


def add_member(tx: Tx, recorder: history.Recorder, type_id: int, member: Member) -> None:
    """Put one more attribute at the end of a type; one that is there already stays as it is."""
    there = store.type_attributes(tx, [type_id])
    if member.attribute_id in [row["attribute_id"] for row in there]:
        return
    position = max((row["position"] + 1 for row in there), default=0)
    values = {**_columns(member, position, {}), "group_name": there[-1]["group_name"] if there else ""}
    _write_member(tx, recorder, type_id, member.attribute_id, None, values)


def _columns(member: Member, position: int, owners: dict[int, int]) -> dict[str, Any]:
    conditional = member.need is Need.WHEN
    if conditional and member.when_choice_id not in owners:
        raise Refused.because(
            "type.when", "Choose the value that makes the attribute needed, or that it is needed always.", "attributes"
        )
    if conditional and owners[member.when_choice_id or 0] == member.attribute_id:
        raise Refused.because(
            "type.when_itself", "What makes an attribute needed is a value of another one.", "attributes"
        )
    return {
        "group_name": " ".join(member.group.split())[:60],
        "position": position,
        "need": str(member.need),
        "when_attribute_id": owners[member.when_choice_id or 0] if conditional else None,
        "when_choice_id": member.when_choice_id if conditional else None,
        "may_differ": int(member.may_differ),
    }


def _write_member(
    tx: Tx,
    recorder: history.Recorder,
    type_id: int,
    attribute_id: int,
    row: Mapping[str, Any] | None,
    values: dict[str, Any],
) -> None:
    if row is None:
        whole = {"type_id": type_id, "attribute_id": attribute_id, **values}
        recorder.made("type_attribute", store.insert_type_attribute(tx, whole), whole)
    elif recorder.changed("type_attribute", row["id"], picked(row, FIELDS), values, row["version"] + 1):
        store.update_type_attribute(tx, row["id"], values)


def next_code(tx: Tx, kind: ProductType | None) -> str | None:
    """A new product code of the type's scheme; None where it has none. The number is used up."""
    if kind is None or not kind.code_prefix:
        return None
    return code_of(kind.code_prefix, store.take_number(tx, kind.id))


def coming_code(tx: Tx, kind: ProductType | None) -> str:
    """The product code that the type's scheme gives next, without using it up; "" where it has none."""
    return code_of(kind.code_prefix, store.coming_number(tx, kind.id)) if kind and kind.code_prefix else ""


def use_code(tx: Tx, kind: ProductType | None, code: str) -> None:
    """Use up the type's next number, where this code is made of it."""
    if code and code == coming_code(tx, kind):
        next_code(tx, kind)
