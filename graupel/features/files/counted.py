"""The moment for which a file's counts of stock hold."""

from datetime import UTC, datetime
from zoneinfo import ZoneInfo

from graupel.context import Context
from graupel.core import moments
from graupel.core.errors import Refused
from graupel.db import Tx
from graupel.features.files.rows import ImportFileRow


def shown(ctx: Context, row: ImportFileRow) -> str:
    """As its field shows it, to the minute."""
    return moments.typed(row["counts_at"].replace(tzinfo=UTC), ZoneInfo(ctx.settings.time_zone))


def read(ctx: Context, tx: Tx, text: str, row: ImportFileRow) -> datetime:
    """The moment that was typed, UTC; what is known to more than the minute stays where its field says the same.

    Raises Refused.
    """
    if text.strip() in ("", shown(ctx, row)):
        return row["counts_at"]
    at = moments.parse(text, ZoneInfo(ctx.settings.time_zone), "counts_at")
    if at > ctx.now(tx):
        message = "Goods can't have been counted at a moment that is yet to come."
        raise Refused.because("counts.ahead", message, "counts_at")
    return at.replace(tzinfo=None)
