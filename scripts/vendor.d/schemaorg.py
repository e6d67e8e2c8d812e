"""Reads the vocabulary of schema.org, as the standard publishes it, into what the tests make a JSON Schema of.

python schemaorg.py FOLDER_OF_A_RELEASE >tests/vendor/schemaorg.json
"""

import json
import sys
from pathlib import Path

DATA_TYPE = "DataType"


def names(value) -> list[str]:
    """The names that a value of the JSON-LD refers to."""
    found = value if isinstance(value, list) else [value] if value else []
    ids = [one["@id"] if isinstance(one, dict) else one for one in found]
    return sorted(one.removeprefix("schema:") for one in ids)


def compact(graph: list[dict]) -> dict:
    """Classes with their parents, properties with what they are of and what they hold, members of enumerations."""
    found: dict[str, dict] = {"classes": {}, "properties": {}, "members": {}}
    for one in graph:
        kinds, name = names(one["@type"]), one["@id"].removeprefix("schema:")
        if "rdfs:Class" in kinds:
            parents = names(one.get("rdfs:subClassOf"))
            found["classes"][name] = [*parents, DATA_TYPE] if DATA_TYPE in kinds else parents
        elif "rdf:Property" in kinds:
            held = {"of": names(one.get("schema:domainIncludes")), "holds": names(one.get("schema:rangeIncludes"))}
            found["properties"][name] = held
        else:
            found["members"][name] = kinds
    return found


if __name__ == "__main__":
    (release,) = sys.argv[1:]
    graph = json.loads(Path(release, "schemaorg-all-https.jsonld").read_text(encoding="utf-8"))["@graph"]
    lines = [
        f'"{part}": {{\n' + ",\n".join(f"{json.dumps(k)}: {json.dumps(v)}" for k, v in sorted(rows.items())) + "\n}"
        for part, rows in compact(graph).items()
    ]
    print("{\n" + ",\n".join(lines) + "\n}")
