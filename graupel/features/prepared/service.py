"""Prepared changes: kept, looked at, agreed to or sent back, and done at once or at their moment."""

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

from graupel.context import Context
from graupel.core import preparing as rules
from graupel.core.errors import NotFound, Refused
from graupel.core.preparing import Standing
from graupel.core.roles import Actor, Role
from graupel.core.showing import plural
from graupel.db import Tx
from graupel.features.history import naming, pieces, records, scope
from graupel.features.history.restoring import Difference
from graupel.features.history.rows import ChangeRow
from graupel.features.history.service import SAID_RECORDS, RowShown, rows_in_words, said_of, telling
from graupel.features.jobs import service as jobs
from graupel.features.prepared import mails, providers, store
from graupel.features.prepared.rows import PreparedRow, WantedRow
from graupel.jobs import JobRequest, enqueue, timekeeping
from graupel.web.preparing import Preparation, as_text

CLOCK = "prepared"
#: The kind of job that does one of them.
DO = "prepared.do"
#: So many records are written while somebody waits.
AT_ONCE = 5_000
LONGEST_WORD = 1_000
SHOWN = 200


def keep(ctx: Context, actor: Actor, found: Preparation) -> int:
    """Keep what a request prepared; returns its number."""
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> int:
        if found.later:
            one = found.later[-1]
            return store.insert(tx, actor, one.kind, one.title, one.refers, as_text(one.given))
        last = found.acts[-1]
        number = store.insert(tx, actor, last.kind, last.title, None, None)
        store.insert_rows(tx, number, _together([row for act in found.acts for row in act.rows]))
        return number

    return ctx.db.run(work)


def _together(rows: Sequence[Mapping[str, Any]]) -> list[dict[str, Any]]:
    """Rows of several acts, one of each record: what was first, and what is last."""
    found: dict[tuple[str, int], dict[str, Any]] = {}
    for row in rows:
        key = (row["record_kind"], row["record_id"])
        before = found.get(key)
        if before is None or before["was"] is None or row["became"] is None or before["became"] is None:
            found[key] = dict(row) if before is None else {**row, "was": before["was"]}
        else:
            found[key] = {
                **row,
                "was": {**(row["was"] or {}), **before["was"]},
                "became": {**before["became"], **row["became"]},
            }
    return list(found.values())


# --- looking -------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class FieldWanted:
    """A field in words. ``now``: where somebody changed it since, "" where it is as it was."""

    label: str
    before: str
    after: str
    now: str = ""


@dataclass(frozen=True)
class RecordWanted:
    """What would be written of a record. ``state``: "holds", "done" already, or "moved" since; ``product``: the id of a
    product that is there, 0 of all else."""

    row: RowShown
    fields: list[FieldWanted]
    state: str
    product: int = 0


@dataclass(frozen=True)
class Detail:
    """A prepared change. ``rows``: the first of those that would be written; ``values`` and ``moved``: how many values
    were prepared, and changed since; ``rests``: so few that the others can be done; ``link``: of the dry run of what is
    done elsewhere; ``job``: doing that."""

    one: PreparedRow
    rows: list[RecordWanted]
    records: int
    values: int
    moved: int
    rests: bool
    link: str
    label: str
    job: dict[str, Any] | None

    @property
    def is_open(self) -> bool:
        """Whether it can still be decided on."""
        return self.one["state"] in ("waiting", "agreed", "back")

    @property
    def is_under_way(self) -> bool:
        """Whether a job is doing it; where that failed or was cancelled, it can be decided on again."""
        return self.one["state"] == "agreed" and not self.one["apply_at"] and bool(self.job and self.job["is_open"])


def listed(ctx: Context, actor: Actor) -> tuple[list[PreparedRow], list[PreparedRow]]:
    """Those that are open, and those that ended."""
    actor.require(Role.VIEWER)
    return ctx.db.run(store.listed)


def said(ctx: Context, actor: Actor, shown: Sequence[PreparedRow]) -> dict[int, str]:
    """What some of them would do, in a few words each."""
    actor.require(Role.VIEWER)
    ids = [one["id"] for one in shown]
    return ctx.db.run(lambda tx: said_of(tx, store.few_rows(tx, ids, SAID_RECORDS)))


def of_records(ctx: Context, actor: Actor, kinds: Mapping[str, Sequence[int]]) -> list[PreparedRow]:
    """Those that are open and would write any of these records."""
    actor.require(Role.VIEWER)
    return ctx.db.run(lambda tx: store.of_records(tx, kinds))


def read(ctx: Context, actor: Actor, prepared_id: int) -> Detail:
    """One of them, held against what is there now. Raises NotFound."""
    actor.require(Role.VIEWER)

    def work(tx: Tx) -> Detail:
        one = _found(tx, prepared_id)
        wanted = store.wanted(tx, prepared_id)
        plan = _plan(tx, ctx.settings.language, wanted)
        provider = providers.of(one["kind"]) if one["refers"] else None
        return Detail(
            one,
            _in_words(tx, plan[:SHOWN]),
            len(plan),
            sum(planned.standing.values for planned in plan),
            sum(len(planned.standing.moved) for planned in plan),
            rules.rests(planned.standing for planned in plan),
            provider.link(one["refers"]) if provider and one["refers"] else "",
            provider.label if provider else "",
            None,
        )

    found = ctx.db.run(work)
    job = jobs.of(ctx, actor, found.one["job_id"])
    return Detail(**{**vars(found), "job": job})


def job_of(ctx: Context, actor: Actor, prepared_id: int) -> dict[str, Any] | None:
    """The job that does one, None where none does. Raises NotFound."""
    actor.require(Role.VIEWER)
    return jobs.of(ctx, actor, ctx.db.run(lambda tx: _found(tx, prepared_id))["job_id"])


def _found(tx: Tx, prepared_id: int, *, lock: bool = False) -> PreparedRow:
    row = store.read(tx, prepared_id, lock=lock)
    if row is None:
        raise NotFound(f"There is no prepared change {prepared_id}.")
    return row


@dataclass(frozen=True)
class _Planned:
    """A record as it was prepared, as it is now, and how these stand to each other."""

    wanted: WantedRow
    now: dict[str, Any] | None
    version: int
    standing: Standing


def _plan(tx: Tx, language: str, wanted: Sequence[WantedRow], *, lock: bool = False) -> list[_Planned]:
    ids: dict[str, list[int]] = {}
    for row in wanted:
        ids.setdefault(row["record_kind"], []).append(row["record_id"])
    held = scope.held(tx, language, ids, lock=lock)
    order = scope.reading_order()
    found = []
    for row in sorted(wanted, key=lambda one: (order.index(one["record_kind"]), one["record_id"])):
        version, now = held.get((row["record_kind"], row["record_id"]), (0, None))
        wholes = records.kind_of(row["record_kind"]).record.wholes
        found.append(_Planned(row, now, version, rules.standing(row["was"], row["became"], now, wholes)))
    return found


def _in_words(tx: Tx, plan: Sequence[_Planned]) -> list[RecordWanted]:
    rows = [_as_row(one) for one in plan]
    names = naming.names(tx, [{**row, "now": one.now} for row, one in zip(rows, plan, strict=True)])
    return [
        RecordWanted(told, _fields(names, row, told, one), _state(one), _product(one))
        for row, told, one in zip(rows, rows_in_words(tx, rows), plan, strict=True)
    ]


def _as_row(one: _Planned) -> ChangeRow:
    """As a row of the journal; without what a record belongs to, which is told by its name."""
    owner = records.kind_of(one.wanted["record_kind"]).record.owner

    def plain(values: dict[str, Any] | None) -> dict[str, Any] | None:
        return None if values is None else {name: value for name, value in values.items() if name != owner}

    was, became = plain(one.wanted["was"]), plain(one.wanted["became"])
    kind, key = one.wanted["record_kind"], one.wanted["record_id"]
    return ChangeRow(record_kind=kind, record_id=key, version=one.version, was=was, became=became)


def _product(one: _Planned) -> int:
    return one.wanted["record_id"] if one.wanted["record_kind"] == "product" and one.now is not None else 0


def _state(one: _Planned) -> str:
    if one.standing.moved:
        return "moved"
    return "holds" if one.standing.writes or one.standing.whole else "done"


def _fields(names: naming.Names, row: ChangeRow, told: RowShown, one: _Planned) -> list[FieldWanted]:
    kind = row["record_kind"]
    return [
        FieldWanted(*words, now=naming.in_words(names, kind, name, (one.now or {}).get(name)))
        if name in one.standing.moved
        else FieldWanted(*words)
        for words, name in zip(told.fields, telling(row), strict=True)
    ]


def differences(tx: Tx, language: str, prepared_id: int, *, lock: bool = False) -> list[Difference]:
    """What it would write now: what still is as it was."""
    plan = _plan(tx, language, store.wanted(tx, prepared_id), lock=lock)
    return [one for planned in plan if (one := _difference(planned))]


def until(tx: Tx, language: str, at: datetime, also: int | None = None) -> list[Difference]:
    """What those will have written by a moment, UTC, whose moment is set; ``also``: and another one."""
    due = [one["id"] for one in store.due(tx, at.astimezone(UTC).replace(tzinfo=None))]
    return [
        one
        for number in [*due, *([also] if also and also not in due else [])]
        for one in differences(tx, language, number)
    ]


def moment_of(ctx: Context, prepared_id: int) -> datetime | None:
    """The moment that is set for one of them, UTC. Raises NotFound."""
    found = ctx.db.run(lambda tx: _found(tx, prepared_id))["apply_at"]
    return found.replace(tzinfo=UTC) if found else None


def _difference(one: _Planned) -> Difference | None:
    kind, key, became = one.wanted["record_kind"], one.wanted["record_id"], one.wanted["became"]
    if one.wanted["was"] is None or became is None:
        return Difference(kind, key, one.version + 1, one.now, became) if one.standing.whole else None
    names, now = one.standing.writes, one.now or {}
    if not names:
        return None
    was = {name: now.get(name) for name in names}
    return Difference(kind, key, one.version + 1, was, {name: became[name] for name in names})


# --- deciding ------------------------------------------------------------------------------------------------


def _decidable(tx: Tx, prepared_id: int, version: int, states: Sequence[str]) -> PreparedRow:
    """One of them, locked. Raises NotFound, and Refused where somebody else said something of it meanwhile."""
    one = _found(tx, prepared_id, lock=True)
    if one["version"] != version or one["state"] not in states:
        who = one["decider"] or "somebody"
        raise Refused.because(
            "prepared.decided", f"Meanwhile {who} said something of it. Look at it as it stands now, and decide again."
        )
    return one


def agree(ctx: Context, actor: Actor, prepared_id: int, version: int, at: datetime | None, word: str = "") -> None:
    """Do it: at once, what writes many records in the background, or at a moment, UTC. Raises Refused, NotFound."""
    actor.require(Role.EDITOR)
    if at is not None and at <= ctx.db.run(ctx.now):
        raise Refused.because("prepared.past", "That moment is over. Choose one that is still to come.", "at")

    def work(tx: Tx) -> PreparedRow:
        one = _decidable(tx, prepared_id, version, ("waiting", "agreed", "back"))
        kept_at = at.astimezone(UTC).replace(tzinfo=None) if at else None
        store.decide(tx, prepared_id, actor, "agreed", _word(word), kept_at)
        if at is not None:
            timekeeping.plan(ctx, tx, CLOCK, at)
        elif one["refers"] is None and store.size(tx, prepared_id) > AT_ONCE:
            given = {"prepared_id": prepared_id, "looked": True}
            job_id = enqueue(tx, actor, JobRequest(DO, one["title"], given, f"/prepared/{prepared_id}"))
            store.change(tx, prepared_id, job_id=job_id)
        elif one["refers"] is None:
            _write(ctx, tx, actor, one)  # who does it now has seen what was changed since
        mails.tell(ctx, tx, actor, prepared_id, mails.AGREED)
        return one

    one = ctx.db.run(work)
    if at is None and one["refers"] is not None:
        begin(ctx, actor, prepared_id)


def begin(ctx: Context, actor: Actor, prepared_id: int) -> int:
    """Have something done that is prepared by reference; returns the job's id. Raises Refused."""
    one = ctx.db.run(lambda tx: _found(tx, prepared_id))
    assert one["refers"] is not None
    given = json.loads(one["given"] or "{}")
    try:
        job_id = providers.of(one["kind"]).begin(ctx, actor, one["refers"], given)
    except Refused as refusal:
        said = str(refusal)
        ctx.db.run(lambda tx: store.change(tx, prepared_id, state="refused", reply=said[:LONGEST_WORD]))
        raise
    ctx.db.run(lambda tx: store.change(tx, prepared_id, state="done", job_id=job_id))
    return job_id


def write_by_itself(ctx: Context, tx: Tx, actor: Actor, prepared_id: int, *, looked: bool) -> int:
    """Write one of them in a transaction; returns the change set. Unless somebody ``looked`` at it as it stands, raises
    Refused where it does not rest any more on what it was prepared on."""
    one = _found(tx, prepared_id, lock=True)
    plan = _plan(tx, ctx.settings.language, store.wanted(tx, one["id"]))
    moved = sum(len(planned.standing.moved) for planned in plan)
    if not looked and not rules.rests(planned.standing for planned in plan):
        raise Refused.because(
            "prepared.moved",
            f"{plural(moved, 'value')} of what this changes {'was' if moved == 1 else 'were'} changed since it was "
            "prepared. That is too much for the rest to be done with nobody looking: look at it, and do it or prepare "
            "it anew.",
        )
    return _write(ctx, tx, actor, one)


def _write(ctx: Context, tx: Tx, actor: Actor, one: PreparedRow) -> int:
    found = differences(tx, ctx.settings.language, one["id"], lock=True)
    if not found:
        raise Refused.because("prepared.nothing", "Nothing of it is left to be done as it was prepared.")
    title = f"{one['title']} (prepared by {one['maker']})"
    change_set_id = pieces.write(ctx, tx, actor, one["kind"], title, found)
    store.change(tx, one["id"], state="done", change_set_id=change_set_id)
    return change_set_id


def send_back(ctx: Context, actor: Actor, prepared_id: int, version: int, word: str) -> None:
    """Say what is not right yet. Raises Refused without a word, NotFound."""
    actor.require(Role.EDITOR)
    if not word.strip():
        raise Refused.because("prepared.word", "Say in a word what is not right yet.", "word")

    def work(tx: Tx) -> None:
        _decidable(tx, prepared_id, version, ("waiting", "agreed"))
        store.decide(tx, prepared_id, actor, "back", _word(word), None)
        mails.tell(ctx, tx, actor, prepared_id, mails.BACK)

    ctx.db.run(work)


def hand_in(ctx: Context, actor: Actor, prepared_id: int, version: int, word: str) -> None:
    """Give it to others, with a word of what it is for. Raises Refused, NotFound."""
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> None:
        _decidable(tx, prepared_id, version, ("waiting", "back"))
        store.change(tx, prepared_id, state="waiting", word=_word(word))
        mails.tell(ctx, tx, actor, prepared_id, mails.HANDED_IN)

    ctx.db.run(work)


def withdraw(ctx: Context, actor: Actor, prepared_id: int, version: int) -> None:
    """Let go of it. Raises Refused, NotFound."""
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> None:
        _decidable(tx, prepared_id, version, ("waiting", "agreed", "back"))
        store.decide(tx, prepared_id, actor, "withdrawn", "", None)

    ctx.db.run(work)


def _word(text: str) -> str:
    return text.strip()[:LONGEST_WORD]
