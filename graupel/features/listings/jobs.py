"""Speaking with channels in the background.

No transaction is open while a channel is asked. Every request carries our own reference, so one that is
repeated after a lost answer or a killed worker makes no second listing. One job at a time speaks of a listing, so what
was asked last is also what the channel hears last.
"""

from datetime import timedelta
from typing import Any

from graupel.channels import Answer, ChannelRefuses
from graupel.core.listings import AT_CHANNEL, STATE_WORDS, ListingState
from graupel.core.roles import Role
from graupel.db import Tx
from graupel.features.listings import answers, sending, store
from graupel.features.listings.connecting import channel_row, speaking
from graupel.features.listings.sending import Dispatch
from graupel.jobs import JobRun

AT_ONCE = 500
#: A job that was killed while it held a listing holds up others no longer than this.
HELD = timedelta(seconds=30)
_AT_CHANNEL = tuple(map(str, AT_CHANNEL))


def check(run: JobRun) -> None:
    """Fetch a channel's terms and categories."""
    channel_id = int(run.payload["channel_id"])
    channel = run.ctx.db.run(lambda tx: channel_row(tx, channel_id))
    with speaking(run.ctx, channel) as client:
        terms, places = client.terms(), client.places()

    def work(tx: Tx) -> None:
        store.set_checked(tx, channel_id, terms, run.ctx.now(tx))
        store.replace_places(tx, channel_id, places)
        run.finish(tx, f"{channel['name']} answers; {len(places)} categories.")

    run.ctx.db.run(work)


def _hold(run: JobRun, listing_id: int) -> Dispatch | None:
    """What is to be said of a listing, of which this job alone speaks now; None where another does."""

    def work(tx: Tx) -> Dispatch | None:
        now = run.ctx.now(tx)
        if not store.hold(tx, listing_id, run.job_id, now, now + HELD):
            return None
        return sending.dispatch(run.ctx, tx, listing_id)

    return run.ctx.db.run(work)


# --- what somebody asked -------------------------------------------------------------------------------------


def not_settled(tx: Tx, payload: dict[str, Any]) -> None:
    """A job that was given up or cancelled: what it was to do is not done."""
    listing = store.listing(tx, int(payload["listing_id"]), lock=True)
    wanted = (ListingState.SENDING, ListingState.ENDING)
    if listing and listing["asked"] == payload["asked"] and listing["state"] in wanted:
        store.set_failed(tx, listing["id"])
        store.let_go(tx, listing["id"])


def settle(run: JobRun) -> None:
    """Send or end one listing, as was asked last."""
    run.actor.require(Role.EDITOR)
    listing_id = int(run.payload["listing_id"])
    going = _hold(run, listing_id)
    if going is None:
        run.ctx.db.run(lambda tx: run.again(tx, timedelta(seconds=1), "Another job speaks of it just now."))
        return
    if going.listing["asked"] != run.payload["asked"]:
        run.ctx.db.run(lambda tx: _close(run, tx, listing_id, "Something else was asked since."))
        return
    run.progress("Ending" if going.listing["state"] == ListingState.ENDING else "Sending")
    with speaking(run.ctx, going.channel) as client:
        if going.listing["state"] == ListingState.ENDING:
            client.end(going.listing["reference"])
            answer = None
        else:
            answer = _put(client.put, going)
    run.ctx.db.run(lambda tx: _settled(run, tx, going, answer))


def _put(put: Any, going: Dispatch) -> Answer:
    try:
        answer: Answer = put(going.listing["reference"], going.payload)
        return answer
    except ChannelRefuses as refusal:
        # At the door: what was for sale before stays so.
        return Answer(ListingState.REFUSED, "", refusal.reasons, bool(going.listing["on_sale_as_of"]))


def _settled(run: JobRun, tx: Tx, going: Dispatch, answer: Answer | None) -> None:
    """Keep what was done; where something else was asked meanwhile, that job says where the listing stands."""
    now = store.listing(tx, going.listing["id"], lock=True)
    if now is None:
        run.finish(tx, "The listing is gone.")
        return
    if answer:
        sending.note_sent(run.ctx, tx, going)
    if now["asked"] != going.listing["asked"]:
        _close(run, tx, now["id"], "Done; something else was asked meanwhile.")
    elif answer:
        answers.note(run.ctx, tx, now["id"], answer)
        _close(run, tx, now["id"], _in_words(going.channel["name"], answer))
    else:
        store.set_ended(tx, now["id"], run.ctx.now(tx))
        _close(run, tx, now["id"], "Taken down.")


def _close(run: JobRun, tx: Tx, listing_id: int, outcome: str) -> None:
    store.let_go(tx, listing_id)
    run.finish(tx, outcome)


def _in_words(name: str, answer: Answer) -> str:
    why = " ".join(reason.message for reason in answer.reasons)
    return f"{name} has it. {STATE_WORDS[answer.state]}{f': {why}' if why else '.'}"


# --- what is behind ------------------------------------------------------------------------------------------


def catch_up(run: JobRun) -> None:
    """Send everything on a channel that changed since it was sent; end what is no longer live."""
    channel_id = int(run.payload["channel_id"])
    ids = run.ctx.db.run(lambda tx: store.behind_ids(tx, channel_id, _AT_CHANNEL, AT_ONCE))
    told: dict[str, int] = {}
    for done, listing_id in enumerate(ids):
        run.progress("Sending changes", done, len(ids))
        what = _catch_up_one(run, listing_id)
        told[what] = told.get(what, 0) + 1

    def work(tx: Tx) -> None:
        if len(ids) == AT_ONCE or told.get(_BUSY):
            run.again(tx, timedelta(seconds=1 if told.get(_BUSY) else 0), "More to send.")
        else:
            run.finish(tx, ", ".join(f"{count} {what}" for what, count in told.items()) or "Nothing to send.")

    run.ctx.db.run(work)


_BUSY = "spoken of by another job"


def _catch_up_one(run: JobRun, listing_id: int) -> str:
    going = run.ctx.db.run(lambda tx: _judge(run, tx, listing_id))
    if isinstance(going, str):
        return going
    with speaking(run.ctx, going.channel) as client:
        if going.is_live:
            answer = _put(client.put, going)
        else:
            client.end(going.listing["reference"])

    def work(tx: Tx) -> None:
        now = store.listing(tx, listing_id, lock=True)
        if going.is_live:
            sending.note_sent(run.ctx, tx, going)
        if now and now["asked"] == going.listing["asked"]:
            if going.is_live:
                answers.note(run.ctx, tx, listing_id, answer)
            else:
                store.set_ended(tx, listing_id, run.ctx.now(tx))
        store.let_go(tx, listing_id)

    run.ctx.db.run(work)
    return "sent" if going.is_live else "ended"


def _judge(run: JobRun, tx: Tx, listing_id: int) -> Dispatch | str:
    """What is to be sent of a listing that is behind, held for this job; or what became of it without that.

    Holding it locks its row: what changes from here on marks it anew.
    """
    now = run.ctx.now(tx)
    if not store.hold(tx, listing_id, run.job_id, now, now + HELD):
        return _BUSY
    going = sending.dispatch(run.ctx, tx, listing_id)
    if going.listing["state"] not in _AT_CHANNEL:
        what = "ended meanwhile"
    elif going.is_live and going.fingerprint == going.listing["sent_fingerprint"]:
        store.set_as_it_was(tx, listing_id)
        what = "as it was"
    elif going.is_live and going.blocking:
        store.set_held_back(tx, listing_id)
        what = "held back"
    else:
        return going
    store.let_go(tx, listing_id)
    return what
