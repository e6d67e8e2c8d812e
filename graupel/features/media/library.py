"""The library: all media, by what they are, where they are used, and what is said of them."""

from collections import Counter
from dataclasses import dataclass
from typing import Any

from graupel.context import Context
from graupel.core.media import MediaKind
from graupel.core.roles import Actor, Role
from graupel.db import Tx
from graupel.features.history import service as history
from graupel.features.media import service, store, uses
from graupel.features.media.service import Media
from graupel.features.media.uses import UsedIn
from graupel.features.vocabulary import references
from graupel.features.vocabulary import service as vocabulary

PAGE = 60


@dataclass(frozen=True)
class Wanted:
    """What the library is narrowed to. ``before``: an id; only older ones are shown."""

    search: str = ""
    kind: MediaKind | None = None
    unused: bool = False
    tag_id: int | None = None
    before: int | None = None


@dataclass(frozen=True)
class Shelf:
    """A page of the library, the newest first. ``uses``: how many records use each; ``next``: where the next begins."""

    media: list[Media]
    uses: dict[int, int]
    counts: dict[str, int]
    next: int | None


def shelf(ctx: Context, actor: Actor, wanted: Wanted) -> Shelf:
    """What is wanted of the library."""
    actor.require(Role.VIEWER)

    def work(tx: Tx) -> Shelf:
        lang = ctx.settings.language
        where = ["TRUE"]
        params: dict[str, Any] = {"lang": lang, "kind": str(wanted.kind), "tag": wanted.tag_id}
        params["before"] = wanted.before
        if wanted.kind:
            where.append("lib.kind = %(kind)s")
        if wanted.before:
            where.append("lib.id < %(before)s")
        if wanted.tag_id:
            where.append("lib.id IN (SELECT record_id FROM tagging WHERE tag_id = %(tag)s AND kind = 'media')")
        if wanted.unused:
            where.append(uses.unused())
            stamp = history.written_stamp(tx)
            in_texts = ctx.counts.get((stamp, "media in texts"), lambda: uses.shown_in_texts(tx, lang))
            if in_texts:
                where.append("lib.sha256 NOT IN %(in_texts)s")
                params["in_texts"] = list(in_texts)
        hits = uses.matches(ctx, tx, wanted.search, params)
        ids = store.page(tx, where=where, search=wanted.search, matches=hits, params=params, limit=PAGE + 1)
        found = service.by_ids(tx, ids[:PAGE])
        return Shelf(
            [found[one] for one in ids[:PAGE]],
            _use_counts(tx, ids[:PAGE], lang),
            ctx.counts.get((history.written_stamp(tx), "media kinds"), lambda: store.counts(tx)),
            ids[PAGE - 1] if len(ids) > PAGE else None,
        )

    return ctx.db.run(work)


def _use_counts(tx: Tx, ids: list[int], lang: str) -> dict[int, int]:
    """How many products, and other records, use each of these files."""
    counted: Counter[int] = Counter()
    for one in references.of("media"):
        user = one.products if one.products != "NULL" else one.records_kind.key
        rows = tx.all(
            f"SELECT {one.column} AS id, COUNT(DISTINCT {user}) AS number FROM {one.records_kind.table} "
            f"WHERE {one.column} IN %(ids)s GROUP BY {one.column}",
            {"ids": ids or [0], "lang": lang},
        )
        counted.update({row["id"]: row["number"] for row in rows})
    return dict(counted)


@dataclass(frozen=True)
class MediaDetail:
    """One file with where it is used and its tags."""

    media: Media
    used: list[UsedIn]
    tags: list[str]
    poster: Media | None


def detail(ctx: Context, actor: Actor, media_id: int) -> MediaDetail:
    """One of the library. Raises NotFound."""
    media = service.read(ctx, actor, media_id)

    def work(tx: Tx) -> MediaDetail:
        return MediaDetail(
            media,
            uses.where_used(tx, media_id, media.sha256, ctx.settings.language),
            vocabulary.tags_of(tx, "media", [media_id]).get(media_id, []),
            service.by_ids(tx, [media.poster_id]).get(media.poster_id) if media.poster_id else None,
        )

    return ctx.db.run(work)
