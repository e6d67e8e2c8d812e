"""Reading and writing values for a destination or a language."""

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from graupel.core.resolve import Lens, Resolved, places, split_key
from graupel.db import Tx
from graupel.features.history import service as history
from graupel.features.wording import store


@dataclass(frozen=True)
class Own:
    """A value for a destination or a language; ``source``: the original that it translates, as it was then."""

    value: str
    source: str | None = None


def of_record(tx: Tx, kind: str, record_id: int) -> dict[str, Own]:
    """A record's own values by their keys ("c1.de.name")."""
    return of_records(tx, kind, [record_id]).get(record_id, {})


def of_records(tx: Tx, kind: str, ids: Sequence[int]) -> dict[int, dict[str, Own]]:
    """The own values of several records, by id and key; records without any are left out."""
    return _by_record(store.of_records(tx, kind, ids))


def of_variants(tx: Tx, product_id: int) -> dict[int, dict[str, Own]]:
    """The own values of a product's variants, by id and key."""
    return _by_record(store.of_variants(tx, product_id))


def _by_record(rows: Iterable[Mapping[str, Any]]) -> dict[int, dict[str, Own]]:
    found: dict[int, dict[str, Own]] = {}
    for row in rows:
        found.setdefault(row["record_id"], {})[_key(row)] = Own(row["value"], row["source"])
    return found


def _key(row: Mapping[str, Any]) -> str:
    return f"{row['destination']}.{row['lang']}.{row['field']}"


def in_lens(tx: Tx, kind: str, field: str, lens: Lens) -> dict[int, str]:
    """One field of all records of a kind, by id, as it is written nearest to a lens; not what stands with the record
    itself."""
    return {record_id: found.value or "" for record_id, found in resolved_in_lens(tx, kind, field, lens).items()}


def in_all_languages(tx: Tx, kind: str, field: str) -> dict[int, list[str]]:
    """What a field says in other languages, by record."""
    found: dict[int, list[str]] = {}
    for row in store.everywhere(tx, kind, field):
        found.setdefault(row["record_id"], []).append(row["value"])
    return found


def resolved_in_lens(tx: Tx, kind: str, field: str, lens: Lens) -> dict[int, Resolved[str]]:
    """The same with the places where it is written."""
    found: dict[int, tuple[int, str]] = {}
    near = places(lens, (kind,), worded=True)
    order = {(where.destination, where.lang): place for place, where in enumerate(near)}
    langs, wheres = list(lens.chain), list(dict.fromkeys(where.destination for where in near))
    for row in store.in_places(tx, kind, field, wheres, langs):
        held, place = found.get(row["record_id"]), order[row["destination"], row["lang"]]
        if held is None or place < held[0]:
            found[row["record_id"]] = (place, row["value"])
    return {record_id: Resolved(text, near[place]) for record_id, (place, text) in found.items()}


def save(
    tx: Tx,
    recorder: history.Recorder,
    kind: str,
    record_id: int,
    wanted: Mapping[str, str],
    originals: Mapping[str, str],
    confirmed: Collection[str] = (),
) -> bool:
    """Make a record's own values these, by key; an empty one is taken away. Returns whether anything differed.

    ``originals``: the words in the default language by field. What is written now counts as a translation of them;
    a translation that stays as it was keeps its source, so that it goes on being out of date, but for the keys in
    ``confirmed``: of these somebody said that they hold as they are.
    """
    there = {_key(row): row for row in store.of_records(tx, kind, [record_id])}
    differed = False
    for key in sorted({*there, *wanted}):
        _, lang, field = split_key(key)
        source = originals.get(field) if lang else None
        value, row = wanted.get(key, ""), there.get(key)
        said = write_one(tx, recorder, kind, record_id, key, value, source, row, confirm=key in confirmed)
        differed = differed or said
    return differed


def write_several(
    tx: Tx, recorder: history.Recorder, kind: str, values: Mapping[int, str], key: str, sources: Mapping[int, str]
) -> int:
    """Write one key's value for several records of a kind, "" takes it away; returns how many differed."""
    there = {row["record_id"]: row for row in store.of_records(tx, kind, list(values)) if _key(row) == key}
    said = [
        write_one(tx, recorder, kind, record_id, key, value, sources.get(record_id), there.get(record_id))
        for record_id, value in values.items()
    ]
    return sum(said)


def write_one(
    tx: Tx,
    recorder: history.Recorder,
    kind: str,
    record_id: int,
    key: str,
    value: str,
    source: str | None,
    row: Mapping[str, Any] | None,
    *,
    confirm: bool = False,
) -> bool:
    """Write one value where it differs from what is there (``row``); returns whether it did.

    ``confirm``: the value holds for ``source`` though it stays as it is.
    """
    destination, lang, field = split_key(key)
    whole = {"kind": kind, "record_id": record_id, "destination": destination, "lang": lang, "field": field}
    if row is None:
        if not value:
            return False
        made = whole | {"value": value, "source": source}
        recorder.made("own_value", store.insert(tx, made), made)
        return True
    if not value:
        gone = whole | {"value": row["value"], "source": row["source"]}
        recorder.removed("own_value", row["id"], gone, row["version"] + 1)
        store.delete(tx, row["id"])
        return True
    if value == row["value"] and not (confirm and source != row["source"]):
        return False
    after = {"value": value, "source": source}
    recorder.changed("own_value", row["id"], {name: row[name] for name in after}, after, row["version"] + 1)
    store.update(tx, row["id"], value, source)
    return True
