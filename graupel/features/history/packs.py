"""Packs: what a large act made stands in the journal by some hundred records a row.

A row for each record, holding a second time what the rows it was made from hold, was a quarter of what it cost to
bring in new goods. A pack has the records' ids, and what is needed to find those rows again, which are kept as they
are. Packed is what an act makes and does not write again: always version 1, with nothing before it. Whoever reads the
journal row by row in SQL unpacks the change set first, as a roll back does.
"""

import json
from collections.abc import Collection, Iterator, Mapping
from dataclasses import dataclass
from typing import Any, cast

from graupel.db import Tx
from graupel.features.history import journal, records
from graupel.features.history.records import RecordKind
from graupel.features.history.rows import ChangeRow, PackRow

#: All ids of a pack lie in one stretch of so many. Packs that were written are found by it, so it never changes.
STRETCH = 1024


@dataclass(frozen=True)
class Source:
    """Where it is kept what the packed records of a kind became.

    ``noted``: of each record beside its id, as (type of the column, SQL of the value in JSON), by name;
    ``joined``: the join of what is kept to the noted values ``m`` and to the ``k.source_id`` of their pack;
    ``became``: SQL of each field's value out of these.
    """

    noted: Mapping[str, tuple[str, str]]
    joined: str
    became: Mapping[str, str]


_SOURCES: dict[str, Source] = {}


def register(kind: str, source: Source) -> None:
    """Let records of a kind be packed."""
    _SOURCES[kind] = source


def write(
    tx: Tx,
    change_set_id: int,
    kind: RecordKind,
    source: str,
    where: str,
    params: Mapping[str, Any],
    *,
    source_id: int,
) -> None:
    """Journal the records that ``source`` (a FROM clause with their alias) and ``where`` give, which were just made.

    ``source_id``: in which set of rows it is kept what they became.
    """
    noted = ", ',', ".join(sql for _, sql in _SOURCES[kind.name].noted.values())
    record = f"'[', {kind.key}, ',', {noted}, ']'"
    tx.run(
        f"""INSERT INTO change_pack (change_set_id, record_kind, first_id, stretch, source_id, records, made)
            SELECT %(journal_set)s, '{kind.name}', MIN({kind.key}), {kind.key} DIV {STRETCH}, %(source_id)s, COUNT(*),
                   CONCAT('[', GROUP_CONCAT({record}), ']')
            FROM {source} WHERE {where} GROUP BY {kind.key} DIV {STRETCH}""",
        {**params, "journal_set": change_set_id, "source_id": source_id},
    )


def _unpacked(kind: str) -> str:
    """SQL of a SELECT of the packed records of a kind, as rows of the journal, to be narrowed by conditions on k."""
    source = _SOURCES[kind]
    columns = [f"{name} {type_} PATH '$[{at}]'" for at, (name, (type_, _)) in enumerate(source.noted.items(), start=1)]
    return f"""SELECT k.change_set_id, k.record_kind, m.id AS record_id, 1 AS version, NULL AS was,
                      {journal.object_of(records.kind_of(kind), source.became)} AS became
               FROM change_pack k STRAIGHT_JOIN JSON_TABLE(k.made, '$[*]' COLUMNS (
                 id BIGINT UNSIGNED PATH '$[0]', {", ".join(columns)})) m
               STRAIGHT_JOIN {source.joined} WHERE k.record_kind = '{kind}' AND k.change_set_id = %(set)s"""


def unpack(tx: Tx, change_set_id: int) -> None:
    """Give every record of a change set a row of its own."""
    for kind in counts(tx, change_set_id):
        tx.run(
            f"INSERT INTO change_row (change_set_id, record_kind, record_id, version, was, became) {_unpacked(kind)}",
            {"set": change_set_id},
        )
    tx.run("DELETE FROM change_pack WHERE change_set_id = %s", [change_set_id])


def counts(tx: Tx, change_set_id: int) -> dict[str, int]:
    """How many records of each kind are packed."""
    rows = tx.all(
        """SELECT record_kind, CAST(SUM(records) AS INT) AS number FROM change_pack WHERE change_set_id = %s
           GROUP BY record_kind""",
        [change_set_id],
    )
    return {row["record_kind"]: row["number"] for row in rows}


def rows(tx: Tx, change_set_id: int, limit: int, offset: int) -> Iterator[ChangeRow]:
    """What is packed as rows of the journal, by kind and id: those from ``offset`` on, at most ``limit``."""
    packs = tx.rows(
        PackRow,
        """SELECT record_kind, first_id, records FROM change_pack WHERE change_set_id = %s
           ORDER BY record_kind, first_id""",
        [change_set_id],
    )
    for pack in packs:
        if offset < pack["records"] and limit > 0:
            made = _of_pack(tx, change_set_id, pack, limit, offset)
            yield from made
            limit -= len(made)
        offset = max(0, offset - pack["records"])


def _of_pack(tx: Tx, change_set_id: int, pack: PackRow, limit: int, offset: int) -> list[ChangeRow]:
    found = tx.all(
        f"""SELECT record_kind, record_id, version, was, became FROM
            ({_unpacked(pack["record_kind"])} AND k.first_id = %(first)s) unpacked
            ORDER BY record_id LIMIT %(limit)s OFFSET %(offset)s""",
        {"set": change_set_id, "first": pack["first_id"], "limit": limit, "offset": offset},
    )
    return [cast(ChangeRow, row | {"became": json.loads(row["became"])}) for row in found]


def of_records(tx: Tx, kind: str, ids: Collection[int]) -> list[dict[str, Any]]:
    """Rows of the journal, with their ``change_set_id``, of those of these records that stand in packs."""
    wanted = sorted(set(ids))
    stretches = sorted({one // STRETCH for one in wanted})
    if kind not in _SOURCES or not stretches:
        return []
    sets = tx.all(
        "SELECT DISTINCT change_set_id AS id FROM change_pack WHERE record_kind = %s AND stretch IN %s",
        [kind, stretches],
    )
    found = [
        row
        for one in sets
        for row in tx.all(
            f"{_unpacked(kind)} AND k.stretch IN %(stretches)s AND m.id IN %(ids)s",
            {"set": one["id"], "stretches": stretches, "ids": wanted},
        )
    ]
    return [row | {"became": json.loads(row["became"])} for row in found]


def ids_sql(kind: str) -> str:
    """SQL: the ids of the records of a kind that the change set ``%(set)s`` made and packed, as ``id``."""
    return f"""SELECT m.id FROM change_pack k, JSON_TABLE(k.made, '$[*]' COLUMNS (id BIGINT UNSIGNED PATH '$[0]')) m
               WHERE k.change_set_id = %(set)s AND k.record_kind = '{kind}'"""


def noted_sql(kind: str, name: str) -> str:
    """SQL: what was noted under a name of the records that the change set ``%(set)s`` made and packed, as ``id``."""
    type_, _ = _SOURCES[kind].noted[name]
    place = list(_SOURCES[kind].noted).index(name) + 1
    return f"""SELECT m.id FROM change_pack k, JSON_TABLE(k.made, '$[*]' COLUMNS (id {type_} PATH '$[{place}]')) m
               WHERE k.change_set_id = %(set)s AND k.record_kind = '{kind}'"""


def since_sql(kind: str) -> str:
    """SQL: the ids of the records of a kind that were made and packed after the moment ``%(at)s``, as ``id``."""
    return f"""SELECT m.id FROM change_set s
               STRAIGHT_JOIN change_pack k ON k.change_set_id = s.id AND k.record_kind = '{kind}',
               JSON_TABLE(k.made, '$[*]' COLUMNS (id BIGINT UNSIGNED PATH '$[0]')) m WHERE s.made_at > %(at)s"""


def made_in(tx: Tx, kind: str, ids: Collection[int]) -> set[int]:
    """The change sets in whose packs any of these records of a kind stand."""
    wanted = set(ids)
    found = tx.all(
        "SELECT change_set_id AS id, made FROM change_pack WHERE record_kind = %s AND stretch IN %s",
        [kind, sorted({one // STRETCH for one in wanted})],
    )
    return {row["id"] for row in found if any(noted[0] in wanted for noted in json.loads(row["made"]))}
