"""Word by mail about prepared changes: to those who may say yes to one, and to who prepared it."""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import UTC

from graupel import mail
from graupel.context import Context
from graupel.core import moments
from graupel.core.roles import SYSTEM, Actor, Role
from graupel.db import Tx
from graupel.features.history.service import SAID_RECORDS, said_of
from graupel.features.prepared import store
from graupel.features.prepared.rows import PreparedRow
from graupel.features.users import service as users
from graupel.jobs import JobRequest, JobRun, Urgency, enqueue

KIND = "prepared.tell"


@dataclass(frozen=True)
class _About:
    """What is told. ``said``: at the head of the mail; ``to_all``: to everybody who may say yes, else to who prepared
    it; ``to_decider``: also to who said yes."""

    said: str
    to_all: bool = False
    to_decider: bool = False


HANDED_IN, BACK, AGREED, DONE, REFUSED = "handed_in", "back", "agreed", "done", "refused"
_ABOUT: Mapping[str, _About] = {
    HANDED_IN: _About("A prepared change waits for a yes", to_all=True),
    BACK: _About("A prepared change was sent back"),
    AGREED: _About("A prepared change was agreed to"),
    DONE: _About("A prepared change was done at its moment", to_decider=True),
    REFUSED: _About("A prepared change was not done", to_decider=True),
}


def tell(ctx: Context, tx: Tx, actor: Actor, prepared_id: int, about: str) -> None:
    """Have those told whom it concerns, but for who did it; one of the names above says what."""
    if mail.is_set_up(ctx.settings):
        payload = {"prepared_id": prepared_id, "about": about, "but": actor.user_id}
        enqueue(tx, SYSTEM, JobRequest(KIND, "Write about a prepared change", payload, urgency=Urgency.REST))


def write(run: JobRun) -> None:
    """Send the mail. For the worker."""
    about, but = str(run.payload["about"]), run.payload["but"]
    one = run.ctx.db.run(lambda tx: store.read(tx, int(run.payload["prepared_id"])))
    to = _addresses(run.ctx, one, _ABOUT[about], but) if one else []
    if one is None or not to:
        run.ctx.db.run(lambda tx: run.finish(tx, "There is nobody to tell."))
        return
    link = f"{run.ctx.settings.address.rstrip('/')}/prepared/{one['id']}"
    for number, address in enumerate(to):
        text = "\n\n".join([one["title"], *_words(run.ctx, one, about), link]) + "\n"
        mail.send(run.ctx.settings, [address], f"{_ABOUT[about].said}: {one['title']}", text, f"{run.job_id}-{number}")
    run.ctx.db.run(lambda tx: run.finish(tx, "Written."))


def _addresses(ctx: Context, one: PreparedRow, about: _About, but: object) -> list[str]:
    there = users.addresses(ctx, Role.EDITOR)
    wanted = set(there) if about.to_all else {one["made_by"], one["decided_by"] if about.to_decider else None}
    return [address for user_id, address in there.items() if user_id in wanted and user_id != but]


def _words(ctx: Context, one: PreparedRow, about: str) -> list[str]:
    """What it would do, what people said of it, and when it will be done."""
    if about == HANDED_IN:
        would = ctx.db.run(lambda tx: said_of(tx, store.few_rows(tx, [one["id"]], SAID_RECORDS)))
        said = [would.get(one["id"], ""), one["word"] and f"{one['maker']}: {one['word']}"]
        return [f"Prepared by {one['maker']}.", *filter(None, said)]
    if about == AGREED and one["apply_at"]:
        at = moments.typed(one["apply_at"].replace(tzinfo=UTC), ctx.zone).replace("T", " ")
        return [f"{one['decider']} agreed to it. It will be done on {at}, if little of what it changes moved by then."]
    if about in (AGREED, DONE):
        then = "is done; History can roll it back" if one["change_set_id"] else "was begun; its page says how far it is"
        return [f"{one['decider']} agreed to it. It {then}."]
    return [f"{one['decider']}: {one['reply']}" if about == BACK else one["reply"]]
