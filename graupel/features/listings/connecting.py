"""Channels: accounts on marketplaces, connected, named, and spoken to."""

from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from typing import Any, TypeVar
from urllib.parse import urlsplit

from graupel.channels import ChannelClient, ChannelDenied, Marketplace, client_of, kind_of, kinds
from graupel.context import Context
from graupel.core import languages
from graupel.core.errors import NotFound, Refused, TryLater
from graupel.core.listings import AT_CHANNEL, ChannelPlace
from graupel.core.problems import Problem
from graupel.core.roles import Actor, Role
from graupel.db import DuplicateKey, Tx
from graupel.features.destinations.service import Destination
from graupel.features.history import service as history
from graupel.features.listings import behind, store
from graupel.features.listings.rows import ChannelRow
from graupel.jobs import JobRequest, enqueue

T = TypeVar("T")
KEY_LENGTH = 300
NAME_LENGTH = 80


def list_channels(ctx: Context, actor: Actor) -> list[dict[str, Any]]:
    """Channels without their secrets, each with the number of listings by state."""
    actor.require(Role.VIEWER)

    def work(tx: Tx) -> list[dict[str, Any]]:
        return [without_secret(row) | {"states": store.states(tx, row["id"])} for row in store.channels(tx)]

    return ctx.db.run(work)


def read_channel(ctx: Context, actor: Actor, channel_id: int) -> dict[str, Any]:
    """One channel, as list_channels gives it. Raises NotFound."""
    found = next((row for row in list_channels(ctx, actor) if row["id"] == channel_id), None)
    if found is None:
        raise NotFound(f"There is no channel {channel_id}.")
    return found


def without_secret(row: Mapping[str, Any]) -> dict[str, Any]:
    """A channel as it may be shown."""
    return {name: value for name, value in row.items() if name != "secret"} | {"has_secret": bool(row["secret"])}


def channel_row(tx: Tx, channel_id: int) -> ChannelRow:
    """A channel with its secret. Raises NotFound."""
    row = store.channel(tx, channel_id)
    if row is None:
        raise NotFound(f"There is no channel {channel_id}.")
    return row


def marketplace(row: Mapping[str, Any]) -> Marketplace:
    """The kind of a channel."""
    return kind_of(row["kind"])


def as_destinations(tx: Tx) -> list[Destination]:
    """Channels as destinations of the lens."""
    return [
        Destination(f"c{row['id']}", row["name"], tuple(filter(None, [row["lang"]])), link=f"/channels/{row['id']}")
        for row in store.channels(tx)
    ]


def places(ctx: Context, actor: Actor, channel_id: int) -> list[ChannelPlace]:
    """A channel's categories in the order of their paths."""
    actor.require(Role.VIEWER)
    return ctx.db.run(lambda tx: store.places(tx, channel_id))


# --- connecting ----------------------------------------------------------------------------------------------


def connect(ctx: Context, actor: Actor, kind: str, address: str, secret: str, name: str = "") -> int:
    """Connect an account; returns the channel's id. ``name``: "" for that of the marketplace. Raises Refused."""
    actor.require(Role.OWNER)
    found = next((one for one in kinds() if one.key == kind), None)
    problems = [] if found else [Problem("kind.unknown", "This kind of channel is not known.", "kind")]
    address, wrong = _read_address(address)
    problems += wrong
    if not secret.strip():
        problems.append(Problem("secret.missing", "The key that the channel gave you is needed.", "secret"))
    problems += _wrong_key(secret)
    name, wrong = _read_name(name or (found.name if found else "?"))
    problems += wrong
    if problems:
        raise Refused(problems)

    def work(tx: Tx) -> int:
        with history.change_set(tx, actor, "channel.connect", f"Channel connected: {name}") as recorder:
            channel_id = store.insert_channel(tx, kind, name, address, ctx.sealer.seal(secret.strip()))
            recorder.made("channel", channel_id, {"name": name, "address": address})
        _enqueue_check(tx, actor, channel_id, name)
        return channel_id

    return _naming_double(ctx, work, name)


def change(ctx: Context, actor: Actor, channel_id: int, name: str, address: str, secret: str) -> None:
    """Another name, address or key of a channel; an empty key keeps the one it has. Raises Refused, NotFound."""
    actor.require(Role.OWNER)
    address, problems = _read_address(address)
    name, wrong = _read_name(name)
    if wrong := problems + wrong + _wrong_key(secret):
        raise Refused(wrong)

    def work(tx: Tx) -> None:
        row = channel_row(tx, channel_id)
        before, after = {key: row[key] for key in ("name", "address")}, {"name": name, "address": address}
        with history.change_set(tx, actor, "channel.connect", f"Channel changed: {name}") as recorder:
            recorder.changed("channel", channel_id, before, after, row["version"] + 1)
        store.update_channel(tx, channel_id, name, address, ctx.sealer.seal(secret.strip()) or row["secret"])
        _enqueue_check(tx, actor, channel_id, name)

    _naming_double(ctx, work, name)


def _wrong_key(secret: str) -> list[Problem]:
    if len(secret.strip()) <= KEY_LENGTH:
        return []
    return [Problem("secret.long", f"A key has at most {KEY_LENGTH} characters.", "secret")]


def seal_keys(ctx: Context) -> int:
    """Seal the keys that were kept before keys were sealed; returns how many."""

    def work(tx: Tx) -> int:
        rows = store.channels(tx)
        bare = [row for row in rows if row["secret"] and not ctx.sealer.is_sealed(row["secret"])]
        for row in bare:
            store.set_secret(tx, row["id"], ctx.sealer.seal(row["secret"]))
        return len(bare)

    return ctx.db.run(work)


def _read_address(address: str) -> tuple[str, list[Problem]]:
    address = address.strip().rstrip("/")
    try:
        parts = urlsplit(address)
        good = parts.scheme in ("http", "https") and bool(parts.hostname) and len(address) <= 300
    except ValueError:
        good = False
    wrong = Problem("address.wrong", "Write the whole address, such as http://127.0.0.1:8100.", "address")
    return address, [] if good else [wrong]


def _read_name(name: str) -> tuple[str, list[Problem]]:
    name = " ".join(name.split())
    if 0 < len(name) <= NAME_LENGTH:
        return name, []
    return name, [Problem("channel.name", f"A channel needs a name of 1 to {NAME_LENGTH} characters.", "name")]


def _naming_double(ctx: Context, work: Callable[[Tx], T], name: str) -> T:
    try:
        return ctx.db.run(work)
    except DuplicateKey as error:
        raise Refused.because(
            "channel.taken", f"There is a channel “{name}” already. Give this account a name of its own.", "name"
        ) from error


def set_language(ctx: Context, actor: Actor, channel_id: int, lang: str) -> None:
    """In which language a channel shows goods, "" for the default one; all listings are sent anew where they differ.

    Raises Refused, NotFound.
    """
    actor.require(Role.OWNER)
    lang = languages.parse(lang) if lang and lang != ctx.settings.language else ""

    def work(tx: Tx) -> None:
        row = channel_row(tx, channel_id)
        with history.change_set(tx, actor, "channel.language", f"Language of {row['name']}") as recorder:
            if recorder.changed("channel", channel_id, {"lang": row["lang"]}, {"lang": lang}, row["version"] + 1):
                store.set_language(tx, channel_id, lang)
                store.mark_all(tx, channel_id, tuple(map(str, AT_CHANNEL)))
                behind.enqueue_catch_up(tx, actor, row)

    ctx.db.run(work)


def _enqueue_check(tx: Tx, actor: Actor, channel_id: int, name: str) -> int:
    request = JobRequest(
        "listings.check",
        f"Ask {name} for its terms and categories",
        {"channel_id": channel_id},
        f"/channels/{channel_id}",
    )
    return enqueue(tx, actor, request)


def request_check(ctx: Context, actor: Actor, channel_id: int) -> int:
    """Ask the channel for its terms and categories again; returns the job's id. Raises NotFound."""
    actor.require(Role.EDITOR)
    return ctx.db.run(lambda tx: _enqueue_check(tx, actor, channel_id, channel_row(tx, channel_id)["name"]))


# --- speaking to them ----------------------------------------------------------------------------------------


@contextmanager
def speaking(ctx: Context, channel: Mapping[str, Any]) -> Iterator[ChannelClient]:
    """The client of a channel; that it does not answer is noted with since when, and that it does again."""
    try:
        yield client_of(channel["kind"], channel["address"], ctx.sealer.open(channel["secret"]))
    except (TryLater, ChannelDenied) as trouble:
        said = str(trouble)
        ctx.db.run(lambda tx: store.set_silent(tx, channel["id"], said, ctx.now(tx)))
        raise
    if channel["silent_since"]:
        ctx.db.run(lambda tx: store.set_answering(tx, channel["id"]))
