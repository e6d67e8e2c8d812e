"""Product types and their attributes as rows of a file: an attribute of a type each, or a type alone."""

from collections.abc import Iterator, Mapping, Sequence
from typing import Any

from graupel.context import Context
from graupel.core import record_cells, record_columns
from graupel.core.attributes import Attribute
from graupel.core.delivery import Way
from graupel.core.errors import Refused
from graupel.core.problems import Problem
from graupel.core.product_types import Need, ProductType, TypeAttribute
from graupel.core.record_declared import ARTICLES, NEEDS, WAYS
from graupel.core.record_files import RowsAre
from graupel.db import Tx
from graupel.features.files.records.clerks import Held, Said
from graupel.features.history import service as history
from graupel.features.vocabulary import service as vocabulary
from graupel.features.vocabulary import types


class TypeClerk:
    """All product types."""

    def __init__(self, ctx: Context, tx: Tx, langs: Sequence[str]) -> None:
        self.columns = record_columns.columns_of(RowsAre.TYPE, langs)
        self._tx = tx
        there = vocabulary.load(tx)
        self._attributes = {one.name.casefold(): one for one in there.attributes.values()}
        self._labels = {choice.id: (one, choice) for one in there.attributes.values() for choice in one.choices}
        self._by_name = {one.name.casefold(): one for one in there.types.values()}

    def named(self, said: Said) -> str:
        """The type and the attribute."""
        return f"{said['type']}: {said['attribute']}" if said.get("attribute") else said["type"]

    def understood(self, said: Said) -> Said:
        """With the attribute and the choice as they are called. Raises Refused where they are not there."""
        found = dict(said)
        if said.get("attribute"):
            found["attribute"] = self._attribute(said["attribute"], "attribute").name
        if said.get("when"):
            found["when"] = self._when_text(self._when(said["when"]))
        return found

    def _attribute(self, name: str, column: str) -> Attribute:
        found = self._attributes.get(name.casefold())
        if found is None:
            what = f"There is no attribute “{name[:60]}” that all goods share. Make it first, or mend the row."
            raise Refused([Problem("attribute.unknown", what, column)])
        return found

    def _when(self, text: str) -> int:
        """The id of a choice from "Material = Wool". Raises Refused."""
        name, _, label = text.partition(" = ")
        attribute = self._attribute(name, "when")
        for choice in attribute.choices:
            if choice.label.casefold() == label.casefold():
                return choice.id
        raise Refused([Problem("choice.unknown", f"{attribute.name} has no choice “{label[:60]}”.", "when")])

    def _when_text(self, choice_id: int) -> str:
        attribute, choice = self._labels[choice_id]
        return f"{attribute.name} = {choice.label}"

    def _there(self, said: Said) -> ProductType | None:
        """The type that a row means, also where it has its new name already."""
        return self._by_name.get(said["type"].casefold()) or self._by_name.get(said.get("new_name", "").casefold())

    def held(self, said: Said) -> Held | None:
        """The type, or its attribute, that a row means; None where it is not there."""
        there = self._there(said)
        if there is None:
            return None
        if not said.get("attribute"):
            return Held("type", there.id, _values(there))
        member = _member(there, said["attribute"])
        return Held("type", there.id, {**_values(there), **self._member_values(member)}) if member else None

    def _member_values(self, member: TypeAttribute) -> dict[str, str]:
        return {
            "group": member.group,
            "need": NEEDS[member.need],
            "when": self._when_text(member.when[1]) if member.when else "",
            "may_differ": "yes" if member.may_differ else "no",
        }

    def in_order(self, rows: Sequence[Said]) -> list[int]:
        """As they stand: new attributes come in their order."""
        return list(range(len(rows)))

    def begin(self, recorder: history.Recorder, rows: Sequence[Said]) -> list[str]:
        """They need nothing."""
        return []

    def write(self, recorder: history.Recorder, said: Said) -> Held:
        """Make the type of a row, and its attribute, what the row says. Raises Refused."""
        there = self._there(said) or self._made(recorder, said)
        types.write(self._tx, recorder, there.id, self._wanted(there, said))
        made = self._read(there.id)
        for name in (said["type"], made.name):  # other rows of it say its old name too
            self._by_name[name.casefold()] = made
        held = self.held(said)
        assert held is not None
        return held

    def _made(self, recorder: history.Recorder, said: Said) -> ProductType:
        if said.get("new_name", said["type"]) != said["type"]:
            what = f"There is no product type “{said['type']}” that could be called “{said['new_name']}”."
            raise Refused([Problem("type.none", what, "type")])
        return self._read(vocabulary.make_within(self._tx, recorder, "type", said["type"]))

    def _free_name(self, there: ProductType, name: str) -> str:
        other = self._by_name.get(name.casefold())
        if other and other.id != there.id:
            what = f"There is a product type “{other.name}” already. Join the two instead."
            raise Refused([Problem("type.taken", what, "new_name")])
        return name

    def _read(self, type_id: int) -> ProductType:
        return vocabulary.load(self._tx).types[type_id]

    def _wanted(self, there: ProductType, said: Said) -> Mapping[str, Any]:
        wanted = types.flat(there)
        if said.get("new_name"):
            wanted["name"] = self._free_name(there, said["new_name"])
        if "code_prefix" in said:
            wanted["code_prefix"] = said["code_prefix"]
        if "delivered" in said:
            way = record_cells.kept_of(WAYS, said["delivered"])
            wanted["delivered"] = "" if way == Way.SHIPPED else way
        if "layout" in said:
            wanted["layout"] = record_cells.kept_of(ARTICLES, said["layout"])
        if said.get("attribute"):
            self._with_member(wanted, there, said)
        return wanted

    def _with_member(self, wanted: dict[str, Any], there: ProductType, said: Said) -> None:
        attribute = self._attribute(said["attribute"], "attribute")
        group, need, when, may_differ = wanted.get(f"member-{attribute.id}", ["", str(Need.NO), None, False])
        group = said.get("group", group)
        need = record_cells.kept_of(NEEDS, said["need"]) if "need" in said else need
        if "when" in said:
            when = self._when(said["when"]) if said["when"] else None
            need = str(Need.WHEN) if when and "need" not in said else need
        may_differ = said["may_differ"] == "yes" if "may_differ" in said else may_differ
        wanted[f"member-{attribute.id}"] = [group, need, when if need == Need.WHEN else None, may_differ]
        if attribute.id not in wanted["order"]:
            wanted["order"] = [*wanted["order"], attribute.id]

    def end(self, recorder: history.Recorder) -> None:
        """Nothing is left to do."""

    def everything(self) -> Iterator[Said]:
        """All of them: a row for each attribute, one for a type without any."""
        for one in sorted(self._by_name.values(), key=lambda one: one.name.casefold()):
            for member in one.attributes or (None,):
                beside = self._member_values(member) if member else {}
                name = member.attribute.name if member else ""
                yield {"type": one.name, "attribute": name, **_values(one), **beside}


def _values(there: ProductType) -> dict[str, str]:
    delivered = there.delivered or str(Way.SHIPPED)
    return {
        "new_name": there.name,
        "code_prefix": there.code_prefix,
        "delivered": WAYS[delivered],
        "layout": ARTICLES[there.layout],
    }


def _member(there: ProductType, name: str) -> TypeAttribute | None:
    return next((one for one in there.attributes if one.attribute.name.casefold() == name.casefold()), None)
