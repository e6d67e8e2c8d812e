"""Writing what a batch's rows say of attributes: new choices, what products differ by, facts, choices of variants."""

from collections.abc import Mapping
from itertools import groupby
from typing import Any

from graupel.core.declarations.products import CHOICES
from graupel.core.file_columns import TAGS_ID
from graupel.db import Tx
from graupel.features.history import journal, records
from graupel.features.history.service import Recorder
from graupel.features.vocabulary import attributes
from graupel.features.vocabulary import service as vocabulary


def make_choices(tx: Tx, recorder: Recorder, batch_id: int) -> None:
    """Make the choices that written rows need; batch_made_choice has their ids by their numbers."""
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
        if attribute_id == TAGS_ID:
            made = [(-row["number"], vocabulary.make_within(tx, recorder, "tag", row["label"])) for row in wanted]
            tx.many("INSERT INTO batch_made_choice VALUES (%s, %s)", made)
            continue
        labels = [row["label"] for row in wanted]
        attributes.add_choices_within(tx, recorder, attribute_id, labels, compared=False)  # the dry run did
        ids = {one.label.casefold(): one.id for one in attributes.load_one(tx, attribute_id).choices}
        made = [(-row["number"], ids[row["label"].casefold()]) for row in wanted]
        tx.many("INSERT INTO batch_made_choice VALUES (%s, %s)", made)


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
    _write_tags(tx, recorder, params)
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


def _says(planned: str) -> str:
    """SQL: a planned value says what the fact f holds."""
    return f"""{planned}.attribute_id = f.attribute_id AND {choice(f"{planned}.choice_id")} <=> f.choice_id
               AND {planned}.number <=> f.number AND BINARY {planned}.text <=> BINARY f.text"""


def _write_facts(tx: Tx, recorder: Recorder, params: Mapping[str, Any]) -> None:
    """Numbers and texts change; of what is chosen goes what is not said any more, and comes what is not there."""
    fact = records.kind_of("fact")
    _change_facts(tx, recorder, params)
    there = f"batch_fact s {OF_ROW} JOIN fact f ON f.product_id = b.product_id AND f.attribute_id = s.attribute_id"
    of_batch = "s.batch_id = %(batch)s AND s.place = 0"
    said = f"SELECT 1 FROM batch_fact y WHERE y.batch_id = s.batch_id AND y.line = s.line AND {_says('y')}"
    journal.remove(tx, recorder.change_set_id, fact, there, f"{of_batch} AND NOT EXISTS ({said})", params)
    before = tx.value("SELECT COALESCE(MAX(id), 0) FROM fact")
    made = tx.run(
        f"""INSERT INTO fact (product_id, attribute_id, choice_id, number, unit, text)
            SELECT {OWNER}, s.attribute_id, {choice("s.choice_id")}, s.number, s.unit, s.text
            FROM batch_fact s {OF_ROW}
            WHERE s.batch_id = %(batch)s AND COALESCE(s.choice_id, s.number, s.text) IS NOT NULL
              AND s.attribute_id <> {TAGS_ID}
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
    source = f"""batch_fact s {OF_ROW} JOIN fact f ON f.product_id = b.product_id
                 AND f.attribute_id = s.attribute_id AND f.choice_id IS NULL"""
    where = f"""s.batch_id = %(batch)s AND s.choice_id IS NULL AND COALESCE(s.number, s.text) IS NOT NULL
                AND NOT ({_says("s")})"""
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


def _write_tags(tx: Tx, recorder: Recorder, params: Mapping[str, Any]) -> None:
    """Tags that are not said any more go, and those that are not there come."""
    tagging = records.kind_of("tagging")
    of_batch = f"s.batch_id = %(batch)s AND s.attribute_id = {TAGS_ID}"
    there = f"batch_fact s {OF_ROW} JOIN tagging o ON o.kind = 'product' AND o.record_id = b.product_id"
    said = f"""SELECT 1 FROM batch_fact y WHERE y.batch_id = s.batch_id AND y.line = s.line
               AND y.attribute_id = {TAGS_ID} AND {choice("y.choice_id")} = o.tag_id"""
    gone = f"{of_batch} AND s.place = 0 AND NOT EXISTS ({said})"
    journal.remove(tx, recorder.change_set_id, tagging, there, gone, params)
    before = tx.value("SELECT COALESCE(MAX(id), 0) FROM tagging")
    made = tx.run(
        f"""INSERT INTO tagging (tag_id, kind, record_id)
            SELECT {choice("s.choice_id")}, 'product', {OWNER} FROM batch_fact s {OF_ROW}
            WHERE {of_batch} AND s.choice_id IS NOT NULL AND NOT EXISTS (
              SELECT 1 FROM tagging o WHERE o.kind = 'product' AND o.record_id = b.product_id
              AND o.tag_id = {choice("s.choice_id")})
            ORDER BY s.line, s.place""",
        params,
    )
    if made:
        source = f"(SELECT DISTINCT {OWNER} AS id FROM batch_fact s {OF_ROW} WHERE {of_batch}) p"
        source += " STRAIGHT_JOIN tagging o ON o.kind = 'product' AND o.record_id = p.id"
        journal.write_made(
            tx, recorder.change_set_id, tagging, source, "o.id > %(before)s", {**params, "before": before}
        )


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
