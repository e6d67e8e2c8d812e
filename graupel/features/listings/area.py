"""What listings register."""

from graupel.core.records import Record
from graupel.features.destinations import service as destinations
from graupel.features.history import records
from graupel.features.history.records import RecordKind, Shown
from graupel.features.listings import jobs, pages, service, store
from graupel.features.products import holds, parts, summary
from graupel.jobs import handler


def register(language: str) -> None:
    """Channels and listings, their part of the product editor, their jobs, and what follows changes of products."""
    _register_kinds()
    destinations.register("listings", service.as_destinations)
    summary.on_touched(service.follow_changes)
    holds.register(store.held_variants)
    parts.register(parts.Part("channels", "Channels", "listings/part.html", pages.part_data, pages.part_mark))
    handler("listings.check")(jobs.check)
    handler("listings.send", failed=jobs.not_sent)(jobs.send)
    handler("listings.look")(jobs.look)
    handler("listings.end", failed=jobs.not_sent)(jobs.end)
    handler("listings.catch_up")(jobs.catch_up)


def _register_kinds() -> None:
    """Channels and listings, which a roll back leaves as they are: what was sent can't be unsaid."""
    records.register(
        RecordKind(
            Record("channel", "Channel", "ch", ()),
            lambda tx, ids: {
                row["id"]: Shown(row["name"], f"/channels/{row['id']}")
                for row in store.channels(tx)
                if row["id"] in ids
            },
            reversible=False,
        )
    )
    records.register(
        RecordKind(
            Record("listing", "Listing", "li", ()),
            lambda tx, ids: {
                row["id"]: Shown(f"Listing on {row['name']}", f"/products/{row['product_id']}")
                for row in store.listing_names(tx, list(ids))
            },
            reversible=False,
        )
    )
