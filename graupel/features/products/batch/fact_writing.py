"""Writing what a batch's rows say of attributes: new choices, what products differ by, facts, choices of variants."""

from collections.abc import Mapping
from itertools import groupby
from typing import Any

from graupel.core.declarations.products import CHOICES
from graupel.core.file_columns import FIRST_LIST, TAGS_ID
from graupel.db import Tx
from graupel.features.history import journal, records
from graupel.features.history.service import Recorder
from graupel.features.products.batch import lists as batch_lists
from graupel.features.products.batch.lists import Listed
from graupel.features.vocabulary import attributes


def make_choices(tx: Tx, recorder: Recorder, batch_id: int) -> None:
    """Make the choices, and what else lists name, that written rows need; batch_made_choice has their ids by their
    numbers. Products that are listed are found once they are written."""
    rows = tx.all(
        """SELECT c.number, c.attribute_id, c.label FROM batch_choice c WHERE c.batch_id = %s
           ORDER BY c.attribute_id, c.number""",
        [batch_id],
    )
    tx.run(
        """CREATE OR REPLACE TEMPORARY TABLE batch_made_choice (number BIGINT NOT NULL PRIMARY KEY,
             choice_id INT UNSIGNED NOT NULL)"""
    )
    for attribute_id, group in groupby(rows, key=lambda row: int(row["attribute_id"])):
        wanted = list(group)
        labels = [row["label"] for row in wanted]
        if one := batch_lists.load(tx, [attribute_id]).get(attribute_id):
            ids = one.make(tx, recorder, labels) if one.make else {}
            _note_made(tx, {row["number"]: ids[row["label"]] for row in wanted if row["label"] in ids})
            continue
        attributes.add_choices_within(tx, recorder, attribute_id, labels, compared=False)  # the dry run did
        ids = {one.label.casefold(): one.id for one in attributes.load_one(tx, attribute_id).choices}
        _note_made(tx, {row["number"]: ids[row["label"].casefold()] for row in wanted})


def _note_made(tx: Tx, ids: Mapping[int, int]) -> None:
    tx.many("INSERT INTO batch_made_choice VALUES (%s, %s)", [(-number, one) for number, one in ids.items()])


def _find_listed(tx: Tx, listed: Mapping[int, Listed], batch_id: int) -> None:
    """Find the products that were just made and that lists name by a code."""
    by_code = [key for key, one in listed.items() if one.column.by_code]
    rows = tx.all(
        "SELECT number, label FROM batch_choice WHERE batch_id = %s AND attribute_id IN %s", [batch_id, by_code or [0]]
    )
    found = batch_lists.by_codes(tx, [row["label"] for row in rows])
    _note_made(tx, {row["number"]: found[row["label"]] for row in rows if row["label"] in found})


def choice(column: str) -> str:
    """SQL: a choice that is planned, or the one that was made for it."""
    return f"IF({column} < 0, (SELECT m.choice_id FROM batch_made_choice m WHERE m.number = {column}), {column})"


#: The choices that a row gives its variant, and SQL of them.
SAID = "batch_variant s ON s.batch_id = b.batch_id AND s.line = b.line"
GIVEN = {name: choice(f"s.{name}") for name in CHOICES}
#: A row, and the product that it speaks for: one that was there, or was made from it.
OF_ROW = """STRAIGHT_JOIN batch_row b ON b.batch_id = s.batch_id AND b.line = s.line AND b.action IN ('new', 'changed')
             LEFT JOIN batch_made q ON b.product_id IS NULL AND q.line = COALESCE(b.lead, b.line)"""
OWNER = "COALESCE(b.product_id, q.product_id)"


def write(tx: Tx, recorder: Recorder, params: Mapping[str, Any]) -> None:
    """Write what rows say of attributes: what new products differ by, facts, tags, and other choices of variants."""
    _write_axes(tx, recorder, params)
    _write_facts(tx, recorder, params)
    said = tx.all("SELECT DISTINCT attribute_id AS id FROM batch_fact WHERE batch_id = %(batch)s", params)
    listed = batch_lists.load(tx, [row["id"] for row in said])
    _find_listed(tx, listed, params["batch"])
    for one in listed.values():
        _write_list(tx, recorder, params, one)
    _change_choices(tx, recorder, params)


def _write_axes(tx: Tx, recorder: Recorder, params: Mapping[str, Any]) -> None:
    before = tx.value("SELECT COALESCE(MAX(id), 0) FROM product_axis")
    made = tx.run(
        f"""INSERT INTO product_axis (product_id, attribute_id, position)
            SELECT {OWNER}, s.attribute_id, s.position FROM batch_axis s {OF_ROW}
            WHERE s.batch_id = %(batch)s ORDER BY s.line, s.position""",
        params,
    )
    if made:
        kind = records.kind_of("product_axis")
        source = f"(SELECT DISTINCT {OWNER} AS id FROM batch_axis s {OF_ROW} WHERE s.batch_id = %(batch)s) p"
        source += " STRAIGHT_JOIN product_axis x ON x.product_id = p.id"
        given = {**params, "before": before}
        journal.write_made(tx, recorder.change_set_id, kind, source, f"{kind.key} > %(before)s", given)


#: Where a table has few rows yet, the optimizer would rather go through all of them for each row of the file.
_ITS_FACTS = """STRAIGHT_JOIN fact f FORCE INDEX (fact_once) ON f.product_id = b.product_id
                AND f.attribute_id = s.attribute_id"""


def _says(planned: str) -> str:
    """SQL: a planned value says what the fact f holds."""
    return f"""{planned}.attribute_id = f.attribute_id AND {choice(f"{planned}.choice_id")} <=> f.choice_id
               AND {planned}.number <=> f.number AND BINARY {planned}.text <=> BINARY f.text"""


def _write_facts(tx: Tx, recorder: Recorder, params: Mapping[str, Any]) -> None:
    """Numbers and texts change; of what is chosen goes what is not said any more, and comes what is not there."""
    fact = records.kind_of("fact")
    _change_facts(tx, recorder, params)
    there = f"batch_fact s {OF_ROW} {_ITS_FACTS}"
    of_batch = "s.batch_id = %(batch)s AND s.place = 0 AND b.product_id IS NOT NULL"
    said = f"SELECT 1 FROM batch_fact y WHERE y.batch_id = s.batch_id AND y.line = s.line AND {_says('y')}"
    journal.remove(tx, recorder.change_set_id, fact, there, f"{of_batch} AND NOT EXISTS ({said})", params)
    before = tx.value("SELECT COALESCE(MAX(id), 0) FROM fact")
    made = tx.run(
        f"""INSERT INTO fact (product_id, attribute_id, choice_id, number, unit, text)
            SELECT {OWNER}, s.attribute_id, {choice("s.choice_id")}, s.number, s.unit, s.text
            FROM batch_fact s {OF_ROW}
            WHERE s.batch_id = %(batch)s AND COALESCE(s.choice_id, s.number, s.text) IS NOT NULL
              AND s.attribute_id <> {TAGS_ID} AND s.attribute_id < {FIRST_LIST}
              AND NOT EXISTS (SELECT 1 FROM fact f WHERE f.product_id = b.product_id AND {_says("s")})
            ORDER BY s.line, s.attribute_id, s.place""",
        params,
    )
    if made:
        source = f"(SELECT DISTINCT {OWNER} AS id FROM batch_fact s {OF_ROW} WHERE s.batch_id = %(batch)s) p"
        source += " STRAIGHT_JOIN fact f ON f.product_id = p.id"
        journal.write_made(tx, recorder.change_set_id, fact, source, "f.id > %(before)s", {**params, "before": before})


def _change_facts(tx: Tx, recorder: Recorder, params: Mapping[str, Any]) -> None:
    fact, names = records.kind_of("fact"), ("number", "unit", "text")
    source = f"batch_fact s {OF_ROW} {_ITS_FACTS} AND f.choice_id IS NULL"
    where = f"""s.batch_id = %(batch)s AND b.product_id IS NOT NULL AND s.choice_id IS NULL
                AND COALESCE(s.number, s.text) IS NOT NULL AND NOT ({_says("s")})"""
    changed = journal.write(
        tx,
        recorder.change_set_id,
        fact,
        source,
        where,
        params,
        was={name: f"f.{name}" for name in names},
        became={name: f"s.{name}" for name in names},
    )
    if changed:
        sets = ", ".join(f"f.{name} = s.{name}" for name in names)
        tx.run(f"UPDATE {source} SET {sets}, f.version = f.version + 1 WHERE {where}", params)


def _write_list(tx: Tx, recorder: Recorder, params: Mapping[str, Any], one: Listed) -> None:
    """What is not listed any more goes, and what is not there comes, behind what stays; what holds both ways too. Then
    all of it is put in its order."""
    given = {**params, "list": one.column.id}
    _take_away(tx, recorder, given, one, one.owner, one.value, one.index)
    _put_in(tx, recorder, given, one, OWNER, choice("s.choice_id"))
    if one.mutual:
        _take_away(tx, recorder, given, one, one.value, one.owner, one.back_index)
        _put_in(tx, recorder, given, one, choice("s.choice_id"), OWNER)
    if one.placed:
        _put_in_order(tx, recorder, given, one)


_OF_LIST = "s.batch_id = %(batch)s AND s.attribute_id = %(list)s"


def _take_away(
    tx: Tx, recorder: Recorder, params: Mapping[str, Any], one: Listed, owner: str, value: str, index: str
) -> None:
    """Remove what a row's product, in the column ``owner``, lists in the column ``value`` and the row does not say;
    ``index``: by which owners are found."""
    kind = records.kind_of(one.kind)
    alias = kind.record.alias
    there = f"""batch_fact s {OF_ROW} STRAIGHT_JOIN {kind.plain} {alias} FORCE INDEX ({index})
                ON {one.of(alias)} AND {alias}.{owner} = b.product_id"""
    said = f"""SELECT 1 FROM batch_fact y WHERE y.batch_id = s.batch_id AND y.line = s.line
               AND y.attribute_id = %(list)s AND {choice("y.choice_id")} = {alias}.{value}"""
    gone = f"{_OF_LIST} AND s.place = 0 AND b.product_id IS NOT NULL AND NOT EXISTS ({said})"
    journal.remove(tx, recorder.change_set_id, kind, there, gone, params)


def _put_in(tx: Tx, recorder: Recorder, params: Mapping[str, Any], one: Listed, owner: str, value: str) -> None:
    """Put in what rows say and is not there; ``owner``, ``value``: SQL of who lists what."""
    kind = records.kind_of(one.kind)
    alias = kind.record.alias
    tx.run(
        """CREATE OR REPLACE TEMPORARY TABLE batch_listed (owner INT UNSIGNED NOT NULL, value INT UNSIGNED NOT NULL,
             line INT UNSIGNED NOT NULL, place INT UNSIGNED NOT NULL, PRIMARY KEY (owner, value))"""
    )
    tx.run(
        f"""INSERT INTO batch_listed (owner, value, line, place)
            SELECT {owner}, {value}, MIN(s.line), MIN(s.place) FROM batch_fact s {OF_ROW}
            WHERE {_OF_LIST} AND {choice("s.choice_id")} IS NOT NULL AND NOT EXISTS (
              SELECT 1 FROM {one.table} o WHERE {one.of("o")} AND o.{one.owner} = {owner} AND o.{one.value} = {value})
            GROUP BY {owner}, {value}""",
        params,
    )
    columns = {one.owner: "x.owner", one.value: "x.value", **dict(zip(one.fixed, one.fixed_values, strict=True))}
    if one.placed:
        last = f"SELECT COALESCE(MAX(o.position) + 1, 0) FROM {one.table} o WHERE {one.of('o')}"
        behind = "ROW_NUMBER() OVER (PARTITION BY x.owner ORDER BY x.line, x.place) - 1"
        columns["position"] = f"({last} AND o.{one.owner} = x.owner) + {behind}"
    before = tx.value(f"SELECT COALESCE(MAX(id), 0) FROM {one.table}")
    made = tx.run(
        f"""INSERT INTO {one.table} ({", ".join(columns)}) SELECT {", ".join(columns.values())} FROM batch_listed x
            ORDER BY x.line, x.place"""
    )
    if made:
        source = f"""batch_listed x STRAIGHT_JOIN {kind.plain} {alias} ON {alias}.{one.owner} = x.owner
                     AND {alias}.{one.value} = x.value AND {one.of(alias)}"""
        given = {**params, "before": before}
        journal.write_made(tx, recorder.change_set_id, kind, source, f"{kind.key} > %(before)s", given)
    tx.run("DROP TEMPORARY TABLE batch_listed")


def _put_in_order(tx: Tx, recorder: Recorder, params: Mapping[str, Any], one: Listed) -> None:
    """Give what products that are there list the order in which rows say it, from the first place that it has."""
    kind = records.kind_of(one.kind)
    alias = kind.record.alias
    tx.run(
        """CREATE OR REPLACE TEMPORARY TABLE batch_placed (id INT UNSIGNED NOT NULL PRIMARY KEY,
             position INT UNSIGNED NOT NULL)"""
    )
    of_owner = f"PARTITION BY {alias}.{one.owner}"
    tx.run(
        f"""INSERT INTO batch_placed SELECT x.id, x.position FROM (
              SELECT {kind.key} AS id, {alias}.position AS was,
                     MIN({alias}.position) OVER ({of_owner}) + ROW_NUMBER() OVER ({of_owner} ORDER BY s.place) - 1
                       AS position
              FROM batch_fact s {OF_ROW} STRAIGHT_JOIN {kind.plain} {alias} FORCE INDEX ({one.index})
                ON {one.of(alias)} AND {alias}.{one.owner} = b.product_id
                AND {alias}.{one.value} = {choice("s.choice_id")}
              WHERE {_OF_LIST}) x WHERE x.position <> x.was""",
        params,
    )
    moved = f"batch_placed x STRAIGHT_JOIN {kind.plain} {alias} ON {kind.key} = x.id"
    was, became = {"position": f"{alias}.position"}, {"position": "x.position"}
    if journal.write(tx, recorder.change_set_id, kind, moved, "TRUE", params, was=was, became=became):
        tx.run(f"UPDATE {moved} SET {alias}.position = x.position, {kind.version} = {kind.version} + 1 {kind.touch}")
    tx.run("DROP TEMPORARY TABLE batch_placed")


def _change_choices(tx: Tx, recorder: Recorder, params: Mapping[str, Any]) -> None:
    """Give variants that are there other choices."""
    source = f"batch_row b STRAIGHT_JOIN {SAID} STRAIGHT_JOIN variant v ON v.id = b.variant_id"
    where = "b.batch_id = %(batch)s AND b.action = 'changed'"
    variant = records.kind_of("variant")
    changed = journal.write(
        tx,
        recorder.change_set_id,
        variant,
        source,
        where,
        params,
        was={name: f"v.{name}" for name in CHOICES},
        became=GIVEN,
        only={name: f"NOT (v.{name} <=> {sql})" for name, sql in GIVEN.items()},
    )
    if changed:
        sets = ", ".join(f"v.{name} = {sql}" for name, sql in GIVEN.items())
        tx.run(f"UPDATE {source} SET {sets}, v.version = v.version + 1 WHERE {where}", params)
