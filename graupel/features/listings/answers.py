"""Asking channels where listings stand that they look at: many at once, and with growing pauses."""

from datetime import datetime, timedelta

from graupel.channels import Answer, ChannelClient
from graupel.context import Context
from graupel.core.backoff import delay
from graupel.core.errors import GraupelError
from graupel.core.listings import ListingState
from graupel.core.roles import SYSTEM
from graupel.db import Tx
from graupel.features.listings import store
from graupel.features.listings.connecting import channel_row, speaking
from graupel.features.listings.rows import DueLookRow
from graupel.jobs import JobRequest, JobRun, Urgency, enqueue_once, timekeeping
from graupel.jobs.timekeeping import Timed

NAME = "listings.answers"
FIRST_LOOK = timedelta(seconds=2)
LONGEST_PAUSE = 3600
AT_ONCE = 500


def register() -> None:
    """Wake when the next answer may be there."""
    timekeeping.register(
        Timed(NAME, "Ask marketplaces for their answers", _next, _arrive, each=False, urgency=Urgency.REST)
    )


def _next(ctx: Context, tx: Tx, after: datetime) -> datetime | None:
    found = store.next_look(tx, after)
    return found.replace(tzinfo=after.tzinfo) if found else None


def _arrive(ctx: Context, tx: Tx, moment: datetime) -> None:
    for channel_id in store.to_look_at(tx, ctx.now(tx)):
        ask_soon(tx, channel_id)


def ask_soon(tx: Tx, channel_id: int) -> None:
    """Have a channel asked for the answers that are due."""
    channel = channel_row(tx, channel_id)
    request = JobRequest(
        NAME,
        f"Ask {channel['name']} for its answers",
        {"channel_id": channel_id},
        f"/channels/{channel_id}",
        urgency=Urgency.REST,
    )
    enqueue_once(tx, SYSTEM, request)


def note(ctx: Context, tx: Tx, listing_id: int, answer: Answer) -> None:
    """Keep what a channel said of a listing; while it looks at it, it is asked again later."""
    now = ctx.now(tx)
    look_at = now + FIRST_LOOK if answer.state is ListingState.REVIEW else None
    said = {
        "page": answer.page,
        "reasons": [reason.as_dict() for reason in answer.reasons],
        "on_sale": answer.on_sale,
        "look_at": look_at,
    }
    store.set_answer(tx, listing_id, answer.state, said, now)
    if look_at:
        timekeeping.plan(ctx, tx, NAME, look_at)


def fetch(run: JobRun) -> None:
    """Ask one channel for all answers that are due."""
    ctx, channel_id = run.ctx, int(run.payload["channel_id"])
    channel = ctx.db.run(lambda tx: channel_row(tx, channel_id))
    waiting = ctx.db.run(lambda tx: store.due_looks(tx, channel_id, ctx.now(tx), AT_ONCE))
    found, trouble = {}, ""
    try:
        with speaking(ctx, channel) as client:
            found = _asked(client, [one["reference"] for one in waiting])
    except GraupelError as error:
        trouble = str(error)

    def work(tx: Tx) -> None:
        told = 0
        for one in waiting:
            told += _take(ctx, tx, one, found.get(one["reference"]), missing=not trouble)
        if len(waiting) == AT_ONCE:
            run.again(tx, timedelta(0), "More to ask.")
        else:
            run.finish(tx, trouble or f"{told} answered, {len(waiting) - told} to be asked again.")

    ctx.db.run(work)


def _asked(client: ChannelClient, references: list[str]) -> dict[str, Answer]:
    return client.answers(references) if references else {}


def _take(ctx: Context, tx: Tx, one: DueLookRow, answer: Answer | None, *, missing: bool) -> bool:
    """Take in one answer; returns whether it is the last word. ``missing``: none means that the channel has it not."""
    now = store.listing(tx, one["id"], lock=True)
    if now is None or now["version"] != one["version"] or now["state"] != ListingState.REVIEW:
        if now and now["state"] != ListingState.REVIEW:
            store.look_again(tx, now["id"], 0, None)
        return False
    if answer is None and missing:
        store.set_failed(tx, now["id"])
        store.look_again(tx, now["id"], 0, None)
        return True
    if answer and answer.state is not ListingState.REVIEW:
        note(ctx, tx, now["id"], answer)
        return True
    looks = now["looks"] + 1
    at = ctx.now(tx) + delay(looks + 1, most=LONGEST_PAUSE)
    store.look_again(tx, now["id"], looks, at)
    timekeeping.plan(ctx, tx, NAME, at)
    return False
