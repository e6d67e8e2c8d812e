"""What a change set did to what belongs to some records, such as attributes and lists to products, in words."""

import re
from collections.abc import Collection, Sequence
from dataclasses import replace

from graupel.db import Tx
from graupel.features.history import naming, records, scope, store
from graupel.features.history.records import RecordKind
from graupel.features.history.rows import ChangeRow
from graupel.features.history.service import RowShown, rows_in_words


def beside(
    tx: Tx, change_set_id: int, above: str, ids: Sequence[int], but: Collection[str] = ()
) -> dict[int, list[RowShown]]:
    """By the ids of records of the kind ``above`` what the set did to records of other kinds that belong to them, or
    did; ``but``: kinds that are left out."""
    found: dict[int, list[RowShown]] = {}
    for kind in records.kinds():
        if kind.name in (above, *but) or not ids or not store.wrote(tx, change_set_id, kind.name):
            continue
        rows = store.rows_of(tx, change_set_id, kind.name, scope.belonging(tx, kind.name, above, ids))
        owners = _owners(tx, kind, rows)
        for row, shown in zip(rows, rows_in_words(tx, rows), strict=True):
            if (owner := owners.get(row["record_id"])) is not None:
                found.setdefault(owner, []).append(replace(shown, fields=_telling(kind, shown)))
    return found


def _telling(kind: RecordKind, shown: RowShown) -> list[tuple[str, str, str]]:
    """Of its fields those that say more than what it is called, and what it belongs to."""
    of = {naming.label(kind.name, name) for name in (kind.record.owner, kind.record.said_of[0]) if name}
    if shown.action != "changed":  # places and amounts that are mostly nothing
        of |= {field.label for field in kind.record.fields if field.empty == 0}
    words = re.split("[,:] ", shown.shown.title)
    return [
        (label, before, after)
        for label, before, after in shown.fields
        if label not in of and before != after and not {before, after}.intersection(words)
    ]


def _owners(tx: Tx, kind: RecordKind, rows: Sequence[ChangeRow]) -> dict[int, int]:
    """What the records of some rows belong to: as they stand, those that are gone as the journal says."""
    owner = kind.record.owner
    said = {row["record_id"]: (row["became"] or row["was"] or {}).get(owner) for row in rows}
    there = tx.all(f"SELECT id, {owner} AS owner FROM {kind.plain} WHERE id IN %s", [list(said) or [0]]) if rows else ()
    found = {key: int(value) for key, value in said.items() if value}
    return found | {row["id"]: row["owner"] for row in there if row["owner"]}
