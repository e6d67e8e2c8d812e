"""What files register."""

from collections.abc import Mapping
from datetime import datetime, time, timedelta
from typing import Any

from graupel.context import Context
from graupel.core.roles import Actor
from graupel.core.schedules import next_daily
from graupel.db import Tx
from graupel.features.files import (
    exporting,
    kinds,
    outlets,
    picturing,
    reading_aside,
    service,
    sources,
    store,
    telling,
)
from graupel.features.history import following, keeping
from graupel.features.prepared import providers
from graupel.features.prepared.providers import Provider
from graupel.jobs import Urgency, handler, timekeeping
from graupel.jobs.timekeeping import Timed

#: A file that went out can be fetched for so long.
KEPT = timedelta(days=7)


def register(language: str) -> None:
    """How a file is read, its dry run and its applying, and writing one, in the background."""
    kinds.register_kinds()
    handler(service.READ)(reading_aside.read)
    handler("files.plan")(service.plan)
    handler("files.apply")(service.apply)
    handler("files.export")(exporting.write)
    handler(telling.KIND)(telling.write)
    handler(picturing.KIND)(picturing.fetch)
    handler(sources.KIND)(sources.look)
    service.on_done(sources.follow_file)
    following.on_recorded(sources.follow_change)
    handler(outlets.KIND)(outlets.write)
    following.on_recorded(outlets.follow_change)
    timekeeping.register(Timed(outlets.CLOCK, "Write files", outlets.next_after, outlets.due, each=False))
    timekeeping.register(Timed(sources.CLOCK, "Look for files", sources.next_after, sources.arrive, each=False))
    keeping.register(store.forget_rows)
    providers.register("file", Provider("File", lambda number: f"/files/{number}", _begin))
    timekeeping.register(
        Timed(
            "files.forget",
            "Throw away files that went out long ago",
            lambda ctx, tx, after: next_daily(after, time(4, 45), ctx.settings.time_zone),
            _forget,
            each=False,
            urgency=Urgency.REST,
        )
    )


def _begin(ctx: Context, actor: Actor, file_id: int, given: Mapping[str, Any]) -> int:
    """Bring a file in that was prepared."""
    return service.request_apply(ctx, actor, file_id, leave_out=given["leave_out"], confirmed=given["confirmed"])


def _forget(ctx: Context, tx: Tx, moment: datetime) -> None:
    exporting.throw_away(ctx, tx, moment - KEPT)
