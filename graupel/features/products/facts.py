"""The sheet of facts in the editor: the type's attributes by group, private ones, and values that are set aside."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

from graupel.context import Context
from graupel.core import delivery, product_types
from graupel.core.attributes import Attribute
from graupel.core.errors import Refused
from graupel.core.product_types import Need, ProductType, TypeAttribute
from graupel.core.roles import Actor, Role
from graupel.core.typed import number
from graupel.db import Tx
from graupel.features.history import service as history
from graupel.features.products.service import Product
from graupel.features.vocabulary import attributes, types
from graupel.features.vocabulary.service import Vocabulary
from graupel.features.vocabulary.types import Member


@dataclass(frozen=True)
class Sheet:
    """What stands in the part. ``groups``: heading and its attributes; ``aside``: those with values that are kept.

    ``ships``: whether goods of this type are shipped, so that the form asks for their weight.
    """

    type: ProductType | None
    groups: list[tuple[str, list[TypeAttribute]]]
    aside: list[Attribute]
    others: list[Attribute]
    ships: bool


def sheet(words: Vocabulary, typed: Mapping[str, Any], product: Product | None) -> Sheet:
    """The sheet for the type that is chosen in the form. What variants differ by has no place on it."""
    type_id = typed.get("type_id") or 0
    kind = words.types.get(number(type_id) or 0)
    differs_by = product.differs_by if product else ()
    groups = [
        (group, [one for one in members if one.attribute.id not in differs_by])
        for group, members in (kind.groups if kind else [])
    ]
    filled = [a for a in words.attributes.values() if any(typed.get(f"fact-{a.id}", []))]
    on_sheet = {one.attribute.id for _, members in groups for one in members}
    own = [a for a in words.attributes.values() if a.product_id is not None and a.id not in differs_by]
    rest = [a for a in filled if a.id not in on_sheet and a.product_id is None and a.id not in differs_by]
    aside = product_types.set_aside(kind, rest)
    if kind is None:
        groups = [("", [TypeAttribute(attribute) for attribute in rest])]
    if own:
        groups.append(("Of this product only", [TypeAttribute(attribute) for attribute in own]))
    taken = on_sheet | {a.id for a in rest} | set(differs_by)
    others = [a for a in words.attributes.values() if a.product_id is None and a.id not in taken]
    said = str(typed.get("delivered") or "")
    way = delivery.way_of(said if said in tuple(delivery.Way) else "", kind.delivered if kind else "")
    shown = [(group, members) for group, members in groups if members]
    return Sheet(kind, shown, aside, others, way is delivery.Way.SHIPPED)


def add_attribute(
    ctx: Context,
    actor: Actor,
    product: Product,
    typed: Mapping[str, str],
    *,
    known: int | None = None,
    for_type: bool = False,
    type_id: int | None = None,
) -> None:
    """Make the attribute that was typed, private or in the product's type, or take a ``known`` one into the type.

    ``type_id``: the type that is chosen at this moment, where it is another than the product's. Raises Refused.
    """
    actor.require(Role.EDITOR)
    type_id = product.values.type_id if type_id is None else type_id
    if (for_type or known is not None) and type_id is None:
        raise Refused.because("type.missing", "Choose a type first, or make the attribute for this product only.")
    wanted = attributes.read_definition(typed) if known is None else None

    def work(tx: Tx) -> None:
        with history.change_set(tx, actor, "attribute.make", f"Attribute for {product.values.name}") as recorder:
            if wanted is not None and not for_type:
                attributes.make_within(tx, recorder, replace(wanted, product_id=product.id))
                return
            attribute_id = attributes.make_within(tx, recorder, _wanted(wanted)) if known is None else known
            assert type_id is not None
            types.add_member(tx, recorder, type_id, Member(attribute_id, need=Need.NO))

    attributes.naming_doubles(ctx, wanted.name if wanted else "", work)


def _wanted(wanted: attributes.Definition | None) -> attributes.Definition:
    if wanted is None:
        raise Refused.because("attribute.unknown", "Choose an attribute, or type a new one.")
    return wanted
