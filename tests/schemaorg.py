"""Structured data, held against the standard's own vocabulary.

tests/vendor/schemaorg.json is release 12.0 of schema.org, brought by scripts/vendor; a JSON Schema is made from it:
of every type the properties that it and what it descends from have, of each property what it may hold.
"""

import json
from functools import cache
from pathlib import Path
from typing import Any

import extruct
import jsonschema_rs

IRI = "https://schema.org/"
_WHERE = Path(__file__).parent / "vendor" / "schemaorg.json"
_DAY = r"^\d{4}-\d{2}-\d{2}"
_MOMENT = _DAY + r"T\d{2}:\d{2}(:\d{2}(\.\d+)?)?(Z|[+-]\d{2}:\d{2})?$"
#: What a value of each type of data looks like in JSON.
_DATA: dict[str, dict[str, Any]] = {
    "Text": {"type": "string", "minLength": 1},
    "URL": {"type": "string", "format": "uri"},
    "Number": {"anyOf": [{"type": "number"}, {"type": "string", "pattern": r"^-?\d+(\.\d+)?$"}]},
    "Integer": {"type": "integer"},
    "Boolean": {"type": "boolean"},
    "Date": {"type": "string", "pattern": _DAY + "$"},
    "DateTime": {"type": "string", "pattern": _MOMENT},
    "Time": {"type": "string", "pattern": r"^\d{2}:\d{2}"},
}


class Vocabulary:
    """The words of the standard, and which comes from which."""

    def __init__(self) -> None:
        found = json.loads(_WHERE.read_text(encoding="utf-8"))
        self.classes: dict[str, list[str]] = found["classes"]
        self.properties: dict[str, dict[str, list[str]]] = found["properties"]
        self.members: dict[str, list[str]] = found["members"]

    def above(self, name: str) -> set[str]:
        """A class with all that it descends from."""
        return {name}.union(*(self.above(one) for one in self.classes.get(name, ())))

    def below(self, name: str) -> list[str]:
        """A class with all that descend from it."""
        return sorted(one for one in self.classes if name in self.above(one))

    def held(self, name: str) -> dict[str, Any]:
        """What a property that holds this class may be: data, a member of an enumeration, or a thing of its own."""
        data = self.above(name) & _DATA.keys()
        if data:
            return _DATA[name if name in _DATA else min(data)]
        kinds = self.below(name)
        members = sorted(IRI + one for one, of in self.members.items() if set(of) & set(kinds))
        if "Enumeration" in self.above(name):
            return {"enum": members}
        thing = {"type": "object", "properties": {"@type": {"enum": kinds}}, "required": ["@type"]}
        return {"allOf": [thing, {"$ref": "#/$defs/Thing"}]}

    def body(self, name: str) -> dict[str, Any]:
        """What stands in a thing of this class: only its own properties."""
        above = self.above(name)
        own = {key: self._property(one) for key, one in self.properties.items() if above & set(one["of"])}
        ours = {"@type": True, "@context": {"const": IRI[:-1]}, "@id": _DATA["URL"]}
        return {"properties": {**ours, **own}, "additionalProperties": False}

    def _property(self, one: dict[str, list[str]]) -> dict[str, Any]:
        each = {"anyOf": [self.held(name) for name in one["holds"]]}
        return {"anyOf": [each, {"type": "array", "items": each, "minItems": 1}]}


@cache
def checker(kinds: tuple[str, ...]) -> jsonschema_rs.Validator:
    """What holds things of these classes against the standard; other classes are refused."""
    words = Vocabulary()
    known = [one for one in kinds if one in words.classes]
    named = [{"if": {"properties": {"@type": {"const": one}}}, "then": words.body(one)} for one in known]
    thing = {"type": "object", "required": ["@type"], "properties": {"@type": {"enum": known}}, "allOf": named}
    return jsonschema_rs.validator_for(
        {"$schema": "https://json-schema.org/draft/2020-12/schema", "$ref": "#/$defs/Thing", "$defs": {"Thing": thing}},
        validate_formats=True,
    )


def kinds_in(data: Any) -> set[str]:
    """All the classes that something names."""
    if isinstance(data, list):
        return set().union(*map(kinds_in, data)) if data else set()
    if not isinstance(data, dict):
        return set()
    return {str(data.get("@type", ""))}.union(*map(kinds_in, data.values()))


def wrong_with(data: dict[str, Any]) -> list[str]:
    """Where something is not as the standard says."""
    found = checker(tuple(sorted(kinds_in(data)))).iter_errors(data)
    return [f"{'/'.join(map(str, one.instance_path))}: {one.message}"[:300] for one in found]


def described(page: str, address: str) -> list[dict[str, Any]]:
    """The structured data of a page, as a reader of the web finds it. Fails where it is not as the standard says."""
    read = extruct.extract(page, base_url=address, syntaxes=["json-ld"], errors="strict")
    found: list[dict[str, Any]] = read["json-ld"]
    assert (wrong := [one for each in found for one in wrong_with(each)]) == [], wrong
    return found


def told(page: str, address: str) -> dict[str, str]:
    """What the page tells programs that show a link (Open Graph)."""
    (found,) = extruct.extract(page, base_url=address, syntaxes=["opengraph"], errors="strict")["opengraph"]
    return {name.removeprefix("og:"): value for name, value in found["properties"]}
