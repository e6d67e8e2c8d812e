"""Pictures of records that are fetched once their file was brought in (picturing.py), as those of goods are."""

import json
from collections.abc import Iterable, Mapping
from dataclasses import replace

from graupel.context import Context
from graupel.core.errors import NotFound
from graupel.db import Tx
from graupel.features.categories import editing
from graupel.features.history.service import Recorder
from graupel.features.media import service as media
from graupel.features.products.batch.pictures import address_key, found
from graupel.features.products.out_pictures import Places

PICTURE = "picture"


def note(tx: Tx, batch_id: int, said: Mapping[int, str], members: Mapping[str, str]) -> None:
    """Have those fetched of which lines say where they are and that are not in the library. ``members``: names of files
    beside the table in a zip, by their names in small letters."""
    meant = found(tx, set(said.values()), members)
    wanted = [(line, meant[text]) for line, text in said.items()]
    tx.run("DELETE FROM batch_picture WHERE batch_id = %s", [batch_id])
    tx.many(
        """INSERT INTO batch_picture (batch_id, line, place, address, address_key, alt, state)
           VALUES (%s, %s, 0, %s, %s, '', 'waiting')""",
        [(batch_id, line, one, address_key(one)) for line, one in wanted if isinstance(one, str)],
    )


def put_in(ctx: Context, tx: Tx, recorder: Recorder, batch_id: int, key: str, media_id: int) -> None:
    """Put a fetched picture in wherever rows want what an address has, unless another was chosen meanwhile."""
    rows = tx.all(
        """SELECT s.line, r.record_id, r.was FROM batch_picture s
           STRAIGHT_JOIN batch_record r ON r.batch_id = s.batch_id AND r.line = s.line
           WHERE s.batch_id = %s AND s.address_key = %s AND s.state <> 'fetched' AND r.record_kind = 'category'""",
        [batch_id, key],
    )
    named = _named(ctx, tx, rows)
    for row in rows:
        state, why = "failed", "Another picture was chosen meanwhile."
        try:
            there = editing.values_of(ctx, tx, row["record_id"])
        except NotFound:
            why = "It is not there any more."
        else:
            if named.get(there.picture_id or 0, "") == json.loads(row["was"]).get(PICTURE, ""):
                editing.write(ctx, tx, recorder, row["record_id"], there, replace(there, picture_id=media_id))
                state, why = "fetched", ""
        tx.run(
            "UPDATE batch_picture SET state = %s, media_id = %s, said = %s WHERE batch_id = %s AND line = %s",
            [state, media_id, why, batch_id, row["line"]],
        )


def _named(ctx: Context, tx: Tx, rows: Iterable[Mapping[str, int]]) -> dict[int, str]:
    """By what rows name the pictures that their categories have now."""
    places = Places(ctx.settings.address.rstrip("/"))
    ids = [row["record_id"] for row in rows]
    held = tx.all(
        "SELECT DISTINCT picture_id AS id FROM category WHERE id IN %s AND picture_id IS NOT NULL", [ids or [0]]
    )
    there = media.by_ids(tx, [row["id"] for row in held])
    return {one: places.of(it.sha256, it.format, it.address, it.file_name) for one, it in there.items()}
