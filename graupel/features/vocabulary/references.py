"""Where records refer to the vocabulary: how often a word is used, and putting another in its place by sets.

That a field refers to something is said where it is declared; here it becomes SQL. What two records that would say
the same need beside what is declared, an area adds by ``refine``.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache
from typing import Any

from graupel.core.errors import Refused
from graupel.core.records import Field, Record
from graupel.db import Tx
from graupel.features.history import journal, records
from graupel.features.history.records import RecordKind
from graupel.features.history.service import Recorder


@dataclass(frozen=True)
class Reference:
    """A field of journalled records that holds the id of a record of the vocabulary.

    ``kind``: of what is referred to; ``record`` and ``field``: of what refers; ``label``: what that is called,
    in the plural; ``products``: SQL for the product that is meant, NULL for none. ``where`` narrows the
    records; ``double`` is SQL for "a record that says the same of %(into)s is there already": then this one
    goes, and before it the records that ``hang`` on it (their kind, and the field that refers to it). ``clash``
    is SQL for a record that can't change; the products are named and nothing is done.
    """

    kind: str
    record: str
    field: str
    label: str
    products: str
    where: str = "TRUE"
    double: str = "FALSE"
    clash: str = "FALSE"
    hang: tuple[str, str] | None = None

    @property
    def records_kind(self) -> RecordKind:
        """The kind of the records that refer."""
        return records.kind_of(self.record)

    @property
    def column(self) -> str:
        """The SQL column that refers."""
        return self.records_kind.fields[self.field].sql


#: By record and field: SQL for doubles and for clashes that the declaration does not tell.
_REFINED: dict[tuple[str, str], dict[str, str]] = {}


def refine(record: str, field: str, **sql: str) -> None:
    """Say ``double`` or ``clash`` of a reference where the declaration can't."""
    _REFINED[record, field] = sql
    of.cache_clear()


@cache
def of(kind: str) -> tuple[Reference, ...]:
    """The references to a kind of record, in the order of the areas. To be asked when all have registered."""
    return tuple(
        Reference(
            kind,
            one.name,
            field.name,
            field.use,
            _products(one.record),
            **{"where": where, "double": _double(one.record, field), **_REFINED.get((one.name, field.name), {})},
            hang=_hanging(one.name) if field.once else None,
        )
        for one in records.kinds()
        for field in one.record.fields
        if field.use and (where := _refers(one.record, field, kind))
    )


def _refers(record: Record, field: Field, kind: str) -> str:
    """SQL: the field refers to a record of this kind. Empty where it never does."""
    if field.refers_to:
        return "TRUE" if field.refers_to == kind else ""
    by, kinds = field.kinds_in
    return next((f"{record.column(by)} = '{value}'" for value, meant in kinds if meant == kind), "")


def _products(record: Record) -> str:
    """SQL: the product to which a record belongs, NULL for none."""
    if record.name == "product":
        return f"{record.alias}.id"
    for field in record.fields:
        if field.refers_to == record.parent == "product":
            return record.column(field.name)
        if field.kinds_in[0] and (refers := _refers(record, field, "product")):
            return f"IF({refers}, {record.column(field.name)}, NULL)"
    return "NULL"


def _double(record: Record, field: Field) -> str:
    """SQL: another record holds the same beside ``%(into)s``."""
    if not field.once:
        return "FALSE"
    same = " AND ".join(f"d.{name} = {record.column(name)}" for name in field.once)
    return (
        f"EXISTS (SELECT 1 FROM {record.plain} d "
        f"WHERE {same} AND d.id <> {record.alias}.id AND d.{field.name} = %(into)s)"
    )


def one_only(record: str, owner: str) -> str:
    """SQL for ``double``: another of its owner's facts has the attribute already, which takes one value alone."""
    kind = records.kind_of(record)
    return f"""EXISTS (SELECT 1 FROM {kind.plain} d JOIN attribute da ON da.id = d.attribute_id
               WHERE d.{owner} = {kind.record.column(owner)} AND d.id <> {kind.key}
                 AND d.attribute_id = %(into)s AND da.kind <> 'several_choices')"""


def _hanging(record: str) -> tuple[str, str] | None:
    """The kind of record that belongs to one of this kind, and the field by which it does."""
    found = (
        (one.name, field.name)
        for one in records.kinds()
        for field in one.record.fields
        if field.refers_to == record and not field.optional
    )
    return next(found, None)


@dataclass(frozen=True)
class Use:
    """How often a record is used: products, and records by what they are called."""

    products: int
    records: dict[str, int]

    @property
    def total(self) -> int:
        """All records that refer to it."""
        return sum(self.records.values())


def unused(kind: str, key: str) -> str:
    """SQL: nothing refers to the record whose id is ``key``. To be asked when all areas have registered."""
    return " AND ".join(
        f"NOT EXISTS (SELECT 1 FROM {one.records_kind.plain} u WHERE u.{one.column.split('.')[1]} = {key} "
        f"AND {_as_u(one)})"
        for one in of(kind)
    )


def _as_u(one: Reference) -> str:
    """Its narrowing, under the alias u."""
    return one.where.replace(one.column.split(".")[0] + ".", "u.")


def product_counts(tx: Tx, kind: str, lang: str) -> dict[int, int]:
    """How many products use each record of a kind, by its id; those that are not used are left out."""
    parts = [
        f"SELECT {one.column} AS id, {one.products} AS product FROM {one.records_kind.table} "
        f"WHERE {one.column} IS NOT NULL AND {one.where}"
        for one in of(kind)
    ]
    if not parts:
        return {}
    rows = tx.all(
        f"SELECT id, COUNT(DISTINCT product) AS count FROM ({' UNION '.join(parts)}) used GROUP BY id", {"lang": lang}
    )
    return {row["id"]: row["count"] for row in rows if row["count"]}


def products_using(tx: Tx, kind: str, ids: Sequence[int], lang: str) -> int:
    """How many products use any of these records."""
    parts = [
        f"SELECT {one.products} AS product FROM {one.records_kind.table} WHERE {one.column} IN %(ids)s AND {one.where}"
        for one in of(kind)
    ]
    params = {"ids": list(ids) or [0], "lang": lang}
    return int(tx.value(f"SELECT COUNT(DISTINCT product) FROM ({' UNION '.join(parts)}) used", params)) if parts else 0


def use_of(tx: Tx, kind: str, record_id: int, lang: str) -> Use:
    """Where one record is used."""
    params = {"id": record_id, "lang": lang}
    counted: dict[str, int] = {}
    parts = []
    for one in of(kind):
        source = f"FROM {one.records_kind.table} WHERE {one.column} = %(id)s AND {one.where}"
        count = int(tx.value(f"SELECT COUNT(*) {source}", params))
        if count:
            counted[one.label] = counted.get(one.label, 0) + count
        parts.append(f"SELECT {one.products} AS product {source}")
    products = tx.value(f"SELECT COUNT(DISTINCT product) FROM ({' UNION '.join(parts)}) used", params) if parts else 0
    return Use(int(products), counted)


def clashes(tx: Tx, kind: str, gone: int, into: int, lang: str) -> list[int]:
    """Products in which ``into`` can't take the place of ``gone``; at most ten."""
    params = {"gone": gone, "into": into, "lang": lang}
    found: list[int] = []
    for one in of(kind):
        rows = tx.all(
            f"SELECT DISTINCT {one.products} AS id FROM {one.records_kind.table} "
            f"WHERE {one.column} = %(gone)s AND {one.where} AND {one.clash} LIMIT 10",
            params,
        )
        found += [row["id"] for row in rows if row["id"] not in found]
    return found


def replace(tx: Tx, recorder: Recorder, kind: str, gone: int, into: int | None, lang: str) -> None:
    """Put ``into`` in the place of ``gone`` wherever it stands, or nothing (None), and journal it, by sets.

    Raises Refused where a record can't change.
    """
    params: dict[str, Any] = {"gone": gone, "into": into, "lang": lang, "set": recorder.change_set_id}
    if into is not None and (products := clashes(tx, kind, gone, into, lang)):
        raise Refused.because(
            "join.clash",
            f"{len(products)} products have variants of both, such as number {products[0]}. "
            "Take one of the two away there first.",
        )
    for one in of(kind):
        target = one.records_kind
        where = f"{one.column} = %(gone)s AND {one.where}"
        _journal_doubles(tx, one, target, f"{where} AND {one.double if into is not None else 'TRUE'}", params, into)
        if into is None and not _may_be_empty(one):
            continue
        journal.write(
            tx,
            recorder.change_set_id,
            target,
            target.table,
            where,
            params,
            was={one.field: one.column},
            became={one.field: "%(into)s"},
        )
        tx.run(
            f"""UPDATE change_row r STRAIGHT_JOIN {target.table} ON {target.key} = r.record_id
                SET {one.column} = %(into)s, {target.version} = {target.version} + 1 {target.touch}
                WHERE r.change_set_id = %(set)s AND r.record_kind = '{one.record}' AND {where}""",
            params,
        )


def _may_be_empty(one: Reference) -> bool:
    """Whether a record can do without: a product without a brand is one, a tagging without its tag is none.

    A condition stays, and holds for nothing: without it, more goods than were meant would fit.
    """
    return one.records_kind.record.field(one.field).optional


def _journal_doubles(
    tx: Tx, one: Reference, target: RecordKind, where: str, params: dict[str, Any], into: int | None
) -> None:
    """Remove records that would say what another says already; without ``into``, all that can't do without."""
    if into is None and _may_be_empty(one):
        return
    if one.hang:
        child, field = records.kind_of(one.hang[0]), one.hang[1]
        journal.remove(
            tx,
            params["set"],
            child,
            child.table,
            f"{child.fields[field].sql} IN (SELECT {target.key} FROM {target.table} WHERE {where})",
            params,
        )
    journal.remove(tx, params["set"], target, target.table, where, params)
