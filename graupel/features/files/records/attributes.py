"""Attributes and their choices as rows of a file: a choice each, or an attribute alone."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from types import MappingProxyType
from typing import Any

from graupel.context import Context
from graupel.core import record_cells, record_columns, units
from graupel.core.attributes import Attribute, AttributeKind, Choice
from graupel.core.errors import Refused
from graupel.core.problems import Problem
from graupel.core.record_declared import VALUES
from graupel.core.record_files import RowsAre
from graupel.db import Tx
from graupel.features.files.records import clerks
from graupel.features.files.records.clerks import Held, Said
from graupel.features.files.records.swatches import Swatches
from graupel.features.history import service as history
from graupel.features.vocabulary import attributes
from graupel.features.vocabulary import service as vocabulary
from graupel.features.vocabulary.attributes import Definition

#: By field of an attribute, and of a choice, the column of its words.
_WORDS, _CHOICE_WORDS = {"name": "attribute", "help": "help"}, {"label": "choice"}


class AttributeClerk:
    """The attributes that all goods share, with their choices."""

    def __init__(
        self, ctx: Context, tx: Tx, langs: Sequence[str], members: Mapping[str, str] = MappingProxyType({})
    ) -> None:
        """``members``: names of files beside the table in a zip, by their names in small letters."""
        self.columns = record_columns.columns_of(RowsAre.ATTRIBUTE, langs)
        self._tx = tx
        there = list(vocabulary.load(tx).attributes.values())
        self._by_name = {one.name.casefold(): one for one in there}
        self._pictures = Swatches(
            tx, ctx.settings.address, (choice for one in there for choice in one.choices), members
        )
        choices = [choice.id for one in there for choice in one.choices]
        self._own: dict[tuple[str, int], Said] = {}
        #: By attribute and label, as rows say it, the choices that they mean, which may be called otherwise now.
        self._labels: dict[tuple[int, str], int] = {}
        self._note("attribute", clerks.own_words(tx, "attribute", [one.id for one in there], langs, _WORDS))
        self._note("choice", clerks.own_words(tx, "choice", choices, langs, _CHOICE_WORDS))

    def _there(self, said: Said) -> Attribute | None:
        """The attribute that a row means, also where it has its new name already."""
        return self._by_name.get(said["attribute"].casefold()) or self._by_name.get(
            said.get("new_attribute", "").casefold()
        )

    def _choice(self, there: Attribute, said: Said) -> Choice | None:
        """The choice that a row means, also where it has its new label already."""
        label = said.get("choice", "")
        renamed = there.choice(self._labels.get((there.id, label.casefold())))
        return renamed or _choice(there, label) or _choice(there, said.get("new_choice", ""))

    def _note(self, kind: str, own: Mapping[int, Said]) -> None:
        self._own |= {(kind, one): said for one, said in own.items()}

    def named(self, said: Said) -> str:
        """The attribute and the choice."""
        return f"{said['attribute']}: {said['choice']}" if said.get("choice") else said["attribute"]

    def understood(self, said: Said) -> Said:
        """With its unit as that is written, and its picture as the library names it. Raises Refused."""
        return self._pictures.understood(self._in_unit(said))

    def _in_unit(self, said: Said) -> Said:
        if not said.get("unit"):
            return said
        there = self._there(said)
        family = units.FAMILIES.get((there.measure if there else "") or "")
        found = family.unit(said["unit"]) if family else None if there else _unit_of(said["unit"])[1]
        if found is None:
            what = f" of {there.name}" if there else ""
            raise Refused([Problem("attribute.unit", f"“{said['unit']}” is no unit{what} that is known here.", "unit")])
        return {**said, "unit": found.sign}

    def held(self, said: Said) -> Held | None:
        """The attribute, or the choice, that a row means; None where it is not there."""
        there = self._there(said)
        if there is None:
            return None
        values = {**_values(there), **self._own.get(("attribute", there.id), {})}
        if not said.get("choice"):
            return Held("attribute", there.id, values)
        choice = self._choice(there, said)
        if choice is None:
            return None
        own = self._own.get(("choice", choice.id), {})
        return Held("attribute_choice", choice.id, {**values, **self._choice_values(choice), **own})

    def _choice_values(self, choice: Choice) -> dict[str, str]:
        picture = self._pictures.named(choice.swatch_media_id)
        return {
            "new_choice": choice.label,
            "code": choice.code,
            "swatch": choice.swatch or "",
            "swatch_picture": picture,
        }

    def in_order(self, rows: Sequence[Said]) -> list[int]:
        """As they stand: new choices come in their order."""
        return list(range(len(rows)))

    def begin(self, recorder: history.Recorder, rows: Sequence[Said]) -> list[str]:
        """They need nothing."""
        return []

    def write(self, recorder: history.Recorder, said: Said) -> Held:
        """Make the attribute and the choice of a row what it says. Raises Refused."""
        there = self._there(said) or self._make(recorder, said)
        if "kind" in said and said["kind"] != VALUES[there.kind]:
            what = f"The values of {there.name} are {VALUES[there.kind]}, and stay so. Make another attribute."
            raise Refused([Problem("attribute.kind", what, "kind")])
        label = said.get("choice", "")
        if label and not there.has_choices:
            raise Refused([Problem("choice.kind", f"{there.name} has no choices: it is no list.", "choice")])
        if label and self._choice(there, said) is None:
            if said.get("new_choice", label) != label:
                what = f"{there.name} has no choice “{label}” that could be called “{said['new_choice']}”."
                raise Refused([Problem("choice.none", what, "choice")])
            made = attributes.add_choices_within(self._tx, recorder, there.id, [label], compared=False).made
            there = replace(there, choices=(*there.choices, *made))
        there = self._changed(recorder, there, said)
        self._words(recorder, there, said)
        for name in (said["attribute"], there.name):  # other rows of it say its old name too
            self._by_name[name.casefold()] = there
        if choice := self._choice(there, said):
            self._labels[there.id, label.casefold()] = choice.id
        held = self.held(said)
        assert held is not None
        return held

    def _make(self, recorder: history.Recorder, said: Said) -> Attribute:
        if said.get("new_attribute", said["attribute"]) != said["attribute"]:
            what = f"There is no attribute “{said['attribute']}” that could be called “{said['new_attribute']}”."
            raise Refused([Problem("attribute.none", what, "attribute")])
        if "kind" not in said:
            what = f"“{said['attribute']}” is new: say what its values are, such as one choice."
            raise Refused([Problem("attribute.new", what, "kind")])
        kind = AttributeKind(record_cells.kept_of(VALUES, said["kind"]))
        family, unit = _unit_of(said["unit"]) if said.get("unit") else ("", None)
        wanted = Definition(said["attribute"], kind, f"{family}:{unit.sign}" if unit else "", said.get("help", ""))
        made = attributes.make_within(self._tx, recorder, wanted)
        return attributes.load_one(self._tx, made)

    def _changed(self, recorder: history.Recorder, there: Attribute, said: Said) -> Attribute:
        """Write what a row says of the attribute and its choice, as their page would."""
        wanted = attributes.flat(there)
        if said.get("new_attribute"):
            wanted["name"] = self._free_name(there, said["new_attribute"])
        if "help" in said:
            wanted["help"] = said["help"]
        if "unit_fixed" in said:
            wanted["unit_fixed"] = int(said["unit_fixed"] == "yes")
        if said.get("unit"):
            wanted["unit"] = said["unit"]
        if choice := self._choice(there, said):
            _, code, swatch, picture = wanted[f"choice-{choice.id}"]
            swatch = said["swatch"] or None if "swatch" in said else swatch
            picture = self._pictures.meant(said["swatch_picture"], picture) if "swatch_picture" in said else picture
            wanted[f"choice-{choice.id}"] = [
                self._free_label(there, choice, said.get("new_choice", "")),
                said.get("code") or code,
                swatch,
                picture,
            ]
        if wanted == attributes.flat(there):
            return there
        attributes.write(self._tx, recorder, there, wanted)
        return attributes.load_one(self._tx, there.id)

    def _free_name(self, there: Attribute, name: str) -> str:
        other = self._by_name.get(name.casefold())
        if other and other.id != there.id:
            what = f"There is an attribute “{other.name}” already. Join the two instead."
            raise Refused([Problem("attribute.taken", what, "new_attribute")])
        return name

    @staticmethod
    def _free_label(there: Attribute, choice: Choice, label: str) -> str:
        other = _choice(there, label)
        if other and other.id != choice.id:
            what = f"{there.name} has a choice “{other.label}” already. Join the two instead."
            raise Refused([Problem("choice.taken", what, "new_choice")])
        return label or choice.label

    def _words(self, recorder: history.Recorder, there: Attribute, said: Said) -> None:
        held = Held("attribute", there.id)
        clerks.write_words(self._tx, recorder, held, said, _WORDS, {"name": there.name, "help": there.help})
        self._note("attribute", {there.id: {**self._own.get(("attribute", there.id), {}), **_own(said, _WORDS)}})
        if choice := self._choice(there, said):
            held = Held("choice", choice.id)
            clerks.write_words(self._tx, recorder, held, said, _CHOICE_WORDS, {"label": choice.label})
            own = {**self._own.get(("choice", choice.id), {}), **_own(said, _CHOICE_WORDS)}
            self._note("choice", {choice.id: own})

    def end(self, recorder: history.Recorder) -> None:
        """Nothing is left to do."""

    def everything(self) -> Iterator[Said]:
        """All of them: a row for each choice, one for an attribute without any."""
        for one in self._by_name.values():
            for label in [choice.label for choice in one.choices] or [""]:
                held = self.held({"attribute": one.name, "choice": label})
                yield {**(held.values if held else {}), "attribute": one.name, "choice": label}


def _own(said: Said, names: Mapping[str, str]) -> Said:
    """What a row says in further languages of some columns."""
    return {name: text for name, text in said.items() if "." in name and name.rpartition(".")[2] in names.values()}


def _choice(there: Attribute, label: str) -> Choice | None:
    """A choice by its label, as it is written, else in any case of letters."""
    exact = next((one for one in there.choices if one.label == label), None)
    return exact or next((one for one in there.choices if one.label.casefold() == label.casefold()), None)


def _values(there: Attribute) -> dict[str, str]:
    fixed = "yes" if there.unit_fixed else "no"
    return {
        "new_attribute": there.name,
        "kind": VALUES[there.kind],
        "unit": there.unit or "",
        "unit_fixed": fixed,
        "help": there.help,
    }


def _unit_of(sign: str) -> tuple[str, Any]:
    """The family and the unit that a sign means; of several families the first."""
    for key, family in units.FAMILIES.items():
        if unit := family.unit(sign):
            return key, unit
    return "", None
