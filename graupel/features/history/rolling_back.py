"""Rolling change sets back: what would go back, what does, and what stays.

The dry run does all of it and lets go of it again, so that it can't say anything but what will happen.
"""

from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass, replace
from typing import Any

from graupel.context import Context
from graupel.core.errors import NotFound, Refused
from graupel.core.roles import Actor, Role
from graupel.db import DuplicateKey, Tx
from graupel.features.history import naming, packs, putting_back, records, service, store
from graupel.features.history.putting_back import Rolling
from graupel.features.history.records import RecordKind, Shown
from graupel.features.history.rows import ChangeSetRow, KindCountRow
from graupel.features.jobs import service as jobs
from graupel.jobs import JobRequest, enqueue
from graupel.web import preparing
from graupel.web.preparing import Later

#: So many records are looked at while somebody waits; what a larger set would do is worked out by a job.
AT_ONCE = 5_000
SHOWN_KEPT = 20


@dataclass(frozen=True)
class Kept:
    """A record that stays, wholly or in part. ``fields``: what was changed since, as (label, written, now) in words.

    ``reason``: why the whole record stays, "" where only some of its fields do.
    """

    kind: str
    shown: Shown
    fields: list[tuple[str, str, str]]
    reason: str = ""


@dataclass(frozen=True)
class Outcome:
    """What a roll back does: how many records go ``back``, ``part`` of them in part, and how many ``stay``.

    ``fixed``: of a kind that is not rolled back. ``kept``: the first of those that stay, wholly or in part.
    ``by``: the change set that put them back, None where nothing went back.
    """

    back: int
    stay: int
    fixed: int
    part: int
    kept: list[Kept]
    by: int | None = None

    @property
    def is_whole(self) -> bool:
        """Whether nothing stays that could go back another time."""
        return not self.stay and not self.part


class _Tried(Exception):
    """Carries the outcome out of a transaction that is not to last."""

    def __init__(self, outcome: Outcome) -> None:
        super().__init__()
        self.outcome = outcome


def plan(ctx: Context, actor: Actor, change_set_id: int) -> Outcome:
    """The dry run of a roll back. Raises NotFound; Refused where it would be."""
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> None:
        raise _Tried(roll_back(ctx, tx, actor, change_set_id))

    try:
        ctx.db.run(work)
    except _Tried as tried:
        return tried.outcome
    raise AssertionError("unreachable")


def request(ctx: Context, actor: Actor, change_set_id: int) -> int:
    """Roll back in the background; returns the job's id, 0 where that is prepared. Raises NotFound."""
    if preparation := preparing.current():
        title = ctx.db.run(lambda tx: _found(tx, change_set_id)["title"])
        preparation.later.append(Later(actor, "rollback", f"Roll back: {title}", change_set_id))
        return 0
    return _enqueue(ctx, actor, change_set_id, "history.rollback", "Roll back: {}")


def request_plan(ctx: Context, actor: Actor, change_set_id: int) -> int:
    """Work out in the background what a roll back would do; returns the job's id. Raises NotFound."""
    return _enqueue(ctx, actor, change_set_id, "history.plan", "What would go back: {}")


def _enqueue(ctx: Context, actor: Actor, change_set_id: int, kind: str, title: str) -> int:
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> int:
        request = JobRequest(
            kind,
            title.format(_found(tx, change_set_id)["title"]),
            {"change_set_id": change_set_id},
            f"/history/{change_set_id}",
        )
        return enqueue(tx, actor, request)

    return ctx.db.run(work)


def job(ctx: Context, actor: Actor, job_id: int) -> dict[str, Any]:
    """How far a roll back is. Raises NotFound."""
    return jobs.read(ctx, actor, job_id)


def _found(tx: Tx, change_set_id: int, *, lock: bool = False) -> ChangeSetRow:
    found = store.change_set(tx, change_set_id, lock=lock)
    if found is None:
        raise NotFound(f"There is no change set {change_set_id}.")
    return found


def roll_back(ctx: Context, tx: Tx, actor: Actor, change_set_id: int) -> Outcome:
    """Put back what the change set did, field by field, where nobody changed it since.

    What goes back is a change set of its own. Raises NotFound, and Refused where what it removed can't come back.
    """
    actor.require(Role.EDITOR)
    found = _found(tx, change_set_id, lock=True)
    if found["thinned"]:
        raise Refused.because("rollback.thinned", "What this changed is not kept any more, so it can't be rolled back.")
    for part in store.parts(tx, change_set_id):
        roll_back(ctx, tx, actor, part)
    packs.unpack(tx, change_set_id)
    counted = {row["record_kind"]: row for row in store.kind_counts(tx, change_set_id)}
    affected = [kind for kind in records.kinds() if kind.name in counted]
    with (
        _no_doubles(),
        service.change_set(tx, actor, "rollback", f"Rolled back: {found['title']}", change_set_id) as recorder,
    ):
        rolling = Rolling(tx, change_set_id, recorder.change_set_id, ctx.settings.language)
        # What was made up for once is made up for; it holds again only where that was rolled back itself.
        booking = [kind for kind in affected if kind.books and not found["rolled_back_by"]]
        _put_back(rolling, [kind for kind in affected if kind.reversible and not kind.books], booking)
        outcome = _outcome(rolling, [kind for kind in affected if not kind.books], counted)
        booked = sum(int(counted[kind.name]["made"]) for kind in booking)
        outcome = replace(outcome, back=outcome.back + booked)
    if not recorder.records:
        return outcome
    _mark(tx, found, recorder.change_set_id, outcome)
    return replace(outcome, by=recorder.change_set_id)


def _mark(tx: Tx, found: ChangeSetRow, by: int, outcome: Outcome) -> None:
    """Say of the set that it was rolled back; what it had itself taken back holds again, and so on to the first."""
    holds = False
    store.set_rolled_back(tx, found["id"], by)
    while found["rolls_back"] and outcome.is_whole:
        found, holds = _found(tx, found["rolls_back"]), not holds
        store.set_rolled_back(tx, found["id"], None if holds else by)


@contextmanager
def _no_doubles() -> Iterator[None]:
    """Refuses what would make a name, code or SKU stand twice. Raises Refused."""
    try:
        yield
    except DuplicateKey as double:
        raise Refused.because(
            "rollback.double",
            "It can't go back: a name, code or SKU that it would bring back was given to something else since. "
            "Give that another one first, then roll back.",
        ) from double


def _put_back(rolling: Rolling, kinds: list[RecordKind], booking: list[RecordKind]) -> None:
    """All of it, parents before what belongs to them, and what is removed the other way round. Raises Refused."""
    for kind in records.kinds():
        if kind.settle:
            kind.settle(rolling.tx, rolling.change_set_id, rolling.language)
    for kind in kinds:
        putting_back.bring_back_removed(rolling, kind)
        putting_back.restore_changed(rolling, kind)
        putting_back.retire_made(rolling, kind)
    for kind in booking:
        assert kind.books
        kind.books(rolling)
    for kind in reversed(kinds):
        putting_back.remove_made(rolling, kind)
    for kind in kinds:  # once what the set put in their place is gone
        if putting_back.is_lacking(rolling, kind):
            raise Refused.because("rollback.lacking", kind.lacking)


# --- what it came to -----------------------------------------------------------------------------------------


def _outcome(rolling: Rolling, affected: list[RecordKind], counted: Mapping[str, KindCountRow]) -> Outcome:
    back = part = stay = fixed = 0
    kept: list[Kept] = []
    for kind in affected:
        if not kind.reversible:
            fixed += sum(int(counted[kind.name][what]) for what in ("made", "changed", "removed"))
            continue
        numbers = putting_back.counts(rolling, kind)
        back, part, stay = back + numbers["back"], part + numbers["part"], stay + numbers["stay"]
        fixed += numbers["fixed"]
        if (numbers["part"] or numbers["stay"]) and len(kept) < SHOWN_KEPT:
            kept += _kept(rolling, kind, SHOWN_KEPT - len(kept))
    return Outcome(back, stay, fixed, part, kept)


def _kept(rolling: Rolling, kind: RecordKind, limit: int) -> list[Kept]:
    rows = putting_back.kept(rolling, kind, limit)
    names = naming.names(rolling.tx, rows)

    def words(name: str, side: dict[str, Any]) -> str:
        return naming.in_words(names, kind.name, name, side.get(name))

    return [
        Kept(
            kind.label,
            names.get((kind.name, row["record_id"])) or Shown(naming.old_name(rolling.tx, names, row)),
            [
                (naming.label(kind.name, name), words(name, row["became"]), words(name, row["now"]))
                for name in kind.fields
                if row[f"kept_{name}"] and row["now"] and row["was"] and row["became"]
            ],
            _reason(row),
        )
        for row in rows
    ]


def _reason(row: dict[str, Any]) -> str:
    if row["was"] is None:
        return "It was made by this, and was changed or used since."
    if row["became"] is None:
        return "It needs something that was deleted since. Roll that back first."
    return "It was deleted since." if row["now"] is None else ""
