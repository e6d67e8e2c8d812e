"""Speaking with channels in the background.

No transaction is open while a channel is asked. Every request carries our own reference, so one that is
repeated after a lost answer or a killed worker makes no second listing.
"""

from datetime import timedelta
from typing import Any

from graupel.channels import Answer, ChannelRefuses
from graupel.core.errors import GraupelError
from graupel.core.listings import AT_CHANNEL, STATE_WORDS, ListingState
from graupel.core.roles import Role
from graupel.db import Tx
from graupel.features.listings import service, store
from graupel.features.listings.service import Dispatch
from graupel.jobs import JobRequest, JobRun, Urgency, enqueue

FIRST_LOOK = 2
LOOK_AGAIN = timedelta(seconds=3)
AT_ONCE = 500
_AT_CHANNEL = tuple(map(str, AT_CHANNEL))


def check(run: JobRun) -> None:
    """Fetch a channel's terms and categories."""
    channel_id = int(run.payload["channel_id"])
    channel = run.ctx.db.run(lambda tx: service.channel_row(tx, channel_id))
    try:
        client = service.client(channel)
        terms, places = client.terms(), client.places()
    except GraupelError as trouble:
        message = str(trouble)
        run.ctx.db.run(lambda tx: store.set_trouble(tx, channel_id, message))
        raise

    def work(tx: Tx) -> None:
        store.set_checked(tx, channel_id, terms)
        store.replace_places(tx, channel_id, places)
        run.finish(tx, f"{channel['name']} answers; {len(places)} categories.")

    run.ctx.db.run(work)


def not_sent(tx: Tx, payload: dict[str, Any]) -> None:
    listing = store.listing(tx, int(payload["listing_id"]), lock=True)
    if listing and listing["state"] in (ListingState.SENDING, ListingState.ENDING):
        store.set_state(tx, listing["id"], ListingState.FAILED)


def send(run: JobRun) -> None:
    """Send one listing."""
    run.actor.require(Role.EDITOR)
    listing_id = int(run.payload["listing_id"])
    going = run.ctx.db.run(lambda tx: service.dispatch(run.ctx, tx, listing_id))
    if going.listing["state"] != ListingState.SENDING:
        run.ctx.db.run(lambda tx: run.finish(tx, "Not wanted any more."))
        return
    try:
        run.progress("Sending")
        answer = service.client(going.channel).put(going.listing["reference"], going.payload)
    except ChannelRefuses as refusal:
        refused, outcome = Answer(ListingState.REFUSED, "", refusal.reasons), f"Refused: {refusal}"
        run.ctx.db.run(lambda tx: _close(run, tx, going, refused, outcome))
        return

    def work(tx: Tx) -> None:
        service.note_sent(run.ctx, tx, going)
        store.set_answer(tx, listing_id, answer.state, answer.page, [])
        _look_later(run, tx, going)
        run.finish(tx, f"{going.channel['name']} has it; under review.")

    run.ctx.db.run(work)


def _look_later(run: JobRun, tx: Tx, going: Dispatch) -> None:
    enqueue(
        tx,
        run.actor,
        JobRequest(
            "listings.look",
            f"Ask {going.channel['name']} about {going.product.values.name}",
            {"listing_id": going.listing["id"]},
            f"/products/{going.product.id}#channels",
            most_tries=8,
            delay_seconds=FIRST_LOOK,
            urgency=Urgency.REST,
        ),
    )


def _close(run: JobRun, tx: Tx, going: Dispatch, answer: Answer, outcome: str) -> None:
    service.note_sent(run.ctx, tx, going)
    store.set_answer(tx, going.listing["id"], answer.state, answer.page, [p.as_dict() for p in answer.reasons])
    run.finish(tx, outcome)


def _in_words(answer: Answer) -> str:
    why = " ".join(reason.message for reason in answer.reasons)
    return f"{STATE_WORDS[answer.state]}{f': {why}' if why else '.'}"


def look(run: JobRun) -> None:
    """Fetch the channel's answer about one listing; while it is under review, look again later."""
    listing_id = int(run.payload["listing_id"])
    going = run.ctx.db.run(lambda tx: service.dispatch(run.ctx, tx, listing_id))
    if going.listing["state"] != ListingState.REVIEW:
        run.ctx.db.run(lambda tx: run.finish(tx, "Answered already."))
        return
    answer = service.client(going.channel).get(going.listing["reference"])

    def work(tx: Tx) -> None:
        now = store.listing(tx, listing_id, lock=True)
        if answer is None:
            store.set_state(tx, listing_id, ListingState.FAILED)
            run.finish(tx, f"{going.channel['name']} does not know it. Send it again.")
        elif answer.state is ListingState.REVIEW:
            run.again(tx, LOOK_AGAIN, "Still under review.")
        elif now and now["version"] == going.listing["version"]:
            store.set_answer(tx, listing_id, answer.state, answer.page, [p.as_dict() for p in answer.reasons])
            run.finish(tx, _in_words(answer))
        else:
            run.again(tx, LOOK_AGAIN, "It was sent again meanwhile.")

    run.ctx.db.run(work)


def end(run: JobRun) -> None:
    """End one listing."""
    run.actor.require(Role.EDITOR)
    listing_id = int(run.payload["listing_id"])
    going = run.ctx.db.run(lambda tx: service.dispatch(run.ctx, tx, listing_id))
    service.client(going.channel).end(going.listing["reference"])
    run.ctx.db.run(lambda tx: _ended(run, tx, going))


def _ended(run: JobRun, tx: Tx, going: Dispatch) -> None:
    store.set_answer(tx, going.listing["id"], ListingState.ENDED, "", [])
    store.set_stale(tx, going.listing["id"], False)
    run.finish(tx, "Ended.")


def catch_up(run: JobRun) -> None:
    """Send everything on a channel that changed since it was sent; end what is no longer live."""
    channel_id = int(run.payload["channel_id"])
    ids = run.ctx.db.run(lambda tx: store.stale_ids(tx, channel_id, _AT_CHANNEL, AT_ONCE))
    told = {"sent": 0, "ended": 0, "held back": 0, "as it was": 0}
    for done, listing_id in enumerate(ids):
        run.progress("Sending changes", done, len(ids))
        told[_catch_up_one(run, listing_id)] += 1

    def work(tx: Tx) -> None:
        if len(ids) == AT_ONCE:
            run.again(tx, timedelta(0), "More to send.")
        else:
            run.finish(tx, ", ".join(f"{count} {what}" for what, count in told.items() if count) or "Nothing to send.")

    run.ctx.db.run(work)


def _catch_up_one(run: JobRun, listing_id: int) -> str:
    going = run.ctx.db.run(lambda tx: service.dispatch(run.ctx, tx, listing_id))
    client = service.client(going.channel)
    if not service.is_live(going.product):
        client.end(going.listing["reference"])

        def ended(tx: Tx) -> None:
            store.set_answer(tx, listing_id, ListingState.ENDED, "", [])
            store.set_stale(tx, listing_id, False)

        run.ctx.db.run(ended)
        return "ended"
    if going.fingerprint == going.listing["sent_fingerprint"]:
        run.ctx.db.run(lambda tx: store.set_stale(tx, listing_id, False))
        return "as it was"
    if going.blocking:
        run.ctx.db.run(lambda tx: store.set_stale(tx, listing_id, False))
        return "held back"
    try:
        answer = client.put(going.listing["reference"], going.payload)
    except ChannelRefuses as refusal:
        answer = Answer(ListingState.REFUSED, "", refusal.reasons)

    def sent(tx: Tx) -> None:
        service.note_sent(run.ctx, tx, going)
        store.set_answer(tx, listing_id, answer.state, answer.page, [p.as_dict() for p in answer.reasons])
        if answer.state is ListingState.REVIEW:
            _look_later(run, tx, going)

    run.ctx.db.run(sent)
    return "sent"
