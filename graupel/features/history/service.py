"""Recording change sets, reading them, and rolling them back."""

from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from typing import Any

from graupel.context import Context
from graupel.core import changes
from graupel.core.errors import NotFound, Refused
from graupel.core.records import Field, Kind
from graupel.core.roles import Actor, Role
from graupel.core.showing import show
from graupel.db import Tx
from graupel.features.history import following, journal, records, store
from graupel.features.history.records import Shown
from graupel.features.jobs import service as jobs
from graupel.jobs import JobRequest, enqueue

SHOWN_ROWS = 50


@dataclass
class Recorder:
    """Takes down what a change set does, inside its transaction."""

    tx: Tx
    change_set_id: int

    def made(self, kind: str, record_id: int, values: Mapping[str, Any], version: int = 1) -> None:
        """A record was made with these values."""
        self._write(kind, record_id, version, None, changes.journal_values(values))

    def changed(
        self, kind: str, record_id: int, before: Mapping[str, Any], after: Mapping[str, Any], version: int
    ) -> bool:
        """A record changed; ``version`` is its new one. Returns False, recording nothing, where nothing differs."""
        was, became = changes.diff(before, after)
        if became:
            self._write(kind, record_id, version, was, became)
        return bool(became)

    def removed(self, kind: str, record_id: int, values: Mapping[str, Any], version: int) -> None:
        """A record with these values was removed."""
        self._write(kind, record_id, version, changes.journal_values(values), None)

    def _write(
        self, kind: str, record_id: int, version: int, was: dict[str, Any] | None, became: dict[str, Any] | None
    ) -> None:
        journal.write_one(self.tx, self.change_set_id, records.kind_of(kind), record_id, version, was, became)


@contextmanager
def change_set(tx: Tx, actor: Actor, kind: str, title: str, rolls_back: int | None = None) -> Iterator[Recorder]:
    """Everything recorded inside is one change set; one that recorded nothing leaves no trace."""
    recorder = Recorder(tx, store.insert_change_set(tx, actor, kind, title, rolls_back))
    yield recorder
    if store.count_rows(tx, recorder.change_set_id):
        following.follow(tx, recorder.change_set_id)
        store.note_recorded(tx, recorder.change_set_id)
    else:
        store.delete_empty(tx, recorder.change_set_id)


@dataclass(frozen=True)
class Page:
    """A page of change sets; ``older`` is where the next one begins, None at the end."""

    change_sets: list[dict[str, Any]]
    older: int | None


def list_change_sets(ctx: Context, actor: Actor, before: int | None = None, kind: str | None = None) -> Page:
    """The newest first."""
    actor.require(Role.VIEWER)
    found = ctx.db.run(lambda tx: store.change_sets(tx, before=before, kind=kind))
    return Page(found[: store.PAGE], found[store.PAGE - 1]["id"] if len(found) > store.PAGE else None)


@dataclass(frozen=True)
class RowShown:
    """One record of a change set: its name, link, and the fields as (label, before, after) in words."""

    kind: str
    shown: Shown
    action: str
    fields: list[tuple[str, str, str]]


@dataclass(frozen=True)
class Detail:
    """A change set with its counts by kind and a page of its records."""

    change_set: dict[str, Any]
    counts: list[dict[str, Any]]
    rows: list[RowShown]
    page: int
    pages: int


def read(ctx: Context, actor: Actor, change_set_id: int, page: int = 1) -> Detail:
    """One change set. Raises NotFound."""
    actor.require(Role.VIEWER)

    def work(tx: Tx) -> Detail:
        found = store.change_set(tx, change_set_id)
        if found is None:
            raise NotFound(f"There is no change set {change_set_id}.")
        counts = [
            row | {"label": records.kind_of(row["record_kind"]).label} for row in store.kind_counts(tx, change_set_id)
        ]
        pages = max(1, -(-found["records"] // SHOWN_ROWS))
        rows = store.rows(tx, change_set_id, SHOWN_ROWS, (page - 1) * SHOWN_ROWS)
        return Detail(found, counts, _shown(tx, rows), page, pages)

    return ctx.db.run(work)


def _shown(tx: Tx, rows: list[dict[str, Any]]) -> list[RowShown]:
    names = _names(tx, rows)

    def words(kind: str, name: str, value: Any) -> str:
        field = _declared(kind, name)
        if field is None or not field.refers_to or value is None:
            return show(field.kind if field else Kind.LINE, value)
        found = names.get((field.refers_to, int(value)))
        return found.title if found else f"number {value}"

    return [
        RowShown(
            records.kind_of(row["record_kind"]).label,
            names.get((row["record_kind"], row["record_id"])) or Shown(_old_name(row)),
            "made" if row["was"] is None else "removed" if row["became"] is None else "changed",
            [
                (
                    _label(row["record_kind"], name),
                    words(row["record_kind"], name, (row["was"] or {}).get(name)),
                    words(row["record_kind"], name, (row["became"] or {}).get(name)),
                )
                for name in _telling(row)
            ],
        )
        for row in rows
    ]


def _declared(kind: str, name: str) -> Field | None:
    """A field as it is declared; None of one that the journal has from before it was given up."""
    return next((field for field in records.kind_of(kind).record.fields if field.name == name), None)


def _label(kind: str, name: str) -> str:
    field = _declared(kind, name)
    return field.label if field else name.replace("_", " ").capitalize()


def _telling(row: dict[str, Any]) -> list[str]:
    """The fields worth showing: of a record that was made or removed, those that held something."""
    values = row["became"] if row["became"] is not None else row["was"]
    is_change = row["was"] is not None and row["became"] is not None
    return [name for name, value in values.items() if is_change or value not in (None, "")]


def _names(tx: Tx, rows: list[dict[str, Any]]) -> dict[tuple[str, int], Shown]:
    """Names of the records and of all that their fields refer to, by kind and id."""
    wanted: dict[str, set[int]] = {}
    for row in rows:
        wanted.setdefault(row["record_kind"], set()).add(row["record_id"])
        for name, column in records.kind_of(row["record_kind"]).fields.items():
            values = [(row[side] or {}).get(name) for side in ("was", "became")] if column.refers_to else []
            wanted.setdefault(column.refers_to, set()).update(int(value) for value in values if value is not None)
    return {
        (kind, record_id): shown
        for kind, ids in wanted.items()
        if ids and kind
        for record_id, shown in records.kind_of(kind).describe(tx, sorted(ids)).items()
    }


def _old_name(row: dict[str, Any]) -> str:
    values = (row["was"] or {}) | (row["became"] or {})
    return str(values.get("name") or values.get("sku") or f"number {row['record_id']}")


@dataclass(frozen=True)
class RollbackPlan:
    """What a roll back would do: records that go back, and records that were changed since and stay.

    ``part``: of those that go back, how many keep a field that was changed since.
    """

    back: int
    stay: int
    fixed: int
    part: int = 0


def plan_rollback(ctx: Context, actor: Actor, change_set_id: int) -> RollbackPlan:
    """The dry run of a roll back. Raises NotFound, Refused."""
    actor.require(Role.EDITOR)
    return ctx.db.run(lambda tx: _plan(ctx, tx, change_set_id))


def _plan(ctx: Context, tx: Tx, change_set_id: int) -> RollbackPlan:
    found = store.change_set(tx, change_set_id)
    if found is None:
        raise NotFound(f"There is no change set {change_set_id}.")
    if found["rolled_back_by"]:
        raise Refused.because("rollback.done", "This was rolled back already.")
    counted = {row["record_kind"] for row in store.kind_counts(tx, change_set_id)}
    back = stay = fixed = part = 0
    for kind in records.kinds():
        if kind.name not in counted:
            continue
        if not kind.reversible:
            fixed += sum(
                int(row["made"] + row["removed"] + row["changed"])
                for row in store.kind_counts(tx, change_set_id)
                if row["record_kind"] == kind.name
            )
            continue
        numbers = store.rollback_counts(tx, kind, change_set_id, ctx.settings.language)
        back, stay, part = back + numbers["back"], stay + numbers["stay"], part + numbers["part"]
    return RollbackPlan(back, stay, fixed, part)


def request_rollback(ctx: Context, actor: Actor, change_set_id: int) -> int:
    """Roll back in the background; returns the job's id. Raises NotFound, Refused."""
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> int:
        plan = _plan(ctx, tx, change_set_id)
        if not plan.back:
            raise Refused.because("rollback.nothing", "Nothing of it can be rolled back any more.")
        found = store.change_set(tx, change_set_id)
        assert found is not None
        return enqueue(
            tx,
            actor,
            JobRequest(
                "history.rollback",
                f"Roll back: {found['title']}",
                {"change_set_id": change_set_id},
                f"/history/{change_set_id}",
            ),
        )

    return ctx.db.run(work)


def rollback_job(ctx: Context, actor: Actor, job_id: int) -> dict[str, Any]:
    """How far a roll back is. Raises NotFound."""
    return jobs.read(ctx, actor, job_id)


def roll_back(ctx: Context, tx: Tx, actor: Actor, change_set_id: int) -> int:
    """Put back what the change set did, where nobody changed it since; returns the new change set's id."""
    actor.require(Role.EDITOR)
    found = store.change_set(tx, change_set_id, lock=True)
    if found is None:
        raise NotFound(f"There is no change set {change_set_id}.")
    if found["rolled_back_by"]:
        raise Refused.because("rollback.done", "This was rolled back already.")
    language = ctx.settings.language
    with change_set(tx, actor, "rollback", f"Rolled back: {found['title']}", change_set_id) as recorder:
        by = recorder.change_set_id
        counted = {row["record_kind"] for row in store.kind_counts(tx, change_set_id)}
        affected = [kind for kind in records.kinds() if kind.reversible and kind.name in counted]
        for kind in affected:
            store.bring_back_removed(tx, kind, change_set_id, by, language)
            store.restore_changed(tx, kind, change_set_id, by, language)
            store.retire_made(tx, kind, change_set_id, by, language)
        for kind in reversed(affected):
            store.remove_made(tx, kind, change_set_id, by, language)
        store.set_rolled_back(tx, change_set_id, by)
    return by


def last_actor(tx: Tx, kinds: Mapping[str, Sequence[int]]) -> str:
    """Who changed any of these records (kind -> ids) last."""
    sets = store.record_history(tx, kinds, 1)
    return str(sets[0]["actor"]) if sets else "Someone"


def of_records(ctx: Context, actor: Actor, kinds: Mapping[str, Sequence[int]], limit: int = 8) -> list[dict[str, Any]]:
    """The newest change sets that touched any of these records (kind -> ids)."""
    actor.require(Role.VIEWER)
    return ctx.db.run(lambda tx: store.record_history(tx, kinds, limit))


def stamp(tx: Tx) -> str:
    """Another text after every change of the catalogue: what was counted under an old one is out of date."""
    return store.stamp(tx)


def newest_ids(tx: Tx, limit: int) -> list[int]:
    """Ids of the change sets that were recorded last, the newest first."""
    return store.newest_ids(tx, limit)
