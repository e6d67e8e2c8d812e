"""What stock registers."""

from graupel.core.declarations import stock as declared
from graupel.features.history import following, records
from graupel.features.history.records import RecordKind, Shown
from graupel.features.products import summary
from graupel.features.stock import alerts, days
from graupel.jobs import handler


def register(language: str) -> None:
    """Notices, what is below its threshold, and days that time brings."""
    records.register(
        RecordKind(
            declared.STOCK_NOTICE, lambda tx, ids: {key: Shown("Notices of stock", "/stock/rules") for key in ids}
        )
    )
    days.register()
    following.on_recorded(days.follow)
    summary.on_touched(alerts.follow)
    handler(alerts.MAIL)(alerts.write)
