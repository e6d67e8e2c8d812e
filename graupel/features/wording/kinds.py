"""What the journal knows of values for a destination or a language."""

from collections.abc import Mapping
from typing import Any

from graupel.core import languages
from graupel.core.declarations.products import AMOUNTS, PRODUCT
from graupel.core.declarations.wording import OWN_VALUE
from graupel.db import Tx
from graupel.features.history import records
from graupel.features.history.records import RecordKind, Shown
from graupel.features.wording import originals, store

#: Kinds of originals that the journal knows under another name.
_RECORDS = {"choice": "attribute_choice"}


_DESTINATIONS = {"s": "shop", "c": "channel"}


def _title(tx: Tx, row: Mapping[str, Any], records_title: str) -> str:
    return f"{records_title}: {_called(tx, row)}"


def _called(tx: Tx, row: Mapping[str, Any]) -> str:
    """What a value is: its field, and for where and in which language it is written."""
    # Amounts are no words, so no area registers them as such.
    name = row["field"]
    field = PRODUCT.field(name).label if name in AMOUNTS else originals.field_of(row["kind"], name).label
    where = [_destination(tx, row["destination"]), languages.name(row["lang"]) if row["lang"] else ""]
    return f"{field} ({', '.join(filter(None, where))})"


def _calls(tx: Tx, values: Mapping[int, Mapping[str, Any]]) -> dict[int, str]:
    """What values are called, by id; of those whose row says only what changed, as they are now."""
    there = {row["id"]: row for row in store.by_ids(tx, list(values))}
    known = {key: there.get(key) or row for key, row in values.items()}
    return {key: _called(tx, row) for key, row in known.items() if {"field", "lang", "destination"} <= row.keys()}


def _destination(tx: Tx, code: str) -> str:
    """The name of a destination, "" for all of them."""
    if not code:
        return ""
    shown = records.kind_of(_DESTINATIONS[code[0]]).describe(tx, [int(code[1:])]).get(int(code[1:]))
    return shown.title if shown else code


def _describe(tx: Tx, ids: Any) -> dict[int, Shown]:
    """Each with the name and page of its record."""
    rows = store.by_ids(tx, list(ids))
    found = {}
    for kind in {row["kind"] for row in rows}:
        mine = [row for row in rows if row["kind"] == kind]
        shown = records.kind_of(_RECORDS.get(kind, kind)).describe(tx, [row["record_id"] for row in mine])
        for row in mine:
            record = shown.get(row["record_id"]) or Shown(records.kind_of(_RECORDS.get(kind, kind)).label)
            found[row["id"]] = Shown(_title(tx, row, record.title), record.link)
    return found


def _describe_values(tx: Tx, values: Mapping[str, Any]) -> str:
    """One that is gone, by the values it had."""
    if not {"kind", "record_id", "destination", "lang", "field"} <= values.keys():
        return ""
    kind = _RECORDS.get(values["kind"], values["kind"])
    shown = records.kind_of(kind).describe(tx, [values["record_id"]]).get(values["record_id"])
    return _title(tx, values, shown.title if shown else records.kind_of(kind).label)


def register_kinds() -> None:
    """Tell the journal of own values. They stay when their record goes, and so come back with it."""
    records.register(
        RecordKind(
            OWN_VALUE,
            _describe,
            describe_values=_describe_values,
            calls=_calls,
            telling=("value", "source"),
        )
    )
