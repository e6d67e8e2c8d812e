"""What is below its threshold: noted after each change that could matter, told by mail and a feed (Atom, RFC 4287)."""

import hashlib
import hmac
import secrets
from collections.abc import Sequence
from datetime import UTC, datetime

from feedgen.feed import FeedGenerator

from graupel import mail
from graupel.context import Context
from graupel.core.availability import FIELDS
from graupel.core.errors import NotFound
from graupel.core.roles import SYSTEM
from graupel.core.showing import plural
from graupel.core.stock import show
from graupel.db import Tx
from graupel.features.products import summary
from graupel.features.products.summary import TouchedProducts
from graupel.features.stock import store
from graupel.features.stock.rows import AlertRow
from graupel.jobs import JobRequest, JobRun, Urgency, enqueue

MAIL = "stock.mail"
#: What falls within so long is told in one mail.
GATHERED_SECONDS = 300
FED = 100
NAMED = 40
_RULES_OF_PRODUCT, _RULES_OF_VARIANT = (*FIELDS, "type_id"), (*FIELDS, "archived")


def follow(tx: Tx, touched: TouchedProducts) -> None:
    """Note which variants of touched products are below their threshold now; of new ones somebody is written to."""
    wrote = touched.wrote
    ruled = wrote.any_of("product", _RULES_OF_PRODUCT) or wrote.any_of("variant", _RULES_OF_VARIANT)
    if touched.by_file or not (ruled or touched.restocks):  # a file writes neither stock nor rules
        return
    rules = summary.touched_sql({"product": _RULES_OF_PRODUCT, "variant": _RULES_OF_VARIANT})
    new = store.note_low(tx, touched.table, touched.change_set_id, f"SELECT record_id FROM ({rules}) written")
    if new and store.notice(tx)["mails"] and not store.is_mail_planned(tx, MAIL):
        request = JobRequest(
            MAIL, "Write what is below its threshold", delay_seconds=GATHERED_SECONDS, urgency=Urgency.REST
        )
        enqueue(tx, SYSTEM, request)


def write(run: JobRun) -> None:
    """Write to those who want it what fell below its threshold since the last mail.

    It is noted as told after the server took it: where a worker is killed between the two, it is written again, under
    the same Message-ID.
    """
    ctx = run.ctx
    found, mails = ctx.db.run(lambda tx: (store.unmailed(tx, ctx.settings.language), store.notice(tx)["mails"]))
    if not found or not mails:
        ctx.db.run(lambda tx: run.finish(tx, "Nothing is to be told."))
        return
    to = [one.strip() for one in mails.split(",")]
    mail.send(ctx.settings, to, _subject(found), _text(ctx, found), f"stock-{run.job_id}-{_told(found)}")

    def work(tx: Tx) -> None:
        store.note_mailed(tx, [one["id"] for one in found])
        run.finish(tx, f"Told {mails} of {plural(len(found), 'variant')}.")

    ctx.db.run(work)


def _told(found: Sequence[AlertRow]) -> str:
    """The same for the same news, and another for others."""
    news = ",".join(f"{one['id']} {one['since']:%Y%m%d%H%M%S%f}" for one in found)
    return hashlib.sha256(news.encode()).hexdigest()[:16]


def _subject(found: Sequence[AlertRow]) -> str:
    return f"{plural(len(found), 'variant')} below the threshold"


def _line(one: AlertRow) -> str:
    free = one["on_hand"] - one["reserved"]
    left = f"{show(free)} left" if free > 0 else "none left"
    return f"{one['name']} ({one['sku']}): {left}, reported below {show(one['low_stock'])}"


def _text(ctx: Context, found: Sequence[AlertRow]) -> str:
    lines = [_line(one) for one in found[:NAMED]]
    more = [f"and {len(found) - NAMED} more"] if len(found) > NAMED else []
    return "\n".join([*lines, *more, "", f"{ctx.settings.address}/stock?show=low"])


# --- the feed ------------------------------------------------------------------------------------------------


def feed_path(ctx: Context) -> str:
    """The address of the feed, with its secret part, which is made once."""

    def work(tx: Tx) -> str:
        key = store.notice(tx)["feed_key"]
        if not key:
            store.set_feed_key(tx, secrets.token_urlsafe(24))
            key = store.notice(tx)["feed_key"]
        return f"/stock/low/{key}.atom"

    return ctx.db.run(work)


def feed(ctx: Context, key: str) -> bytes:
    """What fell below its threshold, the latest first. Raises NotFound where the key is not that of the feed."""

    def work(tx: Tx) -> list[AlertRow]:
        right = store.notice(tx)["feed_key"]
        if not right or not hmac.compare_digest(right.encode(), key.encode("utf-8", "replace")):
            raise NotFound("There is no such feed.")
        return store.alerts(tx, ctx.settings.language, FED)

    found = ctx.db.run(work)
    made = FeedGenerator()
    address = ctx.settings.address
    made.id(f"{address}/stock?show=low")
    made.title(f"Below the threshold: {ctx.settings.shop_name}")
    made.link(href=f"{address}/stock?show=low")
    made.link(href=f"{address}/stock/low/{key}.atom", rel="self")
    made.updated(_moment(found[0]["since"]) if found else datetime(2000, 1, 1, tzinfo=UTC))
    for one in found:
        entry = made.add_entry(order="append")
        entry.id(f"{address}/stock/of/{one['product_id']}?variant={one['id']}#{one['since']:%Y%m%dT%H%M%S%f}")
        entry.title(_line(one))
        entry.link(href=f"{address}/stock/of/{one['product_id']}?variant={one['id']}")
        entry.updated(_moment(one["since"]))
        entry.author(name=ctx.settings.shop_name)
    text: bytes = made.atom_str(pretty=True)
    return text


def _moment(at: datetime) -> datetime:
    return at.replace(tzinfo=UTC)
