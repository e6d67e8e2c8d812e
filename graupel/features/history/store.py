"""The journal's tables."""

import json
from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Any, cast

from graupel.core.roles import Actor
from graupel.db import Tx, like
from graupel.features.history import packs
from graupel.features.history.records import RecordKind
from graupel.features.history.rows import ChangeRow, ChangeSetRow, KeepingRow, KindCountRow, StepRow, TrailRow

PAGE = 40
#: Of a product, so many of the newest change sets are looked through.
MOST_TOUCHING = 500
#: More than are looked through for what is new; the rest of the table is of no use.
KEPT_RECORDED = 100_000


def insert_change_set(
    tx: Tx, actor: Actor, kind: str, title: str, rolls_back: int | None = None, part_of: int | None = None
) -> int:
    return tx.insert(
        """INSERT INTO change_set (kind, title, user_id, actor, made_at, rolls_back, part_of)
           VALUES (%s, %s, %s, %s, UTC_TIMESTAMP(3), %s, %s)""",
        [kind, title[:300], actor.user_id, actor.name, rolls_back, part_of],
    )


def parts(tx: Tx, change_set_id: int) -> list[int]:
    """The acts that one brought with it later and that hold, the newest first."""
    rows = tx.all(
        "SELECT id FROM change_set WHERE part_of = %s AND rolled_back_by IS NULL AND NOT thinned ORDER BY id DESC",
        [change_set_id],
    )
    return [row["id"] for row in rows]


def count_rows(tx: Tx, change_set_id: int) -> tuple[int, int]:
    """Count the rows of a change set into it; returns the number, and how many of them are packed.

    What came and went within it leaves none.
    """
    found = tx.one(
        """SELECT COUNT(*) AS number, COALESCE(SUM(was IS NULL AND became IS NULL), 0) AS passing,
                  (SELECT COALESCE(SUM(records), 0) FROM change_pack WHERE change_set_id = %(set)s) AS packed
           FROM change_row WHERE change_set_id = %(set)s""",
        {"set": change_set_id},
    )
    assert found is not None
    if found["passing"]:
        tx.run("DELETE FROM change_row WHERE change_set_id = %s AND was IS NULL AND became IS NULL", [change_set_id])
    number = found["number"] - found["passing"] + found["packed"]
    tx.run("UPDATE change_set SET records = %s WHERE id = %s", [number, change_set_id])
    return int(number), int(found["packed"])


#: Of so few records a change set is asked which of their fields it wrote.
FEW_WRITTEN = 50


def written(tx: Tx, change_set_id: int, number: int) -> dict[str, set[str] | None]:
    """By kind the fields that a change set of so many records wrote; None for any: it made some, or they are many."""
    few = "record_kind AS kind, IF(was IS NULL OR became IS NULL, NULL, JSON_KEYS(became)) AS names"
    what = few if number <= FEW_WRITTEN else "DISTINCT record_kind AS kind, NULL AS names"
    found: dict[str, set[str] | None] = {}
    for row in tx.all(f"SELECT {what} FROM change_row WHERE change_set_id = %s", [change_set_id]):
        there = found.get(row["kind"], set())
        found[row["kind"]] = None if there is None or row["names"] is None else there | set(json.loads(row["names"]))
    return found


def delete_empty(tx: Tx, change_set_id: int) -> None:
    tx.run("DELETE FROM change_set WHERE id = %s", [change_set_id])


def change_sets(tx: Tx, *, before: int | None, asked: Any, among: Sequence[int] | None = None) -> list[ChangeSetRow]:
    """The newest change sets that fit (service.Asked), a page of them and one more; ``among``: only of these."""
    clauses = {
        "before": ("s.id < %(before)s", before),
        "kind": ("s.kind = %(kind)s", asked.kind),
        "without": ("s.kind NOT LIKE %(without)s", f"{like(asked.without)}.%" if asked.without else None),
        "text": ("s.title LIKE %(text)s", f"%{like(asked.text)}%" if asked.text else None),
        "who": ("s.actor LIKE %(who)s", f"%{like(asked.who)}%" if asked.who else None),
        "since": ("s.made_at >= %(since)s", asked.since),
        "until": ("s.made_at < %(until)s", asked.until),
        "among": ("s.id IN %(among)s", None if among is None else list(among) or [0]),
        "record": (_WROTE, asked.field.partition(".")[0] or None),
    }
    given = {name: value for name, (_, value) in clauses.items() if value is not None}
    path = asked.field.partition(".")[2]
    return tx.rows(
        ChangeSetRow,
        f"""SELECT s.* FROM change_set s WHERE {" AND ".join(clauses[name][0] for name in given) or "TRUE"}
            ORDER BY s.id DESC LIMIT %(limit)s""",
        {**given, "path": f'$."{path}"', "limit": PAGE + 1},
    )


_WROTE = """EXISTS (SELECT 1 FROM change_row r WHERE r.change_set_id = s.id AND r.record_kind = %(record)s
            AND r.was IS NOT NULL AND JSON_CONTAINS_PATH(r.became, 'one', %(path)s))"""


def ids_of(tx: Tx, table: str, owner: str, record_id: int) -> list[int]:
    """The ids of records of a kind that belong to one record, the newest first; of many the newest."""
    sql = f"SELECT id FROM {table} WHERE {owner} = %s ORDER BY id DESC LIMIT {MOST_TOUCHING}"
    return [row["id"] for row in tx.all(sql, [record_id])]


def rows_of_sets(tx: Tx, ids: Sequence[int]) -> list[dict[str, Any]]:
    """The rows of some small change sets."""
    if not ids:
        return []
    found = tx.all(
        """SELECT change_set_id, record_kind, record_id, was, became FROM change_row WHERE change_set_id IN %s
           ORDER BY change_set_id, record_kind = 'product' DESC, record_kind, record_id""",
        [list(ids)],
    )
    return [row | {key: json.loads(row[key]) if row[key] else None for key in ("was", "became")} for row in found]


def removals(tx: Tx, kind: str, ids: Sequence[int]) -> list[dict[str, Any]]:
    """What records held as they were removed; the last removal of each comes last."""
    if not ids:
        return []
    found = tx.all(
        """SELECT record_id, was FROM change_row WHERE record_kind = %s AND record_id IN %s AND became IS NULL
           ORDER BY change_set_id""",
        [kind, list(ids)],
    )
    return [row | {"was": json.loads(row["was"]) if row["was"] else {}} for row in found]


def change_set(tx: Tx, change_set_id: int, *, lock: bool = False) -> ChangeSetRow | None:
    return tx.row(
        ChangeSetRow, f"SELECT * FROM change_set WHERE id = %s {'FOR UPDATE' if lock else ''}", [change_set_id]
    )


def rows(tx: Tx, change_set_id: int, limit: int, offset: int = 0) -> list[ChangeRow]:
    """Rows of a change set, with ``was`` and ``became`` as dicts; those that are packed come last."""
    page = _rows(tx, change_set_id, limit, offset)
    if len(page) < limit and packs.counts(tx, change_set_id):
        before = tx.value("SELECT COUNT(*) FROM change_row WHERE change_set_id = %s", [change_set_id])
        page += packs.rows(tx, change_set_id, limit - len(page), max(0, offset - before))
    return page


def _rows(tx: Tx, change_set_id: int, limit: int, offset: int) -> list[ChangeRow]:
    found = tx.all(
        """SELECT record_kind, record_id, version, was, became FROM change_row WHERE change_set_id = %s
           ORDER BY record_kind, record_id LIMIT %s OFFSET %s""",
        [change_set_id, limit, offset],
    )
    return [cast(ChangeRow, _with_sides(row)) for row in found]


def record_history(
    tx: Tx, kinds: Mapping[str, Sequence[int]], limit: int, *, before: int | None = None, field: str = ""
) -> list[TrailRow]:
    """The newest change sets that touched any of the records (kind -> ids); ``before``: older ones than this;
    ``field``: only those that wrote it."""
    wanted = {kind: list(ids) for kind, ids in kinds.items() if ids}
    if not wanted:
        return []
    wrote = "AND JSON_EXISTS(COALESCE(r.became, r.was), %s)" if field else ""
    touching = " UNION ".join(
        f"""SELECT r.change_set_id FROM JSON_TABLE(%s, '$[*]' COLUMNS (id BIGINT UNSIGNED PATH '$')) asked
           STRAIGHT_JOIN change_row r ON r.record_kind = %s AND r.record_id = asked.id {wrote}"""
        for _ in wanted
    )
    path = [f"$.{field}"] if field else []
    flat = [value for kind, ids in wanted.items() for value in (json.dumps(ids), kind, *path)]
    made_in = sorted({one for kind, ids in wanted.items() for one in packs.made_in(tx, kind, ids)})
    return tx.rows(
        TrailRow,
        f"""SELECT s.id, s.title, s.actor, s.made_at, s.kind FROM change_set s JOIN
            ({touching} UNION SELECT id FROM change_set WHERE id IN %s) touched ON touched.change_set_id = s.id
            WHERE s.id < %s ORDER BY s.id DESC LIMIT %s""",
        [*flat, made_in or [0], before or 2**63, limit],
    )


def steps(
    tx: Tx, kinds: Mapping[str, Sequence[int]], *, sets: Sequence[int] = (), since: datetime | None = None
) -> list[StepRow]:
    """What the journal has of records (kind -> ids): of these change sets, or of those that began since a moment,
    UTC; packed ones too."""
    among = "s.id IN %(sets)s" if sets else "s.made_at >= %(since)s"
    found: list[StepRow] = []
    for kind, ids in kinds.items():
        if not ids:
            continue
        params = {"ids": json.dumps(list(ids)), "kind": kind, "sets": list(sets), "since": since}
        rows = tx.all(
            f"""SELECT s.made_at, r.change_set_id, r.record_kind, r.record_id, r.version, r.was, r.became
                FROM JSON_TABLE(%(ids)s, '$[*]' COLUMNS (id BIGINT UNSIGNED PATH '$')) asked
                STRAIGHT_JOIN change_row r ON r.record_kind = %(kind)s AND r.record_id = asked.id
                STRAIGHT_JOIN change_set s ON s.id = r.change_set_id WHERE {among}""",
            params,
        )
        sides = ("was", "became")
        found += [
            cast(StepRow, row | {key: json.loads(row[key]) if row[key] else None for key in sides}) for row in rows
        ]
        found += _packed(tx, kind, ids, among, params)
    return found


def rows_since(tx: Tx, kinds: Sequence[str], since: datetime, limit: int, narrowed: str, given: Any) -> list[StepRow]:
    """Rows of the journal of kinds of record in change sets that began since a moment, UTC; ``narrowed``: SQL of a
    condition on r, with ``given``. What is packed is not among them."""
    rows = tx.all(
        f"""SELECT s.made_at, r.change_set_id, r.record_kind, r.record_id, r.version, r.was, r.became
            FROM change_set s STRAIGHT_JOIN change_row r ON r.change_set_id = s.id AND r.record_kind IN %(kinds)s
            WHERE s.made_at >= %(since)s AND {narrowed} LIMIT %(limit)s""",
        {**given, "kinds": list(kinds), "since": since, "limit": limit},
    )
    return [_read(row) for row in rows]


def wrote(tx: Tx, change_set_id: int, kind: str) -> bool:
    """Whether a change set wrote any record of a kind, packs aside."""
    first = "SELECT 1 FROM change_row WHERE change_set_id = %s AND record_kind = %s LIMIT 1"
    return bool(tx.value(first, [change_set_id, kind]))


def rows_of(tx: Tx, change_set_id: int, kind: str, ids: Sequence[int]) -> list[ChangeRow]:
    """What a change set wrote of some records of a kind, packs aside."""
    rows = tx.all(
        """SELECT record_kind, record_id, version, was, became FROM change_row
           WHERE change_set_id = %s AND record_kind = %s AND record_id IN %s ORDER BY record_id""",
        [change_set_id, kind, list(ids) or [0]],
    )
    return [cast(ChangeRow, _with_sides(row)) for row in rows]


def gone_since(tx: Tx, kind: RecordKind, since: datetime, limit: int) -> list[int]:
    """The ids of records of a kind that went in change sets since a moment, UTC, and are not there again; the highest
    first, at most so many."""
    rows = tx.all(
        f"""SELECT DISTINCT r.record_id AS id FROM change_set s
            STRAIGHT_JOIN change_row r ON r.change_set_id = s.id AND r.record_kind = %(kind)s AND r.became IS NULL
            LEFT JOIN {kind.plain} x ON x.id = r.record_id
            WHERE s.made_at >= %(since)s AND x.id IS NULL ORDER BY r.record_id DESC LIMIT %(limit)s""",
        {"kind": kind.name, "since": since, "limit": limit},
    )
    return [row["id"] for row in rows]


def _read(row: dict[str, Any]) -> StepRow:
    return cast(StepRow, _with_sides(row))


def _with_sides(row: dict[str, Any]) -> dict[str, Any]:
    return row | {key: json.loads(row[key]) if row[key] else None for key in ("was", "became")}


def _packed(tx: Tx, kind: str, ids: Sequence[int], among: str, params: Mapping[str, Any]) -> list[StepRow]:
    packed = packs.of_records(tx, kind, ids)
    if not packed:
        return []
    rows = tx.all(
        f"SELECT s.id, s.made_at FROM change_set s WHERE s.id IN %(packed)s AND {among}",
        {**params, "packed": sorted({row["change_set_id"] for row in packed})},
    )
    moments = {row["id"]: row["made_at"] for row in rows}
    return [
        cast(StepRow, row | {"made_at": moments[row["change_set_id"]]})
        for row in packed
        if row["change_set_id"] in moments
    ]


def kind_counts(tx: Tx, change_set_id: int) -> list[KindCountRow]:
    """How many records of each kind a change set made, changed and removed."""
    found = tx.rows(
        KindCountRow,
        """SELECT record_kind, CAST(SUM(was IS NULL) AS INT) AS made, CAST(SUM(became IS NULL) AS INT) AS removed,
                  CAST(SUM(was IS NOT NULL AND became IS NOT NULL) AS INT) AS changed
           FROM change_row WHERE change_set_id = %s GROUP BY record_kind""",
        [change_set_id],
    )
    counted = {row["record_kind"]: row for row in found}
    for kind, number in packs.counts(tx, change_set_id).items():
        row = counted.setdefault(kind, KindCountRow(record_kind=kind, made=0, removed=0, changed=0))
        row["made"] += number
    return [counted[kind] for kind in sorted(counted)]


def set_rolled_back(tx: Tx, change_set_id: int, by: int | None) -> None:
    tx.run("UPDATE change_set SET rolled_back_by = %s WHERE id = %s", [by, change_set_id])


def stamp(tx: Tx, *, only_written: bool = False) -> str:
    """Another text after every change set that is committed, also where a long one commits after later ones.

    ``only_written``: those alone in which something does not come in by itself all day.
    """
    among = "WHERE flows = FALSE" if only_written else ""
    row = tx.one(
        f"""SELECT MAX(no) AS newest, SUM(no) AS total
            FROM (SELECT no FROM recorded {among} ORDER BY no DESC LIMIT 500) latest"""
    )
    assert row is not None
    return f"{row['newest']}-{row['total']}"


def note_recorded(tx: Tx, change_set_id: int, *, flows: bool) -> None:
    """Say, as the last of a change set, that it is recorded: a long one stands among those that ended with it."""
    tx.run("INSERT INTO recorded (change_set_id, flows) VALUES (%s, %s)", [change_set_id, flows])


def prune_recorded(tx: Tx) -> int:
    """Forget all but the last KEPT_RECORDED of both kinds; returns how many. Their numbers may have gaps."""
    return sum(
        tx.run(
            """DELETE FROM recorded WHERE flows = %(flows)s AND no < (SELECT oldest FROM (
                 SELECT MIN(no) AS oldest
                 FROM (SELECT no FROM recorded WHERE flows = %(flows)s ORDER BY no DESC LIMIT %(kept)s) kept) x)
               LIMIT 1000000""",
            {"flows": flows, "kept": KEPT_RECORDED},
        )
        for flows in (True, False)
    )


def newest_ids(tx: Tx, limit: int) -> list[int]:
    """Ids of the change sets that were recorded last, the newest first."""
    return [
        row["change_set_id"] for row in tx.all("SELECT change_set_id FROM recorded ORDER BY no DESC LIMIT %s", [limit])
    ]


def larger_than(tx: Tx, ids: Sequence[int], records: int) -> set[int]:
    """Those of some change sets that changed more records."""
    sql = "SELECT id FROM change_set WHERE id IN %s AND records > %s"
    return {row["id"] for row in tx.all(sql, [list(ids), records])} if ids else set()


def moments(tx: Tx, ids: Sequence[int]) -> dict[int, str]:
    """When change sets were made, as text; those that are not there are left out."""
    rows = tx.all("SELECT id, made_at FROM change_set WHERE id IN %s", [list(ids)]) if ids else []
    return {row["id"]: row["made_at"].isoformat() for row in rows}


# --- keeping -------------------------------------------------------------------------------------------------


def keeping(tx: Tx, *, lock: bool = False) -> KeepingRow:
    """For how long the record is kept."""
    row = tx.row(KeepingRow, f"SELECT * FROM keeping ORDER BY id LIMIT 1 {'FOR UPDATE' if lock else ''}")
    assert row is not None
    return row


def keep(tx: Tx, row_id: int, days: Mapping[str, int | None]) -> None:
    sets = "".join(f"{name} = %({name})s, " for name in days)
    tx.run(f"UPDATE keeping SET {sets} version = version + 1 WHERE id = %(id)s", {**days, "id": row_id})


def thinned_until(tx: Tx, without: Sequence[str]) -> datetime | None:
    """When the newest act began that was thinned, UTC; those whose kinds begin so do not count."""
    found: datetime | None = tx.value(
        f"SELECT MAX(made_at) FROM change_set WHERE thinned AND NOT {_begins(without)}", _named(without)
    )
    return found


def next_to_thin(tx: Tx, until: datetime, kinds: Sequence[str], without: Sequence[str]) -> int | None:
    """The oldest act before a moment, UTC, that is not thinned: of kinds that begin so, () for any, or not so."""
    which = f"{_begins(kinds)} AND" if kinds else ""
    found: int | None = tx.value(
        f"""SELECT id FROM change_set WHERE NOT thinned AND made_at < %(until)s AND {which}
            NOT {_begins(without)} ORDER BY made_at LIMIT 1""",
        {"until": until, **_named(kinds), **_named(without)},
    )
    return found


def _begins(kinds: Sequence[str]) -> str:
    return f"({' OR '.join(f'kind LIKE %({one})s' for one in kinds) or 'FALSE'})"


def _named(kinds: Sequence[str]) -> dict[str, str]:
    return {one: f"{like(one)}%" for one in kinds}


def forget_rows(tx: Tx, change_set_id: int, limit: int) -> int:
    """Throw away what an act changed, at most so many rows; returns how many."""
    gone = tx.run("DELETE FROM change_row WHERE change_set_id = %s LIMIT %s", [change_set_id, limit])
    if gone < limit:
        gone += tx.run("DELETE FROM change_pack WHERE change_set_id = %s LIMIT %s", [change_set_id, limit - gone])
    return gone


def set_thinned(tx: Tx, change_set_id: int) -> None:
    tx.run("UPDATE change_set SET thinned = TRUE WHERE id = %s", [change_set_id])
