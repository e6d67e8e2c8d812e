"""Recording change sets, and reading them."""

from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field, replace
from datetime import datetime, timedelta
from functools import partial
from itertools import count
from typing import Any

from graupel.context import Context
from graupel.core import changes
from graupel.core.errors import NotFound
from graupel.core.roles import SYSTEM, Actor, Role
from graupel.db import Tx
from graupel.features.history import following, journal, naming, prepared, records, store
from graupel.features.history.records import Shown
from graupel.features.history.rows import ChangeRow, ChangeSetRow, TrailRow
from graupel.web import done, preparing

SHOWN_ROWS = 50


@dataclass
class Recorder:
    """Takes down what a change set does, inside its transaction."""

    tx: Tx
    change_set_id: int
    #: How many records it took down; known at the end.
    records: int = 0
    handed_on: list[object] = field(default_factory=list)

    def hand_on(self, known: object) -> None:
        """Tell those who follow what the act knows already (see following.Recorded)."""
        self.handed_on.append(known)

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
def change_set(
    tx: Tx, actor: Actor, kind: str, title: str, rolls_back: int | None = None, part_of: int | None = None
) -> Iterator[Recorder]:
    """Everything recorded inside is one change set; one that recorded nothing leaves no trace.

    ``part_of``: another one, which brought this one with it later; it goes back before that one does.
    """
    recorder = Recorder(tx, store.insert_change_set(tx, actor, kind, title, rolls_back, part_of))
    yield recorder
    recorder.records, packed = store.count_rows(tx, recorder.change_set_id)
    if recorder.records and (held := preparing.current()):
        prepared.take(tx, held, actor, recorder.change_set_id, kind, title, packed=bool(packed))
    elif recorder.records:
        wrote = following.Wrote(store.written(tx, recorder.change_set_id, recorder.records))
        following.follow(tx, recorder.change_set_id, recorder.handed_on, wrote)
        flows = not packed and all(records.kind_of(kind).flows for kind in wrote.fields)
        store.note_recorded(tx, recorder.change_set_id, flows=flows)
        done.note(recorder.change_set_id, title)
    else:
        store.delete_empty(tx, recorder.change_set_id)


def imagined(tx: Tx) -> Recorder:
    """A recorder of what is not to last: the caller lets go of it. Nobody follows."""
    return Recorder(tx, store.insert_change_set(tx, SYSTEM, "imagined", "Imagined"))


@dataclass(frozen=True)
class Asked:
    """What History is searched for. ``text``: in titles; ``who``: in the names of those who acted; ``since`` and
    ``until``: moments, UTC; ``kind``: of the act; ``field``: "product.price", one that it changed; ``product``: by id;
    ``without``: the beginning of kinds that are left out.
    """

    text: str = ""
    who: str = ""
    since: datetime | None = None
    until: datetime | None = None
    kind: str | None = None
    field: str = ""
    product: int | None = None
    without: str = ""


@dataclass(frozen=True)
class Gathered:
    """Acts of one person that followed each other and have one title. ``said``: what the newest did, in words."""

    sets: list[ChangeSetRow]
    said: str = ""

    @property
    def newest(self) -> ChangeSetRow:
        """The last of them."""
        return self.sets[0]


@dataclass(frozen=True)
class Page:
    """A page of change sets; ``older`` is where the next one begins, None at the end."""

    change_sets: list[ChangeSetRow]
    older: int | None
    gathered: list[Gathered] = field(default_factory=list)


#: Of acts with more records than these no line says what they did.
SAID_RECORDS = 20
SAID_FIELDS = 2
SAID_LENGTH = 60
#: Acts with one title that lie further apart are told one by one.
GATHERED_WITHIN = timedelta(minutes=30)


def list_change_sets(
    ctx: Context, actor: Actor, before: int | None = None, kind: str | None = None, asked: Asked | None = None
) -> Page:
    """The newest first, those that fit what is asked; ``before``: older ones than this."""
    actor.require(Role.VIEWER)
    wanted = replace(asked or Asked(), kind=kind or (asked.kind if asked else None))

    def work(tx: Tx) -> Page:
        among = _touching(tx, wanted.product) if wanted.product is not None else None
        found = store.change_sets(tx, before=before, asked=wanted, among=among)
        shown = found[: store.PAGE]
        older = shown[-1]["id"] if len(found) > store.PAGE else None
        return Page(shown, older, _gather(tx, shown))

    return ctx.db.run(work)


def _touching(tx: Tx, product_id: int) -> list[int]:
    """The newest change sets that touched a product or something that belongs to it."""
    keys = {"product": [product_id]}
    for kind in records.kinds():
        owners = [one.name for one in kind.record.fields if one.refers_to == kind.record.parent == "product"]
        if owners:
            keys[kind.name] = store.ids_of(tx, kind.plain, owners[0], product_id)
    return [row["id"] for row in store.record_history(tx, keys, store.MOST_TOUCHING)]


def _gather(tx: Tx, found: Sequence[ChangeSetRow]) -> list[Gathered]:
    together: list[list[ChangeSetRow]] = []
    for one in found:
        last = together[-1][-1] if together else None
        alike = last and (last["title"], last["actor"], last["kind"]) == (one["title"], one["actor"], one["kind"])
        if last and alike and last["made_at"] - one["made_at"] < GATHERED_WITHIN and not one["rolled_back_by"]:
            together[-1].append(one)
        else:
            together.append([one])
    said = _said(tx, [sets[0]["id"] for sets in together if sets[0]["records"] <= SAID_RECORDS])
    return [Gathered(sets, said.get(sets[0]["id"], "")) for sets in together]


def _said(tx: Tx, ids: Sequence[int]) -> dict[int, str]:
    """What change sets did, in a few words each: "Price 9.80 → 10.20, and 3 more"."""
    return said_of(tx, store.rows_of_sets(tx, ids))


def said_of(tx: Tx, rows: Sequence[Mapping[str, Any]]) -> dict[int, str]:
    """The same of rows of the journal, by their change set."""
    names = naming.names(tx, rows)
    called = _called(tx, rows)
    words: dict[int, list[str]] = {}
    for row in rows:
        kind = row["record_kind"]
        own = called.get((kind, row["record_id"]))
        if row["was"] is None or row["became"] is None:
            if told := _came_or_went(row, own):
                words.setdefault(row["change_set_id"], []).append(told)
            continue
        for name in telling(row):
            before, after = (naming.in_words(names, kind, name, row[side].get(name)) for side in ("was", "became"))
            label = own or naming.label(kind, name)
            told = f"{label} {before} → {after}"
            words.setdefault(row["change_set_id"], []).append(told if len(told) <= SAID_LENGTH else label)
    return {key: _few(list(dict.fromkeys(told))) for key, told in words.items()}


def _called(tx: Tx, rows: Sequence[Mapping[str, Any]]) -> dict[tuple[str, int], str]:
    """What records are called that are a value of another, such as its name in German."""
    by_kind: dict[str, dict[int, Mapping[str, Any]]] = {}
    for row in rows:
        if records.kind_of(row["record_kind"]).calls:
            by_kind.setdefault(row["record_kind"], {})[row["record_id"]] = {
                **(row["was"] or {}),
                **(row["became"] or {}),
            }
    found: dict[tuple[str, int], str] = {}
    for name, values in by_kind.items():
        if calls := records.kind_of(name).calls:
            found |= {(name, key): said for key, said in calls(tx, values).items()}
    return found


def _came_or_went(row: Mapping[str, Any], own: str | None) -> str:
    """Of what belongs to another record, that it was added or taken away; the titles of acts say it of others."""
    kind = records.kind_of(row["record_kind"])
    if own:
        return f"{own} {'added' if row['was'] is None else 'taken away'}"
    if not kind.record.parent and not kind.describe_values:
        return ""
    return f"{kind.label} {'added' if row['was'] is None else 'taken away'}"


def _few(told: Sequence[str]) -> str:
    more = f", and {len(told) - SAID_FIELDS} more" if len(told) > SAID_FIELDS else ""
    return ", ".join(told[:SAID_FIELDS]) + more


@dataclass(frozen=True)
class RowShown:
    """One record of a change set: its name, link, and the fields as (label, before, after) in words."""

    kind: str
    shown: Shown
    action: str
    fields: list[tuple[str, str, str]]


@dataclass(frozen=True)
class KindCount:
    """How many records of a kind a change set made, removed and changed, and what the kind is called."""

    record_kind: str
    made: int
    removed: int
    changed: int
    label: str


@dataclass(frozen=True)
class ChangeSetDetail:
    """A change set with its counts by kind and a page of its records, in words and as the journal has them."""

    change_set: ChangeSetRow
    counts: list[KindCount]
    rows: list[RowShown]
    journalled: list[ChangeRow]
    page: int
    pages: int


def title_of(tx: Tx, change_set_id: int) -> str:
    """What a change set is called; "" where it is not there."""
    found = store.change_set(tx, change_set_id)
    return found["title"] if found else ""


def holds(tx: Tx, change_set_id: int) -> bool:
    """Whether a change set is there and was not rolled back; nobody rolls it back until this is done."""
    found = store.change_set(tx, change_set_id, lock=True)
    return found is not None and found["rolled_back_by"] is None


def read(ctx: Context, actor: Actor, change_set_id: int, page: int = 1) -> ChangeSetDetail:
    """One change set. Raises NotFound."""
    actor.require(Role.VIEWER)

    def work(tx: Tx) -> ChangeSetDetail:
        found = store.change_set(tx, change_set_id)
        if found is None:
            raise NotFound(f"There is no change set {change_set_id}.")
        counts = [
            KindCount(**row, label=records.kind_of(row["record_kind"]).label)
            for row in store.kind_counts(tx, change_set_id)
        ]
        pages = max(1, -(-found["records"] // SHOWN_ROWS))
        rows = store.rows(tx, change_set_id, SHOWN_ROWS, (page - 1) * SHOWN_ROWS)
        return ChangeSetDetail(found, counts, rows_in_words(tx, rows), rows, page, pages)

    return ctx.db.run(work)


#: So many records are read at once where all of a change set are.
AT_ONCE = 2_000
HEADERS = ("record", "name", "what happened", "field", "before", "after")


def as_table(ctx: Context, actor: Actor, change_set_id: int) -> Iterator[Sequence[str]]:
    """All that a change set did, a row for each field of each record, with HEADERS first. Raises NotFound at once."""
    actor.require(Role.VIEWER)
    found = ctx.db.run(lambda tx: store.change_set(tx, change_set_id))
    if found is None:
        raise NotFound(f"There is no change set {change_set_id}.")
    return _table(ctx, change_set_id)


def _table(ctx: Context, change_set_id: int) -> Iterator[Sequence[str]]:
    yield HEADERS
    for offset in count(0, AT_ONCE):
        rows = ctx.db.run(partial(_some, change_set_id=change_set_id, offset=offset))
        for row in rows:
            for name, before, after in row.fields or [("", "", "")]:
                yield row.kind, row.shown.title, row.action, name, before, after
        if len(rows) < AT_ONCE:
            return


def _some(tx: Tx, change_set_id: int, offset: int) -> list[RowShown]:
    return rows_in_words(tx, store.rows(tx, change_set_id, AT_ONCE, offset))


def rows_in_words(tx: Tx, rows: Sequence[ChangeRow]) -> list[RowShown]:
    """Rows of the journal as they are shown."""
    names = naming.names(tx, rows)

    def words(row: Mapping[str, Any], side: str, name: str) -> str:
        return naming.in_words(names, row["record_kind"], name, (row[side] or {}).get(name))

    return [
        RowShown(
            records.kind_of(row["record_kind"]).label,
            names.get((row["record_kind"], row["record_id"])) or Shown(naming.old_name(tx, names, row)),
            "made" if row["was"] is None else "removed" if row["became"] is None else "changed",
            [
                (naming.label(row["record_kind"], name), words(row, "was", name), words(row, "became", name))
                for name in telling(row)
            ],
        )
        for row in rows
    ]


def telling(row: Mapping[str, Any]) -> list[str]:
    """The fields worth showing: of a record that was made or removed, those that held something."""
    values = (row["became"] if row["became"] is not None else row["was"]) or {}
    is_change = row["was"] is not None and row["became"] is not None
    told = records.kind_of(row["record_kind"]).telling
    said = [name for name, value in values.items() if is_change or value not in (None, "")]
    return [name for name in said if name in told] or said if told else said


def last_actor(tx: Tx, kinds: Mapping[str, Sequence[int]]) -> str:
    """Who changed any of these records (kind -> ids) last."""
    sets = store.record_history(tx, kinds, 1)
    return str(sets[0]["actor"]) if sets else "Someone"


def of_records(ctx: Context, actor: Actor, kinds: Mapping[str, Sequence[int]], limit: int = 8) -> list[TrailRow]:
    """The newest change sets that touched any of these records (kind -> ids)."""
    actor.require(Role.VIEWER)
    return ctx.db.run(lambda tx: store.record_history(tx, kinds, limit))


def stamp(tx: Tx) -> str:
    """Another text after every change of the catalogue: what was counted under an old one is out of date."""
    return tx.remembered("stamp", lambda: store.stamp(tx))


def written_stamp(tx: Tx) -> str:
    """The same after every change of what people write: what flows in all day, orders and stock, leaves it alone."""
    return tx.remembered("written stamp", lambda: store.stamp(tx, only_written=True))


def newest_ids(tx: Tx, limit: int) -> list[int]:
    """Ids of the change sets that were recorded last, the newest first."""
    return store.newest_ids(tx, limit)


def larger_than(tx: Tx, ids: Sequence[int], records: int) -> set[int]:
    """Those of some change sets that changed more records."""
    return store.larger_than(tx, ids, records)


def moments(tx: Tx, ids: Sequence[int]) -> dict[int, str]:
    """When change sets were made, as text: by this it is known again that a set is the same one."""
    return store.moments(tx, ids)
