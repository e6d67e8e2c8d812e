"""Pictures of records that are fetched once their file was brought in (picturing.py), as those of goods are."""

import json
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace

from graupel.context import Context
from graupel.core.errors import NotFound
from graupel.db import Tx
from graupel.features.categories import editing
from graupel.features.files.records.store import PlannedRow
from graupel.features.history.service import Recorder
from graupel.features.media import service as media
from graupel.features.products.batch.pictures import address_key, found
from graupel.features.products.out_pictures import Places
from graupel.features.vocabulary import attributes

#: By kind of record the column that names its picture.
COLUMNS = {"category": "picture", "attribute_choice": "swatch_picture"}


def said_of(row: PlannedRow) -> str:
    """What a row that was written says of the picture of its record; "" where that stays what it is."""
    column = COLUMNS.get(row.record[0]) if row.record else None
    return row.said[column] if column and row.becomes.get(column) else ""


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
        """SELECT s.line, r.record_kind, r.record_id, r.was FROM batch_picture s
           STRAIGHT_JOIN batch_record r ON r.batch_id = s.batch_id AND r.line = s.line
           WHERE s.batch_id = %s AND s.address_key = %s AND s.state <> 'fetched' AND r.record_kind IN %s""",
        [batch_id, key, list(COLUMNS)],
    )
    places = Places(ctx.settings.address.rstrip("/"))
    for row in rows:
        state, why = "failed", "Another picture was chosen meanwhile."
        try:
            frame = _FRAMES[row["record_kind"]](ctx, tx, row["record_id"])
        except NotFound:
            why = "It is not there any more."
        else:
            was = json.loads(row["was"]).get(COLUMNS[row["record_kind"]], "")
            if _named(tx, places, frame.held) == was:
                frame.put_in(recorder, media_id)
                state, why = "fetched", ""
        tx.run(
            "UPDATE batch_picture SET state = %s, media_id = %s, said = %s WHERE batch_id = %s AND line = %s",
            [state, media_id, why, batch_id, row["line"]],
        )


def _named(tx: Tx, places: Places, media_id: int | None) -> str:
    """By what rows name a picture; "" for none."""
    found = media.by_ids(tx, [media_id]).get(media_id) if media_id else None
    return places.of(found.sha256, found.format, found.address, found.file_name) if found else ""


@dataclass(frozen=True)
class _Frame:
    """Where a picture goes: what it ``held``, and what puts another one in."""

    held: int | None
    put_in: Callable[[Recorder, int], None]


def _of_category(ctx: Context, tx: Tx, category_id: int) -> _Frame:
    there = editing.values_of(ctx, tx, category_id)

    def put(recorder: Recorder, media_id: int) -> None:
        editing.write(ctx, tx, recorder, category_id, there, replace(there, picture_id=media_id))

    return _Frame(there.picture_id, put)


def _of_choice(ctx: Context, tx: Tx, choice_id: int) -> _Frame:
    there = attributes.with_choice(tx, choice_id)
    choice = there.choice(choice_id)
    assert choice is not None

    def put(recorder: Recorder, media_id: int) -> None:
        as_it_is = attributes.flat(there)
        kept = as_it_is[f"choice-{choice_id}"][:3]
        attributes.write(tx, recorder, there, {**as_it_is, f"choice-{choice_id}": [*kept, media_id]})

    return _Frame(choice.swatch_media_id, put)


_FRAMES: Mapping[str, Callable[[Context, Tx, int], _Frame]] = {
    "category": _of_category,
    "attribute_choice": _of_choice,
}
