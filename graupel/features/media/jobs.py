"""What is made of new files in the background: pictures in smaller sizes, posters of videos."""

import structlog

from graupel import apart
from graupel.core.errors import NoRoom
from graupel.db import Tx
from graupel.features.media import service, sizes, store, videos
from graupel.jobs import JobRequest, JobRun, Urgency, enqueue

AT_ONCE = 20
log = structlog.get_logger("media")


def make_sizes(run: JobRun) -> None:
    """Make the sizes of all pictures that wait for them; each video gets a job of its own.

    What a file does to the library that reads it, it does to its own: a broken video can't hold up the pictures.
    """
    done = 0
    while batch := run.ctx.db.run(lambda tx: store.waiting(tx, AT_ONCE)):
        left = run.ctx.db.run(store.count_waiting)
        for row in batch:
            run.progress("Making smaller sizes", done, done + left)
            if row["kind"] == "video":
                _hand_on(run, row["id"], row["file_name"])
            else:
                _make(run, row["id"], row["sha256"])
            done, left = done + 1, left - 1
    run.ctx.db.run(lambda tx: run.finish(tx, f"Sizes made of {done} {'file' if done == 1 else 'files'}."))


def _make(run: JobRun, media_id: int, sha256: str) -> None:
    state = "made"
    try:
        sizes.make(run.ctx, sha256)
    except (OSError, NoRoom) as trouble:
        log.warning("no sizes", media=media_id, reason=str(trouble))
        state = "failed"
    run.ctx.db.run(lambda tx: store.set_sizes(tx, media_id, state))


def _hand_on(run: JobRun, media_id: int, file_name: str) -> None:
    def work(tx: Tx) -> None:
        store.set_sizes(tx, media_id, "made")
        request = JobRequest(
            "media.poster", f"Poster of {file_name}", {"media_id": media_id}, "/media", urgency=Urgency.REST
        )
        enqueue(tx, run.actor, request)

    run.ctx.db.run(work)


def make_poster(run: JobRun) -> None:
    """Take a picture of a video and let it stand for it, unless somebody chose one meanwhile."""
    media_id = int(run.payload["media_id"])
    found = service.read_many(run.ctx, [media_id]).get(media_id)
    outcome = "It has a poster already."
    if found and found.poster_id is None:
        outcome = "No picture could be taken of it: choose one in the library."
        content = sizes.path_of(run.ctx, found.sha256, sizes.FULL).read_bytes()
        try:
            picture = apart.do(videos.poster, content)
        except (apart.GaveUp, ValueError, OSError):
            log.warning("no poster", media=media_id)
        else:
            taken = service.take(run.ctx, run.actor, f"{found.file_name.rpartition('.')[0]}-poster.jpg", picture)
            service.set_poster(run.ctx, run.actor, media_id, taken)
            outcome = "A picture of it was taken."
    run.ctx.db.run(lambda tx: run.finish(tx, outcome, f"/media/{media_id}"))
