"""The pictures that rows of files name: those that lie beside the table in a zip, and those to be fetched afterwards.

Goods do not wait for pictures. What is not in the library yet is fetched once the file is brought in, a picture at a
time, tried again where it may be there in a while, and put in as a part of the same act: rolling the file back takes
its pictures back first.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import timedelta
from typing import Any

from graupel import fetching
from graupel.context import Context
from graupel.core.errors import Refused
from graupel.core.file_pictures import of_name
from graupel.core.record_files import RowsAre
from graupel.core.roles import Actor, Role
from graupel.core.showing import plural
from graupel.db import Tx
from graupel.features.files import picture_store as store
from graupel.features.files import store as file_store
from graupel.features.files import taking
from graupel.features.files.picture_store import Counts
from graupel.features.files.records import later
from graupel.features.files.rows import FailedPictureRow, ImportFileRow
from graupel.features.history import service as history
from graupel.features.jobs import service as jobs
from graupel.features.media import service as media
from graupel.features.products.batch import picture_writing
from graupel.features.products.batch.pictures import BESIDE
from graupel.features.products.summary import ProductsAtHand
from graupel.fetching import NotFetched
from graupel.jobs import JobRequest, JobRun, enqueue
from graupel.tables import packed

KIND = "files.pictures"
#: A picture is tried so often; between, it waits longer each time.
MOST_TRIES = 4
PAUSE = timedelta(seconds=20)
#: So many are put in by one act.
AT_ONCE = 50
SHOWN = 20


def beside(ctx: Context, row: ImportFileRow) -> Sequence[str]:
    """The names of the files that lie in a zip with the table."""
    return packed.names(taking.path_of(ctx, row)) if row["shape"].get("member") else ()


def begin(tx: Tx, actor: Actor, row: ImportFileRow) -> int:
    """Have pictures fetched that a file brought in names, where there are any; returns how many."""
    number = store.counts(tx, row["id"]).waiting
    if number:
        request = JobRequest(KIND, f"Pictures of {row['name']}", {"file_id": row["id"]}, f"/files/{row['id']}")
        store.set_job(tx, row["id"], enqueue(tx, actor, request))
    return number


def again(ctx: Context, actor: Actor, file_id: int) -> None:
    """Try those once more that could not be fetched. Raises Refused."""
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> None:
        row = file_store.read(tx, file_id, lock=True)
        if row is None or row["state"] != "applied" or not store.wait_again(tx, file_id):
            raise Refused.because("pictures.none", "No picture of this file waits to be fetched.")
        begin(tx, actor, row)

    ctx.db.run(work)


@dataclass(frozen=True)
class Pictured:
    """How far the pictures of a file are. ``failed``: the first of those that could not be fetched."""

    counts: Counts
    failed: list[FailedPictureRow]
    job: dict[str, Any] | None


def read(ctx: Context, actor: Actor, file_id: int) -> Pictured:
    """How far the pictures of a file are that was brought in."""
    actor.require(Role.VIEWER)
    counts, failed, job_id = ctx.db.run(
        lambda tx: (store.counts(tx, file_id), store.failed(tx, file_id, SHOWN), store.job_of(tx, file_id))
    )
    return Pictured(counts, failed, jobs.of(ctx, actor, job_id))


# --- for the worker ------------------------------------------------------------------------------------------


def fetch(run: JobRun) -> None:
    """Fetch the pictures of a file, and put them in."""
    file_id = int(run.payload["file_id"])
    row = run.ctx.db.run(lambda tx: file_store.read(tx, file_id))
    if row is None or row["state"] != "applied":
        run.ctx.db.run(lambda tx: run.finish(tx, "The file is not there any more."))
        return
    while addresses := run.ctx.db.run(lambda tx: store.next_addresses(tx, file_id, AT_ONCE)):
        counts = run.ctx.db.run(lambda tx: store.counts(tx, file_id))
        got: dict[str, int] = {}
        for place, (key, address) in enumerate(addresses.items()):
            run.progress("Fetching", counts.done + place, counts.all)
            if media_id := _one(run, row, key, address):
                got[key] = media_id
        if got:
            run.ctx.db.run(lambda tx, got=got: _put_in(run.ctx, tx, run.actor, file_id, got))  # type: ignore[misc]
    run.ctx.db.run(lambda tx: _end(run, tx, file_id))


def _one(run: JobRun, row: ImportFileRow, key: str, address: str) -> int | None:
    """A picture in the library; None where it is not there, which is noted."""
    try:
        name, content = _content(run.ctx, row, address)
        taken = media.take(run.ctx, run.actor, name or "picture", content)
    except NotFetched as trouble:
        said, is_again = str(trouble), trouble.again
        run.ctx.db.run(lambda tx: store.note_failed(tx, row["id"], key, said, MOST_TRIES if is_again else 1, PAUSE))
        return None
    except Refused as refusal:
        said = str(refusal)
        run.ctx.db.run(lambda tx: store.note_failed(tx, row["id"], key, said, 1, PAUSE))
        return None
    if not address.startswith(BESIDE):
        run.ctx.db.run(lambda tx: store.note_source(tx, key, taken.id))
    return taken.id


def _content(ctx: Context, row: ImportFileRow, address: str) -> tuple[str, bytes]:
    most = ctx.settings.picture_megabytes * 1_000_000
    if address.startswith(BESIDE):
        name, content = packed.content(taking.path_of(ctx, row), address.removeprefix(BESIDE), most)
        return of_name(name)[1], content
    found = fetching.fetch(ctx.settings, address, most)
    return found.name, found.content


def _put_in(ctx: Context, tx: Tx, actor: Actor, file_id: int, got: dict[str, int]) -> None:
    """Put fetched pictures in, as a part of the act that brought the file in; where that changed nothing else, as that
    act itself."""
    row = file_store.read(tx, file_id, lock=True)
    assert row is not None
    if row["change_set_id"] is not None and not history.holds(tx, row["change_set_id"]):
        store.give_up(tx, file_id, "The file was rolled back meanwhile.")
        return
    title = f"Pictures of the file {row['name']}"
    with history.change_set(tx, actor, "files.pictures", title, part_of=row["change_set_id"]) as recorder:
        if row["rows_are"] == RowsAre.GOODS:
            _put_in_goods(tx, recorder, file_id, got)
        else:
            for key, media_id in got.items():
                later.put_in(ctx, tx, recorder, file_id, key, media_id)
    if row["change_set_id"] is None and recorder.records:
        file_store.change(tx, file_id, change_set_id=recorder.change_set_id)


def _put_in_goods(tx: Tx, recorder: history.Recorder, file_id: int, got: dict[str, int]) -> None:
    touched = "SELECT DISTINCT c.product_id AS id FROM change_row r JOIN picture c ON c.id = r.record_id"
    recorder.hand_on(
        ProductsAtHand(
            made="SELECT 0 AS id FROM DUAL WHERE FALSE",
            changed=f"{touched} WHERE r.change_set_id = %(set)s AND r.record_kind = 'picture'",
            given="SELECT '' AS sku, 0 AS variant_id FROM DUAL WHERE FALSE",
            params={"set": recorder.change_set_id},
        )
    )
    for key, media_id in got.items():
        picture_writing.put_in_fetched(tx, recorder, file_id, key, media_id)


def _end(run: JobRun, tx: Tx, file_id: int) -> None:
    counts = store.counts(tx, file_id)
    later = store.next_moment(tx, file_id)
    said = plural(counts.fetched, "picture") + " fetched"
    if later is not None:
        run.again_at(tx, later, f"{said}, {counts.waiting} tried again in a while.")
        return
    failed = f", {counts.failed} could not be" if counts.failed else ""
    run.finish(tx, f"{said}{failed}.")
