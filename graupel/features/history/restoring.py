"""Writing records as they are to be, whatever they are now: as they were at a moment, or single fields of them."""

import json
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from graupel.core.past import State
from graupel.core.roles import SYSTEM
from graupel.db import Tx
from graupel.features.history import putting_back, records, store
from graupel.features.history.putting_back import Rolling
from graupel.features.history.records import RecordKind
from graupel.features.history.scope import Held

#: What records are to be: all fields of those that are to be there, None of those that are not; by kind and id.
Wanted = Mapping[tuple[str, int], State]


@dataclass(frozen=True)
class Difference:
    """A record that is not as it is to be. ``was`` and ``becomes``: the fields that differ; None where it is not
    there. ``version``: that it has after it."""

    kind: str
    id: int
    version: int
    was: State
    becomes: State


def differences(held: Held, wanted: Wanted) -> list[Difference]:
    """What has to be written, in the order of the kinds. Fields of which nothing is wanted stay."""
    order = {kind.name: place for place, kind in enumerate(records.kinds())}
    found = []
    for (kind, key), to in wanted.items():
        version, now = held.get((kind, key), (0, None))
        one = _difference(kind, key, version, now, to)
        if one:
            found.append(one)
    return sorted(found, key=lambda one: (order[one.kind], one.id))


def _difference(kind: str, key: int, version: int, now: State, to: State) -> Difference | None:
    if now is None or to is None:
        return None if now == to else Difference(kind, key, version + 1, now, to)
    names = [name for name in records.kind_of(kind).fields if name in to and to[name] != now.get(name)]
    if not names:
        return None
    return Difference(kind, key, version + 1, {n: now.get(n) for n in names}, {n: to[n] for n in names})


def write(tx: Tx, change_set_id: int, language: str, changes: Sequence[Difference]) -> None:
    """Journal these differences in a change set that has nothing else yet, and write them.

    Raises DuplicateKey where a code would stand twice, and StillNeeded where something refers to what goes.
    """
    _write(Rolling(tx, 0, change_set_id, language), changes)


def imagine(tx: Tx, language: str, changes: Sequence[Difference]) -> int:
    """Write these differences in a transaction that is not to last: nothing follows, nor needs what it refers to.

    Returns the id of their change set."""
    change_set_id = store.insert_change_set(tx, SYSTEM, "imagined", "Imagined")
    _spare(tx, changes)
    _write(Rolling(tx, 0, change_set_id, language, imagined=True), changes)
    return change_set_id


def _spare(tx: Tx, changes: Sequence[Difference]) -> None:
    """Have nobody hold the codes that records are imagined with: others may have been given them since."""
    for kind in records.kinds():
        for name, instead in kind.spares:
            held = [(one.becomes or {}).get(name) for one in changes if one.kind == kind.name]
            wanted = sorted({str(value) for value in held if value})
            if wanted:
                tx.run(f"UPDATE {kind.plain} SET {name} = {instead} WHERE {name} IN %s", [wanted])


def _write(rolling: Rolling, changes: Sequence[Difference]) -> None:
    tx, change_set_id = rolling.tx, rolling.by
    tx.many(
        """INSERT INTO change_row (change_set_id, record_kind, record_id, version, was, became, gone_of)
           VALUES (%s, %s, %s, %s, %s, %s, %s)""",
        [_row(change_set_id, one) for one in changes],
    )
    kinds = [kind for kind in records.kinds() if any(one.kind == kind.name for one in changes)]
    if rolling.imagined:  # first: others may have their names and codes again
        _remove(rolling, kinds)
    for kind in kinds:
        putting_back.write_revived(rolling, kind)
        putting_back.write_changed(rolling, kind)
    if not rolling.imagined:
        _remove(rolling, kinds)


def _remove(rolling: Rolling, kinds: Sequence[RecordKind]) -> None:
    for kind in reversed(kinds):
        putting_back.write_removed(rolling, kind)


def _row(change_set_id: int, one: Difference) -> tuple[Any, ...]:
    owner = records.kind_of(one.kind).record.owner
    gone_of = (one.was or {}).get(owner) if one.becomes is None else None
    return (change_set_id, one.kind, one.id, one.version, _json(one.was), _json(one.becomes), gone_of)


def _json(values: State) -> str | None:
    return None if values is None else json.dumps(dict(values), ensure_ascii=False)


def ready(tx: Tx, changes: Iterable[Difference]) -> tuple[list[Difference], list[Difference]]:
    """These differences as they can be written, and those that can't be, because what they refer to is not there.

    A record that comes back does without what it can do without.
    """
    waiting = list(changes)
    coming = {(one.kind, one.id) for one in waiting if one.was is None}
    wanted: dict[str, set[int]] = {}
    for one in waiting:
        for _, kind, key in _referred(one):
            wanted.setdefault(kind, set()).add(key)
    there = coming | {
        (kind, row["id"])
        for kind, ids in wanted.items()
        for row in tx.all(f"SELECT id FROM {records.kind_of(kind).plain} WHERE id IN %s", [sorted(ids)])
    }
    found: list[Difference] = []
    lacking: list[Difference] = []
    for one in waiting:
        gone = {name for name, kind, key in _referred(one) if (kind, key) not in there}
        spared = {name for name in gone if one.was is None and records.kind_of(one.kind).fields[name].optional}
        (lacking if gone - spared else found).append(_without(one, spared))
    return found, lacking


def _without(one: Difference, names: Collection[str]) -> Difference:
    if not names or one.becomes is None:
        return one
    return replace(one, becomes={name: None if name in names else value for name, value in one.becomes.items()})


def _referred(one: Difference) -> list[tuple[str, str, int]]:
    """What a difference needs: fields, and the kinds and ids of the records to which it makes them refer."""
    fields = records.kind_of(one.kind).fields
    return [
        (name, fields[name].refers_to, int(value))
        for name, value in (one.becomes or {}).items()
        if name in fields and fields[name].refers_to and value is not None
    ]
