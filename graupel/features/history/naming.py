"""Rows of the journal in words: what their records, fields and values are called."""

from collections.abc import Mapping, Sequence
from typing import Any

from graupel.core.records import Field, FieldKind
from graupel.core.showing import show
from graupel.db import Tx
from graupel.features.history import records, store
from graupel.features.history.records import Shown

#: Names of records by kind and id.
Names = dict[tuple[str, int], Shown]
#: The fields by which records are called, the first that is there.
_NAMING = ("name", "label", "sku", "file_name", "alt", "code")


def names(tx: Tx, rows: Sequence[Mapping[str, Any]]) -> Names:
    """Names of the records of rows, and of all that their fields refer to; of those that are gone as they were last."""
    wanted: dict[str, set[int]] = {}
    for row in rows:
        wanted.setdefault(row["record_kind"], set()).add(row["record_id"])
        for name, column in records.kind_of(row["record_kind"]).fields.items():
            if column.refers_to:
                values = [(row.get(side) or {}).get(name) for side in ("was", "became", "now")]
                wanted.setdefault(column.refers_to, set()).update(int(value) for value in values if value is not None)
    found = {
        (kind, record_id): shown
        for kind, ids in wanted.items()
        if ids
        for record_id, shown in records.kind_of(kind).describe(tx, sorted(ids)).items()
    }
    gone = {kind: [key for key in ids if (kind, key) not in found] for kind, ids in wanted.items()}
    return found | _gone(tx, gone)


def _gone(tx: Tx, wanted: Mapping[str, Sequence[int]]) -> Names:
    """Names of records that are not there any more, by what the journal took down as they went."""
    found: Names = {}
    for kind, ids in wanted.items():
        for row in store.removals(tx, kind, ids):
            own = _called(row["was"] or {})
            if own:
                found[kind, row["record_id"]] = Shown(own)
    return found


def _called(values: Mapping[str, Any]) -> str:
    return next((str(values[name]) for name in _NAMING if values.get(name)), "")


def in_words(found: Names, kind: str, name: str, value: Any) -> str:
    """A field's value in words; of one that refers to a record, its name."""
    field = _declared(kind, name)
    if field is None or not field.refers_to or value is None:
        return show(_kind(kind, field, value), value)
    shown = found.get((field.refers_to, int(value)))
    return shown.title if shown else f"number {value}"


def _kind(kind: str, field: Field | None, value: Any) -> FieldKind:
    """What kind of value a field holds; what is said of any record for a language may be a rich text."""
    if field and records.kind_of(kind).record.said_of[0] and str(value).startswith("<"):
        return FieldKind.RICH
    return field.kind if field else FieldKind.LINE


def label(kind: str, name: str) -> str:
    """What a field is called."""
    field = _declared(kind, name)
    return field.label if field else name.replace("_", " ").capitalize()


def old_name(tx: Tx, found: Names, row: Mapping[str, Any]) -> str:
    """What a record that is gone was called, by what the journal has of it: its own name, or what it joined."""
    values = {**(row["was"] or {}), **(row["became"] or {})}
    kind = records.kind_of(row["record_kind"])
    if kind.describe_values and (told := kind.describe_values(tx, values)):
        return told
    joined = [
        in_words(found, kind.name, field.name, values[field.name])
        for field in kind.record.fields
        if field.refers_to and values.get(field.name) is not None
    ]
    return _called(values) or ", ".join(joined) or f"number {row['record_id']}"


def _declared(kind: str, name: str) -> Field | None:
    """A field as it is declared; None of one that the journal has from before it was given up."""
    return next((field for field in records.kind_of(kind).record.fields if field.name == name), None)
