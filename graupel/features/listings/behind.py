"""Listings that are behind: whatever changes what a channel was told, the channel is told again."""

from collections.abc import Mapping
from typing import Any

from graupel.channels import kinds
from graupel.core.listings import AT_CHANNEL
from graupel.core.roles import SYSTEM, Actor
from graupel.db import Tx
from graupel.features.history.following import Recorded
from graupel.features.listings import store
from graupel.features.products import summary
from graupel.features.products.summary import TouchedProducts
from graupel.features.vocabulary import references
from graupel.jobs import JobRequest, Urgency, enqueue_once

_STATES = tuple(map(str, AT_CHANNEL))
#: Kinds of own values whose records the journal knows under another name.
_SAID_OF = {"attribute_choice": "choice"}


def enqueue_catch_up(tx: Tx, actor: Actor, channel: Mapping[str, Any]) -> None:
    """Have a channel told of all that changed, where no job waits for that already."""
    enqueue_once(
        tx,
        actor,
        JobRequest(
            "listings.catch_up",
            f"Send what changed to {channel['name']}",
            {"channel_id": channel["id"]},
            f"/channels/{channel['id']}",
            most_tries=8,
            urgency=Urgency.OFFERS,
        ),
    )


def _tell(tx: Tx, channel_ids: list[int]) -> None:
    for channel in store.channels(tx) if channel_ids else ():
        if channel["id"] in channel_ids:
            enqueue_catch_up(tx, SYSTEM, channel)


def follow_products(tx: Tx, touched: TouchedProducts) -> None:
    """A product of which something changed that a channel is told is sent again, wherever the change came from."""
    for kind in kinds():
        if store.stands_on(tx, touched.table, kind.key, _STATES):
            repriced = f"SELECT product_id FROM {touched.table} WHERE follows AND summarised"
            by = f"({summary.touched_sql(kind.made_of)} UNION {repriced})"
            _tell(tx, store.mark_touched(tx, by, touched.change_set_id, kind.key, _STATES))


def follow_listings(tx: Tx, recorded: Recorded) -> None:
    """So is one whose category or title there changed, by a roll back too."""
    if recorded.wrote.any_of("listing", ("title", "category_code")):
        _tell(tx, store.mark_changed(tx, recorded.change_set_id, _STATES))


def follow_terms(tx: Tx, recorded: Recorded) -> None:
    """So are all of a channel whose price rule changed."""
    if not recorded.wrote.any_of("selling_terms"):
        return
    channels = store.with_changed_terms(tx, recorded.change_set_id)
    for channel_id in channels:
        store.mark_all(tx, channel_id, _STATES)
    _tell(tx, channels)


def follow_words(tx: Tx, recorded: Recorded) -> None:
    """So are all that use a word of which something changed that their channels are told."""
    made_of: dict[str, set[str]] = {}
    for kind in kinds():
        for record, fields in kind.words.items():
            if recorded.wrote.any_of("own_value") or recorded.wrote.any_of(record, fields):
                made_of.setdefault(record, set()).update(fields)
    changed: dict[str, list[int]] = {}
    for row in store.changed_words(tx, recorded.change_set_id, made_of, _SAID_OF):
        changed.setdefault(row["kind"], []).append(row["id"])
    for record, ids in changed.items():
        for one in references.of(record):
            if one.products != "NULL":
                _tell(tx, store.mark_using(tx, one, ids, recorded.language, _STATES))
