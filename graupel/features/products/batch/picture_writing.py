"""Writing what becomes of the pictures of a batch's products, by sets; and putting in those that were fetched later."""

from collections.abc import Mapping
from typing import Any

from graupel.db import Tx
from graupel.features.history import journal, records
from graupel.features.history.service import Recorder
from graupel.features.products import summary
from graupel.features.products.batch.fact_writing import OF_ROW, OWNER

#: For each product that shows other pictures: which, and by which variants.
_WANTED = "batch_wanted_picture"
_FOR = "batch_wanted_for"
#: SQL: a product of which any is said.
_PRODUCTS = f"(SELECT DISTINCT product_id AS id FROM {_WANTED}) w"


def write(tx: Tx, recorder: Recorder, params: Mapping[str, Any]) -> None:
    """Make the pictures of the batch's products what is planned, without those that are still to be fetched."""
    if not tx.value("SELECT 1 FROM batch_picture WHERE batch_id = %(batch)s LIMIT 1", params):
        return
    _stage(tx, params)
    _write_staged(tx, recorder)
    summary.summarise(tx, f"(SELECT DISTINCT product_id FROM {_WANTED})")
    tx.run(f"DROP TEMPORARY TABLE {_WANTED}, {_FOR}")
    later = "s.batch_id = %(batch)s AND s.address_key IS NOT NULL"
    tx.run(f"UPDATE batch_picture s {OF_ROW} SET s.product_id = {OWNER} WHERE {later}", params)


#: SQL: what a picture c belongs to is a choice, and all variants with it are to show it.
_WHOLE_CHOICE = f"""(pf.choice_id IS NOT NULL
    AND EXISTS (SELECT 1 FROM {_FOR} f WHERE f.product_id = c.product_id AND f.media_id = c.media_id)
    AND NOT EXISTS (SELECT 1 FROM variant z WHERE z.product_id = c.product_id
      AND pf.choice_id IN (z.choice_1, z.choice_2, z.choice_3, z.choice_4, z.choice_5)
      AND NOT EXISTS (SELECT 1 FROM {_FOR} f WHERE f.media_id = c.media_id AND f.variant_id = z.id)))"""


def _stage(tx: Tx, params: Mapping[str, Any]) -> None:
    tx.run(
        f"""CREATE OR REPLACE TEMPORARY TABLE {_WANTED} (product_id INT UNSIGNED NOT NULL, media_id INT UNSIGNED NULL,
             place SMALLINT UNSIGNED NOT NULL, alt VARCHAR(300) NOT NULL, shown TEXT NULL,
             KEY (product_id, media_id)) CHARSET utf8mb4"""
    )
    tx.run(
        f"""INSERT INTO {_WANTED} SELECT {OWNER}, s.media_id, s.place, s.alt, s.shown
            FROM batch_picture s {OF_ROW} WHERE s.batch_id = %(batch)s""",
        params,
    )
    _stage_for(tx, params["batch"])


def _stage_for(tx: Tx, batch_id: int) -> None:
    """The variants that show pictures by themselves: ids, and those that rows made."""
    tx.run(
        f"""CREATE OR REPLACE TEMPORARY TABLE {_FOR} (product_id INT UNSIGNED NOT NULL, media_id INT UNSIGNED NOT NULL,
             variant_id INT UNSIGNED NOT NULL, KEY (product_id, media_id))"""
    )
    tx.run(
        f"""INSERT INTO {_FOR} SELECT w.product_id, w.media_id, v.id FROM {_WANTED} w
            JOIN JSON_TABLE(COALESCE(w.shown, '[]'), '$[*]' COLUMNS (said VARCHAR(24) PATH '$')) j
            LEFT JOIN batch_row r ON r.batch_id = %s AND j.said LIKE 'l%%' AND r.line = SUBSTR(j.said, 2)
            JOIN variant v ON v.product_id = w.product_id
              AND IF(j.said LIKE 'v%%', v.id = SUBSTR(j.said, 2), v.sku = r.sku)
            WHERE w.media_id IS NOT NULL""",
        [batch_id],
    )


def _write_staged(tx: Tx, recorder: Recorder) -> None:
    _take_away(tx, recorder)
    _change(tx, recorder)
    _put_in(tx, recorder)


def _take_away(tx: Tx, recorder: Recorder) -> None:
    """What is not shown any more, and not by these variants any more."""
    picture, belongs = records.kind_of("picture"), records.kind_of("picture_for")
    wanted = f"SELECT 1 FROM {_WANTED} y WHERE y.product_id = c.product_id AND y.media_id = c.media_id"
    by = f"""SELECT 1 FROM {_FOR} f WHERE f.product_id = c.product_id AND f.media_id = c.media_id
             AND f.variant_id = pf.variant_id"""
    source = f"{_PRODUCTS} STRAIGHT_JOIN picture c ON c.product_id = w.id"
    journal.remove(
        tx,
        recorder.change_set_id,
        belongs,
        f"{source} STRAIGHT_JOIN picture_for pf ON pf.picture_id = c.id",
        f"NOT EXISTS ({by}) AND NOT {_WHOLE_CHOICE}",
        {},
    )
    journal.remove(tx, recorder.change_set_id, picture, source, f"NOT EXISTS ({wanted})", {})


def _change(tx: Tx, recorder: Recorder) -> None:
    source = f"{_WANTED} w STRAIGHT_JOIN picture c ON c.product_id = w.product_id AND c.media_id = w.media_id"
    differs = {"position": "c.position <> w.place", "alt": "BINARY c.alt <> BINARY w.alt"}
    where = f"({' OR '.join(differs.values())})"
    picture = records.kind_of("picture")
    changed = journal.write(
        tx,
        recorder.change_set_id,
        picture,
        source,
        where,
        {},
        was={"position": "c.position", "alt": "c.alt"},
        became={"position": "w.place", "alt": "w.alt"},
        only=differs,
    )
    if changed:
        tx.run(
            f"UPDATE {source} SET c.position = w.place, c.alt = w.alt, c.version = c.version + 1 WHERE {where}",
        )


def _put_in(tx: Tx, recorder: Recorder) -> None:
    for name, insert in (
        (
            "picture",
            f"""INSERT INTO picture (product_id, media_id, position, alt)
                SELECT w.product_id, w.media_id, w.place, w.alt FROM {_WANTED} w WHERE w.media_id IS NOT NULL
                AND NOT EXISTS (SELECT 1 FROM picture c WHERE c.product_id = w.product_id AND c.media_id = w.media_id)
                ORDER BY w.product_id, w.place""",
        ),
        (
            "picture_for",
            f"""INSERT INTO picture_for (product_id, picture_id, variant_id)
                SELECT f.product_id, c.id, f.variant_id FROM {_FOR} f
                STRAIGHT_JOIN picture c ON c.product_id = f.product_id AND c.media_id = f.media_id
                WHERE NOT EXISTS (SELECT 1 FROM picture_for pf WHERE pf.picture_id = c.id
                                  AND (pf.variant_id = f.variant_id OR pf.choice_id IN (
                                    SELECT z.choice_1 FROM variant z WHERE z.id = f.variant_id UNION ALL
                                    SELECT z.choice_2 FROM variant z WHERE z.id = f.variant_id UNION ALL
                                    SELECT z.choice_3 FROM variant z WHERE z.id = f.variant_id UNION ALL
                                    SELECT z.choice_4 FROM variant z WHERE z.id = f.variant_id UNION ALL
                                    SELECT z.choice_5 FROM variant z WHERE z.id = f.variant_id)))
                ORDER BY c.id, f.variant_id""",
        ),
    ):
        kind = records.kind_of(name)
        before = tx.value(f"SELECT COALESCE(MAX(id), 0) FROM {name}")
        if tx.run(insert):
            alias = kind.record.alias
            source = f"{_PRODUCTS} STRAIGHT_JOIN {kind.plain} {alias} ON {alias}.product_id = w.id"
            where = f"{kind.key} > %(before)s"
            journal.write_made(tx, recorder.change_set_id, kind, source, where, {"before": before})


# --- those that were fetched later ---------------------------------------------------------------------------


def put_in_fetched(tx: Tx, recorder: Recorder, batch_id: int, address_key: str, media_id: int) -> int:
    """Put a picture in wherever the batch wants what an address has; returns of how many products."""
    params = {"batch": batch_id, "key": address_key, "media": media_id}
    tx.run(
        f"""CREATE OR REPLACE TEMPORARY TABLE {_WANTED} (product_id INT UNSIGNED NOT NULL, media_id INT UNSIGNED NULL,
             place SMALLINT UNSIGNED NOT NULL, alt VARCHAR(300) NOT NULL, shown TEXT NULL,
             KEY (product_id, media_id)) CHARSET utf8mb4"""
    )
    number = tx.run(
        f"""INSERT INTO {_WANTED} SELECT p.id, %(media)s, MIN(s.place), MIN(s.alt), MIN(s.shown)
            FROM batch_picture s STRAIGHT_JOIN product p ON p.id = s.product_id
            WHERE s.batch_id = %(batch)s AND s.address_key = %(key)s AND s.state IN ('waiting', 'failed')
            GROUP BY p.id""",
        params,
    )
    _stage_for(tx, batch_id)
    _put_in(tx, recorder)
    tx.run(f"DROP TEMPORARY TABLE {_WANTED}, {_FOR}")
    tx.run(
        """UPDATE batch_picture SET state = 'fetched', media_id = %(media)s, said = ''
           WHERE batch_id = %(batch)s AND address_key = %(key)s""",
        params,
    )
    return number
