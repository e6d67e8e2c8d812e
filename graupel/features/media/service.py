"""Taking in media, finding them again, and changing what is known of them."""

import hashlib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from graupel.context import Context
from graupel.core import media as rules
from graupel.core.errors import NotFound, Refused
from graupel.core.media import FORMATS, MediaKind
from graupel.core.roles import Actor, Role
from graupel.db import DuplicateKey, Tx
from graupel.db.rows import picked
from graupel.features.history import meeting
from graupel.features.history import service as history
from graupel.features.history.meeting import Marks
from graupel.features.media import measuring, sizes, store, uses
from graupel.features.media.rows import MediaRow
from graupel.features.media.sizes import FULL
from graupel.features.vocabulary import references
from graupel.features.vocabulary import service as vocabulary
from graupel.jobs import JobRequest, Urgency, enqueue_once

NOTED = ("kind", "file_name", "format", "width", "height")


@dataclass(frozen=True)
class Media:
    """A stored file or a link. Sides in pixels, 0 where there are none; ``border_white`` in hundredths.

    ``poster_sha``: the sha256 of the picture that stands for a video, model or link.
    """

    id: int
    kind: MediaKind
    sha256: str
    file_name: str
    format: str
    bytes: int
    width: int
    height: int
    border_white: int | None = None
    duration_ms: int | None = None
    address: str | None = None
    poster_id: int | None = None
    poster_sha: str | None = None
    sizes: str = "made"
    version: int = 1

    @property
    def is_picture(self) -> bool:
        """Whether it is shown as it is."""
        return self.kind is MediaKind.PICTURE

    def link(self, size: str = FULL, name: str = "") -> str:
        """The address of the file, or of what is linked to.

        The long name can't be guessed, and never stands for other bytes. ``name``: what the file is to be called.
        """
        if self.address:
            return self.address
        ending = self.format if size == FULL else "webp"
        return f"/media/{self.sha256}/{size}" + (f"/{name}.{ending}" if name else "")

    def face(self, size: str, name: str = "") -> str | None:
        """The address of a picture of it: itself or its poster; None where there is none."""
        if self.is_picture:
            return self.link(size, name)
        return f"/media/{self.poster_sha}/{size}" + (f"/{name}.webp" if name else "") if self.poster_sha else None


def _media(row: Mapping[str, Any]) -> Media:
    found = picked(row, Media.__dataclass_fields__.keys() - {"kind", "poster_sha"})
    return Media(**found, kind=MediaKind(row["kind"]), poster_sha=row.get("poster_sha"))


# --- taking in -----------------------------------------------------------------------------------------------


def take(ctx: Context, actor: Actor, file_name: str, content: bytes) -> Media:
    """Store a file; the same bytes are stored once. Its smaller sizes follow in the background. Raises Refused."""
    actor.require(Role.EDITOR)
    file_name = Path(file_name.replace("\\", "/")).name[: rules.FILE_NAME_LENGTH] or "file"
    measured = measuring.measure(ctx.settings, file_name, content)
    sha256 = hashlib.sha256(measured.content).hexdigest()
    values = {name: getattr(measured, name) for name in ("format", "width", "height", "border_white", "duration_ms")}
    values |= {
        "kind": str(measured.kind),
        "sha256": sha256,
        "file_name": rules.named_right(file_name, measured.format),
        "bytes": len(measured.content),
        "address": None,
        "poster_id": None,
    }
    sizes.write(sizes.path_of(ctx, sha256, FULL), measured.content)
    return _insert(ctx, actor, values, "made" if measured.kind is MediaKind.MODEL else "waiting")


def sha_of_link(address: str) -> str:
    """By what something elsewhere is known that is linked to."""
    return hashlib.sha256(f"link {address}".encode()).hexdigest()


def take_link(ctx: Context, actor: Actor, address: str, title: str = "") -> Media:
    """Note a video or recording elsewhere; the same address is noted once. Raises Refused."""
    actor.require(Role.EDITOR)
    address, sort = rules.parse_link(address)
    values = {
        "kind": str(MediaKind.LINK),
        "sha256": sha_of_link(address),
        "file_name": (title.strip() or address.partition("://")[2])[: rules.FILE_NAME_LENGTH],
        "format": sort,
        "bytes": 0,
        "width": 0,
        "height": 0,
        "border_white": None,
        "duration_ms": None,
        "address": address,
        "poster_id": None,
    }
    return _insert(ctx, actor, values, "made")


def _insert(ctx: Context, actor: Actor, values: Mapping[str, Any], state: str) -> Media:
    def work(tx: Tx) -> Media:
        known = store.by_sha(tx, values["sha256"])
        if known:
            return by_ids(tx, [known["id"]])[known["id"]]
        title = f"{MediaKind(values['kind']).capitalize()} taken in: {values['file_name']}"
        with history.change_set(tx, actor, "media.take", title) as recorder:
            media_id = store.insert(tx, values, state)
            recorder.made("media", media_id, values)
        if state == "waiting":
            enqueue_once(
                tx,
                actor,
                JobRequest("media.sizes", "Smaller sizes of new pictures", {}, "/media", urgency=Urgency.REST),
            )
        return by_ids(tx, [media_id])[media_id]

    try:
        return ctx.db.run(work)
    except DuplicateKey:  # the same file came in twice at the same moment
        return ctx.db.run(work)


# --- finding -------------------------------------------------------------------------------------------------


def find(ctx: Context, sha256: str, size: str) -> tuple[Path, str, bool]:
    """A stored file, its media type, and whether it will stay so. Raises NotFound.

    Until a smaller size is made, the whole picture stands for it.
    """
    row = ctx.db.run(lambda tx: store.by_sha(tx, sha256)) if size in (*sizes.SIZES, FULL) else None
    if row is None or row["kind"] == MediaKind.LINK or (size != FULL and row["kind"] != MediaKind.PICTURE):
        raise NotFound("There is no such file.")
    path = sizes.path_of(ctx, sha256, size)
    if size != FULL and path.exists():
        return path, "image/webp", True
    whole = sizes.path_of(ctx, sha256, FULL)
    if not whole.exists():
        raise NotFound("There is no such file.")
    return whole, FORMATS[row["format"]].media_type, size == FULL


def by_ids(tx: Tx, ids: Sequence[int]) -> dict[int, Media]:
    """Media by id; ids that are not there are left out."""
    return {row["id"]: _media(row) for row in store.by_ids(tx, ids)}


def read_many(ctx: Context, ids: Sequence[int]) -> dict[int, Media]:
    """Media by id; ids that are not there are left out."""
    return ctx.db.run(lambda tx: by_ids(tx, ids))


def read(ctx: Context, actor: Actor, media_id: int) -> Media:
    """One of them. Raises NotFound."""
    actor.require(Role.VIEWER)
    found = read_many(ctx, [media_id]).get(media_id)
    if found is None:
        raise NotFound("This file is not there any more.")
    return found


# --- changing ------------------------------------------------------------------------------------------------


def _locked(tx: Tx, media_id: int) -> MediaRow:
    row = store.lock(tx, media_id)
    if row is None:
        raise NotFound("This file is not there any more.")
    return row


def flat(file_name: str, poster_id: int | None, tags: Sequence[str]) -> dict[str, Any]:
    """What the page of a file lets be changed, as plain data."""
    return {"file_name": file_name, "poster_id": poster_id, "tags": sorted(tags)}


def _label(name: str) -> str:
    return {"file_name": "Name", "poster_id": "Poster"}.get(name, name.capitalize())


def save(
    ctx: Context,
    actor: Actor,
    media_id: int,
    file_name: str,
    poster_id: int | None,
    tags: Sequence[str],
    marks: Marks = None,
) -> None:
    """Name, poster and tags of a file, with what others alone changed since its page was made.

    Raises Refused, NotFound, and Outdated where both changed the same.
    """
    actor.require(Role.EDITOR)
    names = [vocabulary.parse_name("tag", name) for name in tags if name.strip()]

    def work(tx: Tx) -> None:
        row = _locked(tx, media_id)
        own_poster = None if row["kind"] == MediaKind.PICTURE else poster_id
        there = flat(row["file_name"], row["poster_id"], vocabulary.tags_of(tx, "media", [media_id]).get(media_id, []))
        mine = flat(rules.parse_file_name(file_name, row["format"]), own_poster, names)
        both = meeting.bring_together(tx, {"media": [media_id]}, marks, mine, there, _label)
        after = picked(both, ("file_name", "poster_id"))
        if own_poster and not any(one.is_picture for one in by_ids(tx, [own_poster]).values()):
            raise Refused.because("media.poster", "The poster must be a picture that is still there.", "poster_id")
        with history.change_set(tx, actor, "media.save", f"Media changed: {after['file_name']}") as recorder:
            before = picked(row, after)
            if recorder.changed("media", media_id, before, after, row["version"] + 1):
                store.update(tx, media_id, after)
            ids = [vocabulary.make_within(tx, recorder, "tag", name) for name in dict.fromkeys(both["tags"])]
            vocabulary.set_tags(tx, recorder, "media", media_id, ids)

    ctx.db.run(work)


def set_poster(ctx: Context, actor: Actor, media_id: int, poster: Media) -> None:
    """Let a frame of a video stand for it, where it has no poster yet; the frame tells how large it is upright."""
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> None:
        row = _locked(tx, media_id)
        if row["poster_id"] is not None:
            return
        with history.change_set(tx, actor, "media.poster", f"Poster made: {row['file_name']}") as recorder:
            after = {"poster_id": poster.id, "width": poster.width, "height": poster.height}
            recorder.changed("media", media_id, picked(row, after), after, row["version"] + 1)
            store.update(tx, media_id, after)

    ctx.db.run(work)


def replace(ctx: Context, actor: Actor, media_id: int, new_id: int, *, keep_old: bool) -> Media:
    """Put another file of the library, of the same kind, in the place of one, wherever that is used; one change set.

    ``keep_old``: it stays in the library; else it leaves it, and a roll back brings it back. Raises Refused, NotFound.
    """
    actor.require(Role.EDITOR)
    old, new = read(ctx, actor, media_id), read(ctx, actor, new_id)
    if new.id == old.id:
        raise Refused.because("media.same", "This is the very same file: nothing is to be replaced.", "file")
    if new.kind is not old.kind:
        here, there = rules.KIND_WORDS[old.kind], rules.KIND_WORDS[new.kind]
        raise Refused.because("media.other_kind", f"This is {here}, and “{new.file_name}” is {there}.", "file")
    lang = ctx.settings.language

    def work(tx: Tx) -> None:
        row = _locked(tx, media_id)
        title = f"File replaced everywhere: {old.file_name} by {new.file_name}"
        with history.change_set(tx, actor, "media.replace", title) as recorder:
            references.replace(tx, recorder, "media", media_id, new.id, lang)
            uses.replace_in_texts(tx, recorder, old.sha256, new.sha256, lang)
            if not keep_old:
                both = {*vocabulary.tag_ids_of(tx, "media", media_id), *vocabulary.tag_ids_of(tx, "media", new.id)}
                vocabulary.set_tags(tx, recorder, "media", new.id, both)
                _remove(tx, recorder, row)

    ctx.db.run(work)
    return new


def delete(ctx: Context, actor: Actor, media_ids: Sequence[int]) -> int:
    """Delete files that nothing uses; returns how many. Raises Refused, saying where one is used.

    Their bytes stay in the data folder, so that History can bring them back; nobody is given them any more.
    """
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> int:
        found = [row for media_id in sorted(set(media_ids)) if (row := store.lock(tx, media_id))]
        for row in found:
            _refuse_used(ctx, tx, row)
        what = found[0]["file_name"] if len(found) == 1 else f"{len(found)} files"
        with history.change_set(tx, actor, "media.delete", f"Deleted from the library: {what}") as recorder:
            for row in found:
                _remove(tx, recorder, row)
        return len(found)

    return ctx.db.run(work)


def _refuse_used(ctx: Context, tx: Tx, row: Mapping[str, Any]) -> None:
    used = uses.where_used(tx, row["id"], row["sha256"], ctx.settings.language)
    if used:
        where = ", ".join(f"{one.label.lower()}: {one.records[0].title}" for one in used)
        raise Refused.because(
            "media.in_use", f"“{row['file_name']}” is in use ({where}). Take it out there first, or replace it.", "file"
        )


def _remove(tx: Tx, recorder: history.Recorder, row: Mapping[str, Any]) -> None:
    vocabulary.set_tags(tx, recorder, "media", row["id"], [])
    recorder.removed("media", row["id"], picked(row, store.FIELDS), row["version"] + 1)
    store.delete(tx, row["id"])
