"""Putting back single records, and single fields of them, whatever they are now."""

from collections.abc import Collection, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, replace
from typing import Any

from graupel.context import Context
from graupel.core import changes
from graupel.core.errors import NotFound, Refused
from graupel.core.past import State
from graupel.core.roles import Actor, Role
from graupel.core.showing import plural
from graupel.db import DuplicateKey, StillNeeded, Tx
from graupel.features.history import naming, putting_back, records, restoring, scope, service, store
from graupel.features.history.putting_back import Rolling
from graupel.features.history.restoring import Difference
from graupel.features.history.rows import ChangeRow
from graupel.features.history.scope import Held


@dataclass(frozen=True)
class Piece:
    """A record, or with ``field`` one field of it, that somebody chose; ``mark``: of what it held as that was shown."""

    kind: str
    id: int
    field: str = ""
    mark: str = ""

    @classmethod
    def read(cls, text: str) -> "Piece | None":
        """From "product-12.price:mark", or "fact-3:mark" for a whole record; None where it is none."""
        place, _, mark = text.partition(":")
        record, _, name = place.partition(".")
        kind, _, key = record.rpartition("-")
        known = {one.name for one in records.kinds()}
        return cls(kind, int(key), name, mark) if kind in known and key.isdecimal() and len(key) < 19 else None


def restorable(one: Difference) -> Difference | None:
    """What of a difference can be put back by itself."""
    kind = records.kind_of(one.kind)
    if not kind.reversible or not kind.alone or kind.books or kind.flows:
        return None
    if one.becomes is None:
        return None if kind.stays or not kind.record.owner else one
    if one.was is None or not kind.not_alone:
        return one
    names = [name for name in one.becomes if name not in kind.not_alone]
    return _only(one, names) if names else None


def _only(one: Difference, names: Sequence[str]) -> Difference:
    was, becomes = one.was or {}, one.becomes or {}
    return replace(one, was={n: was[n] for n in names}, becomes={n: becomes[n] for n in names})


def key_of(one: Difference, field: str = "") -> str:
    """How a form names a piece, with the mark of what it holds: "product-12.price:mark"."""
    place = f"{one.kind}-{one.id}.{field}" if field else f"{one.kind}-{one.id}"
    held = one.was if not field or one.was is None else one.was.get(field)
    return f"{place}:{_mark(held)}"


def _mark(held: object) -> str:
    return changes.marks({"held": dict(held) if isinstance(held, Mapping) else held})["held"]


def chosen(found: Sequence[Difference], pieces: Collection[Piece]) -> list[Difference]:
    """Of differences what was chosen, with the fields that mean something only together with a chosen one.

    Raises Refused where a chosen one is something else by now than what was shown.
    """
    by_record: dict[tuple[str, int], list[Piece]] = {}
    for piece in pieces:
        by_record.setdefault((piece.kind, piece.id), []).append(piece)
    wanted, shown = [], set()
    for one in found:
        mine = by_record.get((one.kind, one.id), [])
        shown |= {piece for piece in mine if key_of(one, piece.field).endswith(f":{piece.mark}")}
        if any(not piece.field for piece in mine):
            wanted.append(one)
        elif mine and one.was is not None and one.becomes is not None:
            names = [name for piece in mine for name in _together(one.kind, piece.field) if name in one.becomes]
            if names:
                wanted.append(_only(one, names))
    moved = len(set(pieces) - shown)
    if moved:
        raise Refused.because(
            "pieces.moved",
            f"{plural(moved, 'value')} that you chose {'was' if moved == 1 else 'were'} changed by somebody meanwhile. "
            "Nothing was put back: look at what stands there now, and choose again.",
        )
    return wanted


def _together(kind: str, field: str) -> Sequence[str]:
    return records.kind_of(kind).record.together_with(field)


def write(ctx: Context, tx: Tx, actor: Actor, kind: str, title: str, found: Sequence[Difference]) -> int:
    """Write these differences as a change set; returns its id. Raises Refused where they can't be."""
    if not found:
        raise Refused.because("pieces.none", "Nothing was chosen. Tick what is to be put back.")
    found, lacking = restoring.ready(tx, found)
    if lacking:
        names = ", ".join(_named(tx, one) for one in lacking[:3])
        raise Refused.because(
            "pieces.lacking",
            f"{names}: what {'this refers' if len(lacking) == 1 else 'these refer'} to was deleted since. "
            "Bring that back first, or leave it out.",
        )
    with _named_troubles(), service.change_set(tx, actor, kind, title) as recorder:
        restoring.write(tx, recorder.change_set_id, ctx.settings.language, found)
        rolling = Rolling(tx, 0, recorder.change_set_id, ctx.settings.language)
        for name in {one.kind for one in found}:
            if putting_back.is_lacking(rolling, records.kind_of(name)):
                raise Refused.because("pieces.lacking", records.kind_of(name).lacking)
    return recorder.change_set_id


def _named(tx: Tx, one: Difference) -> str:
    values: State = one.becomes if one.becomes is not None else one.was
    row = ChangeRow(
        record_kind=one.kind, record_id=one.id, version=one.version, was=dict(values or {}), became=dict(values or {})
    )
    names = naming.names(tx, [row])
    shown = names.get((one.kind, one.id))
    return f"{records.kind_of(one.kind).label} {shown.title if shown else naming.old_name(tx, names, row)}"


@contextmanager
def _named_troubles() -> Iterator[None]:
    """Raises Refused where a code would stand twice, or something needs what would go."""
    try:
        yield
    except DuplicateKey as double:
        raise Refused.because(
            "pieces.double",
            "It can't be put back: a name, code or SKU in it was given to something else since. "
            "Give that another one first.",
        ) from double
    except StillNeeded as needed:
        raise Refused.because(
            "pieces.needed", "It can't be put back: something that was made since needs what would go. Leave that out."
        ) from needed


# --- pieces of a change set ----------------------------------------------------------------------------------


@dataclass(frozen=True)
class RowPieces:
    """A row of a change set beside what is there now. ``fields``: for each field that is told, what it holds now in
    words, "" where that is what the change wrote, and how a form names it, "" where it is not put back by itself;
    ``whole``: the same of the record."""

    fields: list[tuple[str, str]]
    whole: str = ""


def beside(ctx: Context, actor: Actor, rows: Sequence[ChangeRow]) -> list[RowPieces]:
    """What of rows of a change set can be put back by itself, for each."""
    actor.require(Role.VIEWER)

    def work(tx: Tx) -> list[RowPieces]:
        held = _held(tx, ctx.settings.language, rows)
        found = {(one.kind, one.id): one for one in _to_put_back(held, rows)}
        now = [{**row, "now": held[key][1] if (key := _place(row)) in held else None} for row in rows]
        names = naming.names(tx, now)
        return [_row(names, row, found.get(_place(row))) for row in now]

    return ctx.db.run(work)


def _place(row: Mapping[str, Any]) -> tuple[str, int]:
    return row["record_kind"], row["record_id"]


def _held(tx: Tx, language: str, rows: Sequence[ChangeRow], *, lock: bool = False) -> Held:
    ids: dict[str, list[int]] = {}
    for row in rows:
        ids.setdefault(row["record_kind"], []).append(row["record_id"])
    return scope.held(tx, language, ids, lock=lock)


def _to_put_back(held: Held, rows: Sequence[ChangeRow]) -> list[Difference]:
    """What would have to be written to have the records of rows as they were before; a record that was to have been
    changed, and is gone, stays so."""
    wanted = {_place(row): row["was"] for row in rows if not (row["was"] and row["became"] and _place(row) not in held)}
    return [back for one in restoring.differences(held, wanted) if (back := restorable(one))]


def _row(names: naming.Names, row: Mapping[str, Any], back: Difference | None) -> RowPieces:
    kind, now, told = row["record_kind"], row["now"], service.telling(row)
    if row["was"] is None or row["became"] is None:
        return RowPieces([("", "")] * len(told), key_of(back) if back else "")

    def field(name: str) -> tuple[str, str]:
        moved = now is not None and now.get(name) != row["became"].get(name)
        words = naming.in_words(names, kind, name, now.get(name)) if moved else ""
        return words, key_of(back, name) if back and back.becomes and name in back.becomes else ""

    return RowPieces([field(name) for name in told])


def put_back(ctx: Context, actor: Actor, change_set_id: int, wanted: Sequence[Piece]) -> int:
    """Put pieces of a change set back as they were before it, whatever they are now; returns the new change set.

    Raises NotFound, and Refused where somebody changed them since they were shown, or where they can't stand any more.
    """
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> int:
        ids: dict[str, list[int]] = {}
        for piece in wanted:
            ids.setdefault(piece.kind, []).append(piece.id)
        title = service.title_of(tx, change_set_id)
        if not title:
            raise NotFound(f"There is no change set {change_set_id}.")
        rows = store.steps(tx, ids, sets=[change_set_id])
        found = _to_put_back(_held(tx, ctx.settings.language, rows, lock=True), rows)
        return write(ctx, tx, actor, "rollback.part", f"Put back in part: {title}", chosen(found, wanted))

    return ctx.db.run(work)
