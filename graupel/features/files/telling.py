"""Word by mail: the reading, dry run or bringing in of a long file has ended; one that came by itself waits."""

from graupel import mail
from graupel.context import Context
from graupel.core.errors import Refused
from graupel.core.roles import SYSTEM
from graupel.db import Tx
from graupel.features.files import store
from graupel.features.jobs import service as jobs
from graupel.features.users import service as users
from graupel.jobs import JobRequest, JobRun, Urgency, enqueue

KIND = "files.tell"
#: Who waited so long for it has gone on to something else.
LONG_SECONDS = 120
#: What a mail says at its head of a job of a kind that was done, of others that a file was brought in.
_ENDED = {"files.plan": "A dry run is made", "files.read": "A file was read"}
NOT_DONE, WAITS = "Not done.", "It waits for you."


def when_long(run: JobRun, tx: Tx, file_id: int, said: str) -> None:
    """Have the one who asked for a job told how it ended, where that took long. ``said``: the sentence."""
    if run.actor.user_id is None or not mail.is_set_up(run.ctx.settings):
        return
    if store.waited_seconds(tx, run.job_id) >= LONG_SECONDS:
        payload = {"file_id": file_id, "user_id": run.actor.user_id, "said": said, "job_id": run.job_id}
        enqueue(tx, SYSTEM, JobRequest(KIND, "Write that a file is done", payload, urgency=Urgency.REST))


def waits(run: JobRun, tx: Tx, file_id: int, why: str) -> None:
    """Have the person for whom a file came by itself told that it waits, and why."""
    if run.actor.user_id is not None and mail.is_set_up(run.ctx.settings):
        payload = {"file_id": file_id, "user_id": run.actor.user_id, "said": f"{WAITS} {why}", "job_id": run.job_id}
        enqueue(tx, SYSTEM, JobRequest(KIND, "Write that a file waits", payload, urgency=Urgency.REST))


def refused(run: JobRun, file_id: int, refusal: Refused) -> None:
    """The same where it was refused."""
    run.ctx.db.run(lambda tx: when_long(run, tx, file_id, f"{NOT_DONE} {refusal}"))


def write(run: JobRun) -> None:
    """Send the mail. For the worker."""
    payload = run.payload
    to = users.email_of(run.ctx, int(payload["user_id"]))
    row = run.ctx.db.run(lambda tx: store.read(tx, int(payload["file_id"])))
    if to is None or row is None:
        run.ctx.db.run(lambda tx: run.finish(tx, "There is nobody to tell, or no file any more."))
        return
    link = f"{run.ctx.settings.address.rstrip('/')}/files/{row['id']}"
    text = f"{row['name']}\n\n{payload['said']}\n\n{link}\n"
    mail.send(run.ctx.settings, [to], f"{_ended(run.ctx, payload)}: {row['name']}", text, f"file-{payload['job_id']}")
    run.ctx.db.run(lambda tx: run.finish(tx, "Written."))


def _ended(ctx: Context, payload: dict[str, object]) -> str:
    if str(payload["said"]).startswith(NOT_DONE):
        return "A file was not brought in"
    if str(payload["said"]).startswith(WAITS):
        return "A file waits for you"
    job = jobs.of(ctx, SYSTEM, int(str(payload["job_id"])))
    return _ENDED.get(job["kind"] if job else "", "A file was brought in")
