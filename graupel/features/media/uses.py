"""Where media are used: in records that refer to them, and in rich texts that show them."""

import re
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import Any

from graupel.context import Context
from graupel.db import Tx
from graupel.features.history import journal, records
from graupel.features.history.records import Shown
from graupel.features.history.service import Recorder
from graupel.features.vocabulary import references

SHOWN = 100
_IN_TEXT = re.compile(r"/media/([0-9a-f]{64})/")


@dataclass(frozen=True)
class TextUse:
    """A rich text that may show media: the kind of record, and its field."""

    record: str
    field: str


_TEXTS: list[TextUse] = []
#: Given the typed text and the parameters to add to: a SELECT of ids of media as ``id``, or "" where none can fit.
Search = Callable[[Context, Tx, str, dict[str, Any]], str]
_SEARCHES: dict[str, Search] = {}


def register_text(use: TextUse) -> None:
    """Make a rich text known; an area registers those of its records."""
    if use not in _TEXTS:
        _TEXTS.append(use)


def register_search(area: str, search: Search) -> None:
    """Make known how media are found by what an area says of them."""
    _SEARCHES[area] = search


def matches(ctx: Context, tx: Tx, typed: str, params: dict[str, Any]) -> list[str]:
    """SELECTs of the ids of media that fit a text by where they are used."""
    return [sql for search in _SEARCHES.values() if (sql := search(ctx, tx, typed, params))]


def unused() -> str:
    """SQL: no record refers to ``lib``."""
    return references.unused("media", "lib.id")


def shown_in_texts(tx: Tx, lang: str) -> dict[str, list[tuple[TextUse, int]]]:
    """The sha256 of all media that stand in rich texts, with the texts and the ids of their records."""
    found: dict[str, list[tuple[TextUse, int]]] = {}
    for use in _TEXTS:
        kind = records.kind_of(use.record)
        column = kind.fields[use.field].sql
        rows = tx.all(
            f"SELECT {kind.key} AS id, {column} AS text FROM {kind.table} WHERE {column} LIKE '%%/media/%%'",
            {"lang": lang},
        )
        for row in rows:
            for sha256 in set(_IN_TEXT.findall(row["text"])):
                found.setdefault(sha256, []).append((use, row["id"]))
    return found


def replace_in_texts(tx: Tx, recorder: Recorder, gone: str, into: str, lang: str) -> None:
    """Show other media (by sha256) in every text that shows ``gone``, and journal it."""
    params = {"gone": gone, "into": into, "like": f"%/media/{gone}/%", "lang": lang}
    for use in _TEXTS:
        kind = records.kind_of(use.record)
        field = kind.fields[use.field]
        journal.write(
            tx,
            recorder.change_set_id,
            kind,
            kind.table,
            f"{field.sql} LIKE %(like)s",
            params,
            was={use.field: field.sql},
            became={use.field: f"REPLACE({field.sql}, %(gone)s, %(into)s)"},
        )
        tx.run(
            f"""UPDATE {kind.table} SET {field.sql} = REPLACE({field.sql}, %(gone)s, %(into)s),
                       {kind.version} = {kind.version} + 1 {kind.touch} WHERE {field.sql} LIKE %(like)s""",
            params,
        )


@dataclass(frozen=True)
class UsedIn:
    """Records that use a file, by what they are called; the first SHOWN of them."""

    label: str
    records: list[Shown]


def where_used(tx: Tx, media_id: int, sha256: str, lang: str) -> list[UsedIn]:
    """All that uses one file: products by name, and whatever else refers to it."""
    found = []
    for one in references.of("media"):
        target = one.records_kind
        of_products = one.products != "NULL"
        rows = tx.all(
            f"SELECT DISTINCT {one.products if of_products else target.key} AS id FROM {target.table} "
            f"WHERE {one.column} = %(id)s LIMIT {SHOWN}",
            {"id": media_id, "lang": lang},
        )
        shown = _described(tx, "product" if of_products else one.record, [row["id"] for row in rows])
        if shown:
            found.append(UsedIn(one.label, shown))
    texts: dict[str, list[int]] = {}
    for use, record_id in shown_in_texts(tx, lang).get(sha256, []):
        texts.setdefault(use.record, []).append(record_id)
    found += [
        UsedIn(f"Texts: {records.kind_of(kind).label.lower()}", _described(tx, kind, ids))
        for kind, ids in texts.items()
    ]
    return found


def _described(tx: Tx, kind: str, ids: Iterable[int]) -> list[Shown]:
    shown = records.kind_of(kind).describe(tx, list(ids)).values()
    return sorted(shown, key=lambda one: one.title)
