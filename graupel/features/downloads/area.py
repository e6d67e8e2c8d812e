"""What downloads register."""

from datetime import datetime, time

from graupel import pieces
from graupel.context import Context
from graupel.core.schedules import next_daily
from graupel.db import Tx
from graupel.features.downloads import kinds, listed, pages, service, store
from graupel.features.products import parts
from graupel.features.variants import copying
from graupel.jobs import Urgency, timekeeping
from graupel.jobs.timekeeping import Timed


def register(language: str) -> None:
    """Downloads, their words, and their part of the product editor."""
    kinds.register_kinds()
    kinds.register_words()
    copying.on_copied(service.copy)
    timekeeping.register(
        Timed(
            "downloads.forget",
            "Throw away what nobody went on to upload or to download",
            lambda ctx, tx, after: next_daily(after, time(4, 40), ctx.settings.time_zone),
            _forget,
            each=False,
            urgency=Urgency.REST,
        )
    )
    listed.register()
    parts.register(
        parts.EditorPart("downloads", "Downloads", "downloads/part.html", pages.part_data, pages.part_mark, "prices")
    )


def _forget(ctx: Context, tx: Tx, moment: datetime) -> None:
    pieces.throw_away(ctx.settings.data_folder)
    store.forget_runs(tx)


finish = kinds.finish_kinds
