"""What listings register."""

from graupel.features.destinations import service as destinations
from graupel.features.history import following
from graupel.features.listings import answers, behind, connecting, jobs, kinds, pages, standing, store
from graupel.features.products import claims, mirrors, parts, summary
from graupel.jobs import handler


def register(language: str) -> None:
    """Channels and listings, their part of the product editor, their jobs, and what follows changes of products."""
    kinds.register_kinds()
    destinations.register("listings", connecting.as_destinations)
    mirrors.register_findings("c", standing.findings_at)
    summary.on_touched(behind.follow_products)
    following.on_recorded(behind.follow_listings)
    following.on_recorded(behind.follow_words)
    following.on_recorded(behind.follow_terms)
    claims.register(store.claimed_variants)
    parts.register(parts.EditorPart("channels", "Channels", "listings/part.html", pages.part_data, pages.part_mark))
    handler("listings.check")(jobs.check)
    handler("listings.settle", failed=jobs.not_settled)(jobs.settle)
    handler("listings.answers")(answers.fetch)
    handler("listings.catch_up")(jobs.catch_up)
    answers.register()
