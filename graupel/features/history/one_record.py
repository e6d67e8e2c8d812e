"""The history of one record: what happened to it and to all that belongs to it, field by field."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import timedelta
from typing import cast

from graupel.context import Context
from graupel.core.errors import NotFound
from graupel.core.roles import Actor, Role
from graupel.db import Tx
from graupel.features.history import lines, naming, records, scope, service, store
from graupel.features.history.lines import Chart
from graupel.features.history.records import Shown
from graupel.features.history.rows import ChangeRow, StepRow, TrailRow
from graupel.features.history.service import RowShown

PAGE = 30
#: Of one act so many records are told here; its own page has all.
TOLD = 40
#: So long back values are drawn.
DRAWN = timedelta(days=365)


@dataclass(frozen=True)
class Act:
    """A change set, and what it did to the record and what belongs to it. ``more``: records beyond those told."""

    change_set: TrailRow
    rows: list[RowShown]
    more: int = 0


@dataclass(frozen=True)
class RecordHistory:
    """What happened to a record, the newest first. ``older``: where the next page begins, None at the end;
    ``fields``: what may be asked for alone, by kind of record, as (key, label); ``is_there``: it was not removed."""

    kind: str
    label: str
    id: int
    shown: Shown
    is_there: bool
    acts: list[Act]
    older: int | None
    charts: list[Chart]
    fields: list[tuple[str, list[tuple[str, str]]]]


def read(
    ctx: Context, actor: Actor, kind: str, record_id: int, *, before: int | None = None, field: str = ""
) -> RecordHistory:
    """``field``: "product.price", the only one that is asked for, "product" for all of such records. Raises NotFound
    where neither the record nor the journal knows of it."""
    actor.require(Role.VIEWER)
    known = {one.name: one for one in records.kinds()}
    if kind not in known:
        raise NotFound(f"There is nothing of the kind {kind[:40]}.")

    def work(tx: Tx) -> RecordHistory:
        ids = scope.whole(tx, kind, [record_id])
        shown = known[kind].describe(tx, [record_id]).get(record_id)
        wanted, name = _wanted(ids, field)
        sets = store.record_history(tx, wanted, PAGE + 1, before=before, field=name)
        if shown is None and not store.record_history(tx, {kind: [record_id]}, 1):
            raise NotFound(f"There is no {known[kind].label.lower()} {record_id}.")
        found = _acts(tx, sets[:PAGE], wanted, name)
        older = sets[PAGE - 1]["id"] if len(sets) > PAGE else None
        now = ctx.now(tx)
        charts = [] if before or field else lines.of(ctx, tx, kind, record_id, now - DRAWN, now)
        title = shown or naming.names(tx, _as_rows(kind, record_id)).get((kind, record_id)) or Shown(f"{record_id}")
        return RecordHistory(
            kind, known[kind].label, record_id, title, shown is not None, found, older, charts, _fields(ids)
        )

    return ctx.db.run(work)


def _as_rows(kind: str, record_id: int) -> list[ChangeRow]:
    return [ChangeRow(record_kind=kind, record_id=record_id, version=0, was=None, became=None)]


def _wanted(ids: Mapping[str, Sequence[int]], field: str) -> tuple[Mapping[str, Sequence[int]], str]:
    """The records, and the field of them, that are asked for."""
    kind, _, name = field.partition(".")
    if kind not in (one.name for one in records.kinds()):
        return ids, ""
    return {kind: ids.get(kind, ())}, name if name in records.kind_of(kind).record.names else ""


def _fields(ids: Mapping[str, Sequence[int]]) -> list[tuple[str, list[tuple[str, str]]]]:
    kinds = [one for one in records.kinds() if one.name in ids]
    return [
        (one.label, [(one.name, "All of it"), *((f"{one.name}.{f.name}", f.label) for f in one.record.fields)])
        for one in kinds
    ]


def _acts(tx: Tx, sets: Sequence[TrailRow], wanted: Mapping[str, Sequence[int]], field: str) -> list[Act]:
    """What each of the change sets did, in their order."""
    if not sets:
        return []
    by_set: dict[int, list[StepRow]] = {}
    order = scope.reading_order()
    for row in store.steps(tx, wanted, sets=[one["id"] for one in sets]):
        by_set.setdefault(row["change_set_id"], []).append(row)
    told: list[Act] = []
    for one in sets:
        rows = sorted(by_set.get(one["id"], ()), key=lambda row: (order.index(row["record_kind"]), row["record_id"]))
        some = [_only(row, field) for row in rows[:TOLD]]
        told.append(Act(one, service.rows_in_words(tx, some), max(0, len(rows) - TOLD)))
    return told


def _only(row: StepRow, field: str) -> ChangeRow:
    """A row with what it says of one field alone; without, but for what it belongs to, whose page it is."""
    record = records.kind_of(row["record_kind"]).record
    names = (field,) if field else tuple(name for name in record.names if name != record.owner)
    return cast(ChangeRow, {**row, "was": _of(row["was"], names), "became": _of(row["became"], names)})


def _of(values: Mapping[str, object] | None, names: Sequence[str]) -> dict[str, object] | None:
    return None if values is None else {name: value for name, value in values.items() if name in names}
