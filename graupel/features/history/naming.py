"""Rows of the journal in words: what their records, fields and values are called."""

from collections.abc import Mapping, Sequence
from typing import Any

from graupel.core.records import Field, FieldKind
from graupel.core.showing import show
from graupel.db import Tx
from graupel.features.history import records
from graupel.features.history.records import Shown

#: Names of records by kind and id.
Names = dict[tuple[str, int], Shown]


def names(tx: Tx, rows: Sequence[Mapping[str, Any]]) -> Names:
    """Names of the records of rows, and of all that their fields refer to."""
    wanted: dict[str, set[int]] = {}
    for row in rows:
        wanted.setdefault(row["record_kind"], set()).add(row["record_id"])
        for name, column in records.kind_of(row["record_kind"]).fields.items():
            if column.refers_to:
                values = [(row.get(side) or {}).get(name) for side in ("was", "became", "now")]
                wanted.setdefault(column.refers_to, set()).update(int(value) for value in values if value is not None)
    return {
        (kind, record_id): shown
        for kind, ids in wanted.items()
        if ids
        for record_id, shown in records.kind_of(kind).describe(tx, sorted(ids)).items()
    }


def in_words(found: Names, kind: str, name: str, value: Any) -> str:
    """A field's value in words; of one that refers to a record, its name."""
    field = _declared(kind, name)
    if field is None or not field.refers_to or value is None:
        return show(field.kind if field else FieldKind.LINE, value)
    shown = found.get((field.refers_to, int(value)))
    return shown.title if shown else f"number {value}"


def label(kind: str, name: str) -> str:
    """What a field is called."""
    field = _declared(kind, name)
    return field.label if field else name.replace("_", " ").capitalize()


def old_name(row: Mapping[str, Any]) -> str:
    """What a record that is gone was called, by what the journal has of it."""
    values = (row["was"] or {}) | (row["became"] or {})
    return str(values.get("name") or values.get("sku") or f"number {row['record_id']}")


def _declared(kind: str, name: str) -> Field | None:
    """A field as it is declared; None of one that the journal has from before it was given up."""
    return next((field for field in records.kind_of(kind).record.fields if field.name == name), None)
