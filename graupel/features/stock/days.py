"""Days of the shop on which goods are back, or are not only announced any more."""

from datetime import UTC, datetime, time, timedelta
from zoneinfo import ZoneInfo

from graupel.context import Context
from graupel.core.roles import SYSTEM
from graupel.db import Tx
from graupel.features.history import service as history
from graupel.features.history.following import Recorded
from graupel.features.terms import stock_store as terms_store
from graupel.jobs import timekeeping
from graupel.jobs.timekeeping import Timed

CLOCK = "goods"
#: No shop is further from Greenwich.
HALF_A_DAY = timedelta(hours=14)


def register() -> None:
    """Wake at the beginning of the next such day."""
    timekeeping.register(Timed(CLOCK, "Goods that are back or begin to be sold", _next, _arrive))


def _begin_of(ctx: Context, moment: datetime) -> datetime:
    return moment.astimezone(ZoneInfo(ctx.settings.time_zone))


def _next(ctx: Context, tx: Tx, after: datetime) -> datetime | None:
    day = terms_store.next_day(tx, _begin_of(ctx, after).date())
    if day is None:
        return None
    return datetime.combine(day, time(), ZoneInfo(ctx.settings.time_zone)).astimezone(UTC)


def _arrive(ctx: Context, tx: Tx, moment: datetime) -> None:
    """A day began: what sells of goods that it is about is worked out anew by whoever follows."""
    day = _begin_of(ctx, moment).date()
    with history.change_set(tx, SYSTEM, "goods.day", f"Goods that are back or new: {day.day} {day:%b %Y}") as recorder:
        recorder.made("shop_day", terms_store.add_day(tx, day), {"day": day})


def follow(tx: Tx, recorded: Recorded) -> None:
    """After a change set that wrote such a day: wake then at the latest."""
    wrote = any(recorded.wrote.any_of(kind, ("back_on", "coming_on")) for kind in ("product", "variant"))
    if recorded.handed_on or not wrote:  # a file writes no such day
        return
    if terms_store.note_days(tx, recorded.change_set_id) and (day := terms_store.next_day(tx, terms_store.day(tx))):
        # The shop's midnight is not known here: so long before is never too late, and an early look is harmless.
        timekeeping.wake(tx, CLOCK, datetime.combine(day, time()) - HALF_A_DAY)
